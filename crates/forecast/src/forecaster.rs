//! From history to a forecast with its bands and its record: everything put together.

use jiff::Timestamp;
use jiff::civil::Date;

use crate::backtest::{Backtest, learn};
use crate::combination::combine;
use crate::effects::{Effect, Effects};
use crate::grid::{DayGrid, intervals_of_day};
use crate::handle_time::HandleTimes;
use crate::methods::{METHODS, MethodName};
use crate::month_starts::with_month_starts;
use crate::next_open::with_next_open_days;
use crate::parts::{DayParts, day_parts};
use crate::past::Past;
use crate::special_days::Calendar;
use crate::trial_runs::{forecast_all, runs};
use crate::uncertainty::{Band, Uncertainty};

/// The least history a forecast is made from.
const LEAST_DAYS: usize = 7;
/// The end of the history in which some contacts must have come.
const ALIVE_DAYS: usize = 56;

/// Why there is no forecast.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ForecastError {
    /// Not even one week.
    #[error("a forecast needs at least {LEAST_DAYS} days of history, and there are {days}")]
    TooShort {
        /// Days of history there are.
        days: usize,
    },
    /// The last weeks are empty.
    #[error("the last eight weeks of history hold no contacts, so there is nothing to go by")]
    Silent,
    /// What was learnt comes to no number: whatever the reason, it is not shown as a forecast.
    #[error(
        "this history and these special days come to no number; look at the special days of the last months"
    )]
    NoNumber,
}

/// The forecast of one interval.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct IntervalForecast {
    /// When the interval starts.
    pub start: Timestamp,
    /// Expected contacts.
    pub contacts: f64,
    /// Expected handle time in seconds.
    pub handle_secs: f64,
    /// How far the contacts may be off.
    pub band: Band,
}

/// The forecast of one day.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DayForecast {
    /// The day.
    pub day: Date,
    /// Expected contacts: the sum of the day's intervals.
    pub contacts: f64,
    /// How far they may be off.
    pub band: Band,
    /// What they are made of.
    pub parts: DayParts,
}

/// A forecast with all that is known of how good it is.
#[derive(Clone, Debug)]
pub struct Forecast {
    /// The method that made it.
    pub method: MethodName,
    /// Every open interval, in order.
    pub intervals: Vec<IntervalForecast>,
    /// Every day, in order.
    pub days: Vec<DayForecast>,
    /// How the methods did on weeks that they were not shown; none of a history too short for it.
    pub backtest: Option<Backtest>,
    /// The spread that the bands come from and trials draw from.
    pub uncertainty: Uncertainty,
    /// What special days do.
    pub effects: Vec<Effect>,
    /// Whether the history gave handle times; otherwise those of the intervals are five minutes for want of better.
    pub has_handle_times: bool,
}

/// Forecasts `days` days after the end of `history`.
///
/// The method is the one that did best on earlier mornings, or the `pinned` one where it can be
/// used.
///
/// # Errors
///
/// [`ForecastError`] when there is too little to learn from.
pub fn forecast(
    history: &DayGrid,
    calendar: &Calendar,
    days: usize,
    pinned: Option<MethodName>,
) -> Result<Forecast, ForecastError> {
    let history = &history.since_first_contact();
    let end = history.days();
    if end < LEAST_DAYS {
        return Err(ForecastError::TooShort { days: end });
    }
    let came = |day| (0..history.slots()).any(|slot| history.offered(day, slot) > Some(0.0));
    if !(end.saturating_sub(ALIVE_DAYS)..end).any(came) {
        return Err(ForecastError::Silent);
    }
    let calendar = &with_next_open_days(history, calendar);
    let calendar = &with_month_starts(history, calendar);
    let lessons = learn(history, calendar, &runs(history, calendar), pinned);
    let effects = Effects::learn(history, end, calendar);
    let past = Past::new(history, end, &effects);
    let (forecasts, able) = forecast_all(&past, &effects, days).ok_or(ForecastError::Silent)?;
    let method = lessons.backtest.as_ref().map_or(MethodName::Combination, |it| it.method);
    let cells = match METHODS.iter().position(|each| each.name() == method) {
        Some(index) if able[index] => forecasts[index].clone(),
        _ => combine(&forecasts, &lessons.weights),
    };
    let handle_times = HandleTimes::fit(history);
    let parts = parts(&past, &effects, &cells, days);
    let mut made = Forecast {
        method,
        intervals: Vec::new(),
        days: Vec::with_capacity(days),
        backtest: lessons.backtest,
        uncertainty: lessons.uncertainty,
        effects: effects.all(),
        has_handle_times: handle_times.is_known(),
    };
    for ahead in 0..days {
        let day = past.date(end + ahead);
        let weekday = past.weekday(end + ahead);
        let calendar_variance = effects.variance(day);
        let is_closed = calendar.is_closed(day);
        let mut contacts = 0.0;
        for (start, slot) in intervals_of_day(day, history.grain(), history.zone()) {
            if is_closed || !past.is_open(weekday, slot) {
                continue;
            }
            let expected = cells[ahead * past.slots() + slot];
            contacts += expected;
            made.intervals.push(IntervalForecast {
                start,
                contacts: expected,
                handle_secs: handle_times.secs(weekday, slot),
                band: made.uncertainty.of_interval(ahead + 1, expected, calendar_variance),
            });
        }
        let band = made.uncertainty.of_day(ahead + 1, contacts, calendar_variance);
        let mut parts = parts[ahead];
        // A day of 23 or 25 hours has an hour less or more than its weekday usually has.
        if parts.contacts() > 0.0 {
            parts.weekday *= contacts / parts.contacts();
        }
        made.days.push(DayForecast { day, contacts, band, parts });
    }
    if made.days.iter().any(|day| !day.contacts.is_finite()) {
        return Err(ForecastError::NoNumber);
    }
    Ok(made)
}

fn parts(past: &Past, effects: &Effects, cells: &[f64], days: usize) -> Vec<DayParts> {
    let special: Vec<f64> =
        (0..days).map(|ahead| effects.factor(past.date(past.days() + ahead))).collect();
    let totals: Vec<f64> = cells.chunks_exact(past.slots()).map(|day| day.iter().sum()).collect();
    // A closed day has no ordinary total of its own; it counts as the mean day.
    let open = || totals.iter().zip(&special).filter(|(_, special)| **special > 0.0);
    let mean =
        open().map(|(total, special)| total / special).sum::<f64>() / open().count().max(1) as f64;
    let ordinary: Vec<f64> = totals
        .iter()
        .zip(&special)
        .map(|(total, special)| if *special > 0.0 { total / special } else { mean })
        .collect();
    let recent: Vec<f64> = past.calm_totals()[past.days().saturating_sub(28)..]
        .iter()
        .copied()
        .filter(|total| total.is_finite())
        .collect();
    let level = recent.iter().sum::<f64>() / recent.len().max(1) as f64;
    day_parts(level, &ordinary, &special)
}
