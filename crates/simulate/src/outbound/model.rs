//! Campaigns made ready to be played.

use barometer_dialling::{CallingTimes, Detection};
use barometer_routing::{AgentId, CampaignId, CompiledStrategy, Id, Serves, ServicePointId, Table};
use barometer_strategy::{Campaign, Channel, Customers, Pacing, Strategy};

use crate::draws::{Key, key_of_name};
use crate::experiment::{Arrivals, Burst, Demand, DemandInterval, TypeDemand};
use crate::samplers::Sampler;

/// A campaign, and the luck of those whom it calls.
#[derive(Debug)]
pub(crate) struct CampaignModel {
    pub id: CampaignId,
    pub campaign: Campaign,
    pub times: CallingTimes,
    pub ring: Sampler,
    pub machine_ring: Sampler,
    pub unanswered_ring: Option<Sampler>,
    /// How long an agent looks before a number is dialled; none where nobody looks.
    pub look: Option<Sampler>,
    pub skipped_share: f64,
    pub talk: Sampler,
    /// Factor on the share of calls that are answered, for each zone of its calling times.
    pub zone_factors: Vec<f64>,
    pub detection: Option<Detection>,
    /// Queues and hunt groups at which inbound contacts wait for its agents.
    pub inbound_points: Vec<ServicePointId>,
    /// Tells its draws from those of other campaigns, whatever its place in the list.
    pub key: u64,
    /// When it rings other numbers of lines than its pacing asks for.
    pub bursts: Vec<Burst>,
}

/// Told apart from all contact types' and agents' keys.
const CAMPAIGNS: u64 = 1 << 41;

impl CampaignModel {
    pub fn of(strategy: &Strategy, compiled: &CompiledStrategy, demand: &Demand) -> Vec<Self> {
        let secs = demand.len() as f64 * demand.interval_secs;
        let campaigns = strategy.campaigns.iter().enumerate().map(|(place, campaign)| {
            let id = CampaignId::at(place);
            let (look, skipped_share) = match &campaign.pacing {
                Pacing::ByHand { look_up } => (Some(Sampler::from(look_up)), 0.0),
                Pacing::Preview { look, skipped_share } => {
                    (Some(Sampler::from(look)), *skipped_share)
                }
                Pacing::Progressive {} | Pacing::Steady { .. } | Pacing::Predictive {} => {
                    (None, 0.0)
                }
            };
            let assumed = &campaign.assumed;
            Self {
                id,
                times: CallingTimes::of(campaign, demand.start, secs, &demand.zone),
                ring: Sampler::from(&assumed.ring),
                machine_ring: Sampler::from(&assumed.machine_ring),
                unanswered_ring: assumed.unanswered_ring.as_ref().map(Sampler::from),
                look,
                skipped_share,
                talk: Sampler::from(&assumed.talk),
                zone_factors: zone_factors(campaign),
                detection: campaign.machines.sensitivity.map(Detection::of),
                inbound_points: compiled.inbound_points_of(id),
                key: CAMPAIGNS.wrapping_add(key_of_name(&campaign.id)),
                campaign: campaign.clone(),
                bursts: Vec::new(),
            }
        });
        campaigns.collect()
    }

    /// Factor on the lines that its pacing asks for.
    pub fn lines_factor(&self, now: f64) -> f64 {
        let going_on =
            self.bursts.iter().filter(|burst| (burst.from_secs..burst.until_secs).contains(&now));
        going_on.map(|burst| burst.factor).product()
    }

    /// The draws of a call to somebody.
    pub fn key_of_call(&self, replication: Key, person: u32, nth: u32) -> Key {
        replication.of(self.key).of(u64::from(person)).of(u64::from(nth))
    }

    /// The seconds of talk with a person.
    pub fn talk_secs(&self, key: Key) -> f64 {
        let secs = self.talk.secs(key, crate::draws::Purpose::HANDLING);
        self.campaign.longest_call_secs.map_or(secs, |longest| secs.min(longest))
    }
}

fn zone_factors(campaign: &Campaign) -> Vec<f64> {
    let together = campaign.list.callable_together().into_iter();
    let factor = |zone: &str| campaign.assumed.zone_factor(zone);
    together.map(|each| each.zone.as_deref().map_or(1.0, factor)).collect()
}

/// The bit of a campaign among those of an agent; the last stands for all that have none of their own.
pub(crate) fn bit_of(campaign: usize) -> u64 {
    1 << campaign.min(63)
}

/// Whose agent each agent is.
pub(crate) fn campaigns_of_agent(compiled: &CompiledStrategy) -> Table<AgentId, u64> {
    let mut of_agent: Table<AgentId, u64> = vec![0; compiled.agents.len()].into();
    for (campaign, route) in compiled.campaigns.iter().enumerate() {
        if let Serves::Agents(point) = route.serves {
            for member in &compiled.service_points[point].members {
                of_agent[member.agent] |= bit_of(campaign);
            }
        }
    }
    of_agent
}

/// What a campaign's calls are like as contacts: nobody comes in by itself, and nobody who listens to a
/// message waits longer than the talk with an agent would take.
pub(crate) fn type_of(campaign: &Campaign, demand: &Demand) -> TypeDemand {
    let assumed = &campaign.assumed;
    let customers = Customers {
        channel: Channel::Call,
        handling: assumed.talk.clone(),
        wrap_up: assumed.wrap_up.clone(),
        patience: Some(barometer_strategy::Duration::exponential(assumed.talk.mean_secs())),
        after_abandoning: None,
        after_blocked: None,
        repeat: None,
        profiles: Vec::new(),
    };
    let handle_secs = assumed.talk.mean_secs();
    TypeDemand {
        name: campaign.name.clone(),
        customers,
        within_secs: campaign.connect_within_secs,
        intervals: vec![DemandInterval { contacts: 0.0, handle_secs }; demand.len()],
        arrivals: Arrivals::Random,
        luck: None,
    }
}
