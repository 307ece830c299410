//! Need, cover and expected contacts of days: the store and the core asked together.

use barometer_forecast::{HORIZON_DAYS, Uncertainty};
use barometer_plan::{ForecastInterval, IntervalLoad, Model, PlannedInterval, schedule};
use barometer_simulate::{Arrivals, DemandLuck};
use barometer_store::{ContactType, Store};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

use crate::error::AppError;

/// Day factors that a trial draws from.
const LUCK_FACTORS: usize = 100;

/// The instants at which `days` days from `day` begin and end.
///
/// # Errors
///
/// A day before or after all days that there are.
pub fn span(day: Date, days: i64, zone: &TimeZone) -> Result<(Timestamp, Timestamp), AppError> {
    let begin = |day: Date| zone.to_timestamp(day.at(0, 0, 0, 0)).map_err(AppError::core);
    Ok((begin(day)?, begin(day.saturating_add(Span::new().days(days)))?))
}

/// The Monday of a day's week.
pub fn monday_of(day: Date) -> Date {
    day.saturating_sub(Span::new().days(i64::from(day.weekday().to_monday_zero_offset())))
}

/// The last day that a forecast which begins on `first` reaches.
pub fn last_forecast_day(first: Date) -> Date {
    first.saturating_add(Span::new().days(HORIZON_DAYS as i64 - 1))
}

/// How far a day may be off its forecast; `None` when the forecast does not say.
///
/// # Errors
///
/// The database does not answer.
pub async fn luck(
    store: &Store,
    contact_type: &ContactType,
    day: Date,
) -> Result<Option<DemandLuck>, AppError> {
    Ok(Lucks::of(store, contact_type).await?.map(|lucks| lucks.on(day)))
}

/// How far days may be off a forecast.
pub struct Lucks {
    uncertainty: Uncertainty,
    first_day: Date,
}

impl Lucks {
    /// Of a contact type's forecast; `None` when the forecast does not say.
    ///
    /// # Errors
    ///
    /// The database does not answer.
    pub async fn of(store: &Store, contact_type: &ContactType) -> Result<Option<Self>, AppError> {
        let Some(head) = store.forecast(contact_type.id).await? else { return Ok(None) };
        let first_day = head.first_day;
        Ok(head.uncertainty.map(|uncertainty| Self { uncertainty, first_day }))
    }

    /// Of one day.
    pub fn on(&self, day: Date) -> DemandLuck {
        luck_of(&self.uncertainty, days_ahead(self.first_day, day))
    }
}

/// Which numbers a trial's contacts come from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Basis {
    /// The forecast, as uncertain as it has been.
    Uncertain,
    /// The forecast, taken as exact.
    Exact,
    /// The forecast that was frozen under this name, as uncertain as it was; of a contact type that has
    /// none of this name, the present one.
    Frozen(String),
}

impl Basis {
    /// As a form sends it.
    pub fn parse(typed: &str) -> Self {
        match (typed, typed.strip_prefix("frozen:")) {
            (_, Some(name)) => Self::Frozen(name.to_owned()),
            ("exact", None) => Self::Exact,
            _ => Self::Uncertain,
        }
    }
}

/// What is expected of a contact type on some days, with need and cover, or what came.
#[derive(Debug, Default)]
pub struct Expected {
    /// Interval by interval.
    pub plan: Vec<PlannedInterval>,
    /// How far a day may be off; `None` where it is taken as exact.
    pub luck: Option<DemandLuck>,
    /// How contacts arrive.
    pub arrivals: Arrivals,
}

