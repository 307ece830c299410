//! The search for shifts that follow the need, and what it found.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{
    CoverInterval, FittedRoster, FittedShift, ShiftError, ShiftProblem, check_shifts,
};
use barometer_store::{Agent, ContactType, NamedAgent, SearchState, ShiftSearch, TimeOff};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
use uuid::Uuid;

use super::cover::{CoverPage, cover_of};
use super::head::Tab;
use super::period::Period;
use super::shapes::{ShapesForm, clock};
use super::source::Source;
use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::{Form, Path};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::planning;
use crate::words;

/// The longest search, in seconds.
const MOST_SECS: u32 = 600;

/// What a search has come to.
#[derive(Template)]
#[template(path = "staffing/search.html")]
pub(super) struct SearchPanel {
    id: Uuid,
    contact_type: Uuid,
    is_over: bool,
    said: String,
    elapsed: u64,
    limit: u32,
    is_found: bool,
    shifts: Vec<ShiftRow>,
}

struct ShiftRow {
    kind: String,
    times: String,
    pause: String,
    days: String,
    people: u32,
}

pub(super) fn panel(search: &ShiftSearch, contact_type: &ContactType) -> SearchPanel {
    let is_over = matches!(search.state, SearchState::Found | SearchState::Failed);
    let said = match (search.state, &search.roster, &search.failure) {
        (SearchState::Queued, ..) => "Waiting for a worker.".to_owned(),
        (SearchState::Searching, ..) => {
            let cost = search.cost.map_or_else(String::new, |cost| {
                format!(
                    " The best so far costs {}{}.",
                    words::thousands(cost),
                    gap_words(search.gap)
                )
            });
            format!("Looking for shifts.{cost}")
        }
        (_, Some(roster), _) => found_words(roster, search, contact_type),
        (_, None, failure) => {
            let why = failure.clone().unwrap_or_else(|| "the search ended without a roster".into());
            format!("{}.", words::capitalised(&why))
        }
    };
    SearchPanel {
        id: search.id,
        contact_type: contact_type.id,
        is_over,
        said,
        elapsed: search.elapsed_secs as u64,
        limit: search.limit_secs,
        is_found: search.roster.is_some(),
        shifts: search.roster.as_ref().map_or_else(Vec::new, |roster| {
            roster.shifts.iter().filter_map(|shift| shift_row(shift, &search.problem)).collect()
        }),
    }
}

fn gap_words(gap: Option<f64>) -> String {
    match gap {
        None => String::new(),
        Some(gap) if gap < 1e-3 => "; no roster can be cheaper".to_owned(),
        Some(gap) => format!("; no roster can be more than {} cheaper", words::percent(gap)),
    }
}

fn found_words(roster: &FittedRoster, search: &ShiftSearch, contact_type: &ContactType) -> String {
    let people: u32 = roster.shifts.iter().map(|shift| shift.people).sum();
    let per = f64::from(search.problem.interval) / 60.0;
    let over: u32 = roster
        .there
        .iter()
        .zip(&search.problem.required)
        .map(|(there, required)| there.saturating_sub(*required))
        .sum();
    let under: u32 = roster
        .there
        .iter()
        .zip(&search.problem.required)
        .map(|(there, required)| required.saturating_sub(*there))
        .sum();
    let cost = if contact_type.rules.cost_per_hour.is_some() {
        format!(", cost {}", words::thousands(roster.cost))
    } else {
        String::new()
    };
    format!(
        "{people} people with {} paid hours a week{cost}{}. At work {} hours over the need, {} under it; absence is counted in.",
        words::thousands(roster.paid_hours),
        gap_words(roster.gap),
        words::thousands(f64::from(over) * per),
        words::thousands(f64::from(under) * per),
    )
}

fn shift_row(shift: &FittedShift, problem: &ShiftProblem) -> Option<ShiftRow> {
    const DAYS: [&str; 7] = ["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"];
    let shape = problem.shapes.get(shift.shape)?;
    let works = DAYS.iter().zip(shift.works).filter(|(_, works)| *works).map(|(day, _)| *day);
    Some(ShiftRow {
        kind: shape.name.clone(),
        times: format!("{} – {}", clock(shift.start), clock(shift.start + shape.length)),
        pause: shift.break_at.map_or_else(
            || words::NONE.to_owned(),
            |at| {
                let from = shift.start + at;
                format!("{} – {}", clock(from), clock(from + shape.break_length))
            },
        ),
        days: works.collect::<Vec<_>>().join(" "),
        people: shift.people,
    })
}

