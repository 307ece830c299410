//! The names behind the numbers of tallies.

use barometer_routing::FlowName;
use serde::{Deserialize, Serialize};

/// What the parts of an experiment are called, in the order of its tallies.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Names {
    /// Contact types.
    pub types: Vec<String>,
    /// Campaigns.
    #[serde(default)]
    pub campaigns: Vec<String>,
    /// Queues and hunt groups.
    pub service_points: Vec<String>,
    /// Teams.
    pub teams: Vec<String>,
    /// Agents: the place of the team comes first.
    pub agents: Vec<(u16, String)>,
    /// Labels.
    pub labels: Vec<String>,
    /// Transitions from step to step and to ends.
    pub flows: Vec<FlowName>,
}

impl Names {
    /// What contacts of this kind are called in a log of events: a contact type, or a campaign.
    pub fn of_kind(&self, kind: u16) -> &str {
        let kind = usize::from(kind);
        let campaign = || self.campaigns.get(kind.checked_sub(self.types.len())?);
        self.types.get(kind).or_else(campaign).map_or("", String::as_str)
    }
}
