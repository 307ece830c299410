//! The forecast that every other one has to beat: the same slot a week before.

use crate::methods::{Method, MethodName};
use crate::past::Past;

/// Weeks back in which a missing value is replaced by the one before it.
const WEEKS: usize = 8;

pub(crate) struct SeasonalNaive;

impl Method for SeasonalNaive {
    fn name(&self) -> MethodName {
        MethodName::SeasonalNaive
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        let mut cells = Vec::with_capacity(days * past.slots());
        for day in past.days()..past.days() + days {
            let weekday = past.weekday(day);
            for slot in 0..past.slots() {
                let latest = past
                    .same_weekdays(day)
                    .take(WEEKS)
                    .map(|past_day| past.row(past_day)[slot] * past.calm_share(past_day))
                    .find(|value| value.is_finite())
                    .filter(|_| past.is_open(weekday, slot));
                cells.push(latest.unwrap_or(0.0));
            }
        }
        (past.days() >= 7).then_some(cells)
    }
}
