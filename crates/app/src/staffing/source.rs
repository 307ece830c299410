//! The forecast and the cover of a period, read once and sized under any rules.

use std::collections::BTreeMap;

use barometer_plan::{
    CoverInterval, ForecastInterval, IntervalLoad, Model, NeedError, PlannedInterval, Rules,
    may_pool, pooled_cover, pooled_forecast, schedule,
};
use barometer_store::{ContactType, Store};
use jiff::Timestamp;
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;

use crate::AppError;
use crate::planning::{self, DEFERRED_DAYS};

/// Weeks of which a typical day is the mean.
pub const TYPICAL_WEEKS: i64 = 4;

/// How the days of a period are chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Span {
    /// One day.
    Day,
    /// Monday to Sunday.
    Week,
    /// A row of days.
    Days,
    /// The mean of the same weekday of several weeks.
    Typical,
}

/// A period in days of the centre's calendar.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Period {
    /// How its days are chosen.
    pub kind: Span,
    /// The first of them.
    pub first: Date,
    /// How many there are.
    pub days: i64,
}

impl Period {
    /// The week from a Monday.
    pub fn week(monday: Date) -> Self {
        Self { kind: Span::Week, first: monday, days: 7 }
    }

    /// The last day.
    pub fn last(self) -> Date {
        self.first.saturating_add(jiff::Span::new().days(self.days - 1))
    }

    /// Whether it is one day.
    pub fn is_one_day(self) -> bool {
        self.days == 1
    }
}

/// Forecast and cover of a period.
#[derive(Clone, Debug)]
pub struct Source {
    forecast: Vec<ForecastInterval>,
    cover: Vec<CoverInterval>,
    interval_secs: f64,
    /// What is shown of it; deferred work is sized from before and until after.
    shown: (Timestamp, Timestamp),
}

impl Source {
    /// Reads a period of one contact type, and of another that is pooled with it where it may be.
    ///
    /// # Errors
    ///
    /// [`AppError`] when the database fails.
    pub async fn read(
        store: &Store,
        contact_type: &ContactType,
        pool: Option<&ContactType>,
        period: Period,
        zone: &TimeZone,
    ) -> Result<Self, AppError> {
        let mut source = Self::of_one(store, contact_type, period, zone).await?;
        let secs = contact_type.grain.secs();
        let may_be_added = |pool: &&ContactType| {
            may_pool(&contact_type.rules, &pool.rules, [secs, pool.grain.secs()])
        };
        if let Some(pool) = pool.filter(may_be_added) {
            let other = Self::of_one(store, pool, period, zone).await?;
            source.forecast = pooled_forecast(&source.forecast, &other.forecast);
            source.cover = pooled_cover(&source.cover, &other.cover);
        }
        Ok(source)
    }

    /// The forecast intervals that are shown.
    pub fn forecast(&self) -> impl Iterator<Item = &ForecastInterval> {
        let (from, to) = self.shown;
        self.forecast.iter().filter(move |each| each.start >= from && each.start < to)
    }

    /// Gives each day's forecast to `scale`, which says by how much its contacts are multiplied.
    pub(super) fn scale_days(
        &mut self,
        zone: &TimeZone,
        scale: impl Fn(Date, &[ForecastInterval]) -> f64,
    ) {
        let date = |each: &ForecastInterval| zone.to_datetime(each.start).date();
        for day in self.forecast.chunk_by_mut(|one, next| date(one) == date(next)) {
            let factor = scale(date(&day[0]), day);
            day.iter_mut().for_each(|each| each.load.contacts *= factor);
        }
    }

    /// The cover, in order.
    pub(super) fn cover(&self) -> &[CoverInterval] {
        &self.cover
    }

    /// The same with another cover.
    pub(super) fn with_cover(self, cover: Vec<CoverInterval>) -> Self {
        Self { cover, ..self }
    }

    /// As [`schedule`](Self::schedule), off the threads that answer pages.
    ///
    /// # Errors
    ///
    /// [`AppError::Core`] where no number of people would do.
    pub async fn plan(&self, rules: Rules) -> Result<Vec<PlannedInterval>, AppError> {
        let source = self.clone();
        crate::computing::computed(move || source.schedule(&rules))
            .await
            .map_err(AppError::core)?
            .map_err(AppError::core)
    }

    async fn of_one(
        store: &Store,
        contact_type: &ContactType,
        period: Period,
        zone: &TimeZone,
    ) -> Result<Self, AppError> {
        let shown = planning::span(period.first, period.days, zone)?;
        let is_deferred = Model::for_rules(&contact_type.rules) == Model::Deadline;
        let (from, to) = match period.kind {
            Span::Typical => planning::span(period.first, TYPICAL_WEEKS * 7, zone)?,
            _ if is_deferred => {
                let first = period.first.saturating_sub(jiff::Span::new().days(DEFERRED_DAYS));
                planning::span(first, period.days + 2 * DEFERRED_DAYS, zone)?
            }
            _ => shown,
        };
        let (forecast, cover) = tokio::try_join!(
            store.forecast_between(contact_type.id, from, to),
            store.cover_between(contact_type.id, from, to),
        )?;
        let interval_secs = contact_type.grain.secs();
        let source = Self { forecast, cover, interval_secs, shown };
        Ok(if period.kind == Span::Typical { source.typical(period.first, zone) } else { source })
    }

    /// The mean of the same weekday of several weeks, put on the first of them.
    fn typical(self, day: Date, zone: &TimeZone) -> Self {
        let weekday = day.weekday();
        let mut loads: BTreeMap<Time, (f64, f64, f64)> = BTreeMap::new();
        for interval in &self.forecast {
            let at = zone.to_datetime(interval.start);
            if at.weekday() == weekday {
                let (days, contacts, work) = loads.entry(at.time()).or_default();
                *days += 1.0;
                *contacts += interval.load.contacts;
                *work += interval.load.contacts * interval.load.handle_secs;
            }
        }
        let mut covers: BTreeMap<Time, (u32, u32)> = BTreeMap::new();
        for interval in &self.cover {
            let at = zone.to_datetime(interval.start);
            if at.weekday() == weekday {
                let (days, agents) = covers.entry(at.time()).or_default();
                *days += 1;
                *agents += interval.agents;
            }
        }
        let start = |time: Time| zone.to_timestamp(day.to_datetime(time)).ok();
        let fallback = self.forecast.first().map_or(300.0, |interval| interval.load.handle_secs);
        let forecast = loads.into_iter().filter_map(|(time, (days, contacts, work))| {
            let handle_secs = if contacts > 0.0 { work / contacts } else { fallback };
            let load = IntervalLoad { contacts: contacts / days, handle_secs };
            Some(ForecastInterval { start: start(time)?, load })
        });
        let cover = covers.into_iter().filter_map(|(time, (days, agents))| {
            Some(CoverInterval { start: start(time)?, agents: agents / days })
        });
        Self { forecast: forecast.collect(), cover: cover.collect(), ..self }
    }

    /// Length of an interval in seconds.
    pub fn interval_secs(&self) -> f64 {
        self.interval_secs
    }

    /// The period's intervals with need and cover under `rules`.
    ///
    /// # Errors
    ///
    /// [`NeedError`] where no number of people would do.
    pub fn schedule(&self, rules: &Rules) -> Result<Vec<PlannedInterval>, NeedError> {
        let mut plan = schedule(&self.forecast, &self.cover, self.interval_secs, rules)?;
        plan.retain(|interval| interval.start >= self.shown.0 && interval.start < self.shown.1);
        Ok(plan)
    }
}
