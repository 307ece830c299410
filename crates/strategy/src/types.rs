//! The parts of a strategy.

use serde::{Deserialize, Serialize};

/// The version of the JSON form that this code writes.
pub const SCHEMA_VERSION: u32 = 1;

/// What happens to a contact, from entry to end.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Strategy {
    /// Version of this JSON form; see [`SCHEMA_VERSION`].
    pub schema_version: u32,
    /// What planners call it.
    pub name: String,
    /// Where contacts come in.
    pub entry: Entry,
    /// Where they wait.
    pub queue: Queue,
    /// Who answers them.
    pub team: Team,
}

/// Where contacts come in: a number, a chat or message address.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Entry {
    /// The number or address, or a name for it.
    pub name: String,
}

/// A waiting line.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Queue {
    /// What planners call it.
    pub name: String,
    /// How many can wait at once; `None` for as many as come.
    pub places: Option<u32>,
    /// Seconds after which a waiting contact leaves; `None` for as long as patience lasts.
    pub longest_wait_secs: Option<u32>,
    /// Where a contact goes that finds no free place.
    pub when_full: Exit,
    /// Where a contact goes that has waited the longest wait.
    pub when_too_long: Exit,
}

/// Where a contact goes that the queue does not keep.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Exit {
    /// A voicemail box.
    Voicemail,
    /// A message, then the contact is released.
    Release,
}

/// People who answer the queue.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Team {
    /// What planners call it.
    pub name: String,
    /// Contacts that one agent handles at the same time: 1 for calls, more for chats.
    pub concurrency: u32,
}

impl Strategy {
    /// A strategy to start from: waiting without a limit, one contact at a time.
    pub fn plain(name: &str) -> Self {
        Self {
            schema_version: SCHEMA_VERSION,
            name: name.to_owned(),
            entry: Entry { name: format!("{name} line") },
            queue: Queue {
                name: format!("{name} queue"),
                places: None,
                longest_wait_secs: None,
                when_full: Exit::Release,
                when_too_long: Exit::Voicemail,
            },
            team: Team { name: format!("{name} team"), concurrency: 1 },
        }
    }

    /// The strategy as JSON, indented for reading and for version control.
    pub fn to_json(&self) -> String {
        serde_json::to_string_pretty(self).expect("names and numbers always serialise")
    }
}
