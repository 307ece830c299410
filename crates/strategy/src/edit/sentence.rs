//! Edits in the planner's words.

use super::Edit;
use crate::changes::{Change, changes};
use crate::types::Strategy;

/// Settings that a sentence names; it counts the others.
const NAMED: usize = 3;

impl Edit {
    /// What the edit does to a strategy, as a sentence: "Queue “Bookings”: places 20 → 30."
    pub fn sentence(&self, before: &Strategy) -> String {
        let Ok(after) = self.applied(before) else {
            return "This cannot be changed here.".to_owned();
        };
        match self {
            Self::Rename(name) => format!("Renamed “{}” to “{name}”.", before.name),
            Self::Add { part, .. } => format!("Added {} “{}”.", part.kind(), part.name()),
            Self::Remove(id) => match id.of(before) {
                Ok(part) => format!("Removed {} “{}”.", part.kind(), part.name()),
                Err(fault) => format!("{}.", fault.message),
            },
            Self::Move { part, to } => match part.of(before) {
                Ok(part) => format!("Moved {} “{}” to place {}.", part.kind(), part.name(), to + 1),
                Err(fault) => format!("{}.", fault.message),
            },
            Self::Replace { .. } | Self::Set { .. } | Self::Connect { .. } | Self::Several(_) => {
                listed(&changes(before, &after))
            }
        }
    }
}

fn listed(changes: &[Change]) -> String {
    if changes.is_empty() {
        return "No setting changed.".to_owned();
    }
    let mut told = String::new();
    let mut subject = "";
    for change in changes.iter().take(NAMED) {
        if change.subject == subject {
            told.push_str("; ");
        } else {
            if !told.is_empty() {
                told.push_str(". ");
            }
            told.push_str(&change.subject);
            told.push_str(": ");
            subject = &change.subject;
        }
        told.push_str(&change.in_short());
    }
    match changes.len().saturating_sub(NAMED) {
        0 => {}
        1 => told.push_str("; and one more setting"),
        more => told.push_str(&format!("; and {more} more settings")),
    }
    told.push('.');
    told
}
