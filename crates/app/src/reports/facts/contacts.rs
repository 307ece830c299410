//! Contacts of each type: measured, forecast, needed and covered.

use std::collections::BTreeMap;

use barometer_plan::PlannedInterval;
use barometer_report::facts::{Forecast, Measured, Staffed, TypeFacts};
use barometer_report::{Against, Days, Definition, Section};
use barometer_store::{Centre, ContactType, MeasuredCounts, Slots, Store};
use futures_util::future::try_join_all;
use jiff::ToSpan;
use jiff::civil::{Date, DateTime};

use super::events::Accounted;
use super::plan::{Plans, opened};
use super::{Reach, if_wanted, instants, midnight};
use crate::planning::{Basis, expected};
use crate::{AppError, clock};

/// Contact types that are read at the same time, over a connection or two each.
const TYPES_AT_ONCE: usize = 3;

pub(super) async fn type_facts(
    store: &Store,
    centre: &Centre,
    definition: &Definition,
    types: &[ContactType],
    accounts: &[Accounted],
    reach: &Reach,
) -> Result<Vec<TypeFacts>, AppError> {
    let ids: Vec<_> = types.iter().map(|each| each.id).collect();
    let measured = |days: Days| async move {
        let between = instants(days, centre)?;
        Ok::<_, AppError>(store.measured_counts(&ids, between, reach.slots, &centre.zone).await?)
    };
    let own = measured.clone()(reach.days).await?;
    let compared = match reach.compared {
        Some(days) => measured(days).await?,
        None => Vec::new(),
    };
    let wants_plan = definition.against == Against::Plan;
    let opened = wants_plan || reach.slots == Slots::Interval;
    let Days { first, last } = reach.days;
    let opening =
        if_wanted(opened, async { Ok(store.opening_plans(centre.id, first, last).await?) });
    let read = Read {
        own,
        compared,
        plans: Plans { accounts, opening: opening.await? },
        wants_plan,
        // Service is judged by occupancy too.
        wants_people: [Section::Staffing, Section::Service]
            .iter()
            .any(|section| definition.sections.contains(section)),
    };
    let mut facts = Vec::with_capacity(types.len());
    for few in types.chunks(TYPES_AT_ONCE) {
        let each = few.iter().map(|each| read.facts_of(store, centre, each, reach));
        facts.extend(try_join_all(each).await?);
    }
    Ok(facts)
}

/// What was read of all contact types, and what is still to be read of each.
struct Read<'a> {
    own: Vec<MeasuredCounts>,
    compared: Vec<MeasuredCounts>,
    plans: Plans<'a>,
    wants_plan: bool,
    wants_people: bool,
}

impl Read<'_> {
    async fn facts_of(
        &self,
        store: &Store,
        centre: &Centre,
        each: &ContactType,
        reach: &Reach,
    ) -> Result<TypeFacts, AppError> {
        let of_type = |counts: &[MeasuredCounts]| -> Vec<Measured> {
            let own = counts.iter().filter(|counts| counts.contact_type == each.id);
            own.map(|counts| Measured { at: counts.at, counts: counts.counts }).collect()
        };
        let measured = of_type(&self.own);
        let (forecast, planned, staffed) = tokio::try_join!(
            forecasts(store, centre, each, &self.plans, reach),
            if_wanted(self.wants_plan, self.plans.of(store, centre, each, &measured, reach)),
            if_wanted(self.wants_people, staffed(store, centre, each, reach)),
        )?;
        let forecast = match reach.slots {
            Slots::Interval => with_actuals(forecast, &measured),
            Slots::Day => forecast,
        };
        Ok(TypeFacts {
            id: each.id,
            name: each.name.clone(),
            rules: each.rules,
            measured,
            compared: of_type(&self.compared),
            forecast,
            planned,
            staffed,
        })
    }
}

