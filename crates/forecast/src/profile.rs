//! The shape of a day: which share of its contacts falls into which slot.
//!
//! A shape seen on few contacts is noise. How many weeks to look back, whether old weeks count less and how much a
//! weekday borrows from the others is therefore not fixed, but tried on the last four weeks: of a few settings the one
//! whose shapes, times the totals that really came, missed least.

use crate::past::Past;
use crate::robust::TrimmedMean;

/// Days at the end of the past on which the settings are tried.
const TRIED_DAYS: usize = 28;
/// Days that must be known before them.
const LEAST_LEARNT_DAYS: usize = 21;

/// Weeks back that shapes are learnt from, and what a week counts of the week after it. Where the shape drifts, few
/// weeks are better than many.
const WINDOWS: [(usize, f64); 5] = [(8, 1.0), (16, 1.0), (40, 1.0), (4, 1.0), (8, 0.7)];

/// How shapes are learnt.
#[derive(Clone, Copy, Debug)]
struct Setting {
    /// Which of [`WINDOWS`].
    window: usize,
    /// How much a weekday takes from the common shape of its group (Monday to Friday, weekend).
    borrowed: Borrowed,
    /// Weight of the two neighbouring slots, 0..=1.
    smoothed: f64,
}

/// How much a weekday borrows.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Borrowed {
    Nothing,
    /// As much as its own shape is counting noise beside what weekdays really differ by (empirical Bayes).
    ByNoise,
    /// Nearly everything.
    Most,
}

/// The weight of the common shape that is nearly everything.
const MOST: f64 = 0.85;

const fn setting(window: usize, borrowed: Borrowed, smoothed: f64) -> Setting {
    Setting { window, borrowed, smoothed }
}

/// The setting of a history too short to try any.
const USUAL: Setting = setting(0, Borrowed::ByNoise, 0.0);

const SETTINGS: [Setting; 13] = [
    setting(0, Borrowed::Nothing, 0.0),
    USUAL,
    setting(1, Borrowed::Nothing, 0.0),
    setting(1, Borrowed::ByNoise, 0.0),
    setting(1, Borrowed::Most, 0.0),
    setting(1, Borrowed::Most, 0.5),
    setting(2, Borrowed::Nothing, 0.0),
    setting(2, Borrowed::ByNoise, 0.0),
    setting(2, Borrowed::Most, 0.5),
    setting(3, Borrowed::ByNoise, 0.0),
    setting(3, Borrowed::Most, 0.0),
    setting(4, Borrowed::ByNoise, 0.0),
    setting(4, Borrowed::Most, 0.5),
];

/// Shares of the day per weekday and slot; they sum to 1 on a weekday that is open.
#[derive(Clone, Debug, Default)]
pub(crate) struct Profiles {
    slots: usize,
    shares: Vec<f64>,
    /// Contacts that each weekday's shape was seen on; recent ones count most.
    contacts: [f64; 7],
}

impl Profiles {
    /// The shapes of the setting that did best on the last four weeks.
    pub(crate) fn choose(past: &Past) -> Self {
        let Some(learnt) =
            past.days().checked_sub(TRIED_DAYS).filter(|&days| days >= LEAST_LEARNT_DAYS)
        else {
            return Self::learn(past, past.days(), WINDOWS[USUAL.window]).shaped(past, USUAL);
        };
        let raw = WINDOWS.map(|window| Self::learn(past, learnt, window));
        let missed = |setting: &Setting| {
            raw[setting.window].clone().shaped(past, *setting).missed(past, learnt)
        };
        let best = SETTINGS
            .iter()
            .map(|setting| (missed(setting), *setting))
            .min_by(|(a, _), (b, _)| a.total_cmp(b));
        let best = best.map_or(USUAL, |(_, setting)| setting);
        Self::learn(past, past.days(), WINDOWS[best.window]).shaped(past, best)
    }

    /// Shares of the slots of a weekday; all zero where it is closed.
    pub(crate) fn of(&self, weekday: usize) -> &[f64] {
        &self.shares[weekday * self.slots..(weekday + 1) * self.slots]
    }

    /// Mean shares of each weekday's slots over the weeks of a window before `until`.
    fn learn(past: &Past, until: usize, (weeks, decay): (usize, f64)) -> Self {
        let slots = past.slots();
        let mut sums = vec![TrimmedMean::EMPTY; 7 * slots];
        // Effective contacts by weekday: (Σ weight)² / Σ weight² / contacts, summed for a weighted mean of shares.
        let mut seen = [(0.0, 0.0); 7];
        for day in until.saturating_sub(7 * weeks)..until {
            let total: f64 = past.row(day).iter().filter(|value| value.is_finite()).sum();
            if total <= 0.0 {
                continue;
            }
            // Shares, so that a busy month does not outvote a calm one; the weight keeps a day of
            // three contacts from counting like one of three hundred.
            let weight = total.sqrt() * decay.powi(((until - 1 - day) / 7) as i32);
            let weekday = past.weekday(day);
            seen[weekday].0 += weight;
            seen[weekday].1 += weight * weight / total;
            let from = weekday * slots;
            for (sum, value) in sums[from..from + slots].iter_mut().zip(past.row(day)) {
                if value.is_finite() {
                    sum.add(value / total, weight);
                }
            }
        }
        let share = |at: usize| {
            let open = past.is_open(at / slots, at % slots);
            if open { sums[at].mean().unwrap_or(0.0) } else { 0.0 }
        };
        let contacts = seen.map(
            |(weights, noise): (f64, f64)| {
                if noise > 0.0 { weights * weights / noise } else { 0.0 }
            },
        );
        let mut profiles = Self { slots, shares: (0..7 * slots).map(share).collect(), contacts };
        profiles.normalise(past);
        profiles
    }

