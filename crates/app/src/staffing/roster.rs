//! Rosters become the cover: imported ones, and those that a search for shifts has found.

use std::collections::BTreeMap;

use barometer_intake::RosterShift;
use barometer_plan::{
    LoadSpread, RosterCandidate, ShiftProblem, ShiftShape, assign, cover_of, present_of,
    required_in_week, stretches_of,
};
use barometer_store::{Centre, ContactType, NamedAgent, Save, ShiftSearch, Store};
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use super::{Period, Source};
use crate::AppError;
use crate::planning::{Lucks, span};

/// The search for shifts that follow the need of a week; `None` where nothing is forecast. With a
/// `chance`, the need of each day is that of the contacts which the day as a whole does not exceed with it.
///
/// # Errors
///
/// [`AppError`] when the database fails or the need cannot be computed.
pub async fn shift_problem(
    store: &Store,
    contact_type: &ContactType,
    monday: Date,
    zone: &TimeZone,
    shapes: Vec<ShiftShape>,
    chance: Option<f64>,
) -> Result<Option<ShiftProblem>, AppError> {
    let mut source = Source::read(store, contact_type, None, Period::week(monday), zone).await?;
    if let Some(chance) = chance
        && let Some(lucks) = Lucks::of(store, contact_type).await?
    {
        source.scale_days(zone, |date, day| {
            let contacts: Vec<f64> = day.iter().map(|each| each.load.contacts).collect();
            let luck = lucks.on(date);
            LoadSpread::of_day(&luck.day_factors, luck.interval_variance, &contacts)
                .quantile(chance)
        });
    }
    let plan = source.plan(contact_type.rules).await?;
    if plan.is_empty() {
        return Ok(None);
    }
    let interval = u32::from(contact_type.grain.minutes().unsigned_abs());
    let present = contact_type.rules.shrinkage.at_work();
    let required = required_in_week(&plan, monday, interval, zone, present);
    Ok(Some(ShiftProblem { interval, required, shapes }))
}

/// The shifts of a finished search become the cover of their week, and go to named people as far as
/// there are some who fit. `false` where the search has found nothing.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn use_fitted(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    search: &ShiftSearch,
    save: Save,
) -> Result<bool, AppError> {
    let Some(roster) = &search.roster else { return Ok(false) };
    let (monday, zone) = (search.monday, &centre.zone);
    let (agents, away) =
        tokio::try_join!(store.agents(centre.id), store.time_off(centre.id, monday))?;
    let shifts = stretches_of(roster, &search.problem, monday, zone);
    let last = monday.saturating_add(jiff::Span::new().days(6));
    let candidates: Vec<RosterCandidate<'_>> = agents
        .iter()
        .map(|agent| RosterCandidate {
            skills: &agent.skills,
            contract_hours: agent.contract_hours,
            is_away: away.iter().any(|off| {
                off.agent == agent.id && off.first_day <= last && off.last_day >= monday
            }),
        })
        .collect();
    let named: Vec<NamedAgent> = assign(&shifts, &candidates, &contact_type.name)
        .into_iter()
        .zip(&shifts)
        .filter_map(|(given, stretches)| {
            let name = agents[given?].name.clone();
            Some(NamedAgent { stretches: stretches.clone(), ..NamedAgent::named(name) })
        })
        .collect();
    let everybody = cover_of(shifts.iter().flatten(), contact_type.grain.secs(), zone);
    let cover = present_of(everybody, contact_type.rules.shrinkage.at_work());
    let week = span(monday, 7, zone)?;
    store.save_roster(centre.id, contact_type.id, week, &named, &cover, save).await?;
    Ok(true)
}

/// A roster of named people becomes the cover of its days; those on time off are left out. Gives its
/// first day, `None` where everybody is away and nothing was saved.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn import(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    shifts: Vec<RosterShift>,
    save: Save,
) -> Result<Option<Date>, AppError> {
    let zone = &centre.zone;
    let date = |at: Timestamp| zone.to_datetime(at).date();
    let first = shifts.iter().map(|shift| shift.start).min().unwrap_or(Timestamp::UNIX_EPOCH);
    let (agents, away) =
        tokio::try_join!(store.agents(centre.id), store.time_off(centre.id, date(first)))?;
    let is_away = |name: &str, day: Date| {
        let agent = agents.iter().find(|agent| agent.name.eq_ignore_ascii_case(name));
        agent.is_some_and(|agent| {
            away.iter()
                .any(|off| off.agent == agent.id && (off.first_day..=off.last_day).contains(&day))
        })
    };
    let present = shifts.into_iter().filter(|shift| !is_away(&shift.agent, date(shift.start)));
    let people = people_of(present);
    let stretches = people.iter().flat_map(|person| &person.stretches);
    let cover = cover_of(stretches, contact_type.grain.secs(), zone);
    let (Some(first), Some(last)) = (cover.first(), cover.last()) else { return Ok(None) };
    let days = (span(date(first.start), 1, zone)?.0, span(date(last.start), 1, zone)?.1);
    store.save_roster(centre.id, contact_type.id, days, &people, &cover, save).await?;
    Ok(Some(date(first.start)))
}

/// Shifts by person, a shift with a break as two stretches.
fn people_of(shifts: impl Iterator<Item = RosterShift>) -> Vec<NamedAgent> {
    let mut people: BTreeMap<String, NamedAgent> = BTreeMap::new();
    for shift in shifts {
        let person = people
            .entry(shift.agent.to_lowercase())
            .or_insert_with(|| NamedAgent::named(shift.agent.clone()));
        person.team = person.team.take().or(shift.team);
        person.contract_hours = person.contract_hours.or(shift.contract_hours);
        for skill in shift.skills {
            if !person.skills.contains(&skill) {
                person.skills.push(skill);
            }
        }
        match shift.pause {
            None => person.stretches.push((shift.start, shift.end)),
            Some((from, to)) => {
                let parts = [(shift.start, from), (to, shift.end)];
                person.stretches.extend(parts.into_iter().filter(|(start, end)| start < end));
            }
        }
    }
    people.into_values().collect()
}
