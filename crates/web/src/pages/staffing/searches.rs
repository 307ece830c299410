//! Shifts that follow the need: their kinds, the search for them, and what it found.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{
    CoverInterval, FittedRoster, FittedShift, ShiftError, ShiftProblem, ShiftShape, check_shifts,
};
use barometer_store::{Agent, ContactType, NamedAgent, SearchState, ShiftSearch, TimeOff};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
use serde::Deserialize;
use uuid::Uuid;

use super::cover::{CoverPage, cover_of};
use super::head::Tab;
use super::period::Period;
use super::source::Source;
use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::{Form, Path};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::planning;
use crate::words;

/// Kinds of shifts that a form has room for.
const KINDS: usize = 3;

/// Cost of an hour where none is known: rosters are compared by hours then.
const NO_COST: f64 = 1.0;

/// The longest search, in seconds.
const MOST_SECS: u32 = 600;

/// Kinds of shifts as typed: a column for each field, an entry for each kind.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct ShapesForm {
    pub name: Vec<String>,
    pub first_start: Vec<String>,
    pub last_start: Vec<String>,
    pub hours: Vec<String>,
    pub break_minutes: Vec<String>,
    pub days: Vec<String>,
    pub most_people: Vec<String>,
    pub cost: Vec<String>,
    pub limit_secs: String,
    pub day: String,
    #[serde(skip)]
    pub wrong: Option<String>,
}

/// One kind of shift in the form.
pub(crate) struct KindRow {
    pub number: usize,
    pub name: String,
    pub first_start: String,
    pub last_start: String,
    pub hours: String,
    pub break_minutes: String,
    pub days: String,
    pub most_people: String,
    pub cost: String,
}

impl ShapesForm {
    /// The kinds that were last used, or two that suit most centres.
    pub fn of(shapes: &[ShiftShape], contact_type: &ContactType) -> Self {
        let cost_per_hour = contact_type.rules.cost_per_hour.unwrap_or(NO_COST);
        let kind = |name: &str, last_start, length, break_length| ShiftShape {
            name: name.to_owned(),
            first_start: 7 * 60,
            last_start,
            length,
            break_length,
            break_margin: margin(length, break_length),
            days: 5,
            cost_per_hour,
            most_people: None,
        };
        let usual = [kind("Full time", 13 * 60, 8 * 60, 30), kind("Part time", 17 * 60, 4 * 60, 0)];
        let shapes = if shapes.is_empty() { &usual[..] } else { shapes };
        let mut form = Self { limit_secs: "20".to_owned(), ..Self::default() };
        for shape in shapes.iter().take(KINDS) {
            form.name.push(shape.name.clone());
            form.first_start.push(clock(shape.first_start));
            form.last_start.push(clock(shape.last_start));
            form.hours.push(words::plain(f64::from(shape.length) / 60.0));
            form.break_minutes.push(shape.break_length.to_string());
            form.days.push(shape.days.to_string());
            let most = shape.most_people.map(|most| most.to_string());
            form.most_people.push(most.unwrap_or_default());
            form.cost.push(words::plain(shape.cost_per_hour));
        }
        form
    }

    pub fn rows(&self) -> Vec<KindRow> {
        let at = |column: &[String], number: usize| column.get(number).cloned().unwrap_or_default();
        (0..KINDS)
            .map(|number| KindRow {
                number: number + 1,
                name: at(&self.name, number),
                first_start: at(&self.first_start, number),
                last_start: at(&self.last_start, number),
                hours: at(&self.hours, number),
                break_minutes: at(&self.break_minutes, number),
                days: at(&self.days, number),
                most_people: at(&self.most_people, number),
                cost: at(&self.cost, number),
            })
            .collect()
    }

    /// The kinds that were typed; a row without a name is none. Says what is wrong with the first.
    fn shapes(&self) -> Result<Vec<ShiftShape>, String> {
        let rows = self.rows();
        let named = rows.iter().filter(|row| !row.name.trim().is_empty());
        let shapes = named.map(KindRow::shape).collect::<Result<Vec<_>, _>>()?;
        if shapes.is_empty() {
            return Err("Name at least one kind of shift.".to_owned());
        }
        Ok(shapes)
    }
}

