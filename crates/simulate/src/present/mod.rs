//! What is true of a day at one moment, as a telephone system could tell it.

mod numbers;
mod resume;
mod taken;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub(crate) use resume::resume;
pub(crate) use taken::Taken;

/// A day at one moment. Seconds are counted from the beginning of its first interval.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Present {
    /// Which moment.
    pub at_secs: f64,
    /// Agents on shift, and those who finish a contact after their shift.
    pub agents: Vec<PresentAgent>,
    /// Contacts under way, in the order of their numbers.
    pub contacts: Vec<PresentContact>,
}

/// An agent, by the team's id and the agent's name.
#[derive(
    Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema,
)]
pub struct AgentName {
    /// The team's id.
    pub team: String,
    /// The name.
    pub name: String,
}

/// An agent at one moment.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PresentAgent {
    /// Who.
    pub agent: AgentName,
    /// Whether on shift; otherwise only what is at hand is finished.
    pub is_on_shift: bool,
    /// Since when free, or free last.
    pub idle_since_secs: f64,
    /// Contacts answered today.
    pub answered_today: u32,
}

/// A contact under way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PresentContact {
    /// In order of appearance; work has the number of its message.
    pub number: u32,
    /// Its contact type by name; of a campaign's calls, the campaign's id.
    pub contact_type: String,
    /// In whose interest it is under way.
    pub errand: PresentErrand,
    /// Labels put on so far.
    #[serde(default)]
    pub labels: Vec<String>,
    /// In which interval it arrived, counted from 0.
    pub interval: u32,
    /// Attempts of the customer so far, this one counted, as far as that is known.
    pub attempt: u32,
    /// When it reached its first queue or hunt group.
    #[serde(default)]
    pub waiting_since_secs: Option<f64>,
    /// The agent who served this customer last.
    #[serde(default)]
    pub last_agent: Option<AgentName>,
    /// Where it is.
    pub at: PresentAt,
}

/// In whose interest a contact is under way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PresentErrand {
    /// A customer is on the line.
    Customer,
    /// A customer was promised to be called back.
    Callback {
        /// The id of the callback step.
        step: String,
        /// When that was promised.
        at_secs: f64,
        /// Attempts so far.
        attempts: u32,
    },
    /// A chat that an agent has left to others.
    HandedOver,
    /// Work that a message made.
    Work {
        /// The id of the step that took the message.
        step: String,
    },
    /// A campaign's call.
    Campaign,
}

/// Where a contact is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PresentAt {
    /// In a menu, an announcement or with an assistant.
    Step {
        /// Its id.
        step: String,
    },
    /// Waiting in a queue or hunt group.
    Waiting {
        /// The id of the queue or hunt group.
        step: String,
        /// By when it has its place in the line.
        joined_secs: f64,
        /// Since when it waits here.
        since_secs: f64,
        /// Whether a device rings for it.
        rings: bool,
    },
    /// With an agent.
    WithAgent {
        /// Who.
        agent: AgentName,
        /// The id of the queue or hunt group where it was answered; none of a campaign's own calls.
        #[serde(default)]
        step: Option<String>,
        /// By when it had its place in the line.
        joined_secs: f64,
        /// Since when the agent does that.
        since_secs: f64,
        /// What.
        work: PresentWork,
    },
    /// To be called back.
    Promised {
        /// When.
        due_secs: f64,
    },
}

/// What an agent does with a contact.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PresentWork {
    /// The customer's device rings for a callback.
    CallingBack,
    /// They talk, or the work is done.
    Talking,
    /// The agent writes up.
    WrappingUp,
}

impl Present {
    /// The same for a clock that began so many seconds later, and for intervals of another length. What was
    /// in an interval before its beginning is in the first.
    pub fn moved(mut self, secs: f64, interval_secs: f64, new_interval_secs: f64) -> Self {
        let interval = |interval: u32| {
            let began = f64::from(interval) * interval_secs - secs;
            (began / new_interval_secs).floor().max(0.0) as u32
        };
        self.at_secs -= secs;
        for agent in &mut self.agents {
            agent.idle_since_secs -= secs;
        }
        for contact in &mut self.contacts {
            contact.interval = interval(contact.interval);
            if let Some(since) = &mut contact.waiting_since_secs {
                *since -= secs;
            }
            if let PresentErrand::Callback { at_secs, .. } = &mut contact.errand {
                *at_secs -= secs;
            }
            match &mut contact.at {
                PresentAt::Step { .. } => {}
                PresentAt::Waiting { joined_secs, since_secs, .. }
                | PresentAt::WithAgent { joined_secs, since_secs, .. } => {
                    *joined_secs -= secs;
                    *since_secs -= secs;
                }
                PresentAt::Promised { due_secs } => *due_secs -= secs,
            }
        }
        self
    }
}
