//! What less patience would do to a target, from the days that were played and no others.
//!
//! Of exponential patience, who abandoned and how long everybody waited tell how likely the days would be with another
//! mean (the score function; Rubinstein 1989, Glynn 1990): where A contacts abandon in W seconds of waiting at a rate
//! θ of giving up, the derivative of the log-likelihood by log θ is A − θW. The derivative of a share is the covariance of its counts with
//! that. What the number of contacts explains of the counts is taken off before (a control variate): given the contacts,
//! the score has mean nothing.

use barometer_simulate::SingleDay;
use barometer_strategy::{Duration, StepKind};
use serde::{Deserialize, Serialize};

use super::TrialInputs;
use super::day_by_day::TargetByDay;
use crate::spread::mean_and_half_width;

/// What patience is multiplied by.
const LESS: f64 = 0.9;

/// Standard errors of the score's mean, which is nothing where the model is right, beyond which nothing is said.
const OFF: f64 = 4.0;

/// The change of a target's share if customers were a tenth less patient.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LessPatience {
    /// The change, as a share.
    pub change: f64,
    /// Half the width of its 95 % confidence interval.
    pub half_width: f64,
}

impl LessPatience {
    /// Of a target of a contact type on some days. `None` where patience is not exponential, or where it is changed or
    /// asked for by what customers hear.
    pub(super) fn of(
        target: &TargetByDay,
        inputs: &TrialInputs,
        days: &[SingleDay],
    ) -> Option<Self> {
        let kind = target.of.filter(|_| target.is_of_contacts())?;
        let Some(Duration::Exponential { mean_secs }) = inputs.types[kind].customers.patience
        else {
            return None;
        };
        if changes_patience(inputs) {
            return None;
        }
        let counts: Vec<(f64, f64)> = days.iter().map(|day| target.counts_on(day)).collect();
        let n = days.len() as f64;
        let mean = |of: &dyn Fn(&(f64, f64)) -> f64| counts.iter().map(of).sum::<f64>() / n;
        let (top, bottom) = (mean(&|of| of.0), mean(&|of| of.1));
        if bottom <= 0.0 {
            return None;
        }
        let score = |day: &SingleDay| {
            let of = &day.types[kind];
            f64::from(of.abandoned) - f64::from(of.waited_secs) / mean_secs
        };
        let scores: Vec<f64> = days.iter().map(score).collect();
        let (off, half_width) = mean_and_half_width(&scores);
        if off.abs() > OFF / 1.96 * half_width {
            return None;
        }
        let mut over: Vec<f64> = counts.iter().map(|of| of.0 - top / bottom * of.1).collect();
        let offered: Vec<f64> = counts.iter().map(|of| of.1 - bottom).collect();
        let mut squares: Vec<f64> = offered.iter().map(|of| of * of).collect();
        let constant = vec![1.0; days.len()];
        take_off(&mut squares, &constant);
        take_off(&mut squares, &offered);
        for explained in [&constant, &offered, &squares] {
            take_off(&mut over, explained);
        }
        let products: Vec<f64> =
            over.iter().zip(&scores).map(|(over, score)| over * score).collect();
        let (slope, half_width) = mean_and_half_width(&products);
        let rate = -LESS.ln() / bottom;
        Some(Self { change: rate * slope, half_width: rate * half_width })
    }

    /// Whether it is more than luck.
    pub fn is_told(&self) -> bool {
        self.change.abs() > self.half_width
    }
}

/// Takes off what another series explains, by least squares.
fn take_off(series: &mut [f64], other: &[f64]) {
    let norm: f64 = other.iter().map(|each| each * each).sum();
    if norm > 0.0 {
        let along = series.iter().zip(other).map(|(one, other)| one * other).sum::<f64>() / norm;
        series.iter_mut().zip(other).for_each(|(one, other)| *one -= along * other);
    }
}

/// Whether anything that customers hear changes their patience, or lets them go by what is left of it.
fn changes_patience(inputs: &TrialInputs) -> bool {
    inputs.strategy.steps.iter().any(|step| {
        let StepKind::Queue(queue) = &step.does else { return false };
        let told = &queue.announcements;
        told.iter().any(|told| told.patience_factor != 1.0 || told.leaving_share > 0.0)
    })
}
