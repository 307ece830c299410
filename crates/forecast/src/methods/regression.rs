//! Robust regression of daily totals on weekday, time of year, day of month and a bending trend.
//!
//! Fitted on a variance-stabilising scale by iteratively reweighted least squares (Huber's weights)
//! with a ridge penalty. Old days count less, and what the last two weeks left unexplained is
//! carried on and fades.

use std::f64::consts::TAU;

use crate::methods::{Method, MethodName, Scale};
use crate::past::Past;
use crate::robust::median;

const LEAST_DAYS: usize = 28;
/// Days of the past that are looked at.
const WINDOW_DAYS: usize = 5 * 365;
/// A day counts half of one this many days later.
const HALF_LIFE_DAYS: f64 = 400.0;
/// Waves of the year, once this many days are known.
const YEAR_WAVES: usize = 4;
const YEAR_FROM_DAYS: usize = 420;
/// Waves of the month, once this many days are known.
const MONTH_WAVES: usize = 3;
const MONTH_FROM_DAYS: usize = 120;
/// Days between bends of the trend.
const BEND_DAYS: usize = 91;
/// Huber's limit, in standard deviations.
const HUBER: f64 = 1.345;
const ROUNDS: usize = 4;
/// Penalties, in days' worth of evidence.
const WAVE_PENALTY: f64 = 2.0;
const BEND_PENALTY: f64 = 8.0;
/// What the last two weeks left unexplained fades by this much a day.
const FADE: f64 = 0.985;
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
        let beta = fit(&rows, &wanted, &ages, &design.penalties)?;
        let explained = |row: &[f64]| dot(row, &beta);
        // What the latest days left unexplained, the last ones counting most.
        let (mut sum, mut weights) = (0.0, 2.0);
        for (at, &day) in known.iter().enumerate().rev().take(21) {
            let weight = 0.9f64.powi((past.days() - day) as i32);
            sum += weight * (wanted[at] - explained(&rows[at * beta.len()..(at + 1) * beta.len()]));
            weights += weight;
        }
        let left = sum / weights;
        let expected = (0..days).map(|ahead| {
            let day = past.days() + ahead;
            if !past.is_open_day(past.weekday(day)) {
                return 0.0;
            }
            scale.from(explained(&design.row(past, day)) + left * FADE.powi(ahead as i32))
        });
        let expected: Vec<f64> = expected.collect();
        Some(past.spread(expected.into_iter()))
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
        let year_waves = if days >= YEAR_FROM_DAYS { YEAR_WAVES } else { 0 };
        let month_waves = if days >= MONTH_FROM_DAYS { MONTH_WAVES } else { 0 };
        // The last bend is far enough back for the slope after it to be known.
        let bends: Vec<usize> = (1..)
            .map(|bend| bend * BEND_DAYS)
            .take_while(|&at| at + BEND_DAYS / 2 < days)
            .collect();
        let mut penalties = vec![0.01; 7];
        penalties.extend(std::iter::repeat_n(WAVE_PENALTY, 2 * (year_waves + month_waves)));
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
        // Beyond the end the trend is damped: half of it is a fancy.
        let ahead = (day as f64 - self.days as f64).max(0.0);
        let at = day.min(self.days) as f64 + TREND_DAYS * (1.0 - (-ahead / TREND_DAYS).exp());
        row.push(at / 365.0);
        row.extend(self.bends.iter().map(|&bend| (at - bend as f64).max(0.0) / 365.0));
        row
    }
}

/// Huber regression of `wanted` on the rows (row-major), with weights and ridge penalties.
fn fit(rows: &[f64], wanted: &[f64], weights: &[f64], penalties: &[f64]) -> Option<Vec<f64>> {
    let columns = penalties.len();
    let mut huber = vec![1.0; wanted.len()];
    let mut beta = Vec::new();
    for _ in 0..ROUNDS {
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
