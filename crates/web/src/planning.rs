//! Asks the store and the core together: what the pages show is put together here once.

use barometer_forecast::HORIZON_DAYS;
use barometer_plan::{Model, PlannedInterval, schedule};
use barometer_simulate::DemandLuck;
use barometer_store::{ContactType, Store};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

use crate::page_error::PageError;

/// Day factors that a trial draws from.
const LUCK_FACTORS: usize = 100;

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

/// How far a day may be off its forecast; `None` when the forecast does not say.
pub(crate) async fn luck(
    store: &Store,
    contact_type: &ContactType,
    day: Date,
) -> Result<Option<DemandLuck>, PageError> {
    let Some(head) = store.forecast(contact_type.id).await? else { return Ok(None) };
    let ahead = usize::try_from((day - head.first_day).get_days() + 1).unwrap_or(1).max(1);
    Ok(head.uncertainty.map(|uncertainty| DemandLuck {
        day_factors: uncertainty.day_factors(ahead, LUCK_FACTORS),
        interval_variance: uncertainty.interval_noise(ahead),
    }))
}

/// Work with a deadline depends on what came in so many days before, and is due after.
pub(crate) const DEFERRED_DAYS: i64 = 7;

/// The forecast intervals of `days` days from `day` with their need and cover.
pub(crate) async fn plan(
    store: &Store,
    contact_type: &ContactType,
    day: Date,
    days: i64,
    zone: &TimeZone,
) -> Result<Vec<PlannedInterval>, PageError> {
    let (from, to) = span(day, days, zone)?;
    let is_deferred = Model::for_rules(&contact_type.rules) == Model::Deadline;
    let around = if is_deferred { DEFERRED_DAYS } else { 0 };
    let first = day.saturating_sub(Span::new().days(around));
    let (read_from, read_to) = span(first, days + 2 * around, zone)?;
    let (forecast, cover) = tokio::try_join!(
        store.forecast_between(contact_type.id, read_from, read_to),
        store.cover_between(contact_type.id, read_from, read_to),
    )?;
    let mut plan = schedule(&forecast, &cover, contact_type.grain.secs(), &contact_type.rules)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    plan.retain(|interval| interval.start >= from && interval.start < to);
    Ok(plan)
}
