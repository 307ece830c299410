//! How two versions of a strategy differ, in the planner's words.

use crate::types::{Exit, Strategy};

/// One setting that differs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// The setting, with its unit.
    pub setting: &'static str,
    /// Its value before.
    pub before: String,
    /// Its value after.
    pub after: String,
}

/// Every setting in which `after` differs from `before`, in the order a contact meets them.
pub fn changes(before: &Strategy, after: &Strategy) -> Vec<Change> {
    settings(before)
        .into_iter()
        .zip(settings(after))
        .filter(|((_, before), (_, after))| before != after)
        .map(|((setting, before), (_, after))| Change { setting, before, after })
        .collect()
}

fn settings(strategy: &Strategy) -> [(&'static str, String); 9] {
    let Strategy { name, entry, queue, team, .. } = strategy;
    [
        ("Name", name.clone()),
        ("Entry", entry.name.clone()),
        ("Queue", queue.name.clone()),
        ("Places in the queue", limit(queue.places, "")),
        ("When the queue is full", queue.when_full.words().to_owned()),
        ("Longest wait", limit(queue.longest_wait_secs, " s")),
        ("After the longest wait", queue.when_too_long.words().to_owned()),
        ("Team", team.name.clone()),
        ("Contacts at once per agent", team.concurrency.to_string()),
    ]
}

fn limit(value: Option<u32>, unit: &str) -> String {
    value.map_or_else(|| "no limit".to_owned(), |value| format!("{value}{unit}"))
}

impl Exit {
    /// The exit as planners say it.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Voicemail => "to voicemail",
            Self::Release => "message, then released",
        }
    }
}