    fn shaped(mut self, past: &Past, setting: Setting) -> Self {
        if setting.smoothed > 0.0 {
            self.smooth(past, setting.smoothed);
        }
        self.borrow(past, setting.borrowed);
        self.normalise(past);
        self
    }

    fn smooth(&mut self, past: &Past, weight: f64) {
        for weekday in 0..7 {
            let row = self.of(weekday).to_vec();
            for slot in 0..self.slots {
                // Not over the edge of the open hours, where the shape really jumps.
                let inside = slot > 0
                    && slot + 1 < self.slots
                    && (slot - 1..=slot + 1).all(|slot| past.is_open(weekday, slot));
                if inside {
                    self.shares[weekday * self.slots + slot] = (1.0 - weight) * row[slot]
                        + weight * (row[slot - 1] + row[slot] + row[slot + 1]) / 3.0;
                }
            }
        }
    }

    /// Draws each weekday towards the mean shape of those weekdays of its group that are open in
    /// the same slots.
    fn borrow(&mut self, past: &Past, borrowed: Borrowed) {
        if borrowed == Borrowed::Nothing {
            return;
        }
        let own = self.shares.clone();
        let row = |weekday: usize| &own[weekday * self.slots..(weekday + 1) * self.slots];
        for group in [&[0usize, 1, 2, 3, 4][..], &[5, 6]] {
            for &weekday in group {
                let alike: Vec<usize> = group
                    .iter()
                    .copied()
                    .filter(|&other| {
                        (0..self.slots)
                            .all(|slot| past.is_open(other, slot) == past.is_open(weekday, slot))
                    })
                    .collect();
                let count = alike.len() as f64;
                let common: Vec<f64> = (0..self.slots)
                    .map(|slot| alike.iter().map(|&other| row(other)[slot]).sum::<f64>() / count)
                    .collect();
                // The counting noise of a shape, summed over its slots, is one over its contacts.
                let noise = |weekday: usize| 1.0 / self.contacts[weekday].max(1.0);
                let weight = match borrowed {
                    Borrowed::Nothing => 0.0,
                    Borrowed::Most => MOST,
                    Borrowed::ByNoise => {
                        let apart = |&other: &usize| {
                            let pairs = row(other).iter().zip(&common);
                            pairs.map(|(own, common)| (own - common).powi(2)).sum::<f64>()
                        };
                        let seen = alike.iter().map(apart).sum::<f64>() / (count - 1.0).max(1.0);
                        let by_chance = alike.iter().map(|&each| noise(each)).sum::<f64>() / count;
                        let really = (seen - by_chance).max(0.0);
                        noise(weekday) / (noise(weekday) + really)
                    }
                };
                for (slot, common) in common.iter().enumerate() {
                    let share = &mut self.shares[weekday * self.slots + slot];
                    *share += weight * (common - *share);
                }
            }
        }
    }

    /// Makes each weekday's shares sum to 1; an open weekday without contacts is spread evenly.
    fn normalise(&mut self, past: &Past) {
        for weekday in 0..7 {
            let row = &mut self.shares[weekday * self.slots..(weekday + 1) * self.slots];
            let total: f64 = row.iter().sum();
            let open = (0..row.len()).filter(|&slot| past.is_open(weekday, slot)).count();
            for (slot, share) in row.iter_mut().enumerate() {
                *share = match (total > 0.0, past.is_open(weekday, slot)) {
                    (true, _) => *share / total,
                    (false, true) => 1.0 / open as f64,
                    (false, false) => 0.0,
                };
            }
        }
    }

    /// Σ |share × total − came| over the days from `from` on.
    fn missed(&self, past: &Past, from: usize) -> f64 {
        (from..past.days())
            .map(|day| {
                let known = || past.row(day).iter().zip(self.of(past.weekday(day)));
                let (came, share) = known()
                    .filter(|(value, _)| value.is_finite())
                    .fold((0.0, 0.0), |sum, (value, share)| (sum.0 + value, sum.1 + share));
                if share <= 0.0 {
                    return 0.0;
                }
                known()
                    .filter(|(value, _)| value.is_finite())
                    .map(|(value, expected)| (value - expected * came / share).abs())
                    .sum::<f64>()
            })
            .sum()
    }
}
