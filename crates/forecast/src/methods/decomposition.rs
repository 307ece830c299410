//! Level, weekday factors and the season of the years before, each by robust averages.

use crate::methods::{Method, MethodName};
use crate::past::Past;
use crate::robust::median;

/// Weeks that shape level and weekday factors, at most.
const WEEKS: usize = 10;
/// What a week counts for the level, relative to the week after it.
const LEVEL_DECAY: f64 = 0.6;
/// How far the season of one year before is trusted, as a power of its ratio, and of two or more.
const SEASON_TRUST: [f64; 2] = [0.7, 0.9];
/// The season moves the level by no more than this factor either way.
const SEASON_LIMIT: f64 = 2.5;
/// A year in whole weeks.
const YEAR_DAYS: usize = 364;

pub(crate) struct Decomposition;

impl Method for Decomposition {
    fn name(&self) -> MethodName {
        MethodName::Decomposition
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        if past.days() < 14 {
            return None;
        }
        let factors = weekday_factors(past);
        let even: Vec<f64> = past
            .totals()
            .iter()
            .enumerate()
            .map(|(day, total)| {
                let factor = factors[past.weekday(day)];
                if factor > 0.0 { total / factor } else { f64::NAN }
            })
            .collect();
        let level = recent_level(&even)?;
        let totals = (0..days).map(|ahead| {
            let day = past.days() + ahead;
            level * season(&even, day) * factors[past.weekday(day)]
        });
        Some(past.spread(totals))
    }
}

/// What each weekday is to the mean of its week, from the last weeks; 0 where closed.
fn weekday_factors(past: &Past) -> [f64; 7] {
    let mut ratios: [Vec<f64>; 7] = Default::default();
    let open = (0..7).filter(|&weekday| past.is_open_day(weekday)).count();
    for week in 1..=WEEKS {
        let Some(first) = past.days().checked_sub(7 * week) else { break };
        let days = first..first + 7;
        let known: Vec<f64> =
            past.totals()[days.clone()].iter().copied().filter(|total| total.is_finite()).collect();
        // A week with a day missing would raise or lower all its other days.
        if known.len() < open {
            continue;
        }
        let mean = known.iter().sum::<f64>() / known.len() as f64;
        for day in days.filter(|_| mean > 0.0) {
            let total = past.totals()[day];
            if total.is_finite() && past.is_open_day(past.weekday(day)) {
                ratios[past.weekday(day)].push(total / mean);
            }
        }
    }
    let mut factors = ratios.map(|mut ratios| median(&mut ratios).unwrap_or(0.0));
    if factors.iter().all(|&factor| factor == 0.0) {
        for (weekday, factor) in factors.iter_mut().enumerate() {
            *factor = if past.is_open_day(weekday) { 1.0 } else { 0.0 };
        }
    }
    factors
}

/// Weekly medians of the evened-out totals, the latest weeks counting most.
fn recent_level(even: &[f64]) -> Option<f64> {
    let (mut sum, mut weights, mut weight) = (0.0, 0.0, 1.0);
    for week in 1..=WEEKS {
        let Some(first) = even.len().checked_sub(7 * week) else { break };
        let mut known = finite(&even[first..first + 7]);
        if let Some(level) = median(&mut known) {
            sum += weight * level;
            weights += weight;
        }
        weight *= LEVEL_DECAY;
    }
    (weights > 0.0).then(|| sum / weights)
}

/// How much busier the days around this one were in earlier years than the days around the end of
/// the past, damped; 1 without such history.
fn season(even: &[f64], day: usize) -> f64 {
    let end = even.len();
    let around = |from: usize, to: usize| {
        let mut known = finite(even.get(from..to)?);
        if known.len() < 8 { None } else { median(&mut known) }
    };
    let (mut sum, mut years) = (0.0, 0usize);
    for back in (1..=4).map(|year| year * YEAR_DAYS) {
        let (Some(then), Some(base)) = (day.checked_sub(back), end.checked_sub(back)) else {
            break;
        };
        let target = around(then.saturating_sub(10), then + 11);
        let base = around(base.saturating_sub(20), base + 1);
        if let (Some(target), Some(base)) = (target, base)
            && target > 0.0
            && base > 0.0
        {
            sum += (target / base).ln();
            years += 1;
        }
    }
    if years == 0 {
        return 1.0;
    }
    let trust = SEASON_TRUST[usize::from(years > 1)];
    (trust * sum / years as f64).exp().clamp(1.0 / SEASON_LIMIT, SEASON_LIMIT)
}

fn finite(values: &[f64]) -> Vec<f64> {
    values.iter().copied().filter(|value| value.is_finite()).collect()
}
