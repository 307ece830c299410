//! Averages of the same slot on past same weekdays: hard to beat on a short, noisy history.

use crate::methods::{Method, MethodName, Scale, mean_of_known};
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

/// Mean contacts a slot under which single slots are only the shape of the day, and the day's total is averaged as a
/// whole: neither a median nor a trimmed mean of a few contacts is their mean.
const SLOT_CONTACTS: f64 = 4.0;

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
    let is_sparse = {
        let recent = &past.totals()[past.days().saturating_sub(7 * MEAN_WEEKS)..];
        let open = (0..7 * past.slots())
            .filter(|at| past.is_open(at / past.slots(), at % past.slots()))
            .count();
        7.0 * mean_of_known(recent) < SLOT_CONTACTS * open as f64
    };
    let mut cells = Vec::with_capacity(days * past.slots());
    for day in past.days()..past.days() + days.min(7) {
        let weekday = past.weekday(day);
        let from = cells.len();
        for slot in 0..past.slots() {
            let open = past.is_open(weekday, slot);
            cells.push(if open { of(day, slot).unwrap_or(0.0) } else { 0.0 });
        }
        if is_sparse && let Some(total) = mean_total(past, day) {
            to_total(past, weekday, &mut cells[from..], total);
        }
    }
    let week = cells.clone();
    cells.extend(week.iter().cycle().take((days - days.min(7)) * past.slots()));
    Some(cells)
}

/// The mean total of past same weekdays; without the largest and smallest where days can be told from counting noise.
fn mean_total(past: &Past, day: usize) -> Option<f64> {
    let (mut trimmed, mut plain, mut weight) = (TrimmedMean::EMPTY, (0.0, 0.0), 1.0);
    let mut known = Vec::with_capacity(MEAN_WEEKS);
    for past_day in past.same_weekdays(day).take(MEAN_WEEKS) {
        let total = past.calm_totals()[past_day];
        if total.is_finite() {
            trimmed.add(total, weight);
            plain = (plain.0 + weight * total, plain.1 + weight);
            known.push(total);
        }
        weight *= MEAN_DECAY;
    }
    match Scale::of(&known) {
        Scale::Log => trimmed.mean(),
        _ => (plain.1 > 0.0).then(|| plain.0 / plain.1),
    }
}

/// Scales a day's slots to a total; a day without any contacts in its slots takes the weekday's shape.
fn to_total(past: &Past, weekday: usize, cells: &mut [f64], total: f64) {
    let sum: f64 = cells.iter().sum();
    // Medians of hardly any contacts are mostly zero: their few ones are no shape.
    if sum < 0.5 * total {
        let shape = past.shape(weekday);
        cells.iter_mut().zip(shape).for_each(|(cell, share)| *cell = share * total);
    } else {
        cells.iter_mut().for_each(|cell| *cell *= total / sum);
    }
}