impl KindRow {
    fn shape(&self) -> Result<ShiftShape, String> {
        let name = self.name.trim().chars().take(40).collect::<String>();
        let wrong = |field: &str, wanted: &str| format!("{name}, {field}: must be {wanted}.");
        let minutes = |text: &str, field: &str| {
            let time = text.trim().parse::<Time>();
            let time = time.map_err(|_| wrong(field, "a time such as 07:30"))?;
            Ok::<u32, String>(time.hour() as u32 * 60 + time.minute() as u32)
        };
        let number = |text: &str| text.trim().replace(',', ".").parse::<f64>().ok();
        let whole = |text: &str| text.trim().parse::<u32>().ok();
        let hours = number(&self.hours).filter(|hours| (0.5..=16.0).contains(hours));
        let length = (hours.ok_or_else(|| wrong("hours", "0.5 to 16"))? * 60.0).round() as u32;
        let break_length = match self.break_minutes.trim() {
            "" => 0,
            text => whole(text).ok_or_else(|| wrong("break", "whole minutes"))?,
        };
        let most_people = match self.most_people.trim() {
            "" => None,
            text => Some(whole(text).ok_or_else(|| wrong("most people", "a whole number"))?),
        };
        let cost = number(&self.cost).filter(|cost| *cost > 0.0 && *cost <= 1e6);
        Ok(ShiftShape {
            first_start: minutes(&self.first_start, "earliest start")?,
            last_start: minutes(&self.last_start, "latest start")?,
            length,
            break_length,
            break_margin: margin(length, break_length),
            days: whole(&self.days).ok_or_else(|| wrong("days", "1 to 7"))?,
            cost_per_hour: cost.ok_or_else(|| wrong("cost", "above 0"))?,
            most_people,
            name,
        })
    }
}

/// The break lies in the middle half of the shift, on whole hours' quarters.
fn margin(length: u32, break_length: u32) -> u32 {
    let free = length.saturating_sub(break_length);
    (length / 4).min(free / 2) / 60 * 60
}

fn clock(minutes: u32) -> String {
    format!("{:02}:{:02}", minutes / 60 % 24, minutes % 60)
}

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
    let present = at_work(contact_type);
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

/// Share of the rostered who are at work: all causes of shrinkage but breaks.
fn at_work(contact_type: &ContactType) -> f64 {
    let shrinkage = contact_type.rules.shrinkage;
    (1.0 - shrinkage.leave) * (1.0 - shrinkage.sickness) * (1.0 - shrinkage.training)
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
    let present = at_work(&contact_type);
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

#[cfg(test)]
mod tests {
    use super::*;
    use barometer_plan::fit_shifts;
    use std::time::Duration;

    fn form() -> ShapesForm {
        ShapesForm {
            name: vec!["Full time".into(), String::new()],
            first_start: vec!["07:00".into()],
            last_start: vec!["13:00".into()],
            hours: vec!["8".into()],
            break_minutes: vec!["30".into()],
            days: vec!["5".into()],
            most_people: vec![String::new()],
            cost: vec!["21,5".into()],
            ..ShapesForm::default()
        }
    }

    #[test]
    fn kinds_of_shifts_are_read_as_typed_and_unnamed_rows_are_none() {
        let shapes = form().shapes().unwrap();
        assert_eq!(shapes.len(), 1);
        assert_eq!(
            (shapes[0].length, shapes[0].break_margin, shapes[0].cost_per_hour),
            (480, 120, 21.5)
        );
        let wrong = ShapesForm { hours: vec!["20".into()], ..form() }.shapes().unwrap_err();
        assert_eq!(wrong, "Full time, hours: must be 0.5 to 16.");
        assert!(ShapesForm::default().shapes().unwrap_err().contains("at least one kind"));
    }

    #[test]
    fn what_is_typed_can_be_solved() {
        let mut required = vec![0; 7 * 48];
        required[18..34].fill(2);
        let problem = ShiftProblem { interval: 30, required, shapes: form().shapes().unwrap() };
        let roster = fit_shifts(&problem, Duration::from_secs(5), |_| true).unwrap();
        assert!(roster.there.iter().zip(&problem.required).all(|(there, need)| there >= need));
    }
}
