//! Reading the JSON form, of this version and of earlier ones.

use serde::{Deserialize, Deserializer};
use serde_json::{Value, json};

use crate::faults::Fault;
use crate::types::{Entry, Step, Strategy, Team};

/// The version of the JSON form that this code writes.
pub const SCHEMA_VERSION: u32 = 2;

/// Why a text is no strategy.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// Not the JSON form.
    #[error("this is not a strategy: {0}")]
    Json(#[from] serde_json::Error),
    /// The JSON form, but not of a strategy.
    #[error("{path}: {message}")]
    Form {
        /// Where in the JSON.
        path: String,
        /// What is wrong.
        message: String,
    },
    /// A version that this code does not know.
    #[error(
        "schema_version: must be 1 to {SCHEMA_VERSION}, got {0}; a newer Barometer wrote this file"
    )]
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
}

impl From<Newest> for Strategy {
    fn from(read: Newest) -> Self {
        let Newest { schema_version, name, entries, steps, teams } = read;
        Self { schema_version, name, entries, steps, teams }
    }
}

impl<'de> Deserialize<'de> for Strategy {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let value =
            upgraded(Value::deserialize(deserializer)?).map_err(serde::de::Error::custom)?;
        Newest::deserialize(value).map(Self::from).map_err(serde::de::Error::custom)
    }
}

impl Strategy {
    /// Reads the JSON form, also an earlier version of it.
    ///
    /// # Errors
    ///
    /// [`ReadError`] when the text is not the JSON form, or has [`faults`](Self::faults).
    pub fn from_json(text: &str) -> Result<Self, ReadError> {
        let value = upgraded(serde_json::from_str(text)?)?;
        let read: Newest = serde_path_to_error::deserialize(value).map_err(|error| {
            ReadError::Form { path: error.path().to_string(), message: error.inner().to_string() }
        })?;
        let strategy = Self::from(read);
        let faults = strategy.faults();
        if faults.is_empty() { Ok(strategy) } else { Err(ReadError::Faults(faults)) }
    }
}

/// The newest form of whatever version `value` has.
fn upgraded(mut value: Value) -> Result<Value, ReadError> {
    loop {
        match value.get("schema_version").and_then(Value::as_u64) {
            Some(version) if version == u64::from(SCHEMA_VERSION) => return Ok(value),
            Some(1) => value = from_version_1(&value),
            _ => {
                let got = value.get("schema_version").cloned().unwrap_or(Value::Null);
                return Err(ReadError::Version(got));
            }
        }
    }
}

/// Version 1 knew one entry, one queue and one team.
fn from_version_1(old: &Value) -> Value {
    let (queue, team) = (&old["queue"], &old["team"]);
    let exit = |exit: &Value| match exit.as_str() {
        Some("voicemail") => json!({ "step": "voicemail" }),
        _ => json!("release"),
    };
    let mut steps = vec![json!({
        "id": "queue",
        "name": queue["name"],
        "does": { "queue": {
            "places": queue["places"],
            "longest_wait_secs": queue["longest_wait_secs"],
            "exits": {
                "full": exit(&queue["when_full"]),
                "too_long": exit(&queue["when_too_long"]),
            },
        } },
    })];
    if [&queue["when_full"], &queue["when_too_long"]].iter().any(|exit| *exit == "voicemail") {
        steps.push(json!({ "id": "voicemail", "name": "Voicemail", "does": { "voicemail": {} } }));
    }
    let at_once = &team["concurrency"];
    // What was said of any channel held for all of them.
    let channels: Vec<Value> = if *at_once == 1 {
        Vec::new()
    } else {
        ["call", "chat", "task"]
            .iter()
            .map(|channel| json!({ "channel": channel, "at_once": at_once }))
            .collect()
    };
    json!({
        "schema_version": 2,
        "name": old["name"],
        "entries": [{ "name": old["entry"]["name"], "first": { "step": "queue" } }],
        "steps": steps,
        "teams": [{ "id": "team", "name": team["name"], "channels": channels }],
    })
}
