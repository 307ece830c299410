//! How long a contact takes, by time of day.

use crate::grid::DayGrid;

/// Days of history that count for handle times.
const WINDOW_DAYS: usize = 56;

/// A slot's own mean counts as much as the overall mean once it has seen this many contacts.
const PRIOR_CONTACTS: f64 = 60.0;

/// Used where history never gave a handle time.
const UNKNOWN_HANDLE_SECS: f64 = 300.0;

/// Forecast handle time in seconds per wall-clock slot.
#[derive(Clone, Debug, PartialEq)]
pub struct HandleTimes {
    by_slot: Vec<f64>,
}

impl HandleTimes {
    /// Means per slot of the last eight weeks, weighted by contacts and drawn towards the overall
    /// mean where few were seen.
    pub fn fit(history: &DayGrid) -> Self {
        let first = history.days().saturating_sub(WINDOW_DAYS);
        let mut by_slot = vec![(0.0, 0.0); history.slots()];
        for day in first..history.days() {
            for (slot, (contacts, secs)) in by_slot.iter_mut().enumerate() {
                let (handled, total) = history.handled(day, slot);
                *contacts += handled;
                *secs += total;
            }
        }
        let (contacts, secs) =
            by_slot.iter().fold((0.0, 0.0), |all, slot| (all.0 + slot.0, all.1 + slot.1));
        let overall = if contacts > 0.0 { secs / contacts } else { UNKNOWN_HANDLE_SECS };
        let drawn = |(contacts, secs): &(f64, f64)| {
            (secs + PRIOR_CONTACTS * overall) / (contacts + PRIOR_CONTACTS)
        };
        Self { by_slot: by_slot.iter().map(drawn).collect() }
    }

    /// Forecast handle time of a wall-clock slot, in seconds.
    pub fn secs(&self, slot: usize) -> f64 {
        self.by_slot[slot]
    }
}
