//! Numbers, what is set for them, ranges and recordings.

use super::Found;
use crate::numbers::{MOST_DIGITS, Numbering, dialled};
use crate::types::{Entry, NumberRange, Recording, StepKind};

/// Patterns of blocked callers of an entry, at most.
const MOST_BLOCKED: usize = 500;
/// Numbers in a range, at most.
const MOST_IN_RANGE: u64 = 100_000;
/// The longest that a recording may be kept, in days: thirty years.
const MOST_DAYS: u32 = 10_958;

impl Found<'_> {
    /// What is set for the number of an entry.
    pub(super) fn entry_number(&mut self, entry: &Entry) {
        self.number("number", entry.number.as_deref());
        if let Some(id) = &entry.announcement {
            let told = self.strategy.step(id).map(|step| &step.does);
            let message = match told {
                Some(StepKind::Announcement(_)) => None,
                Some(_) => Some(format!("“{id}” is no announcement step")),
                None => Some(format!("there is no step “{id}”")),
            };
            if let Some(message) = message {
                self.note("announcement", message);
            }
        }
        if let Some(label) = &entry.label {
            self.name("label", label);
        }
        if let Some(language) = &entry.language {
            self.name("language", language);
        }
        let count = entry.blocked.len();
        self.ensure(count <= MOST_BLOCKED, "blocked", || {
            format!("up to {MOST_BLOCKED} patterns, got {count}")
        });
        for (at, pattern) in entry.blocked.iter().enumerate() {
            self.pattern(&format!("blocked[{at}]"), pattern);
        }
    }

    /// A telephone number, if there is one.
    pub(super) fn number(&mut self, field: &str, number: Option<&str>) {
        let Some(number) = number else { return };
        self.ensure(dialled(number).is_some(), field, || {
            format!(
                "“{number}” is no telephone number: up to {MOST_DIGITS} digits, with + in front where it begins with its country, and spaces, hyphens or brackets between them"
            )
        });
    }

    pub(super) fn range(&mut self, range: &NumberRange) {
        self.name("name", &range.name);
        self.number("from", Some(&range.from));
        self.number("until", Some(&range.until));
        let (Some(from), Some(until)) = (Numbering::of(&range.from), Numbering::of(&range.until))
        else {
            return;
        };
        if !from.is_like(&until) {
            let message =
                format!("“{}” has to have as many digits as “{}”", range.until, range.from);
            self.note("until", message);
        } else if until.value < from.value {
            self.note("until", format!("must not be before “{}”", range.from));
        } else if until.value - from.value >= MOST_IN_RANGE {
            self.note("until", "a range has up to 100,000 numbers".to_owned());
        }
    }

    pub(super) fn recording(&mut self, recording: Option<&Recording>) {
        let Some(recording) = recording else { return };
        self.share("recording.share", recording.share);
        let days = recording.keep_days;
        self.ensure(days <= MOST_DAYS, "recording.keep_days", || {
            format!("must be up to {MOST_DAYS} days, got {days}")
        });
        let kilobits = recording.kilobits_per_sec;
        self.ensure((1.0..=10_000.0).contains(&kilobits), "recording.kilobits_per_sec", || {
            format!("must be 1 to 10,000 kilobits for each second, got {kilobits}")
        });
    }
}
