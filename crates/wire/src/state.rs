//! What is true on the switch now.

use barometer_simulate::{PointCounts, Present, TeamCounts, TypeCounts};
use jiff::Timestamp;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Accepted, Disturbance};

/// The switch at one moment.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SwitchState {
    /// What time it is there.
    pub clock: ClockState,
    /// What is live; none on a switch that was never given anything.
    pub release: Option<Accepted>,
    /// Length of the intervals below, in seconds.
    pub interval_secs: f64,
    /// Contact types, with what came so far today.
    pub types: Vec<TypeState>,
    /// Queues and hunt groups.
    pub queues: Vec<QueueState>,
    /// Teams.
    pub teams: Vec<TeamState>,
    /// Campaigns.
    pub campaigns: Vec<CampaignState>,
    /// Who waits since when, who talks since when, who is on shift: in seconds after the day's beginning, and
    /// with the intervals of the day.
    pub present: Present,
    /// The number of the last row of intervals.
    pub last_interval: u64,
    /// What goes wrong on a stand-in now.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub disturbances: Vec<Disturbance>,
}

/// The switch's clock.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ClockState {
    /// What time it is.
    pub now: Timestamp,
    /// Which day, in the centre's zone.
    pub date: Date,
    /// When the day began.
    pub day_began: Timestamp,
    /// How many of its seconds pass in a second: 1 on a real switch.
    pub speed: f64,
}

/// A contact type today.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TypeState {
    /// Its name.
    pub contact_type: String,
    /// An answer within so many seconds is in time.
    pub within_secs: f64,
    /// Today's intervals until now, by when contacts arrived. The last ones are not over.
    pub intervals: Vec<TypeCounts>,
}

/// What waits for agents.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum QueueKind {
    /// A queue.
    Queue,
    /// A hunt group.
    HuntGroup,
}

/// A queue or hunt group now.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct QueueState {
    /// The id of its step.
    pub step: String,
    /// Its name.
    pub name: String,
    /// Which of the two.
    pub kind: QueueKind,
    /// Contacts that wait, those who ring not counted.
    pub waiting: u32,
    /// Contacts that ring.
    pub ringing: u32,
    /// For how long the one waits who waits longest, in seconds; none where nobody waits.
    pub longest_wait_secs: Option<f64>,
    /// Members on shift.
    pub on_shift: u32,
    /// Of those, free.
    pub free: u32,
    /// Today's intervals until now, by when contacts arrived.
    pub intervals: Vec<PointCounts>,
}

/// A team now.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TeamState {
    /// Its id.
    pub team: String,
    /// Its name.
    pub name: String,
    /// People who are to be there now.
    pub planned: u32,
    /// People on shift.
    pub on_shift: u32,
    /// Of those, without a contact; a device may ring.
    pub free: u32,
    /// They talk, or work on something.
    pub talking: u32,
    /// They write up.
    pub wrapping_up: u32,
    /// Today's intervals until now.
    pub intervals: Vec<TeamCounts>,
}

/// A campaign now.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct CampaignState {
    /// Its id.
    pub campaign: String,
    /// Its name.
    pub name: String,
    /// Whether it dials.
    pub is_dialling: bool,
    /// Lines in use.
    pub lines: u32,
    /// People who talk with an agent.
    pub talking: u32,
    /// People of its list who are still to be called.
    pub left: u32,
}
