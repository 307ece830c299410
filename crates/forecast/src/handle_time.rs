//! How long a contact takes, by weekday and time of day.

use crate::grid::DayGrid;

/// Days of history that count for handle times.
const WINDOW_DAYS: usize = 112;
/// A contact counts half of one this many days later.
const HALF_LIFE_DAYS: f64 = 42.0;
/// A slot's or a weekday's own mean counts as much as the overall mean once it has seen this many
/// contacts.
const PRIOR_CONTACTS: f64 = 60.0;
/// The mean of an interval counts as no more, or less, than this many times the overall mean: a
/// forgotten handset is no forecast.
const LARGEST_RATIO: f64 = 4.0;
/// Used where history never gave a handle time.
const UNKNOWN_HANDLE_SECS: f64 = 300.0;

/// Forecast handle time in seconds per weekday and wall-clock slot: the overall mean times a
/// factor of the slot times a factor of the weekday.
#[derive(Clone, Debug, PartialEq)]
pub struct HandleTimes {
    overall_secs: f64,
    is_known: bool,
    slot_factor: Vec<f64>,
    weekday_factor: [f64; 7],
}

impl HandleTimes {
    /// Means of the last sixteen weeks, weighted by contacts, the latest counting most; factors
    /// are drawn towards 1 where few contacts were seen.
    pub fn fit(history: &DayGrid) -> Self {
        let cells = || {
            let first = history.days().saturating_sub(WINDOW_DAYS);
            (first..history.days()).flat_map(|day| {
                let age = (history.days() - day) as f64;
                let weight = 0.5f64.powf(age / HALF_LIFE_DAYS);
                (0..history.slots()).filter_map(move |slot| {
                    let (handled, total) = history.handled(day, slot);
                    (handled > 0.0).then(|| (day, slot, weight * handled, total / handled))
                })
            })
        };
        let mean = |limits: (f64, f64)| {
            let (secs, contacts) = cells().fold((0.0, 0.0), |sum, (_, _, contacts, secs)| {
                (sum.0 + contacts * secs.clamp(limits.0, limits.1), sum.1 + contacts)
            });
            if contacts > 0.0 { secs / contacts } else { UNKNOWN_HANDLE_SECS }
        };
        let rough = mean((0.0, f64::INFINITY));
        let limits = (rough / LARGEST_RATIO, rough * LARGEST_RATIO);
        let overall_secs = mean(limits);
        let mut by_slot = vec![(0.0, 0.0); history.slots()];
        for (_, slot, contacts, secs) in cells() {
            by_slot[slot].0 += contacts * secs.clamp(limits.0, limits.1) / overall_secs;
            by_slot[slot].1 += contacts;
        }
        let drawn = |(ratios, contacts): (f64, f64)| {
            (ratios + PRIOR_CONTACTS) / (contacts + PRIOR_CONTACTS)
        };
        let slot_factor: Vec<f64> = by_slot.into_iter().map(drawn).collect();
        let mut by_weekday = [(0.0, 0.0); 7];
        for (day, slot, contacts, secs) in cells() {
            let expected = overall_secs * slot_factor[slot];
            let weekday = &mut by_weekday[history.weekday(day)];
            weekday.0 += contacts * secs.clamp(limits.0, limits.1) / expected;
            weekday.1 += contacts;
        }
        let is_known = cells().next().is_some();
        Self { overall_secs, is_known, slot_factor, weekday_factor: by_weekday.map(drawn) }
    }

    /// Whether the history gave any handle time; otherwise a usual one stands in.
    pub fn is_known(&self) -> bool {
        self.is_known
    }

    /// Forecast handle time of a wall-clock slot of a weekday (0 for Monday), in seconds.
    pub fn secs(&self, weekday: usize, slot: usize) -> f64 {
        self.overall_secs * self.slot_factor[slot] * self.weekday_factor[weekday]
    }
}
