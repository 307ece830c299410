//! The number that tells days that hold from days that break.

use serde::{Deserialize, Serialize};

/// Above this, days break more often than not.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Threshold {
    /// The number.
    pub at: f64,
    /// Share of days that it tells right.
    pub right: f64,
    /// Share of days above it.
    pub above: f64,
}

/// Days that hold, and days that break, without which nothing is said.
const LEAST_DAYS: usize = 10;

/// A threshold that tells fewer days right says nothing.
const LEAST_RIGHT: f64 = 0.8;

impl Threshold {
    /// The threshold with the fewest days on its wrong side: of each day its number, and whether it holds. `None`
    /// where days do not break, or where the number is not what breaks them.
    pub fn of(days: impl IntoIterator<Item = (f64, bool)>) -> Option<Self> {
        let mut sorted: Vec<(f64, bool)> = days.into_iter().collect();
        sorted.sort_by(|a, b| a.0.total_cmp(&b.0));
        let n = sorted.len();
        let broken = sorted.iter().filter(|(_, holds)| !holds).count();
        if broken < LEAST_DAYS || n - broken < LEAST_DAYS {
            return None;
        }
        // Days that are told right if all days from this place on are said to break.
        let mut right = broken;
        let mut best = (right, 0);
        for (place, (number, holds)) in sorted.iter().enumerate() {
            right = if *holds { right + 1 } else { right - 1 };
            // Days with the same number are on the same side.
            let is_edge = sorted.get(place + 1).is_none_or(|next| next.0 > *number);
            if is_edge && right > best.0 {
                best = (right, place + 1);
            }
        }
        let (right, place) = best;
        let share = right as f64 / n as f64;
        // Saying the same of every day must do worse, by a good part of the days that it tells wrong.
        let usual = broken.max(n - broken);
        let is_better = right >= usual + (n - usual) / 3;
        if place == 0 || place == n || share < LEAST_RIGHT || !is_better {
            return None;
        }
        let at = f64::midpoint(sorted[place - 1].0, sorted[place].0);
        Some(Self { at, right: share, above: (n - place) as f64 / n as f64 })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_number_between_days_that_hold_and_days_that_break_is_found() {
        let days = (0..100).map(|nth| (1_000.0 + f64::from(nth), nth < 70));
        let threshold = Threshold::of(days).unwrap();
        assert_eq!(threshold, Threshold { at: 1_069.5, right: 1.0, above: 0.3 });
    }

    #[test]
    fn nothing_is_said_where_the_number_tells_nothing() {
        let by_turns = (0..100).map(|nth| (f64::from(nth), nth % 2 == 0));
        assert_eq!(Threshold::of(by_turns), None, "the number is not what breaks them");
        assert_eq!(Threshold::of((0..100).map(|nth| (f64::from(nth), nth < 95))), None, "too few");
        assert_eq!(Threshold::of((0..100).map(|_| (5.0, true))), None, "none breaks");
        assert_eq!(
            Threshold::of((0..100).map(|nth| (f64::from(nth), nth >= 50))),
            None,
            "more is better"
        );
    }

    #[test]
    fn the_last_days_that_hold_are_no_threshold() {
        // Nearly every day breaks, and those that hold lie anywhere.
        let days = (0..100).map(|nth| (f64::from(nth), nth % 9 == 0));
        assert_eq!(Threshold::of(days), None);
    }

    #[test]
    fn days_with_the_same_number_are_on_the_same_side() {
        let days = (0..90).map(|nth| (f64::from(nth / 30), nth < 60));
        assert_eq!(Threshold::of(days).unwrap().at, 1.5);
        // Some of the days at the edge break: the edge itself stays whole.
        let torn = (0..90).map(|nth| (f64::from(nth / 30), nth < 50));
        assert_eq!(Threshold::of(torn).unwrap().at, 1.5);
    }
}
