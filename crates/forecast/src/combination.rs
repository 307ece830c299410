//! Weights of the methods, learnt from how they did together.
//!
//! The weights are at least 0 and sum to 1. They start where such histories usually end and are
//! moved by exponentiated gradient descent (Kivinen & Warmuth 1997) down the absolute error of the
//! combination, per interval and per day alike. The fewer mornings there are to learn from, the
//! shorter the way that they may go.

use crate::trial_runs::Run;

const STEPS: usize = 40;
/// Length of the first step with one morning to learn from, and with many.
const FIRST_STEP: (f64, f64) = (3.0, 30.0);
/// Mornings that count as many.
const MANY_RUNS: f64 = 12.0;
/// Where the weights start, in the order of the methods: simple methods are kept for histories
/// that want them, but are seldom the best.
const PRIOR: [f64; 7] = [0.02, 0.10, 0.14, 0.21, 0.16, 0.27, 0.10];
/// Of the cells of a run every so manyth is looked at; the days are complete.
const STRIDE: usize = 5;

/// The weights that would have done best on these runs, in the order of the methods.
pub(crate) fn weights<'a>(runs: impl Iterator<Item = &'a Run>) -> Vec<f64> {
    let mut problem = Problem::default();
    for run in runs {
        problem.add(run);
    }
    problem.solve()
}

/// Forecasts beside what came, per method: rows of `methods` numbers.
#[derive(Default)]
struct Problem {
    runs: f64,
    cells: Vec<f64>,
    cells_came: Vec<f64>,
    days: Vec<f64>,
    days_came: Vec<f64>,
}

impl Problem {
    fn add(&mut self, run: &Run) {
        self.runs += 1.0;
        let mut day_rows = vec![0.0; run.forecasts.len()];
        for day in 0..run.judged_days() {
            day_rows.fill(0.0);
            let mut day_came = 0.0;
            for slot in 0..run.slots {
                let at = day * run.slots + slot;
                let came = run.came[at];
                if !came.is_finite() {
                    continue;
                }
                day_came += came;
                for (sum, method) in day_rows.iter_mut().zip(&run.forecasts) {
                    *sum += method[at];
                }
                if at.is_multiple_of(STRIDE) && run.forecasts[0][at] + came > 0.0 {
                    self.cells.extend(run.forecasts.iter().map(|method| method[at]));
                    self.cells_came.push(came);
                }
            }
            self.days.extend_from_slice(&day_rows);
            self.days_came.push(day_came);
        }
    }

    fn solve(&self) -> Vec<f64> {
        let mut weights = PRIOR.to_vec();
        if self.runs == 0.0 {
            return weights;
        }
        let mut mean = vec![0.0; weights.len()];
        let mut gradient = vec![0.0; weights.len()];
        let much = (self.runs / MANY_RUNS).min(1.0);
        let first_step = FIRST_STEP.0 + much * (FIRST_STEP.1 - FIRST_STEP.0);
        for step in 1..=STEPS {
            gradient.fill(0.0);
            descend(&self.cells, &self.cells_came, &weights, &mut gradient);
            descend(&self.days, &self.days_came, &weights, &mut gradient);
            let size = first_step / (step as f64).sqrt();
            for (weight, slope) in weights.iter_mut().zip(&gradient) {
                *weight *= (-size * slope).exp();
            }
            let sum: f64 = weights.iter().sum();
            for (weight, mean) in weights.iter_mut().zip(&mut mean) {
                *weight /= sum;
                // The second half of the path, averaged, is steadier than its last point.
                if step > STEPS / 2 {
                    *mean += *weight / (STEPS - STEPS / 2) as f64;
                }
            }
        }
        mean
    }
}

/// Adds the gradient of Σ |Σ weight × forecast − came| / Σ came.
fn descend(rows: &[f64], came: &[f64], weights: &[f64], gradient: &mut [f64]) {
    let total: f64 = came.iter().sum();
    if total <= 0.0 {
        return;
    }
    for (row, came) in rows.chunks_exact(weights.len()).zip(came) {
        let forecast: f64 = row.iter().zip(weights).map(|(value, weight)| value * weight).sum();
        let sign = if forecast > *came { 1.0 } else { -1.0 } / total;
        for (slope, value) in gradient.iter_mut().zip(row) {
            *slope += sign * value;
        }
    }
}

/// The weighted sum of the methods' forecasts.
pub(crate) fn combine(forecasts: &[Vec<f64>], weights: &[f64]) -> Vec<f64> {
    let mut cells = vec![0.0; forecasts.first().map_or(0, Vec::len)];
    for (forecast, weight) in forecasts.iter().zip(weights) {
        for (cell, value) in cells.iter_mut().zip(forecast) {
            *cell += weight * value;
        }
    }
    cells
}
