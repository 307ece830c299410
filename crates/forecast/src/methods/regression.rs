//! Robust regression of daily totals on weekday, time of year, day of month (waves, and the first days on their own)
//! and a bending trend.
//!
//! Fitted on a variance-stabilising scale by iteratively reweighted least squares (Huber's weights)
//! with a ridge penalty. Old days count less, and what the last days left unexplained is carried on
//! and fades, as fast as it did before.

use std::f64::consts::TAU;

use crate::methods::{Method, MethodName, Scale, YEAR_DAYS};
use crate::past::Past;
use crate::robust::median;

const LEAST_DAYS: usize = 28;
/// Days of the past that are looked at.
const WINDOW_DAYS: usize = 5 * 365;
/// A day counts half of one this many days later.
const HALF_LIFE_DAYS: f64 = 400.0;
/// Waves of the year, once a whole year is known, and once two are.
const YEAR_WAVES: (usize, usize) = (2, 4);
/// Waves of the month, once this many days are known.
const MONTH_WAVES: usize = 3;
const MONTH_FROM_DAYS: usize = 120;
/// The first days of a month, each with an effect of its own, and what it takes to believe in one.
const FIRST_DAYS: usize = 3;
const FIRST_DAY_PENALTY: f64 = 2.0;
/// Days between bends of the trend.
const BEND_DAYS: usize = 91;
/// Huber's limit, in standard deviations.
const HUBER: f64 = 1.345;
const ROUNDS: usize = 4;
/// Penalties, in days' worth of evidence.
const WAVE_PENALTY: f64 = 2.0;
const BEND_PENALTY: f64 = 8.0;
/// What the last days left unexplained: what a day counts of the day after it, and how fast it fades ahead.
const DECAYS: [f64; 4] = [0.6, 0.8, 0.9, 0.96];
const FADES: [f64; 4] = [0.9, 0.96, 0.985, 1.0];
/// Days of "nothing left" that are counted beside them.
const NOTHING_LEFT: f64 = 2.0;
/// The days at the end on which decay and fade are tried, and how far ahead.
const TRIED_DAYS: usize = 180;
const TRIED_AHEAD: [usize; 4] = [1, 4, 10, 21];
/// The trend is carried on over this many days at most.
const TREND_DAYS: f64 = 14.0;

pub(crate) struct Regression;

impl Method for Regression {
    fn name(&self) -> MethodName {
        MethodName::Regression
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        if past.days() < LEAST_DAYS {
            return None;
        }
        let totals = past.calm_totals();
        let scale = Scale::of(totals);
        let design = Design::of(past);
        let from = past.days().saturating_sub(WINDOW_DAYS);
        let known: Vec<usize> = (from..past.days())
            .filter(|&day| totals[day].is_finite() && past.is_open_day(past.weekday(day)))
            .collect();
        if known.len() < LEAST_DAYS / 2 {
            return None;
        }
        let rows: Vec<f64> = known.iter().flat_map(|&day| design.row(past, day)).collect();
        let wanted: Vec<f64> = known.iter().map(|&day| scale.to(totals[day])).collect();
        let age = |day: usize| 0.5f64.powf((past.days() - day) as f64 / HALF_LIFE_DAYS);
        let ages: Vec<f64> = known.iter().map(|&day| age(day)).collect();
        let rounds = if scale.has_outliers() { ROUNDS } else { 1 };
        let beta = fit(&rows, &wanted, &ages, &design.penalties, rounds)?;
        let explained = |row: &[f64]| dot(row, &beta);
        let mut residuals = vec![f64::NAN; past.days() - from];
        for (at, &day) in known.iter().enumerate() {
            let row = &rows[at * beta.len()..(at + 1) * beta.len()];
            residuals[day - from] = wanted[at] - explained(row);
        }
        let carried = Carried::choose(&residuals);
        let left = carried.level(&residuals);
        let expected = (0..days).map(|ahead| {
            let day = past.days() + ahead;
            if !past.is_open_day(past.weekday(day)) {
                return 0.0;
            }
            scale.from(explained(&design.row(past, day)) + left * carried.fade.powi(ahead as i32))
        });
        let expected: Vec<f64> = expected.collect();
        Some(past.spread(expected.into_iter()))
    }
}

