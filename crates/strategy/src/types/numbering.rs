//! Telephone numbers: ranges that are set aside for a purpose, and what is recorded.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a range of numbers is set aside for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum NumberPurpose {
    /// Numbers that customers call.
    Entries,
    /// Short numbers of queues and hunt groups.
    Lines,
    /// Short numbers of agents.
    People,
    /// Numbers that campaigns show.
    Campaigns,
    /// Ports of the switch for agents' telephones.
    Ports,
}

impl NumberPurpose {
    /// All of them.
    pub const ALL: [Self; 5] =
        [Self::Entries, Self::Lines, Self::People, Self::Campaigns, Self::Ports];

    /// As planners say it.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Entries => "entries",
            Self::Lines => "queues and hunt groups",
            Self::People => "agents",
            Self::Campaigns => "campaigns",
            Self::Ports => "ports of agents’ telephones",
        }
    }

    /// Whether its numbers are dialled; ports are counted on their own.
    pub const fn is_dialled(self) -> bool {
        !matches!(self, Self::Ports)
    }
}

/// Numbers that follow each other and are set aside for a purpose.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NumberRange {
    /// By which edits refer to it.
    pub id: String,
    /// What planners call it.
    pub name: String,
    /// The first number: digits, with + in front of one with its country.
    pub from: String,
    /// The last number, with as many digits.
    pub until: String,
    /// What it is for.
    pub purpose: NumberPurpose,
}

/// What is recorded of the conversations of a line, and whether callers are told.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Recording {
    /// Share of conversations that are recorded.
    #[serde(default = "all")]
    pub share: f64,
    /// Whether callers are told before they talk.
    #[serde(default)]
    pub is_announced: bool,
    /// Days for which a recording is kept.
    #[serde(default = "days_kept")]
    pub keep_days: u32,
    /// Kilobits for each second of conversation.
    #[serde(default = "kilobits")]
    pub kilobits_per_sec: f64,
}

const fn all() -> f64 {
    1.0
}

const fn days_kept() -> u32 {
    90
}

/// A telephone line as G.711 has it, one channel.
const fn kilobits() -> f64 {
    64.0
}

impl Recording {
    /// Bytes that are recorded of conversations that take this long together, in seconds.
    pub fn bytes_of(&self, talk_secs: f64) -> f64 {
        self.share * talk_secs * self.kilobits_per_sec * 1000.0 / 8.0
    }
}