/// What a trial plays of a contact type: what is forecast, or, of days before the forecast, what came.
///
/// # Errors
///
/// [`AppError`] where the days are none, or the database does not answer.
pub async fn expected(
    store: &Store,
    contact_type: &ContactType,
    (day, days): (Date, i64),
    zone: &TimeZone,
    basis: &Basis,
) -> Result<Expected, AppError> {
    if let Basis::Frozen(name) = basis {
        let frozen = store.frozen_forecasts(contact_type.id).await?;
        if let Some(frozen) = frozen.into_iter().find(|each| each.name == *name) {
            let intervals = store.frozen_intervals(contact_type.id, frozen.id).await?;
            let loads = intervals.into_iter().map(|each| ForecastInterval {
                start: each.start,
                load: IntervalLoad { contacts: each.contacts, handle_secs: each.handle_secs },
            });
            let luck = frozen
                .uncertainty
                .map(|uncertainty| luck_of(&uncertainty, days_ahead(frozen.first_day, day)));
            let plan = scheduled(store, contact_type, (day, days), zone, loads.collect()).await?;
            return Ok(Expected { plan, luck, arrivals: Arrivals::Random });
        }
    }
    let plan = plan(store, contact_type, day, days, zone).await?;
    if plan.is_empty() {
        let came = came(store, contact_type, (day, days), zone).await?;
        let plan = scheduled(store, contact_type, (day, days), zone, came).await?;
        return Ok(Expected { plan, luck: None, arrivals: Arrivals::Counted });
    }
    let luck = match basis {
        Basis::Exact => None,
        _ => luck(store, contact_type, day).await?,
    };
    Ok(Expected { plan, luck, arrivals: Arrivals::Random })
}

/// What came, with the handle time of the days where an interval has none of its own.
async fn came(
    store: &Store,
    contact_type: &ContactType,
    (day, days): (Date, i64),
    zone: &TimeZone,
) -> Result<Vec<ForecastInterval>, AppError> {
    let (from, to) = span(day, days, zone)?;
    let mut history = store.history_since(contact_type.id, from).await?;
    history.retain(|interval| interval.start < to);
    let known: Vec<f64> = history.iter().filter_map(|interval| interval.handle_secs).collect();
    let usual = known.iter().sum::<f64>() / (known.len().max(1)) as f64;
    Ok(history
        .into_iter()
        .map(|interval| ForecastInterval {
            start: interval.start,
            load: IntervalLoad {
                contacts: interval.offered,
                handle_secs: interval.handle_secs.unwrap_or(usual),
            },
        })
        .collect())
}

/// These intervals, of those days, with what they need and who is planned.
async fn scheduled(
    store: &Store,
    contact_type: &ContactType,
    (day, days): (Date, i64),
    zone: &TimeZone,
    mut intervals: Vec<ForecastInterval>,
) -> Result<Vec<PlannedInterval>, AppError> {
    let (from, to) = span(day, days, zone)?;
    intervals.retain(|interval| interval.start >= from && interval.start < to);
    let cover = store.cover_between(contact_type.id, from, to).await?;
    schedule(&intervals, &cover, contact_type.grain.secs(), &contact_type.rules)
        .map_err(AppError::core)
}

fn days_ahead(first: Date, day: Date) -> usize {
    usize::try_from((day - first).get_days() + 1).unwrap_or(1).max(1)
}

fn luck_of(uncertainty: &Uncertainty, ahead: usize) -> DemandLuck {
    DemandLuck {
        day_factors: uncertainty.day_factors(ahead, LUCK_FACTORS),
        interval_variance: uncertainty.interval_noise(ahead),
    }
}

/// Work with a deadline depends on what came in so many days before, and is due after.
pub const DEFERRED_DAYS: i64 = 7;

/// The forecast intervals of `days` days from `day` with their need and cover.
///
/// # Errors
///
/// [`AppError`] where the days are none or the rules are out of range, or the database does not answer.
pub async fn plan(
    store: &Store,
    contact_type: &ContactType,
    day: Date,
    days: i64,
    zone: &TimeZone,
) -> Result<Vec<PlannedInterval>, AppError> {
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
        .map_err(AppError::core)?;
    plan.retain(|interval| interval.start >= from && interval.start < to);
    Ok(plan)
}
