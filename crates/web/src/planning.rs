//! Asks the store and the core together: what the pages show is put together here once.

use barometer_forecast::{DayGrid, HORIZON_DAYS, WeekdayProfile, backtest};
use barometer_plan::{PlannedInterval, schedule};
use barometer_store::{ContactType, ForecastHead, Store, StoreError};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

use crate::page_error::PageError;

/// Years of history that a forecast looks at.
const HISTORY_YEARS: i64 = 3;

/// The instants at which `days` days from `day` begin and end.
pub(crate) fn span(
    day: Date,
    days: i64,
    zone: &TimeZone,
) -> Result<(Timestamp, Timestamp), PageError> {
    let begin = |day: Date| {
        zone.to_timestamp(day.at(0, 0, 0, 0)).map_err(|error| PageError::Internal(Box::new(error)))
    };
    Ok((begin(day)?, begin(day.saturating_add(Span::new().days(days)))?))
}

/// The last day that a forecast which begins on `first` reaches.
pub(crate) fn last_forecast_day(first: Date) -> Date {
    first.saturating_add(Span::new().days(HORIZON_DAYS as i64 - 1))
}

/// The forecast intervals of `days` days from `day` with their need and cover.
pub(crate) async fn plan(
    store: &Store,
    contact_type: &ContactType,
    day: Date,
    days: i64,
    zone: &TimeZone,
) -> Result<Vec<PlannedInterval>, PageError> {
    let (from, to) = span(day, days, zone)?;
    let (forecast, cover) = tokio::try_join!(
        store.forecast_between(contact_type.id, from, to),
        store.cover_between(contact_type.id, from, to),
    )?;
    schedule(&forecast, &cover, contact_type.grain.secs(), &contact_type.rules)
        .map_err(|error| PageError::Internal(Box::new(error)))
}

/// Makes a contact type's forecast anew from its history and keeps it.
///
/// A history that is too short leaves a forecast that says so.
///
/// # Errors
///
/// [`StoreError`] when the database fails.
pub async fn refresh_forecast(
    store: &Store,
    contact_type: &ContactType,
    zone: &TimeZone,
) -> Result<(), StoreError> {
    let Some(end) = store.history_end(contact_type.id).await? else { return Ok(()) };
    let since = end
        .saturating_sub(Span::new().hours(HISTORY_YEARS * 365 * 24))
        .unwrap_or(Timestamp::UNIX_EPOCH);
    let history = store.history_since(contact_type.id, since).await?;
    let (grain, zone) = (contact_type.grain, zone.clone());
    let made = tokio::task::spawn_blocking(move || {
        let grid = DayGrid::new(&history, grain, &zone)?;
        let head = ForecastHead {
            history_days: i32::try_from(grid.days()).unwrap_or(i32::MAX),
            first_day: grid.end(),
            backtest: backtest(&grid, HORIZON_DAYS),
            failure: None,
        };
        Some(match WeekdayProfile::fit(&grid) {
            Ok(fitted) => (head, fitted.forecast(&grid, HORIZON_DAYS)),
            Err(error) => (ForecastHead { failure: Some(error.to_string()), ..head }, Vec::new()),
        })
    });
    // A panic in the core would be ours; the page then shows the forecast as not made.
    let Some((head, intervals)) = made.await.unwrap_or(None) else { return Ok(()) };
    store.save_forecast(contact_type.id, &head, &intervals).await
}
