//! The names behind the numbers of tallies.

use serde::{Deserialize, Serialize};

/// What the parts of an experiment are called, in the order of its tallies.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Names {
    /// Contact types.
    pub types: Vec<String>,
    /// Queues and hunt groups.
    pub service_points: Vec<String>,
    /// Teams.
    pub teams: Vec<String>,
    /// Agents: the name of the team comes first.
    pub agents: Vec<(u16, String)>,
    /// Labels.
    pub labels: Vec<String>,
    /// Ways from step to step and to ends.
    pub flows: Vec<FlowName>,
}

/// A way that contacts take: from where, why, to where.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FlowName {
    /// The entry or step that is left.
    pub from: String,
    /// Why: "full", "open", a menu's choice.
    pub why: String,
    /// The step or the end that is reached.
    pub to: String,
}
