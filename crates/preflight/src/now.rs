//! What is true at each step of a strategy in one interval of the planned period.

use std::collections::BTreeMap;

use barometer_routing::Id;
use barometer_strategy::{Blending, Channel, Recording, Strategy};

use crate::ground::Ground;
use crate::premises::Premises;
use crate::traffic::{channels, open_intervals};

const DAY_SECS: f64 = 86_400.0;

/// A step in one interval.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct StepNow {
    /// Whether a gate is open; `None` for every other step.
    pub is_open: Option<bool>,
    /// Contacts expected in the interval on ways that can be reckoned.
    pub contacts: f64,
    /// Their work in Erlangs, if all of it were done here.
    pub erlangs: f64,
    /// Members on shift, rank by rank, of a hunt group, or of those whom a queue asks at once.
    pub ranks: Vec<RankNow>,
}

/// Members of one rank in one interval.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RankNow {
    /// Lower is offered first.
    pub rank: u32,
    /// How many of them are on shift.
    pub on_shift: u32,
    /// How many there are, as far as anybody is planned.
    pub listed: u32,
    /// Contacts that those on shift can hold at once.
    pub slots: u32,
}

impl StepNow {
    /// Members on shift.
    pub fn on_shift(&self) -> u32 {
        self.ranks.iter().map(|rank| rank.on_shift).sum()
    }

    /// Work offered here / contacts that members on shift can hold; `None` where nobody is, or nothing
    /// comes. Members who serve other queues as well count fully here.
    pub fn pressure(&self) -> Option<f64> {
        let slots: u32 = self.ranks.iter().map(|rank| rank.slots).sum();
        (slots > 0 && self.erlangs > 0.0).then(|| self.erlangs / f64::from(slots))
    }
}

/// What is true at each step in an interval, in the order of the steps; nothing where the strategy has
/// faults.
pub fn steps_now(strategy: &Strategy, premises: &Premises, interval: usize) -> Vec<StepNow> {
    let Some(ground) = Ground::of(strategy, premises) else { return Vec::new() };
    (0..strategy.steps.len()).map(|at| step_now(&ground, at, interval)).collect()
}

/// What is recorded at a step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Recorded {
    /// The place of the step among the strategy's.
    pub at: usize,
    /// What is set for it.
    pub recording: Recording,
    /// Conversations a day, as if every contact that is expected there on ways that can be reckoned were answered there.
    pub a_day: f64,
    /// Bytes that they take, each with its whole handle time.
    pub bytes_a_day: f64,
}

impl Recorded {
    /// Bytes once there are recordings of as many such days as they are kept.
    pub fn kept_bytes(&self) -> f64 {
        self.bytes_a_day * f64::from(self.recording.keep_days)
    }
}

/// What is recorded on a mean day of the period, in the order of the steps; nothing where the strategy has faults.
pub fn recorded(strategy: &Strategy, premises: &Premises) -> Vec<Recorded> {
    let Some(ground) = Ground::of(strategy, premises) else { return Vec::new() };
    let days = premises.interval_secs * premises.intervals as f64 / DAY_SECS;
    let steps = strategy.steps.iter().enumerate();
    let recorded = steps.filter_map(|(at, step)| {
        let recording = *step.does.recording()?;
        let (mut contacts, mut talk_secs) = (0.0, 0.0);
        for each in ground.traffic().at(at) {
            let expected: f64 = each.expected.iter().sum();
            contacts += expected;
            talk_secs += expected * premises.types[each.of].handle_secs;
        }
        Some(Recorded {
            at,
            recording,
            a_day: recording.share * contacts / days,
            bytes_a_day: recording.bytes_of(talk_secs / days),
        })
    });
    recorded.collect()
}

/// A campaign's agents in one interval.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CampaignNow {
    /// Those on shift.
    pub on_shift: u32,
    /// Of those, how many inbound contacts keep busy on average, as far as those are home here.
    pub inbound_erlangs: f64,
}

impl CampaignNow {
    /// Agents whom inbound contacts leave to the campaign on average, without those who are kept free: no
    /// fewer than are kept for it.
    pub fn left(&self, blending: &Blending) -> u32 {
        let on_shift = f64::from(self.on_shift);
        let left = on_shift - self.inbound_erlangs - f64::from(blending.kept_free);
        left.max(f64::from(blending.kept_for_calls).min(on_shift)).max(0.0).round() as u32
    }
}

