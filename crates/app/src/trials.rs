//! What a trial is asked of: which contact types, on which days.

use std::collections::BTreeSet;

use barometer_plan::{
    DayLoad, Storm, TypePlan, customers_of, loads_by_date, typical_and_fullest, worst_past_day,
};
use barometer_store::{ContactType, Store};
use barometer_strategy::{Customers, Duration};
use futures_util::future::try_join_all;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use uuid::Uuid;

use crate::AppError;
use crate::planning::{self, Basis, Expected};

/// Days from the Monday of the period among which the typical and the fullest are found.
const DAYS_AHEAD: i64 = 28;

/// Contact types that are tried together.
pub struct Scope {
    /// Which.
    pub types: Vec<ContactType>,
    /// Contact types of the centre.
    pub of: usize,
}

/// A kind of day.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DayKind {
    /// Median work.
    Typical,
    /// Most work.
    Fullest,
    /// As many contacts, beside what is usual, as came on the worst day there has been.
    Storm {
        /// That day.
        as_on: Date,
    },
}

/// Days in a row that one trial plays.
#[derive(Clone, Debug, PartialEq)]
pub struct PlayedDays {
    /// The first of them.
    pub first: Date,
    /// How many.
    pub days: i64,
    /// What kind of day it is; `None` for days that were chosen by date.
    pub kind: Option<DayKind>,
    /// Contacts of each type as a share of their forecast.
    pub factors: Vec<f64>,
    /// Whether the contacts are those of a day that was: it is not as far off as a forecast.
    pub is_as_it_was: bool,
}

/// What the contacts of a type are like: by its targets, and by the habits that are kept with it.
/// Handle times spread as is given, else as was measured, else as Erlang assumes.
pub(crate) fn customers(of: &ContactType, handling: Option<&Duration>) -> Customers {
    let usual = Duration::exponential(1.0);
    let handling = handling.or(of.habits.handling.as_ref()).unwrap_or(&usual);
    of.habits.given_to(customers_of(&of.rules, &handling.with_mean(1.0)))
}

impl Scope {
    /// The contact types with these ids; all of them where none is named.
    pub fn of(all: &[ContactType], ids: &[Uuid]) -> Self {
        let chosen: Vec<ContactType> =
            all.iter().filter(|each| ids.contains(&each.id)).cloned().collect();
        let types = if chosen.is_empty() { all.to_vec() } else { chosen };
        Self { types, of: all.len() }
    }

    /// Their keys.
    pub fn ids(&self) -> Vec<Uuid> {
        self.types.iter().map(|each| each.id).collect()
    }

    /// A row of days of the calendar.
    pub fn days(&self, first: Date, days: i64) -> PlayedDays {
        PlayedDays {
            first,
            days,
            kind: None,
            factors: vec![1.0; self.types.len()],
            is_as_it_was: false,
        }
    }

    /// What is planned, or came, of each contact type.
    ///
    /// # Errors
    ///
    /// [`AppError`] where the days are none, or the database does not answer.
    pub async fn plans(
        &self,
        store: &Store,
        zone: &TimeZone,
        played: &PlayedDays,
        handling: Option<&Duration>,
        basis: &Basis,
    ) -> Result<Vec<TypePlan>, AppError> {
        let of_type = async |each: &ContactType, factor: f64| {
            let days = (played.first, played.days);
            let Expected { mut plan, luck, arrivals } =
                planning::expected(store, each, days, zone, basis).await?;
            plan.iter_mut().for_each(|interval| interval.load.contacts *= factor);
            Ok::<_, AppError>(TypePlan {
                name: each.name.clone(),
                rules: each.rules,
                customers: customers(each, handling),
                interval_secs: each.grain.secs(),
                plan,
                luck: luck.filter(|_| !played.is_as_it_was),
                arrivals,
            })
        };
        let types = self.types.iter().zip(&played.factors);
        try_join_all(types.map(|(each, &factor)| of_type(each, factor))).await
    }

    /// A typical day, the fullest, and a typical day with as many contacts as on the worst day there
    /// has been; where planned people are wanted, of the days on which all contact types have them. `None` where
    /// there is no such day; without a storm where history is too short.
    ///
    /// # Errors
    ///
    /// [`AppError`] where the days are none, or the database does not answer.
    pub async fn kinds_of_days(
        &self,
        store: &Store,
        zone: &TimeZone,
        monday: Date,
        is_planned: bool,
    ) -> Result<Option<Vec<PlayedDays>>, AppError> {
        let (from, to) = planning::span(monday, DAYS_AHEAD, zone)?;
        let date = |start: Timestamp| start.to_zoned(zone.clone()).date();
        let (mut loads, mut unplanned) = (Vec::new(), BTreeSet::new());
        for each in &self.types {
            let forecast = store.forecast_between(each.id, from, to).await?;
            if is_planned {
                let cover = store.cover_between(each.id, from, to).await?;
                let planned: BTreeSet<Date> =
                    cover.iter().map(|interval| date(interval.start)).collect();
                let dates = forecast.iter().map(|interval| date(interval.start));
                unplanned.extend(dates.filter(|date| !planned.contains(date)));
            }
            loads.extend(forecast.into_iter().map(|interval| (interval.start, interval.load)));
        }
        let mut ahead = loads_by_date(loads, zone);
        ahead.retain(|day| !unplanned.contains(&day.date));
        let Some((typical, fullest)) = typical_and_fullest(&ahead) else { return Ok(None) };
        let kind = |date: Date, kind| PlayedDays { kind: Some(kind), ..self.days(date, 1) };
        let mut kinds = vec![kind(typical, DayKind::Typical), kind(fullest, DayKind::Fullest)];
        if let Some(Storm { date: as_on, factors }) = self.storm(store, zone).await? {
            let storm = kind(typical, DayKind::Storm { as_on });
            kinds.push(PlayedDays { factors, is_as_it_was: true, ..storm });
        }
        Ok(Some(kinds))
    }

    /// The worst day there has been.
    ///
    /// # Errors
    ///
    /// [`AppError`] when the database fails.
    pub async fn storm(&self, store: &Store, zone: &TimeZone) -> Result<Option<Storm>, AppError> {
        let history = self.types.iter().map(|each| store.daily_totals(each.id, zone));
        let history = try_join_all(history).await?.into_iter().map(|days| {
            days.into_iter()
                .map(|day| DayLoad {
                    date: day.day,
                    contacts: day.offered as f64,
                    work_secs: day.work_secs,
                })
                .collect()
        });
        Ok(worst_past_day(&history.collect::<Vec<_>>()))
    }
}
