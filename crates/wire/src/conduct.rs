//! How a stand-in is made to behave. A real switch has none of this.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a stand-in is told to do. What is left out stays as it is.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Conduct {
    /// How many seconds of its clock pass in a second: 0 to 600.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub speed: Option<f64>,
    /// Moves its clock on to this moment at once.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until: Option<Timestamp>,
    /// Things that are to go wrong.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub disturbances: Vec<Disturbance>,
}

/// Something that goes wrong, from a moment for some minutes. The same thing told twice happens once.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Disturbance {
    /// Contacts of a type come in other numbers.
    Storm {
        /// Whose.
        contact_type: String,
        /// From when.
        from: Timestamp,
        /// For how long, in minutes.
        minutes: f64,
        /// So many times as many.
        factor: f64,
    },
    /// People of a team go home.
    Sickness {
        /// The team's id.
        team: String,
        /// From when.
        from: Timestamp,
        /// For how long, in minutes.
        minutes: f64,
        /// How many.
        people: u32,
    },
    /// A campaign rings other numbers of lines than its pacing asks for, within its caps.
    CampaignBurst {
        /// The campaign's id.
        campaign: String,
        /// From when.
        from: Timestamp,
        /// For how long, in minutes.
        minutes: f64,
        /// Factor on the lines.
        factor: f64,
    },
    /// Hardly anybody gets through, and the switch tells nothing.
    Outage {
        /// From when.
        from: Timestamp,
        /// For how long, in minutes.
        minutes: f64,
    },
}