/// `POST /staffing/{contact_type}/shifts`: queues a search for the week that is looked at.
pub(crate) async fn start(
    State(app): State<App>,
    Planner(mut visit): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<ShapesForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    visit.day = typed.day.parse().unwrap_or(visit.day);
    match problem(&app, &visit, &contact_type, &typed).await? {
        Ok((problem, limit)) => {
            let by = Some(visit.user.id);
            app.store.queue_shift_search(id, visit.monday(), &problem, limit, by).await?;
            Ok(Redirect::to(&Tab::Cover.address(id, visit.day)).into_response())
        }
        Err(wrong) => {
            let mut template = CoverPage::new(&app, &visit, &contact_type).await?;
            template.shapes = ShapesForm { wrong: Some(wrong), ..typed };
            refused(&template)
        }
    }
}

/// The search that was asked for, or what is wrong with it.
async fn problem(
    app: &App,
    visit: &Visit,
    contact_type: &ContactType,
    typed: &ShapesForm,
) -> Result<Result<(ShiftProblem, u32), String>, PageError> {
    let limit = typed.limit_secs.trim().parse::<u32>().ok();
    let Some(limit) = limit.filter(|secs| (1..=MOST_SECS).contains(secs)) else {
        return Ok(Err(format!("The search may take 1 to {MOST_SECS} seconds.")));
    };
    let shapes = match typed.shapes() {
        Ok(shapes) => shapes,
        Err(wrong) => return Ok(Err(wrong)),
    };
    let zone = &visit.centre.zone;
    let week = Period::of(visit, "week");
    let source = Source::read(&app.store, contact_type, None, week, zone).await?;
    let plan = source
        .schedule(&contact_type.rules)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    if plan.is_empty() {
        return Ok(Err("Nothing is forecast for this week, so no shift is needed.".to_owned()));
    }
    let interval = u32::from(contact_type.grain.minutes().unsigned_abs());
    let per_day = (24 * 60 / interval) as usize;
    let mut required = vec![0u32; 7 * per_day];
    let present = contact_type.rules.shrinkage.at_work();
    for each in &plan {
        let local = zone.to_datetime(each.start);
        let day = (local.date() - visit.monday()).get_days();
        let slot = (local.hour() as u32 * 60 + local.minute() as u32) / interval;
        if let Some(place) = required.get_mut(day as usize * per_day + slot as usize) {
            // Who is on leave, ill or in training is rostered all the same; breaks are in the shifts.
            let people = (f64::from(each.assessment.need) / present - 1e-9).ceil() as u32;
            *place = people.max(*place);
        }
    }
    let problem = ShiftProblem { interval, required, shapes };
    Ok(match check_shifts(&problem) {
        Ok(()) => Ok((problem, limit)),
        Err(error) => Err(said(&error, &problem)),
    })
}

fn said(error: &ShiftError, problem: &ShiftProblem) -> String {
    match error {
        ShiftError::Shape { shape, field, message } => {
            let name = problem.shapes.get(*shape).map_or("", |shape| shape.name.as_str());
            format!("{name}, {}: {message}.", field.replace('_', " "))
        }
        other => format!("{}.", words::capitalised(&other.to_string())),
    }
}

