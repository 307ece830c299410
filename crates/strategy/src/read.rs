//! Reading the JSON form.

use serde::{Deserialize, Deserializer};
use serde_json::Value;

use crate::faults::Fault;
use crate::types::{Campaign, Entry, NumberRange, Step, Strategy, Team};

/// The version of the JSON form that this code writes.
pub const SCHEMA_VERSION: u32 = 2;

/// Why a text is no strategy.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// No JSON. Its cause is told here, and not once more as a source.
    #[error("this is not JSON: {0}")]
    Json(String),
    /// JSON, but no object.
    #[error("this is not a strategy: it is {0}, and a strategy is an object in braces")]
    NoObject(&'static str),
    /// An object that does not say its version.
    #[error("schema_version: is missing; it must be {SCHEMA_VERSION}")]
    NoVersion,
    /// The JSON form, but not of a strategy.
    #[error("{path}: {message}")]
    Form {
        /// Where in the JSON.
        path: String,
        /// What is wrong.
        message: String,
    },
    /// A version that this code does not know.
    #[error("schema_version: must be {SCHEMA_VERSION}, got {0}")]
    Version(Value),
    /// The JSON form with impossible values.
    #[error("{}", .0.iter().map(|fault| format!("{}: {}", fault.field, fault.message)).collect::<Vec<_>>().join("; "))]
    Faults(Vec<Fault>),
}

/// The fields of the newest form, as they stand in JSON.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Newest {
    schema_version: u32,
    name: String,
    entries: Vec<Entry>,
    steps: Vec<Step>,
    teams: Vec<Team>,
    #[serde(default)]
    campaigns: Vec<Campaign>,
    #[serde(default)]
    number_ranges: Vec<NumberRange>,
}

impl From<Newest> for Strategy {
    fn from(read: Newest) -> Self {
        let Newest { schema_version, name, entries, steps, teams, campaigns, number_ranges } = read;
        Self { schema_version, name, entries, steps, teams, campaigns, number_ranges }
    }
}

impl<'de> Deserialize<'de> for Strategy {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let value =
            of_this_version(Value::deserialize(deserializer)?).map_err(serde::de::Error::custom)?;
        Newest::deserialize(value).map(Self::from).map_err(serde::de::Error::custom)
    }
}

impl Strategy {
    /// Reads the JSON form.
    ///
    /// # Errors
    ///
    /// [`ReadError`] when the text is not the JSON form, or has [`faults`](Self::faults).
    pub fn from_json(text: &str) -> Result<Self, ReadError> {
        // A text with a zero byte can be kept nowhere, in whatever field it stands.
        if text.contains("\\u0000") || text.contains('\0') {
            return Err(ReadError::Json("a text in it has a zero byte".to_owned()));
        }
        let value =
            serde_json::from_str(text).map_err(|error| ReadError::Json(error.to_string()))?;
        let value = of_this_version(value)?;
        let read: Newest = serde_path_to_error::deserialize(value).map_err(|error| {
            ReadError::Form { path: error.path().to_string(), message: error.inner().to_string() }
        })?;
        let strategy = Self::from(read);
        let faults = strategy.faults();
        if faults.is_empty() { Ok(strategy) } else { Err(ReadError::Faults(faults)) }
    }
}

/// The value, if it is an object of the version that this code reads.
fn of_this_version(value: Value) -> Result<Value, ReadError> {
    let kind = match &value {
        Value::Object(_) => None,
        Value::Array(_) => Some("an array"),
        Value::String(_) => Some("a text"),
        Value::Number(_) => Some("a number"),
        Value::Bool(_) => Some("true or false"),
        Value::Null => Some("null"),
    };
    if let Some(kind) = kind {
        return Err(ReadError::NoObject(kind));
    }
    match value.get("schema_version") {
        None => Err(ReadError::NoVersion),
        Some(version) if version.as_u64() == Some(u64::from(SCHEMA_VERSION)) => Ok(value),
        Some(other) => Err(ReadError::Version(other.clone())),
    }
}
