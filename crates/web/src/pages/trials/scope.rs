//! What a trial is asked of: which contact types, on which days.

use std::collections::BTreeSet;

use barometer_plan::{
    DayLoad, Storm, TypePlan, customers_of, loads_by_date, typical_and_fullest, worst_past_day,
};
use barometer_store::ContactType;
use barometer_strategy::Duration;
use futures_util::future::try_join_all;
use jiff::civil::Date;
use jiff::{Span, Timestamp};
use uuid::Uuid;

use crate::App;
use crate::access::Visit;
use crate::page_error::PageError;
use crate::planning::{self, Basis, Expected};
use crate::words;

/// Days from the Monday of the period among which the typical and the fullest are found.
const DAYS_AHEAD: i64 = 28;

/// How the choice of days is typed where it is no date.
pub(crate) const WHOLE_WEEK: &str = "week";
pub(crate) const KINDS_OF_DAYS: &str = "kinds";

/// Contact types that are tried together.
pub(crate) struct Scope {
    pub types: Vec<ContactType>,
    /// They in words, as they stand in a sentence.
    pub name: String,
}

/// Days in a row that one trial plays.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct PlayedDays {
    pub first: Date,
    pub days: i64,
    /// What kind of day it is; `None` for days that were chosen by date.
    pub kind: Option<String>,
    /// Contacts of each type as a share of their forecast.
    pub factors: Vec<f64>,
    /// Whether the contacts are those of a day that was: it is not as far off as a forecast.
    pub is_as_it_was: bool,
}

impl Scope {
    /// The contact types with these ids; all of them where none is named.
    pub fn of(all: &[ContactType], ids: &[Uuid]) -> Self {
        let chosen: Vec<ContactType> =
            all.iter().filter(|each| ids.contains(&each.id)).cloned().collect();
        let types = if chosen.is_empty() { all.to_vec() } else { chosen };
        let names: Vec<String> = types.iter().map(|each| each.name.clone()).collect();
        let name = match names.as_slice() {
            [first, ..] if names.len() == 1 => first.clone(),
            _ if names.len() == all.len() => "the whole centre".to_owned(),
            [first, second, rest @ ..] if !rest.is_empty() => {
                let more = words::count_word(rest.len());
                format!("{first}, {second} and {more} more")
            }
            _ => words::listing(&names),
        };
        Self { types, name }
    }

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
    pub async fn plans(
        &self,
        app: &App,
        visit: &Visit,
        played: &PlayedDays,
        handling: &Duration,
        basis: &Basis,
    ) -> Result<Vec<TypePlan>, PageError> {
        let zone = &visit.centre.zone;
        let of_type = async |each: &ContactType, factor: f64| {
            let days = (played.first, played.days);
            let Expected { mut plan, luck, arrivals } =
                planning::expected(&app.store, each, days, zone, basis).await?;
            plan.iter_mut().for_each(|interval| interval.load.contacts *= factor);
            Ok::<_, PageError>(TypePlan {
                name: each.name.clone(),
                rules: each.rules,
                customers: customers_of(&each.rules, handling),
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
    pub async fn kinds_of_days(
        &self,
        app: &App,
        visit: &Visit,
        is_planned: bool,
    ) -> Result<Option<Vec<PlayedDays>>, PageError> {
        let zone = &visit.centre.zone;
        let (from, to) = planning::span(visit.monday(), DAYS_AHEAD, zone)?;
        let date = |start: Timestamp| start.to_zoned(zone.clone()).date();
        let (mut loads, mut unplanned) = (Vec::new(), BTreeSet::new());
        for each in &self.types {
            let forecast = app.store.forecast_between(each.id, from, to).await?;
            if is_planned {
                let cover = app.store.cover_between(each.id, from, to).await?;
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
        let kind = |date: Date, kind: &str| PlayedDays {
            kind: Some(kind.to_owned()),
            ..self.days(date, 1)
        };
        let mut kinds = vec![kind(typical, "typical day"), kind(fullest, "fullest day")];
        if let Some(Storm { date, factors }) = self.storm(app, visit).await? {
            let named = format!("storm day (as on {})", words::full_date(date));
            kinds.push(PlayedDays { factors, is_as_it_was: true, ..kind(typical, &named) });
        }
        Ok(Some(kinds))
    }

    /// The worst day there has been.
    pub async fn storm(&self, app: &App, visit: &Visit) -> Result<Option<Storm>, PageError> {
        let zone = &visit.centre.zone;
        let history = self.types.iter().map(|each| app.store.daily_totals(each.id, zone));
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

/// Days in a row, in words.
pub(crate) fn days_words(first: Date, days: u32) -> String {
    match days {
        1 => words::long_day(first),
        days => {
            let last = first.saturating_add(Span::new().days(i64::from(days) - 1));
            format!("{} to {}", words::short_day(first), words::short_day(last))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_forecast::Grain;
    use barometer_plan::Rules;
    use jiff::civil::date;

    fn types(names: &[&str]) -> Vec<ContactType> {
        let each = |name: &&str| ContactType {
            id: Uuid::new_v4(),
            name: (*name).to_owned(),
            grain: Grain::Half,
            rules: Rules::STARTING,
            pinned_method: None,
            like: None,
        };
        names.iter().map(each).collect()
    }

    #[test]
    fn contact_types_are_named_as_in_a_sentence() {
        let all = types(&["Bookings", "Groups", "Freight", "Chat", "E-mail"]);
        let name = |count: usize| {
            let ids: Vec<Uuid> = all.iter().take(count).map(|each| each.id).collect();
            Scope::of(&all, &ids).name
        };
        assert_eq!(name(1), "Bookings");
        assert_eq!(name(2), "Bookings and Groups");
        assert_eq!(name(4), "Bookings, Groups and two more");
        assert_eq!((name(5), name(0)), ("the whole centre".into(), "the whole centre".into()));
        assert_eq!(Scope::of(&all[..1], &[]).name, "Bookings", "a centre of one has its name");
        // What is not of this centre is no choice.
        assert_eq!(Scope::of(&all, &[Uuid::new_v4()]).types.len(), 5);
    }

    #[test]
    fn days_in_a_row_are_named_by_their_first_and_last() {
        assert_eq!(days_words(date(2026, 11, 27), 1), "Friday 27 November");
        assert_eq!(days_words(date(2026, 11, 23), 7), "Mon 23 Nov to Sun 29 Nov");
        let scope = Scope::of(&types(&["Bookings"]), &[]);
        let days = scope.days(date(2026, 11, 23), 7);
        assert_eq!((days.days, days.factors, days.is_as_it_was), (7, vec![1.0], false));
    }
}