/// `GET /staffing/{contact_type}/shifts/{search}`: the panel while the search goes on.
pub(crate) async fn progress(
    State(app): State<App>,
    _visit: Visit,
    Path((id, search)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    page(&panel(&of(&app, id, search).await?, &contact_type))
}

/// `POST /staffing/{contact_type}/shifts/{search}/stop`: enough; the best so far will do.
pub(crate) async fn cancel(
    State(app): State<App>,
    _planner: Planner,
    Path((id, search)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    of(&app, id, search).await?;
    app.store.cancel_shift_search(search).await?;
    page(&panel(&of(&app, id, search).await?, &contact_type))
}

async fn of(app: &App, contact_type: Uuid, search: Uuid) -> Result<ShiftSearch, PageError> {
    let search = app.store.shift_search(search).await?;
    if search.contact_type == contact_type { Ok(search) } else { Err(PageError::NotFound) }
}

/// `POST /staffing/{contact_type}/shifts/{search}/use`: the shifts become the cover of their week,
/// and go to named people as far as there are some.
pub(crate) async fn use_roster(
    State(app): State<App>,
    Planner(visit): Planner,
    Path((id, search)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let search = of(&app, id, search).await?;
    let Some(roster) = &search.roster else { return Err(PageError::NotFound) };
    let zone = &visit.centre.zone;
    let centre = visit.centre.id;
    let agents = app.store.agents(centre).await?;
    let away = app.store.time_off(centre, search.monday).await?;
    let everybody = everybody(roster, &search, zone);
    let present = contact_type.rules.shrinkage.at_work();
    let cover: Vec<CoverInterval> = cover_of(&everybody, &contact_type, zone)
        .into_iter()
        .map(|each| CoverInterval {
            agents: (f64::from(each.agents) * present + 1e-9).floor() as u32,
            ..each
        })
        .collect();
    let named = named(everybody, &agents, &away, &contact_type, &search);
    let week = planning::span(search.monday, 7, zone)?;
    app.store.save_roster(centre, id, week, &named, &cover).await?;
    let address = Tab::Cover.address(id, search.monday);
    Ok(Redirect::to(&format!("{address}&saved=shifts")).into_response())
}

/// Everybody of a fitted roster, without a name yet.
fn everybody(roster: &FittedRoster, search: &ShiftSearch, zone: &TimeZone) -> Vec<NamedAgent> {
    let mut people = Vec::new();
    for shift in &roster.shifts {
        let Some(shape) = search.problem.shapes.get(shift.shape) else { continue };
        let parts = FittedRoster::stretches(shift, shape);
        let stretches: Vec<(Timestamp, Timestamp)> = (0..7)
            .filter(|&day| shift.works[day])
            .flat_map(|day| {
                let day = search.monday.saturating_add(Span::new().days(day as i64));
                stretches_on(day, &parts, zone)
            })
            .collect();
        for _ in 0..shift.people {
            people.push(NamedAgent {
                name: String::new(),
                team: None,
                skills: Vec::new(),
                contract_hours: None,
                stretches: stretches.clone(),
            });
        }
    }
    people
}

/// Stretches of minutes after midnight on a day, as instants.
fn stretches_on(day: Date, parts: &[(u32, u32)], zone: &TimeZone) -> Vec<(Timestamp, Timestamp)> {
    let at = |minutes: u32| {
        let local = day.at(0, 0, 0, 0).saturating_add(Span::new().minutes(i64::from(minutes)));
        zone.to_timestamp(local).ok()
    };
    let instants = parts.iter().filter_map(|(from, to)| at(*from).zip(at(*to)));
    instants.filter(|(from, to)| from < to).collect()
}

/// The shifts that go to somebody: to those whose skills name the contact type (or who have none),
/// who are not away in that week, and whose contract fits the hours best. The others stay open.
fn named(
    everybody: Vec<NamedAgent>,
    agents: &[Agent],
    away: &[TimeOff],
    contact_type: &ContactType,
    search: &ShiftSearch,
) -> Vec<NamedAgent> {
    let last = search.monday.saturating_add(Span::new().days(6));
    let mut free: BTreeMap<usize, &Agent> = agents
        .iter()
        .enumerate()
        .filter(|(_, agent)| {
            let skilled = agent.skills.is_empty()
                || agent.skills.iter().any(|skill| skill.eq_ignore_ascii_case(&contact_type.name));
            let is_away = away.iter().any(|off| {
                off.agent == agent.id && off.first_day <= last && off.last_day >= search.monday
            });
            skilled && !is_away
        })
        .collect();
    let mut given = Vec::new();
    for shift in everybody {
        let hours: f64 = shift
            .stretches
            .iter()
            .map(|(from, to)| (to.as_second() - from.as_second()) as f64 / 3600.0)
            .sum();
        let off = |agent: &Agent| (agent.contract_hours - hours).abs();
        let best = free.iter().min_by(|a, b| off(a.1).total_cmp(&off(b.1))).map(|(at, _)| *at);
        // A contract of far more or fewer hours is another kind of shift.
        let Some(at) = best.filter(|at| off(free[at]) <= 6.0) else { continue };
        if let Some(agent) = free.remove(&at) {
            given.push(NamedAgent { name: agent.name.clone(), ..shift });
        }
    }
    given
}
