//! The forecast and the cover that a staffing page works on, read once and sized under any rules.

use std::collections::BTreeMap;

use barometer_plan::{
    CoverInterval, ForecastInterval, IntervalLoad, Model, NeedError, PlannedInterval, Rules,
    pooled, schedule,
};
use barometer_store::{ContactType, Store};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

use super::period::{Kind, Period, TYPICAL_WEEKS};
use crate::page_error::PageError;
use crate::planning::{self, DEFERRED_DAYS};

/// Forecast and cover of a period.
pub(super) struct Source {
    forecast: Vec<ForecastInterval>,
    cover: Vec<CoverInterval>,
    interval_secs: f64,
    /// What is shown of it; deferred work is sized from before and until after.
    shown: (Timestamp, Timestamp),
}

impl Source {
    /// Reads a period of one contact type, and of another that is pooled with it.
    pub async fn read(
        store: &Store,
        contact_type: &ContactType,
        pool: Option<&ContactType>,
        period: Period,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let mut source = Self::of_one(store, contact_type, period, zone).await?;
        if let Some(pool) = pool.filter(|pool| pool.grain == contact_type.grain) {
            source.add(&Self::of_one(store, pool, period, zone).await?);
        }
        Ok(source)
    }

    async fn of_one(
        store: &Store,
        contact_type: &ContactType,
        period: Period,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let shown = planning::span(period.first, period.days, zone)?;
        let is_deferred = Model::for_rules(&contact_type.rules) == Model::Deadline;
        let (from, to) = match period.kind {
            Kind::Typical => planning::span(period.first, TYPICAL_WEEKS * 7, zone)?,
            _ if is_deferred => {
                let first = period.first.saturating_sub(Span::new().days(DEFERRED_DAYS));
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
        Ok(if period.kind == Kind::Typical { source.typical(period.first, zone) } else { source })
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

    fn add(&mut self, other: &Self) {
        let mut loads: BTreeMap<Timestamp, IntervalLoad> =
            self.forecast.iter().map(|each| (each.start, each.load)).collect();
        for each in &other.forecast {
            loads
                .entry(each.start)
                .and_modify(|load| *load = pooled(*load, each.load))
                .or_insert(each.load);
        }
        let mut covers: BTreeMap<Timestamp, u32> =
            self.cover.iter().map(|each| (each.start, each.agents)).collect();
        for each in &other.cover {
            *covers.entry(each.start).or_default() += each.agents;
        }
        self.forecast =
            loads.into_iter().map(|(start, load)| ForecastInterval { start, load }).collect();
        self.cover =
            covers.into_iter().map(|(start, agents)| CoverInterval { start, agents }).collect();
    }

    /// Length of an interval in seconds.
    pub fn interval_secs(&self) -> f64 {
        self.interval_secs
    }

    /// The period's intervals with need and cover under `rules`.
    pub fn schedule(&self, rules: &Rules) -> Result<Vec<PlannedInterval>, NeedError> {
        let mut plan = schedule(&self.forecast, &self.cover, self.interval_secs, rules)?;
        plan.retain(|interval| interval.start >= self.shown.0 && interval.start < self.shown.1);
        Ok(plan)
    }
}
