//! All that happens in one replication, for a timeline and a replay.

use barometer_routing::{End, Id, Observation};
use serde::{Deserialize, Serialize};

use super::{Observer, View};
use crate::model::Model;

/// What happened.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// The contact arrived.
    Arrived,
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
    /// An agent signed in; no contact is meant.
    AgentSignedIn {
        /// Number of the agent.
        agent: u32,
    },
    /// An agent signed out; no contact is meant.
    AgentSignedOut {
        /// Number of the agent.
        agent: u32,
    },
}

/// One thing that happened.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LoggedEvent {
    /// Seconds since the trial's start.
    pub at_secs: f64,
    /// Which contact, in order of appearance; 0 where none is meant.
    pub contact: u32,
    /// Number of its type; those of campaigns come after those of the demand.
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
    fn note(&mut self, view: View<'_>, contact: barometer_routing::ContactId, what: What) {
        let of = &view.floor.contacts[contact];
        self.events.push(LoggedEvent {
            at_secs: view.floor.now,
            contact: of.number,
            kind: of.contact_type.place() as u16,
            what,
        });
    }

    fn note_agent(&mut self, view: View<'_>, what: What) {
        self.events.push(LoggedEvent { at_secs: view.floor.now, contact: 0, kind: 0, what });
    }
}

impl Observer for EventLog {
    fn begin(&mut self, _model: &Model) {
        self.events.clear();
    }

    fn observe(&mut self, view: View<'_>, what: Observation) {
        let number_of = |agent: barometer_routing::AgentId| agent.place() as u32;
        match what {
            Observation::Arrived { contact } => self.note(view, contact, What::Arrived),
            Observation::ReachedStep { contact, step } => {
                self.note(view, contact, What::Reached { step: step.place() as u16 });
            }
            // A campaign's call that waits for its agents is in no queue of the strategy's.
            Observation::Joined { contact, service_point }
                if service_point.place() < view.model.names.service_points.len() =>
            {
                let service_point = service_point.place() as u16;
                self.note(view, contact, What::Joined { service_point });
            }
            Observation::Rings { contact, agent } => {
                self.note(view, contact, What::RingsAt { agent: number_of(agent) });
            }
            Observation::NotAnswered { contact } => self.note(view, contact, What::NotAnswered),
            Observation::Answered { contact, agent } => {
                self.note(view, contact, What::Answered { agent: number_of(agent) });
            }
            Observation::Finished { contact, agent } => {
                self.note(view, contact, What::Done { agent: number_of(agent) });
            }
            Observation::Ended { contact, how } => self.note(view, contact, What::Ended { how }),
            Observation::CallbackPromised { contact } => {
                self.note(view, contact, What::CallbackPromised);
            }
            Observation::SignedIn { agent } => {
                self.note_agent(view, What::AgentSignedIn { agent: number_of(agent) });
            }
            Observation::SignedOut { agent } => {
                self.note_agent(view, What::AgentSignedOut { agent: number_of(agent) });
            }
            _ => {}
        }
    }
}