/// How what was left unexplained lately is carried on: an average of the last residuals, which fades.
///
/// Levels differ in how long they last, so decay and fade are those that would have missed least, one day to three
/// weeks ahead, at the end of this series.
#[derive(Clone, Copy)]
struct Carried {
    decay: f64,
    fade: f64,
}

/// A running average of residuals with "nothing left" beside it.
#[derive(Clone, Copy, Default)]
struct Running {
    sum: f64,
    weight: f64,
}

impl Running {
    fn add(&mut self, decay: f64, residual: f64) {
        let known = residual.is_finite();
        self.sum = decay * self.sum + if known { residual } else { 0.0 };
        self.weight = decay * self.weight + f64::from(known);
    }

    fn level(self) -> f64 {
        self.sum / (self.weight + NOTHING_LEFT)
    }
}

impl Carried {
    fn choose(residuals: &[f64]) -> Self {
        let from = residuals.len().saturating_sub(TRIED_DAYS);
        let usual = Self { decay: 0.9, fade: 0.985 };
        let mut best = (f64::INFINITY, usual);
        for decay in DECAYS {
            let mut missed = [0.0; FADES.len()];
            let mut running = Running::default();
            for (at, &residual) in residuals.iter().enumerate() {
                if at >= from.max(LEAST_DAYS / 2) {
                    let level = running.level();
                    for ahead in TRIED_AHEAD {
                        let came = residuals.get(at + ahead - 1).filter(|came| came.is_finite());
                        let Some(came) = came else { continue };
                        for (missed, fade) in missed.iter_mut().zip(FADES) {
                            *missed += (came - level * fade.powi(ahead as i32 - 1)).abs();
                        }
                    }
                }
                running.add(decay, residual);
            }
            for (missed, fade) in missed.into_iter().zip(FADES) {
                if missed > 0.0 && missed < best.0 {
                    best = (missed, Self { decay, fade });
                }
            }
        }
        best.1
    }

    fn level(self, residuals: &[f64]) -> f64 {
        let mut running = Running::default();
        residuals.iter().for_each(|residual| running.add(self.decay, *residual));
        running.level()
    }
}

/// Which columns explain a day.
struct Design {
    days: usize,
    year_waves: usize,
    month_waves: usize,
    bends: Vec<usize>,
    penalties: Vec<f64>,
}

impl Design {
    fn of(past: &Past) -> Self {
        let days = past.days();
        let year_waves = match days / YEAR_DAYS {
            0 => 0,
            1 => YEAR_WAVES.0,
            _ => YEAR_WAVES.1,
        };
        let month_waves = if days >= MONTH_FROM_DAYS { MONTH_WAVES } else { 0 };
        // The last bend is far enough back for the slope after it to be known.
        let bends: Vec<usize> = (1..)
            .map(|bend| bend * BEND_DAYS)
            .take_while(|&at| at + BEND_DAYS / 2 < days)
            .collect();
        let mut penalties = vec![0.01; 7];
        // The shorter a wave of the year, the more evidence it needs.
        for wave in 1..=year_waves {
            penalties.extend([WAVE_PENALTY * (wave * wave) as f64; 2]);
        }
        penalties.extend(std::iter::repeat_n(WAVE_PENALTY, 2 * month_waves));
        if month_waves > 0 {
            penalties.extend([FIRST_DAY_PENALTY; FIRST_DAYS]);
        }
        penalties.push(BEND_PENALTY);
        penalties.extend(std::iter::repeat_n(BEND_PENALTY, bends.len()));
        Self { days, year_waves, month_waves, bends, penalties }
    }

