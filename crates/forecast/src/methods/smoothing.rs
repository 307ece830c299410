//! Exponential smoothing of daily totals: a level, a damped trend and a weekly season, additive on
//! a scale that evens out the spread.
//!
//! The smoothing weights are those of a small grid that would have missed least, one day and two
//! weeks ahead, over the last year.

use crate::methods::{Method, MethodName, Scale};
use crate::past::Past;

const DAMPING: f64 = 0.97;
const LEVEL_WEIGHTS: [f64; 5] = [0.02, 0.06, 0.12, 0.25, 0.45];
const TREND_WEIGHTS: [f64; 2] = [0.0, 0.05];
const SEASON_WEIGHTS: [f64; 2] = [0.04, 0.15];
/// Days of the past that are smoothed.
const WINDOW_DAYS: usize = 400;
/// Days ahead at which the weights are judged, beside one day.
const AHEAD: usize = 14;
const LEAST_DAYS: usize = 21;
/// Days that the smoothing may take to settle before its errors count.
const WARM_UP_DAYS: usize = 14;

pub(crate) struct Smoothing;

impl Method for Smoothing {
    fn name(&self) -> MethodName {
        MethodName::Smoothing
    }

    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>> {
        let from = past.days().saturating_sub(WINDOW_DAYS);
        let totals = &past.calm_totals()[from..];
        if totals.len() < LEAST_DAYS {
            return None;
        }
        let scale = Scale::of(totals);
        let series: Vec<f64> = (from..past.days())
            .map(|day| {
                let total = past.calm_totals()[day];
                if past.is_open_day(past.weekday(day)) { scale.to(total) } else { f64::NAN }
            })
            .collect();
        let season_of = |day: usize| past.weekday(from + day);
        let mut best: Option<(f64, State)> = None;
        for level in LEVEL_WEIGHTS {
            for trend in TREND_WEIGHTS {
                for season in SEASON_WEIGHTS {
                    let mut state = State::start(&series, season_of, [level, trend, season])?;
                    let missed = state.run(&series, season_of);
                    if best.as_ref().is_none_or(|(least, _)| missed < *least) {
                        best = Some((missed, state));
                    }
                }
            }
        }
        let (_, state) = best?;
        let totals = (0..days).map(|ahead| {
            let weekday = past.weekday(past.days() + ahead);
            if past.is_open_day(weekday) {
                scale.from(state.ahead(ahead + 1, weekday))
            } else {
                0.0
            }
        });
        Some(past.spread(totals))
    }
}

struct State {
    weights: [f64; 3],
    level: f64,
    trend: f64,
    season: [f64; 7],
}

impl State {
    /// Level and season from the first three weeks.
    fn start(
        series: &[f64],
        season_of: impl Fn(usize) -> usize,
        weights: [f64; 3],
    ) -> Option<Self> {
        let (mut sum, mut count) = (0.0, 0.0);
        let mut by_weekday = [(0.0, 0.0); 7];
        for (day, &value) in series.iter().enumerate().take(LEAST_DAYS) {
            if value.is_finite() {
                sum += value;
                count += 1.0;
                let weekday = &mut by_weekday[season_of(day)];
                *weekday = (weekday.0 + value, weekday.1 + 1.0);
            }
        }
        if count == 0.0 {
            return None;
        }
        let level = sum / count;
        let season =
            by_weekday.map(|(sum, count)| if count > 0.0 { sum / count - level } else { 0.0 });
        Some(Self { weights, level, trend: 0.0, season })
    }

    /// Smooths through the series; returns the mean absolute error one day and two weeks ahead.
    fn run(&mut self, series: &[f64], season_of: impl Fn(usize) -> usize) -> f64 {
        let [level_weight, trend_weight, season_weight] = self.weights;
        let mut expected = [f64::NAN; AHEAD];
        let (mut missed, mut count) = (0.0, 0.0);
        for (day, &value) in series.iter().enumerate() {
            let weekday = season_of(day);
            let damped = DAMPING * self.trend;
            let guess = self.level + damped + self.season[weekday];
            let earlier = std::mem::replace(
                &mut expected[day % AHEAD],
                self.ahead(AHEAD + 1, season_of(day + AHEAD)),
            );
            if !value.is_finite() {
                self.level += damped;
                self.trend = damped;
                continue;
            }
            let error = value - guess;
            if day >= WARM_UP_DAYS && earlier.is_finite() {
                missed += error.abs() + (value - earlier).abs();
                count += 2.0;
            }
            self.level += damped + level_weight * error;
            self.trend = damped + level_weight * trend_weight * error;
            self.season[weekday] += season_weight * (1.0 - level_weight) * error;
        }
        if count > 0.0 { missed / count } else { f64::INFINITY }
    }

    /// The value this many days ahead.
    fn ahead(&self, days: usize, weekday: usize) -> f64 {
        let trend = DAMPING * (1.0 - DAMPING.powi(days as i32)) / (1.0 - DAMPING);
        self.level + self.trend * trend + self.season[weekday]
    }
}