/// Forecasts of intervals beside what was measured in them. An hour that the clock shows twice is one.
fn with_actuals(forecast: Vec<Forecast>, measured: &[Measured]) -> Vec<Forecast> {
    let actual: BTreeMap<DateTime, f64> =
        measured.iter().map(|measured| (measured.at, measured.counts.offered)).collect();
    let mut contacts: BTreeMap<DateTime, f64> = BTreeMap::new();
    for each in forecast {
        *contacts.entry(each.at).or_default() += each.contacts;
    }
    let beside = |(at, contacts)| Forecast { at, contacts, actual: actual.get(&at).copied() };
    contacts.into_iter().map(beside).collect()
}

/// What was forecast: of days that have gone by, what the latest backtest forecast before them, or by interval what the
/// plan that a watched day opened with expected; of days to come, what is forecast now.
async fn forecasts(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    plans: &Plans<'_>,
    reach: &Reach,
) -> Result<Vec<Forecast>, AppError> {
    let Some(head) = store.forecast(contact_type.id).await? else { return Ok(Vec::new()) };
    let ahead = |day: Date| day >= head.first_day;
    if reach.slots == Slots::Interval {
        let (from, to) = instants(reach.days, centre)?;
        let began = plans.opening.iter().filter(|(day, _)| !ahead(*day));
        let began = began.flat_map(|(_, inputs)| opened(inputs, contact_type, centre));
        let mut intervals: Vec<Forecast> = began
            .map(|(at, counts)| Forecast { at, contacts: counts.offered, actual: None })
            .collect();
        let ahead = store.forecast_between(contact_type.id, from, to).await?;
        intervals.extend(ahead.into_iter().map(|each| Forecast {
            at: centre.zone.to_datetime(each.start),
            contacts: each.load.contacts,
            actual: None,
        }));
        return Ok(intervals);
    }
    let held_out = head.backtest.map(|backtest| backtest.latest_days).unwrap_or_default();
    let past = held_out
        .into_iter()
        .filter(|day| reach.days.contains(day.day) && !ahead(day.day))
        .map(|day| Forecast {
            at: midnight(day.day),
            contacts: day.forecast,
            actual: Some(day.came),
        });
    let mut forecast: Vec<Forecast> = past.collect();
    if ahead(reach.days.last) {
        let days = store.forecast_days(contact_type.id).await?;
        let days = days.into_iter().filter(|day| reach.days.contains(day.day));
        forecast.extend(days.map(|day| Forecast {
            at: midnight(day.day),
            contacts: day.contacts,
            actual: None,
        }));
    }
    Ok(forecast)
}

/// Need and cover: of days to come from the forecast, of days that have gone by from the contacts that were offered.
async fn staffed(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    reach: &Reach,
) -> Result<Vec<Staffed>, AppError> {
    let head = store.forecast(contact_type.id).await?;
    let first_ahead = head.map_or(clock::today(centre), |head| head.first_day);
    let Days { first, last } = reach.days;
    let stretches =
        [(first, last.min(first_ahead.saturating_sub(1.day()))), (first.max(first_ahead), last)];
    let mut slots: BTreeMap<DateTime, Staffed> = BTreeMap::new();
    for (first, last) in stretches.into_iter().filter(|(first, last)| first <= last) {
        let days = Days { first, last }.count();
        let found =
            expected(store, contact_type, (first, days), &centre.zone, &Basis::Exact).await?;
        for interval in &found.plan {
            let at = reach.slot(centre.zone.to_datetime(interval.start));
            let sum = slots.entry(at).or_insert_with(|| Staffed { at, ..Staffed::default() });
            add(sum, interval, contact_type);
        }
    }
    Ok(slots.into_values().collect())
}

fn add(sum: &mut Staffed, interval: &PlannedInterval, contact_type: &ContactType) {
    let hours = contact_type.grain.secs() / 3_600.0;
    let assessment = &interval.assessment;
    sum.intervals += 1;
    sum.need_hours += hours * f64::from(assessment.need);
    if let Some(cover) = assessment.cover {
        *sum.cover_hours.get_or_insert(0.0) += hours * f64::from(cover);
        let short = assessment.shortfall();
        sum.short_intervals += u32::from(short > 0);
        sum.short_hours += hours * f64::from(short);
    }
}