    fn row(&self, past: &Past, day: usize) -> Vec<f64> {
        let mut row = vec![0.0; 7];
        row[past.weekday(day)] = 1.0;
        let date = past.date(day);
        let of_year = f64::from(date.day_of_year()) / f64::from(date.days_in_year());
        let of_month = f64::from(date.day() - 1) / f64::from(date.days_in_month());
        for (waves, part) in [(self.year_waves, of_year), (self.month_waves, of_month)] {
            for wave in 1..=waves {
                let (sin, cos) = (TAU * wave as f64 * part).sin_cos();
                row.extend([sin, cos]);
            }
        }
        if self.month_waves > 0 {
            let of_month = usize::from(date.day().unsigned_abs());
            row.extend((1..=FIRST_DAYS).map(|first| f64::from(first == of_month)));
        }
        // Beyond the end the trend is damped: half of it is a fancy.
        let ahead = (day as f64 - self.days as f64).max(0.0);
        let at = day.min(self.days) as f64 + TREND_DAYS * (1.0 - (-ahead / TREND_DAYS).exp());
        row.push(at / 365.0);
        row.extend(self.bends.iter().map(|&bend| (at - bend as f64).max(0.0) / 365.0));
        row
    }
}

/// Huber regression of `wanted` on the rows (row-major), with weights and ridge penalties.
fn fit(
    rows: &[f64],
    wanted: &[f64],
    weights: &[f64],
    penalties: &[f64],
    rounds: usize,
) -> Option<Vec<f64>> {
    let columns = penalties.len();
    let mut huber = vec![1.0; wanted.len()];
    let mut beta = Vec::new();
    for _ in 0..rounds {
        let mut normal = vec![0.0; columns * columns];
        let mut right = vec![0.0; columns];
        for (at, row) in rows.chunks_exact(columns).enumerate() {
            let weight = weights[at] * huber[at];
            for (i, &left) in row.iter().enumerate().filter(|(_, value)| **value != 0.0) {
                right[i] += weight * left * wanted[at];
                for (entry, value) in normal[i * columns..=i * columns + i].iter_mut().zip(row) {
                    *entry += weight * left * value;
                }
            }
        }
        for (i, penalty) in penalties.iter().enumerate() {
            normal[i * columns + i] += penalty;
        }
        beta = solve(normal, right)?;
        let errors: Vec<f64> = rows
            .chunks_exact(columns)
            .zip(wanted)
            .map(|(row, wanted)| wanted - dot(row, &beta))
            .collect();
        let mut sizes: Vec<f64> = errors.iter().map(|error| error.abs()).collect();
        let limit = HUBER * 1.4826 * median(&mut sizes)?;
        for (weight, error) in huber.iter_mut().zip(&errors) {
            *weight = if error.abs() > limit { limit / error.abs() } else { 1.0 };
        }
    }
    Some(beta)
}

/// Cholesky's solution of a symmetric positive definite system; the lower triangle is given.
fn solve(mut matrix: Vec<f64>, mut right: Vec<f64>) -> Option<Vec<f64>> {
    let n = right.len();
    for i in 0..n {
        for j in 0..=i {
            let sum = matrix[i * n + j]
                - (0..j).map(|k| matrix[i * n + k] * matrix[j * n + k]).sum::<f64>();
            if i == j {
                if sum <= 0.0 {
                    return None;
                }
                matrix[i * n + i] = sum.sqrt();
            } else {
                matrix[i * n + j] = sum / matrix[j * n + j];
            }
        }
    }
    for i in 0..n {
        let sum = (0..i).map(|k| matrix[i * n + k] * right[k]).sum::<f64>();
        right[i] = (right[i] - sum) / matrix[i * n + i];
    }
    for i in (0..n).rev() {
        let sum = (i + 1..n).map(|k| matrix[k * n + i] * right[k]).sum::<f64>();
        right[i] = (right[i] - sum) / matrix[i * n + i];
    }
    Some(right)
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}
