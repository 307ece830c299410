//! Averages of the same slot on past same weekdays: hard to beat on a short, noisy history.

use crate::methods::{Method, MethodName};
use crate::past::Past;
use crate::robust::{TrimmedMean, median};

/// Same weekdays of which the mean is taken.
const MEAN_WEEKS: usize = 12;
/// What a week counts relative to the week after it.
const MEAN_DECAY: f64 = 0.88;
/// Same weekdays of which the median is taken.
const MEDIAN_WEEKS: usize = 8;

pub(crate) struct WeekdayMeans;

impl Method for WeekdayMeans {
    fn name(&self) -> MethodName {
        MethodName::WeekdayMeans
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        by_weekday(past, days, |day, slot| {
            let mut mean = TrimmedMean::EMPTY;
            let mut weight = 1.0;
            for past_day in past.same_weekdays(day).take(MEAN_WEEKS) {
                let value = past.row(past_day)[slot];
                if value.is_finite() {
                    mean.add(value, weight);
                }
                weight *= MEAN_DECAY;
            }
            mean.mean()
        })
    }
}

pub(crate) struct WeekdayMedians;

impl Method for WeekdayMedians {
    fn name(&self) -> MethodName {
        MethodName::WeekdayMedians
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        let mut known = Vec::with_capacity(MEDIAN_WEEKS);
        by_weekday(past, days, |day, slot| {
            known.clear();
            known.extend(
                past.same_weekdays(day)
                    .map(|past_day| past.row(past_day)[slot])
                    .filter(|value| value.is_finite())
                    .take(MEDIAN_WEEKS),
            );
            median(&mut known)
        })
    }
}

/// One week by `of(day to come, slot)`, repeated.
fn by_weekday(
    past: &Past,
    days: usize,
    mut of: impl FnMut(usize, usize) -> Option<f64>,
) -> Option<Vec<f64>> {
    if past.days() < 7 {
        return None;
    }
    let mut cells = Vec::with_capacity(days * past.slots());
    for day in past.days()..past.days() + days.min(7) {
        let weekday = past.weekday(day);
        for slot in 0..past.slots() {
            let open = past.is_open(weekday, slot);
            cells.push(if open { of(day, slot).unwrap_or(0.0) } else { 0.0 });
        }
    }
    let week = cells.clone();
    cells.extend(week.iter().cycle().take((days - days.min(7)) * past.slots()));
    Some(cells)
}
