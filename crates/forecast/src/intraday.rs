//! The rest of today, given what has come so far.
//!
//! The day's factor is the ratio of what came to what was forecast until now, drawn towards 1 by
//! how little that is: a gamma prior with the variance of the forecast's own day factor, and the
//! Poisson likelihood of the contacts that came, have the gamma posterior mean below.

use crate::uncertainty::Uncertainty;

/// What a day will bring, seen from the middle of it.
#[derive(Clone, Debug, PartialEq)]
pub struct RestOfDay {
    /// What the day is to its forecast.
    pub factor: f64,
    /// Standard deviation of that factor, counting noise of what came included.
    pub factor_spread: f64,
    /// Contacts to expect per interval still to come.
    pub contacts: Vec<f64>,
}

/// Forecasts the intervals still to come of a day.
///
/// `forecast` holds the day's intervals, `came` what came in the first of them; none where that is
/// not known. The day is `ahead` days after the end of the history that the forecast was made from.
pub fn rest_of_day(
    forecast: &[f64],
    came: &[Option<f64>],
    ahead: usize,
    uncertainty: &Uncertainty,
) -> RestOfDay {
    let passed = came.len().min(forecast.len());
    let (mut expected, mut seen) = (0.0, 0.0);
    for (forecast, came) in forecast.iter().zip(came) {
        if let Some(came) = came {
            expected += forecast;
            seen += came;
        }
    }
    // An interval's own noise makes a count worth less than a Poisson count of its size.
    let noise = uncertainty.interval_noise(ahead);
    let worth = if expected > 0.0 {
        let per_interval = expected / passed.max(1) as f64;
        1.0 / (1.0 + noise * per_interval)
    } else {
        0.0
    };
    let prior = 1.0 / uncertainty.day_spread(ahead).powi(2).max(1e-6);
    let evidence = prior + worth * expected;
    let factor = (prior + worth * seen) / evidence;
    RestOfDay {
        factor,
        factor_spread: (factor / evidence).sqrt(),
        contacts: forecast[passed..].iter().map(|forecast| forecast * factor).collect(),
    }
}
