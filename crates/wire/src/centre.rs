//! What the centre tells scripts: the board, versions of the strategy and change sheets as lists.

use jiff::Timestamp;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Accepted, CampaignState};

/// The board of the day in figures.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Board {
    /// What time it is on the switch.
    pub at: Timestamp,
    /// Which day, in the centre's zone.
    pub date: Date,
    /// Seconds since the switch was heard.
    pub heard_secs_ago: f64,
    /// Whether that is so long ago that nobody should act upon it.
    pub is_old: bool,
    /// What is live on the switch.
    pub release: Option<Accepted>,
    /// Contact types.
    pub types: Vec<TypeOnBoard>,
    /// Queues and hunt groups.
    pub queues: Vec<QueueOnBoard>,
    /// Teams.
    pub teams: Vec<TeamOnBoard>,
    /// Campaigns.
    pub campaigns: Vec<CampaignState>,
}

/// A contact type on the board.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TypeOnBoard {
    /// Its name.
    pub contact_type: String,
    /// Contacts that wait.
    pub waiting: u32,
    /// For how long the one waits who waits longest, in seconds; none where nobody waits.
    pub longest_wait_secs: Option<f64>,
    /// Contacts that came today.
    pub offered: f64,
    /// Of those, answered in time.
    pub answered_in_time: f64,
    /// Of those, abandoned.
    pub abandoned: f64,
    /// An answer within so many seconds is in time.
    pub within_secs: f64,
    /// The share of today's contacts answered in time so far, 0 to 1; none before the first is over.
    pub service_level: Option<f64>,
    /// The service level that is promised, 0 to 1; none where nothing is planned.
    pub target: Option<f64>,
    /// Contacts forecast until now; none where nothing is planned.
    pub forecast_so_far: Option<f64>,
    /// What the day is going to be; none where nothing is planned.
    pub by_tonight: Option<TypeTonight>,
}

/// What a contact type's day is going to be, from simulations of the rest of it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TypeTonight {
    /// The service level of the whole day, 0 to 1.
    pub service_level: Option<f64>,
    /// The level that one simulated day in ten stays under.
    pub low: Option<f64>,
    /// The level that one simulated day in ten is above.
    pub high: Option<f64>,
    /// The share of simulated days on which the target is reached.
    pub chance: f64,
}

/// A queue or hunt group on the board.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct QueueOnBoard {
    /// The id of its step.
    pub step: String,
    /// Its name.
    pub name: String,
    /// Contacts that wait, those who ring not counted.
    pub waiting: u32,
    /// Contacts that ring.
    pub ringing: u32,
    /// For how long the one waits who waits longest, in seconds.
    pub longest_wait_secs: Option<f64>,
    /// Members on shift.
    pub on_shift: u32,
    /// Of those, free.
    pub free: u32,
    /// Contacts that came here today.
    pub entered: f64,
    /// Of those, answered here.
    pub answered: f64,
    /// Of those, abandoned here.
    pub abandoned: f64,
}

/// A team on the board.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TeamOnBoard {
    /// Its id.
    pub team: String,
    /// Its name.
    pub name: String,
    /// People who are to be there now.
    pub planned: u32,
    /// People on shift.
    pub on_shift: u32,
    /// Of those, without a contact.
    pub free: u32,
    /// They talk, or work on something.
    pub talking: u32,
    /// They write up.
    pub wrapping_up: u32,
}

/// A version of the strategy in the list of versions.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct VersionLine {
    /// 1, 2, 3 …
    pub version: i32,
    /// The strategy's name.
    pub name: String,
    /// What planners call this version; empty where nobody said.
    pub label: String,
    /// When it was saved.
    pub saved_at: Timestamp,
    /// Whether it is live.
    pub is_live: bool,
}

/// A change sheet in the list of sheets.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SheetLine {
    /// 1, 2, 3 …
    pub number: i32,
    /// Its title.
    pub title: String,
    /// Where it stands, in words: draft, proposed, approved, live …
    pub state: String,
    /// The version that goes live; none where it was removed.
    pub version: Option<i32>,
}

/// A contact type with its targets.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ContactTypeLine {
    /// Its name.
    pub contact_type: String,
    /// The share to be answered in time, 0 to 1.
    pub service_level: f64,
    /// An answer within so many seconds is in time.
    pub within_secs: f64,
    /// The share that may abandon, 0 to 1; none where that is not limited.
    pub abandonment: Option<f64>,
    /// The occupancy that may be reached, 0 to 1; none where that is not limited.
    pub occupancy: Option<f64>,
}

/// What became of history that was sent.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct HistoryTaken {
    /// "saved", or why nothing was.
    pub message: String,
    /// Rows that were read.
    pub rows: i64,
    /// Intervals that are new.
    pub added: i64,
    /// Intervals that were there with other figures.
    pub replaced: i64,
    /// Intervals that were there already.
    pub unchanged: i64,
    /// Rows that cannot be used, the first ones.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub refused: Vec<RefusedRow>,
}

/// A row that cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct RefusedRow {
    /// Its number; the heading is row 1.
    pub row: i64,
    /// In which column.
    pub column: String,
    /// Why.
    pub reason: String,
}

/// Where each thing is asked for or sent, below the centre's address.
pub mod paths {
    /// `PUT`: history in.
    pub const HISTORY: &str = "/api/history";
    /// `GET`: contact types with their targets.
    pub const CONTACT_TYPES: &str = "/api/contact-types";
    /// `GET`: the versions of the strategy; one version, or `live`, below it.
    pub const STRATEGIES: &str = "/api/strategies";
    /// `GET`: change sheets; one sheet below it.
    pub const SHEETS: &str = "/api/sheets";
    /// `GET`: the board of the day.
    pub const BOARD: &str = "/api/board";
    /// `GET`: this interface for machines.
    pub const OPENAPI: &str = "/api/openapi.json";
}
