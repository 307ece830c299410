//! The level of a series and where it jumps.
//!
//! A jump is told from the ordinary wandering of the level by the series itself: it must be several
//! times what the medians of neighbouring weeks usually differ by.

use crate::past::Past;
use crate::robust::{MAD_TO_SD, median, median_and_spread};

/// Days on either side of a jump that are compared.
const SIDE_DAYS: usize = 28;
/// The least log ratio of a jump.
const LEAST_RATIO: f64 = 0.12;
/// In standard deviations of the two medians, and of the usual differences of two weeks.
const SPREADS: f64 = 6.0;
const USUAL_SPREADS: f64 = 4.5;
/// The share of a jump that must have come within one week: a season is no jump.
const ABRUPT: f64 = 0.7;
/// A year in whole weeks.
const YEAR_DAYS: usize = 364;

/// A day from which on the level is another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Jump {
    /// The first day of the new level.
    pub day: usize,
    /// Log of the new level over the old.
    pub log_ratio: f64,
}

/// Log totals without the week's pattern; `NaN` where unknown or not `counted`.
pub(crate) fn even_logs(past: &Past, counted: impl Fn(usize) -> bool) -> Vec<f64> {
    let log = |(day, total): (usize, &f64)| {
        if *total > 0.0 && counted(day) { total.ln_1p() } else { f64::NAN }
    };
    let logs: Vec<f64> = past.totals().iter().enumerate().map(log).collect();
    // What a weekday is to its week, as the median over all weeks.
    let mut by_weekday: [Vec<f64>; 7] = Default::default();
    for day in 3..logs.len().saturating_sub(3) {
        let mut week = [0.0; 7];
        let mut known = 0;
        for log in logs[day - 3..=day + 3].iter().filter(|log| log.is_finite()) {
            week[known] = *log;
            known += 1;
        }
        if let Some(middle) = median(&mut week[..known]).filter(|_| logs[day].is_finite()) {
            by_weekday[past.weekday(day)].push(logs[day] - middle);
        }
    }
    let weekday = by_weekday.map(|mut logs| median(&mut logs).unwrap_or(0.0));
    logs.iter().enumerate().map(|(day, log)| log - weekday[past.weekday(day)]).collect()
}

/// The jumps of a series after which at least `known` days are known, oldest first.
pub(crate) fn jumps(even: &[f64], known: usize) -> Vec<Jump> {
    let week_difference = |day: usize| -> Option<f64> {
        let before = side(even.get(day.checked_sub(7)?..day)?)?;
        let after = side(even.get(day..day + 7)?)?;
        Some(after.middle - before.middle)
    };
    let differences: Vec<Option<f64>> = (0..even.len()).map(week_difference).collect();
    let mut usual: Vec<f64> = differences.iter().flatten().copied().collect();
    let Some((_, usual)) = median_and_spread(&mut usual) else { return Vec::new() };
    let mut candidates: Vec<(f64, Jump)> = Vec::new();
    for day in 14..(even.len() + 1).saturating_sub(known.max(7)) {
        let Some(at_once) = differences[day] else { continue };
        if at_once.abs() < ABRUPT * LEAST_RATIO.max(USUAL_SPREADS * usual) {
            continue;
        }
        let before = side(&even[day.saturating_sub(SIDE_DAYS)..day]);
        let after = side(&even[day..(day + SIDE_DAYS).min(even.len())]);
        let (Some(before), Some(after)) = (before, after) else { continue };
        let log_ratio = after.middle - before.middle;
        let error = (before.error.powi(2) + after.error.powi(2)).sqrt();
        let is_large = log_ratio.abs() > LEAST_RATIO.max(SPREADS * error)
            && log_ratio.abs() > USUAL_SPREADS * usual;
        // The same jump at the same time a year before is the season's.
        let is_season = (day.saturating_sub(7)..=day + 7).any(|near| {
            let before = near.checked_sub(YEAR_DAYS).and_then(|then| differences[then]);
            before.is_some_and(|before| before / log_ratio > 0.5)
        });
        if is_large && at_once / log_ratio > ABRUPT && !is_season {
            candidates.push((log_ratio.abs() / error, Jump { day, log_ratio }));
        }
    }
    candidates.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut kept: Vec<Jump> = Vec::new();
    for (_, jump) in candidates {
        if kept.iter().all(|other| other.day.abs_diff(jump.day) >= SIDE_DAYS) {
            kept.push(Jump { day: edge(even, jump.day), ..jump });
        }
    }
    kept.sort_by_key(|jump| jump.day);
    kept
}

