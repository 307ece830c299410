//! What is to be live on the switch, and what is.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// A strategy that is to be live from now on. Later releases have higher numbers, a roll-back too.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Release {
    /// The number of the release; the same number never stands for another strategy.
    pub number: u32,
    /// The version of the strategy in Barometer.
    pub version: u32,
    /// The strategy's name.
    pub name: String,
    /// SHA-256 of the strategy's JSON as it is in this document, in hexadecimal digits.
    pub digest: String,
    /// The strategy, by Barometer's schema for strategies.
    pub strategy: serde_json::Value,
}

impl Release {
    /// A release of a strategy.
    pub fn of(number: u32, version: u32, name: &str, strategy: serde_json::Value) -> Self {
        let digest = digest(&strategy);
        Self { number, version, name: name.to_owned(), digest, strategy }
    }
}

/// SHA-256 of a JSON value, written without spaces, in hexadecimal digits.
pub fn digest(value: &serde_json::Value) -> String {
    let hash = Sha256::digest(value.to_string().as_bytes());
    hash.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// The switch's word that it has taken a release over.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Accepted {
    /// The release.
    pub number: u32,
    /// The digest of what is live now.
    pub digest: String,
    /// Since when, by the switch's clock.
    pub since: Timestamp,
}

/// Why the switch has not done what it was asked.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Refusal {
    /// In words.
    pub message: String,
}

/// What is live on the switch.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Live {
    /// Tells this switch from every other, and from one that has begun anew: rows of intervals are numbered within
    /// it.
    pub switch: String,
    /// Its release; none on a switch that was never given one.
    pub release: Option<Accepted>,
    /// The version of the strategy in Barometer.
    pub version: Option<u32>,
    /// The days whose plans it has, with their digests.
    pub days: std::collections::BTreeMap<jiff::civil::Date, String>,
}
