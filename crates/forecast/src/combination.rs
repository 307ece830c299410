//! Weights of the methods, learnt from how they did together.
//!
//! The weights are at least 0 and sum to 1. They start where such histories usually end and are
//! moved by exponentiated gradient descent (Kivinen & Warmuth 1997) down the absolute error of the
//! combination, per interval and per day alike. The fewer mornings there are to learn from, the
//! shorter the way that they may go.

use crate::methods::YEAR_DAYS;
use crate::trial_runs::Run;

const STEPS: usize = 40;
/// Length of the first step with one morning to learn from, and with many.
const FIRST_STEP: (f64, f64) = (3.0, 30.0);
/// Mornings that count as many.
const MANY_RUNS: f64 = 12.0;
/// Where the weights start, in the order of the methods: simple methods are kept for histories
/// that want them, but are seldom the best.
const PRIOR: [f64; 7] = [0.02, 0.10, 0.14, 0.21, 0.16, 0.27, 0.10];
/// Mean contacts of an interval and of a day under which means are looked for, and not medians.
const CELL_CONTACTS: f64 = 5.0;
const DAY_CONTACTS: f64 = 20.0;
/// Where they start with few contacts a day: averages over many weeks, because the last days say hardly anything.
const PRIOR_OF_FEW: [f64; 7] = [0.01, 0.33, 0.05, 0.25, 0.03, 0.32, 0.01];
/// Where they start when a whole year has just become known: the regression has the season, and no morning has shown it.
const PRIOR_OF_A_YEAR: [f64; 7] = [0.02, 0.06, 0.06, 0.16, 0.10, 0.55, 0.05];
/// Of the cells of a run every so manyth is looked at; the days are complete.
const STRIDE: usize = 5;

/// The weights that would have done best on these runs, in the order of the methods, for a forecast from `known` days
/// of history.
pub(crate) fn weights<'a>(runs: impl Iterator<Item = &'a Run>, known: usize) -> Vec<f64> {
    let mut problem = Problem::default();
    let mut with_season = 0.0;
    for run in runs {
        problem.add(run);
        with_season += f64::from(run.origin >= YEAR_DAYS);
    }
    // Mornings of the first year say nothing of methods that know the season by now.
    let season_is_new = known >= YEAR_DAYS && with_season < 0.5 * problem.runs;
    problem.solve(season_is_new)
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

    fn solve(&self, season_is_new: bool) -> Vec<f64> {
        let came: f64 = self.days_came.iter().sum();
        let is_few = came < DAY_CONTACTS * self.days_came.len() as f64;
        let mut weights = match (is_few, season_is_new) {
            (true, _) => PRIOR_OF_FEW,
            (false, true) => PRIOR_OF_A_YEAR,
            (false, false) => PRIOR,
        }
        .to_vec();
        if self.runs == 0.0 {
            return weights;
        }
        let mut mean = vec![0.0; weights.len()];
        let mut gradient = vec![0.0; weights.len()];
        let much = if season_is_new { 0.0 } else { (self.runs / MANY_RUNS).min(1.0) };
        let first_step = FIRST_STEP.0 + much * (FIRST_STEP.1 - FIRST_STEP.0);
        for step in 1..=STEPS {
            gradient.fill(0.0);
            descend(&self.cells, &self.cells_came, CELL_CONTACTS, &weights, &mut gradient);
            descend(&self.days, &self.days_came, DAY_CONTACTS, &weights, &mut gradient);
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
///
/// Where fewer than `least` contacts came on average the median of a count is far from its mean, and the absolute
/// error is least for forecasts that are too low: there the squared error over twice the mean takes its place.
fn descend(rows: &[f64], came: &[f64], least: f64, weights: &[f64], gradient: &mut [f64]) {
    let total: f64 = came.iter().sum();
    if total <= 0.0 {
        return;
    }
    let mean = total / came.len() as f64;
    for (row, came) in rows.chunks_exact(weights.len()).zip(came) {
        let forecast: f64 = row.iter().zip(weights).map(|(value, weight)| value * weight).sum();
        let slope = match forecast - came {
            off if mean < least => off / mean,
            off if off > 0.0 => 1.0,
            _ => -1.0,
        };
        for (sum, value) in gradient.iter_mut().zip(row) {
            *sum += slope / total * value;
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
