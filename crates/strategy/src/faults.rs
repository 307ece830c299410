//! What is wrong with a strategy, before anyone tries it.

use crate::types::{SCHEMA_VERSION, Strategy};

/// The most places a queue may have.
const MOST_PLACES: u32 = 100_000;
/// The longest wait that may be set: a day.
const MOST_WAIT_SECS: u32 = 86_400;
/// The most contacts an agent may handle at once.
const MOST_CONCURRENCY: u32 = 20;
/// Characters in a name, at most.
const MOST_NAME_CHARS: usize = 80;

/// One thing that is wrong, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// Path of the field in the JSON form, such as `queue.places`.
    pub field: &'static str,
    /// What is wrong and what would do.
    pub message: String,
}

/// Why a text is no strategy.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// Not the JSON form.
    #[error("this is not a strategy: {0}")]
    Json(#[from] serde_json::Error),
    /// The JSON form with impossible values.
    #[error("{}", .0.iter().map(|fault| format!("{}: {}", fault.field, fault.message)).collect::<Vec<_>>().join("; "))]
    Faults(Vec<Fault>),
}

impl Strategy {
    /// Everything that keeps this strategy from being played; empty when nothing does.
    pub fn faults(&self) -> Vec<Fault> {
        let mut faults = Vec::new();
        let mut fault = |field, message: String| faults.push(Fault { field, message });
        if self.schema_version != SCHEMA_VERSION {
            let got = self.schema_version;
            fault("schema_version", format!("must be {SCHEMA_VERSION}, got {got}"));
        }
        for (field, name) in [
            ("name", &self.name),
            ("entry.name", &self.entry.name),
            ("queue.name", &self.queue.name),
            ("team.name", &self.team.name),
        ] {
            if name.trim().is_empty() {
                fault(field, "needs a name".to_owned());
            } else if name.chars().count() > MOST_NAME_CHARS {
                fault(field, format!("may have up to {MOST_NAME_CHARS} characters"));
            }
        }
        if self.queue.places.is_some_and(|places| places > MOST_PLACES) {
            fault(
                "queue.places",
                format!("may be up to {MOST_PLACES}; leave it empty for no limit"),
            );
        }
        if self.queue.longest_wait_secs.is_some_and(|secs| !(1..=MOST_WAIT_SECS).contains(&secs)) {
            fault(
                "queue.longest_wait_secs",
                format!("must be 1 to {MOST_WAIT_SECS} seconds; leave it empty for no limit"),
            );
        }
        if !(1..=MOST_CONCURRENCY).contains(&self.team.concurrency) {
            fault("team.concurrency", format!("must be 1 to {MOST_CONCURRENCY} contacts at once"));
        }
        faults
    }

    /// Reads the JSON form.
    ///
    /// # Errors
    ///
    /// [`ReadError`] when the text is not the JSON form or has [`faults`](Self::faults).
    pub fn from_json(text: &str) -> Result<Self, ReadError> {
        let strategy: Self = serde_json::from_str(text)?;
        let faults = strategy.faults();
        if faults.is_empty() { Ok(strategy) } else { Err(ReadError::Faults(faults)) }
    }
}