/// What is true of each campaign's agents in each interval, in the order of the campaigns; `None` for one
/// without agents, or where nobody is planned. Nothing where the strategy has faults.
pub fn campaigns_now(strategy: &Strategy, premises: &Premises) -> Vec<Option<Vec<CampaignNow>>> {
    let Some(ground) = Ground::of(strategy, premises) else { return Vec::new() };
    let of = |place: usize| {
        let people = ground.campaign_people(place)?;
        let points: Vec<usize> = ground.points_of_campaign(place).map(|point| point.at).collect();
        // A contact that may come to several of these is counted once.
        let mut coming: Vec<usize> = Vec::new();
        for each in points.iter().flat_map(|&at| ground.traffic().at(at)) {
            let home = strategy.home_team(&premises.types[each.of].name, Channel::Call);
            let is_home = home.is_some_and(|team| ground.is_of_campaign(place, &team.id));
            if is_home && !coming.contains(&each.of) {
                coming.push(each.of);
            }
        }
        let now = people.into_iter().enumerate().map(|(interval, on_shift)| {
            let erlangs = coming.iter().map(|&of| {
                let of = &premises.types[of];
                let contacts = of.contacts.get(interval).copied().unwrap_or(0.0);
                contacts * of.handle_secs / premises.interval_secs
            });
            CampaignNow { on_shift, inbound_erlangs: erlangs.sum() }
        });
        Some(now.collect())
    };
    (0..strategy.campaigns.len()).map(of).collect()
}

fn step_now(ground: &Ground<'_>, at: usize, interval: usize) -> StepNow {
    use barometer_strategy::StepKind;
    let is_gate = matches!(ground.strategy.steps[at].does, StepKind::HoursGate(_));
    let (mut contacts, mut erlangs) = (0.0, 0.0);
    for each in ground.traffic().at(at) {
        let arriving = each.expected.get(interval).copied().unwrap_or(0.0);
        contacts += arriving;
        let handle_secs = ground.premises.types[each.of].handle_secs;
        erlangs += arriving * handle_secs / ground.premises.interval_secs;
    }
    StepNow {
        is_open: is_gate
            .then(|| open_intervals(ground, at).get(interval).copied().unwrap_or(false)),
        contacts,
        erlangs,
        ranks: ranks(ground, at, interval),
    }
}

fn ranks(ground: &Ground<'_>, at: usize, interval: usize) -> Vec<RankNow> {
    let Some(point) = ground.point_at(at) else { return Vec::new() };
    let answered: Vec<usize> =
        channels(ground, at).into_iter().map(barometer_routing::channel_place).collect();
    let mut ranks: BTreeMap<u32, RankNow> = BTreeMap::new();
    for member in &ground.model(point).members {
        let team = ground.compiled.agents[member.agent].team;
        let (model, of) = (&ground.compiled.teams[team], &ground.strategy.teams[team.place()]);
        // A queue's relaxations bring others in only when a contact has waited.
        let is_queue = matches!(point.step.does, barometer_strategy::StepKind::Queue(_));
        if is_queue && member.joins_after > 0.0 {
            continue;
        }
        if !answered.is_empty() && answered.iter().all(|&channel| model.at_once[channel] == 0) {
            continue;
        }
        let planned = ground.premises.teams.iter().find(|each| each.team == of.id);
        let people = planned.and_then(|each| each.people.get(interval)).copied().unwrap_or(0);
        let is_on_shift = member.agent.place() - model.agents.0 < people as usize;
        let rank = ranks.entry(member.rank).or_insert(RankNow {
            rank: member.rank,
            on_shift: 0,
            listed: 0,
            slots: 0,
        });
        rank.listed += 1;
        rank.on_shift += u32::from(is_on_shift);
        let at_once = answered.iter().map(|&channel| model.at_once[channel]).max().unwrap_or(1);
        rank.slots += u32::from(is_on_shift) * at_once;
    }
    ranks.into_values().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_campaign_has_what_inbound_contacts_leave_and_no_fewer_than_are_kept_for_it() {
        let now = CampaignNow { on_shift: 10, inbound_erlangs: 6.6 };
        let left = |kept_free, kept_for_calls| {
            now.left(&Blending { kept_free, kept_for_calls, ..Blending::default() })
        };
        assert_eq!([left(0, 0), left(2, 0), left(9, 0)], [3, 1, 0]);
        assert_eq!([left(0, 5), left(0, 2), left(0, 30)], [5, 3, 10]);
    }
}
