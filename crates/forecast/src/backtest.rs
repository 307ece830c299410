//! How good the forecast has been, on weeks that it was not shown.

use jiff::civil::Date;

use crate::grid::DayGrid;
use crate::naive::seasonal_naive;
use crate::weekday_profile::WeekdayProfile;

/// Origins to forecast from, one horizon apart, at most.
const ORIGINS: usize = 3;
/// Days that must be known before the first origin.
const LEAST_LEARNT_DAYS: usize = 21;

/// Weighted absolute percentage errors: Σ |forecast − came| / Σ came, as shares.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Errors {
    /// Over intervals.
    pub interval_wape: f64,
    /// Over days.
    pub daily_wape: f64,
    /// (Σ forecast − Σ came) / Σ came: above zero when the forecast was too high.
    pub bias: f64,
}

/// One held-out day: what was forecast and what came.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct HeldOutDay {
    /// The day.
    pub day: Date,
    /// Contacts forecast, in the intervals of which it is known what came.
    pub forecast: f64,
    /// Contacts that came.
    pub came: f64,
}

/// The method beside the seasonal naive, on the same held-out intervals.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Backtest {
    /// The method's errors.
    pub method: Errors,
    /// The errors of "the same slot a week ago".
    pub naive: Errors,
    /// Days forecast from each origin.
    pub horizon_days: usize,
    /// Number of origins.
    pub origins: usize,
    /// The days after the latest origin, oldest first: the end of the history.
    pub latest_days: Vec<HeldOutDay>,
}

/// Forecasts the end of `history` from earlier origins, each time from what was known by then, and
/// compares with what came. Up to three origins, `horizon` days apart; with a short history one
/// origin a week before its end.
///
/// Returns `None` when there is too little history to hold anything out.
pub fn backtest(history: &DayGrid, horizon: usize) -> Option<Backtest> {
    let spare = history.days().checked_sub(LEAST_LEARNT_DAYS)?;
    let horizon = if spare >= horizon { horizon } else { 7 };
    let origins = (spare / horizon).min(ORIGINS);
    let (mut method, mut naive) = (Tally::default(), Tally::default());
    let mut latest_days = Vec::new();
    for back in 1..=origins {
        let origin = history.days() - back * horizon;
        let known = history.before(origin);
        let fitted = WeekdayProfile::fit(&known).ok()?;
        let last_week = seasonal_naive(&known, horizon);
        for (ahead, naive_day) in last_week.iter().enumerate() {
            let came: Vec<_> =
                (0..history.slots()).map(|slot| history.offered(origin + ahead, slot)).collect();
            let (forecast, came_in_all) = method.add_day(&fitted.contacts(&known, ahead), &came);
            naive.add_day(naive_day, &came);
            if back == 1 {
                let day = history.day(origin + ahead);
                latest_days.push(HeldOutDay { day, forecast, came: came_in_all });
            }
        }
    }
    Some(Backtest {
        method: method.errors()?,
        naive: naive.errors()?,
        horizon_days: horizon,
        origins,
        latest_days,
    })
}

#[derive(Default)]
struct Tally {
    came: f64,
    forecast: f64,
    interval_error: f64,
    daily_error: f64,
}

impl Tally {
    /// Adds a day's intervals; those of which nothing is known do not count, an interval without a
    /// forecast counts as a forecast of zero. Returns the day's totals of both.
    fn add_day(&mut self, forecast: &[Option<f64>], came: &[Option<f64>]) -> (f64, f64) {
        let (mut day_forecast, mut day_came) = (0.0, 0.0);
        for (forecast, came) in forecast.iter().zip(came) {
            let Some(came) = came else { continue };
            let forecast = forecast.unwrap_or(0.0);
            self.interval_error += (forecast - came).abs();
            day_forecast += forecast;
            day_came += came;
        }
        self.daily_error += (day_forecast - day_came).abs();
        self.forecast += day_forecast;
        self.came += day_came;
        (day_forecast, day_came)
    }

    fn errors(&self) -> Option<Errors> {
        (self.came > 0.0).then(|| Errors {
            interval_wape: self.interval_error / self.came,
            daily_wape: self.daily_error / self.came,
            bias: (self.forecast - self.came) / self.came,
        })
    }
}
