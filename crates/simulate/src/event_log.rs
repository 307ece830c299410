//! All that happens in one replication, for a timeline and a replay.

use serde::{Deserialize, Serialize};

/// What happened.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// The contact came.
    Came,
    /// It reached a step.
    Reached {
        /// Number of the step in the strategy.
        step: u16,
    },
    /// It joined a queue or hunt group.
    Joined {
        /// Number of the service point.
        service_point: u16,
    },
    /// It rings at an agent.
    RingsAt {
        /// Number of the agent.
        agent: u32,
    },
    /// Nobody answered in time.
    NotAnswered,
    /// An agent answered.
    Answered {
        /// Number of the agent.
        agent: u32,
    },
    /// The agent is free of it.
    Done {
        /// Number of the agent.
        agent: u32,
    },
    /// It ended without an agent.
    Ended {
        /// How.
        how: End,
    },
    /// A callback was promised.
    CallbackPromised,
    /// An agent came to work; no contact is meant.
    AgentCame {
        /// Number of the agent.
        agent: u32,
    },
    /// An agent left; no contact is meant.
    AgentLeft {
        /// Number of the agent.
        agent: u32,
    },
}

/// How a contact ends that no agent serves to the end.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum End {
    /// The customer gave up.
    Abandoned,
    /// Released after a message.
    Released,
    /// Got the busy tone.
    Blocked,
    /// Left a message.
    Voicemail,
    /// Handed to an outside number.
    Outside,
    /// Settled by an assistant.
    Contained,
    /// Could not be called back.
    CallbackFailed,
    /// Cut off when the agent left.
    CutOff,
}

/// One thing that happened.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LoggedEvent {
    /// Seconds since the trial's start.
    pub at_secs: f64,
    /// Which contact, in order of appearance; 0 where none is meant.
    pub contact: u32,
    /// Number of its type.
    pub kind: u16,
    /// What.
    pub what: What,
}

/// All that happened, in order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct EventLog {
    /// In order of time.
    pub events: Vec<LoggedEvent>,
}

impl EventLog {
    pub(crate) fn push(&mut self, at_secs: f64, contact: u32, kind: u16, what: What) {
        self.events.push(LoggedEvent { at_secs, contact, kind, what });
    }
}
