//! Agents and lines for a campaign's goal: so many conversations in so many hours.

use barometer_queueing::{QueueError, lines_for_blocking};
use barometer_strategy::{Campaign, MachineAction, Pacing};

use crate::carrier::{
    BUSY_AFTER_SECS, CONGESTED_AFTER_SECS, MACHINE_NOTICED_SECS, UNUSABLE_AFTER_SECS,
};
use crate::detection::Detection;

/// What a campaign is to achieve.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Goal {
    /// Conversations.
    pub conversations: f64,
    /// Hours in which it dials until then.
    pub hours: f64,
    /// Share of their time that its agents talk or wrap up.
    pub utilisation: f64,
    /// Share of calls that may find no free line.
    pub blocked_share: f64,
}

/// What a goal needs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Need {
    /// Agents on shift while it dials.
    pub agents: u32,
    /// Calls to dial in all.
    pub dials: f64,
    /// People that the list must have, each called as often as the retries allow.
    pub people: f64,
    /// Lines in use on average, those of conversations included.
    pub line_erlangs: f64,
    /// Lines for the share that may be blocked (Erlang B).
    pub lines: u32,
}

/// What one call of a campaign comes to on average, over its hours.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CallMix {
    /// Share that an agent talks with a person in.
    pub conversation_share: f64,
    /// Share that an agent is needed for: people, and machines that are not noticed.
    pub agent_share: f64,
    /// Seconds of an agent for each call that one is needed for.
    pub agent_secs: f64,
    /// Seconds from dialling until a line is answered or given up.
    pub ring_secs: f64,
    /// Seconds that a line is in use.
    pub line_secs: f64,
    /// Share of people who answer and are taken for a machine.
    pub lost_to_detection: f64,
}

impl CallMix {
    /// The mix of a campaign at an hour of the person's day, or over the hours that are allowed.
    pub fn of(campaign: &Campaign, hour: Option<usize>) -> Self {
        let assumed = &campaign.assumed;
        let local = &campaign.local_hours;
        let hours: Vec<usize> = match hour {
            Some(hour) => vec![hour],
            None => (local.from.hour() as usize..local.until.hour() as usize).collect(),
        };
        let people = hours.iter().map(|&hour| campaign.answered_at(hour)).sum::<f64>()
            / hours.len().max(1) as f64;
        let limit = campaign.ring_limit_secs;
        let (decide_secs, lost, missed) = match campaign.machines.sensitivity {
            None => (0.0, 0.0, 1.0),
            Some(sensitivity) => {
                let detection = Detection::of(sensitivity);
                let to_agent = campaign.machines.action == MachineAction::ToAgent;
                let missed = if to_agent { 1.0 } else { detection.machines_taken_for_people };
                let lost = if to_agent { 0.0 } else { detection.people_taken_for_machines };
                (detection.decide_secs, lost, missed)
            }
        };
        let conversation_share = people * (1.0 - lost);
        let unnoticed = assumed.machine_share * missed;
        let agent_share = conversation_share + unnoticed;
        let talk = assumed.talk.mean_secs();
        let talk = campaign.longest_call_secs.map_or(talk, |longest| talk.min(longest));
        let handle = talk + assumed.wrap_up.mean_secs();
        let agent_secs = if agent_share > 0.0 {
            (conversation_share * handle + unnoticed * MACHINE_NOTICED_SECS) / agent_share
        } else {
            0.0
        };
        let ring = assumed.ring.mean_secs().min(limit);
        let machine_ring = assumed.machine_ring.mean_secs().min(limit);
        let unanswered =
            assumed.unanswered_ring.as_ref().map_or(limit, |ring| ring.mean_secs().min(limit));
        let rest = assumed.busy_share + assumed.unusable_share + assumed.congested_share;
        let nobody = (1.0 - people - assumed.machine_share - rest).max(0.0);
        let ring_secs = people * ring
            + assumed.machine_share * machine_ring
            + assumed.busy_share * BUSY_AFTER_SECS
            + assumed.unusable_share * UNUSABLE_AFTER_SECS
            + assumed.congested_share * CONGESTED_AFTER_SECS
            + nobody * unanswered;
        let after_answer = (people + assumed.machine_share) * decide_secs
            + conversation_share * talk
            + unnoticed * MACHINE_NOTICED_SECS;
        Self {
            conversation_share,
            agent_share,
            agent_secs,
            ring_secs,
            line_secs: ring_secs + after_answer,
            lost_to_detection: lost,
        }
    }
}

/// Share of their time for which agents are planned to be busy, where the pacing does not keep one for each call.
const PLANNED_UTILISATION: f64 = 0.8;

impl Goal {
    /// A number of conversations in a number of hours, with agents as busy as the campaign's pacing makes them: less
    /// looking and ringing where an agent is kept for each call, else as is planned.
    pub fn of(campaign: &Campaign, conversations: f64, hours: f64, blocked_share: f64) -> Self {
        let look_secs = match &campaign.pacing {
            Pacing::ByHand { look_up: look } | Pacing::Preview { look, .. } => look.mean_secs(),
            Pacing::Progressive {} | Pacing::Steady { .. } | Pacing::Predictive {} => 0.0,
        };
        let utilisation = if campaign.pacing.keeps_an_agent() {
            CallMix::of(campaign, None).one_each(1.0, look_secs).busy_share
        } else {
            PLANNED_UTILISATION
        };
        Self { conversations, hours, utilisation, blocked_share }
    }

    /// Everybody on the list, each called until there is a conversation or the retries are used up.
    pub fn of_whole_list(campaign: &Campaign, hours: f64, blocked_share: f64) -> Self {
        let share = CallMix::of(campaign, None).conversation_share;
        let reached = 1.0 - (1.0 - share).powf(f64::from(campaign.retries.most_in_all));
        let people = f64::from(campaign.list.people);
        Self::of(campaign, people * reached, hours, blocked_share)
    }

    /// What the goal needs of a campaign.
    ///
    /// # Errors
    ///
    /// [`QueueError`] where a figure is out of range, as when nobody answers.
    pub fn need(&self, campaign: &Campaign) -> Result<Need, QueueError> {
        let mix = CallMix::of(campaign, None);
        let dials = self.conversations / mix.conversation_share;
        let agent_hours = dials * mix.agent_share * mix.agent_secs / 3600.0;
        let agents = (agent_hours / (self.hours * self.utilisation)).ceil();
        let line_erlangs = dials * mix.line_secs / 3600.0 / self.hours;
        // Each person is called until there is a conversation, or the retries are used up.
        let calls = f64::from(campaign.retries.most_in_all);
        let reached = 1.0 - (1.0 - mix.conversation_share).powf(calls);
        Ok(Need {
            lines: lines_for_blocking(line_erlangs, self.blocked_share)?,
            agents: agents as u32,
            people: self.conversations / reached,
            dials,
            line_erlangs,
        })
    }
}
