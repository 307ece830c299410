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

/// Intervals that say how it has been lately.
const LATELY: usize = 4;
/// How much less each interval before the last one counts.
const FADES: f64 = 0.75;
/// Contacts that must have come before what has been lately counts as much as what is usual.
const USUAL_CONTACTS: f64 = 25.0;
/// What is left of a departure after an hour: a storm halves in a little more than an hour and a half.
const LEFT_AFTER_AN_HOUR: f64 = 0.65;

/// What the coming intervals are to the day's `factor`, from what the last ones were: a storm that goes on now goes
/// on for a while.
///
/// The last intervals, each counting less than the one after it, are held against what the forecast and the day's
/// factor make of them; the ratio is drawn towards 1 as by 25 contacts that came as expected, and fades by a third
/// in an hour. `forecast` and `came` as in [`rest_of_day`]; one number for each interval still to come.
pub fn departure_lately(
    forecast: &[f64],
    came: &[Option<f64>],
    factor: f64,
    interval_secs: f64,
) -> Vec<f64> {
    let passed = came.len().min(forecast.len());
    let (mut expected, mut seen, mut weight) = (0.0, 0.0, 1.0);
    for (forecast, came) in forecast[..passed].iter().zip(came).rev().take(LATELY) {
        if let Some(came) = came {
            expected += weight * factor * forecast;
            seen += weight * came;
        }
        weight *= FADES;
    }
    let departure = (USUAL_CONTACTS + seen) / (USUAL_CONTACTS + expected) - 1.0;
    let left = LEFT_AFTER_AN_HOUR.powf(interval_secs / 3600.0);
    (0..forecast.len() - passed)
        .map(|ahead| 1.0 + departure * left.powf(ahead as f64 + 0.5))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_storm_that_goes_on_goes_on_for_a_while_and_fades() {
        let forecast = [60.0; 20];
        let came: Vec<Option<f64>> =
            (0..10).map(|interval| Some(if interval < 8 { 60.0 } else { 130.0 })).collect();
        let ahead = departure_lately(&forecast, &came, 1.0, 1800.0);
        assert_eq!(ahead.len(), 10);
        assert!(ahead[0] > 1.4 && ahead[0] < 130.0 / 60.0, "{ahead:?}");
        assert!(ahead.windows(2).all(|pair| pair[0] > pair[1] && pair[1] > 1.0), "{ahead:?}");
        assert!((ahead[3] - 1.0) / (ahead[0] - 1.0) < 0.6, "it fades: {ahead:?}");
    }

    #[test]
    fn a_day_that_goes_as_its_factor_says_has_no_departure_and_few_contacts_say_little() {
        let came: Vec<Option<f64>> = vec![Some(66.0); 6];
        let ahead = departure_lately(&[60.0; 8], &came, 1.1, 1800.0);
        assert!(ahead.iter().all(|factor| (factor - 1.0).abs() < 1e-9), "{ahead:?}");
        // Nobody of two who were expected is nothing unusual.
        let quiet = departure_lately(&[0.5; 8], &[Some(0.0); 4], 1.0, 1800.0);
        assert!(quiet.iter().all(|factor| *factor > 0.9), "{quiet:?}");
        assert!(departure_lately(&[60.0; 2], &[], 1.0, 1800.0).iter().all(|each| *each == 1.0));
    }
}