/// The size of a jump without the season that goes on beneath it: least squares with one slope for
/// both sides, each drawn in to four standard deviations around its median.
///
/// `None` where there is too little on either side to tell a slope.
pub(crate) fn jump_without_drift(even: &[f64], day: usize) -> Option<f64> {
    let sides = [day.saturating_sub(SIDE_DAYS)..day, day..(day + SIDE_DAYS).min(even.len())];
    let (mut products, mut squares) = (0.0, 0.0);
    let mut means = [(0.0, 0.0); 2];
    for (range, mean) in sides.into_iter().zip(&mut means) {
        let mut known: Vec<f64> =
            even[range.clone()].iter().copied().filter(|log| log.is_finite()).collect();
        if known.len() < SIDE_DAYS / 2 {
            return None;
        }
        let (middle, spread) = median_and_spread(&mut known)?;
        let limit = 4.0 * spread.max(0.02);
        let points: Vec<(f64, f64)> = range
            .filter(|&at| even[at].is_finite())
            .map(|at| (at as f64, even[at].clamp(middle - limit, middle + limit)))
            .collect();
        let count = points.len() as f64;
        let sum = points.iter().fold((0.0, 0.0), |sum, point| (sum.0 + point.0, sum.1 + point.1));
        *mean = (sum.0 / count, sum.1 / count);
        for (at, log) in points {
            products += (at - mean.0) * (log - mean.1);
            squares += (at - mean.0).powi(2);
        }
    }
    let slope = products / squares;
    Some(means[1].1 - means[0].1 - slope * (means[1].0 - means[0].0))
}

/// The day near `day` that divides its surroundings best: least Σ |log − its side's median|.
fn edge(even: &[f64], day: usize) -> usize {
    let (from, to) = (day.saturating_sub(SIDE_DAYS), (day + SIDE_DAYS).min(even.len()));
    let spread = |part: &[f64]| {
        let mut known: Vec<f64> = part.iter().copied().filter(|log| log.is_finite()).collect();
        let middle = median(&mut known).unwrap_or(0.0);
        known.iter().map(|log| (log - middle).abs()).sum::<f64>()
    };
    let near = day.saturating_sub(6).max(from + 4)..=(day + 6).min(to.saturating_sub(4));
    let cost = |at: &usize| spread(&even[from..*at]) + spread(&even[*at..to]);
    near.min_by(|a, b| cost(a).total_cmp(&cost(b))).unwrap_or(day)
}

struct Side {
    middle: f64,
    /// Standard error of the median.
    error: f64,
}

/// The median of the known values; `None` of fewer than four.
fn side(values: &[f64]) -> Option<Side> {
    let mut known = [0.0; SIDE_DAYS];
    let mut count = 0;
    for value in values.iter().filter(|value| value.is_finite()) {
        known[count] = *value;
        count += 1;
    }
    let known = &mut known[..count];
    let middle = median(known).filter(|_| count >= 4)?;
    known.iter_mut().for_each(|value| *value = (*value - middle).abs());
    // Days of few contacts may happen to be alike: their spread is at least that of counting.
    let counting = (-0.5 * middle).exp();
    let spread = (MAD_TO_SD * median(known)?).max(counting);
    Some(Side { middle, error: 1.25 * (spread / (count as f64).sqrt()).max(0.004) })
}
