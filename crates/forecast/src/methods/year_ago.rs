//! The same weeks a year before, times what the year has brought since: follows school terms and
//! sales that no smooth season shows.

use crate::methods::{Method, MethodName};
use crate::past::Past;
use crate::robust::median;

/// A year in whole weeks.
const YEAR_DAYS: usize = 364;
/// Weeks on whose growth the forecast rests, at the end of the past.
const GROWTH_WEEKS: usize = 6;
/// Years back, at most, and what a year counts relative to the year after it.
const YEARS: usize = 3;
const YEAR_DECAY: f64 = 0.7;

pub(crate) struct YearAgo;

impl Method for YearAgo {
    fn name(&self) -> MethodName {
        MethodName::YearAgo
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        let totals = past.calm_totals();
        let years: Vec<(usize, f64)> = (1..=YEARS)
            .map(|year| year * YEAR_DAYS)
            .filter_map(|back| Some((back, growth(past, back)?)))
            .collect();
        if years.is_empty() {
            return None;
        }
        let expected = (past.days()..past.days() + days).map(|day| {
            let (mut sum, mut weights, mut weight) = (0.0, 0.0, 1.0);
            for (back, growth) in &years {
                // The same weekday of that week, with the weeks beside it for half.
                for (then, share) in
                    [(day - back, 0.5), (day - back - 7, 0.25), (day - back + 7, 0.25)]
                {
                    if let Some(total) = totals.get(then).filter(|total| total.is_finite()) {
                        sum += weight * share * total * growth;
                        weights += weight * share;
                    }
                }
                weight *= YEAR_DECAY;
            }
            let open = past.is_open_day(past.weekday(day));
            if weights > 0.0 && open { sum / weights } else { 0.0 }
        });
        let expected: Vec<f64> = expected.collect();
        Some(past.spread(expected.into_iter()))
    }
}

/// Median ratio of the last weeks' days to the same days so many days before.
fn growth(past: &Past, back: usize) -> Option<f64> {
    let totals = past.calm_totals();
    let from = past.days().checked_sub(7 * GROWTH_WEEKS)?;
    from.checked_sub(back + 7)?;
    let mut ratios: Vec<f64> = (from..past.days())
        .filter(|&day| totals[day].is_finite() && totals[day - back] > 0.0)
        .map(|day| totals[day] / totals[day - back])
        .collect();
    if ratios.len() < 2 * GROWTH_WEEKS { None } else { median(&mut ratios) }
}
