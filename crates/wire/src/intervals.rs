//! What happened, interval by interval: contacts, and the people of teams.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What came of one contact type in one interval, told once, when all of its contacts are over.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct IntervalRow {
    /// Rows are numbered from 1 on, without gaps, in the order in which they are told.
    pub sequence: u64,
    /// The contact type's name.
    pub contact_type: String,
    /// When the interval began.
    pub start: Timestamp,
    /// How long it is, in seconds.
    pub secs: f64,
    /// Contacts that arrived in it.
    pub offered: u32,
    /// Of those, answered.
    pub answered: u32,
    /// Of those, answered within the target's threshold.
    pub in_time: u32,
    /// Abandoned.
    pub abandoned: u32,
    /// Ended otherwise: voicemail, busy tone, outside, assistant, callback.
    pub elsewhere: u32,
    /// Seconds that the answered waited, in all.
    pub wait_secs: f64,
    /// Contacts with which agents are done.
    pub handled: u32,
    /// Seconds that they were handled, wrap-up included, in all.
    pub handle_secs: f64,
    /// Of those, seconds of wrap-up; none where the switch does not tell them apart.
    #[serde(default)]
    pub wrap_up_secs: Option<f64>,
    /// Whether the switch was out of order in it: not to be learned from.
    #[serde(default)]
    pub outage: bool,
}

/// Rows in the order of their numbers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct IntervalPage {
    /// The rows.
    pub rows: Vec<IntervalRow>,
    /// The number of the last row that there is: more may be asked for.
    pub last: u64,
}

/// The people of one team in one interval, told once, when it is over.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct StaffingRow {
    /// Rows are numbered from 1 on, without gaps, in the order in which they are told.
    pub sequence: u64,
    /// The team's id.
    pub team: String,
    /// When the interval began.
    pub start: Timestamp,
    /// How long it is, in seconds.
    pub secs: f64,
    /// Seconds on shift, of all agents together.
    pub staffed_secs: f64,
    /// Of those, seconds with a contact.
    pub busy_secs: f64,
    /// Most agents on shift at the same time; none where the switch does not tell. What is missing of the plan then
    /// cannot be told apart into people who were absent and people who were there but not all the time.
    #[serde(default)]
    pub most_on_shift: Option<u32>,
}

/// Rows in the order of their numbers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct StaffingPage {
    /// The rows.
    pub rows: Vec<StaffingRow>,
    /// The number of the last row that there is: more may be asked for.
    pub last: u64,
}
