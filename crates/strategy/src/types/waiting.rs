//! Queues: where contacts wait for whoever has the skills.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Next, Offering, Recording, Skill};

/// A waiting line. Agents belong to it because their skills match its need.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Queue {
    /// How many can wait at once; none for no limit.
    #[serde(default)]
    pub places: Option<u32>,
    /// Seconds after which a waiting contact takes the exit "too long"; none for as long as
    /// patience lasts.
    #[serde(default)]
    pub longest_wait_secs: Option<f64>,
    /// Which queue an agent of several serves first: the higher one.
    #[serde(default)]
    pub priority: i32,
    /// Every so many seconds of waiting raise a contact's priority by one; none for never.
    #[serde(default)]
    pub ageing_secs: Option<f64>,
    /// What it asks of agents; nothing for any agent.
    #[serde(default)]
    pub need: SkillNeed,
    /// How a waiting contact is offered to agents.
    #[serde(default)]
    pub offering: Offering,
    /// What is told to those who wait.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub announcements: Vec<QueueAnnouncement>,
    /// When a callback is offered to those who wait.
    #[serde(default)]
    pub callback: Option<CallbackOffer>,
    /// Seconds for which whoever calls again waits for the agent who served last, before anyone
    /// else is offered the contact; none for no such preference.
    #[serde(default)]
    pub last_agent_secs: Option<f64>,
    /// Its short number, by which agents reach it; none for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub short_number: Option<String>,
    /// What is recorded of its conversations; none for nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub recording: Option<Recording>,
    /// Where contacts go that the queue does not keep.
    #[serde(default)]
    pub exits: Exits,
}

/// Where contacts go that a queue or a hunt group does not keep, by cause.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Exits {
    /// There is no free place.
    pub full: Next,
    /// The longest wait or the group limit is over.
    pub too_long: Next,
    /// Nobody is at work when the contact comes; none to wait all the same.
    pub no_staff_at_arrival: Option<Next>,
    /// The last of those at work leaves while the contact waits; none to wait on.
    pub no_staff_while_waiting: Option<Next>,
    /// As many offers as allowed were not answered.
    pub no_answer: Next,
}

impl Default for Exits {
    fn default() -> Self {
        Self {
            full: Next::Release,
            too_long: Next::Release,
            no_staff_at_arrival: None,
            no_staff_while_waiting: None,
            no_answer: Next::KeepRinging,
        }
    }
}

/// What a queue asks of an agent, and how it asks for less with time.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SkillNeed {
    /// All of these are needed.
    #[serde(default)]
    pub skills: Vec<WantedSkill>,
    /// What is asked instead once a contact has waited so long, in order of time.
    #[serde(default)]
    pub relaxations: Vec<Relaxation>,
}

/// A skill that is asked for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WantedSkill {
    /// Its name.
    pub skill: String,
    /// The least level, 1 to 10; none where having it is enough.
    #[serde(default)]
    pub at_least: Option<u8>,
}

impl WantedSkill {
    /// Whether somebody with these skills meets it. A skill without a level satisfies any.
    pub fn is_met_by(&self, skills: &[Skill]) -> bool {
        skills.iter().any(|has| {
            let enough =
                self.at_least.is_none_or(|least| has.level.is_none_or(|level| level >= least));
            has.skill == self.skill && enough
        })
    }
}

/// A need that replaces the earlier one after some waiting.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Relaxation {
    /// Seconds of waiting in the queue.
    pub after_secs: f64,
    /// What is needed from then on; nothing for any agent.
    pub skills: Vec<WantedSkill>,
}

/// Something told to whoever waits.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct QueueAnnouncement {
    /// Seconds of waiting after which it begins.
    pub at_secs: f64,
    /// How long it takes.
    pub secs: f64,
    /// Whether a contact cannot be answered while it plays.
    #[serde(default)]
    pub must_be_heard: bool,
    /// What it does to the patience that is left: 1 leaves it, 1.5 makes it half as long again.
    #[serde(default = "one")]
    pub patience_factor: f64,
    /// Whether it tells the expected wait; then `leaving_share` of those hang up whose remaining
    /// patience is shorter than that.
    #[serde(default)]
    pub tells_expected_wait: bool,
    /// Share of those who hang up on hearing a wait that is longer than their patience.
    #[serde(default)]
    pub leaving_share: f64,
}

/// When a callback is offered to whoever waits.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CallbackOffer {
    /// Seconds of waiting after which it is offered; 0 for at once.
    pub after_secs: f64,
    /// Offered only where the expected wait is at least so many seconds.
    #[serde(default)]
    pub if_expected_wait_secs: f64,
    /// Share of those who accept.
    pub accepted_share: f64,
    /// The callback step that describes it.
    pub step: String,
}

const fn one() -> f64 {
    1.0
}
