//! The search for shifts that follow the need, and what it found.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::staffing::roster;
use barometer_plan::{
    FittedRoster, FittedShift, ShiftError, ShiftProblem, ShiftShape, check_shifts,
};
use barometer_store::{ContactType, Edited, RunState, ShiftSearch};
use serde::Deserialize;
use uuid::Uuid;

use super::cover::CoverPage;
use super::head::Tab;
use super::shapes::{ShapesForm, clock};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

const DAYS: [&str; 7] = ["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"];

/// Costly stretches that are named.
const SHOWN_STRETCHES: usize = 3;

/// The longest search, in seconds.
const MOST_SECS: u32 = 600;

/// What a search has come to.
#[derive(Template)]
#[template(path = "staffing/search.html")]
pub(super) struct SearchPanel {
    id: Uuid,
    contact_type: Uuid,
    is_over: bool,
    /// The version of the cover that the page shows.
    based_on: String,
    said: String,
    elapsed: u64,
    limit: u32,
    is_found: bool,
    drivers: Option<String>,
    shifts: Vec<ShiftRow>,
}

struct ShiftRow {
    kind: String,
    times: String,
    pause: String,
    days: String,
    people: u32,
}

pub(super) fn panel(
    search: &ShiftSearch,
    contact_type: &ContactType,
    based_on: String,
) -> SearchPanel {
    let run = &search.run;
    let said = match (run.state, &search.roster, &run.failure) {
        (RunState::Queued, ..) => "Waiting for a worker.".to_owned(),
        (RunState::Running, ..) => {
            let cost = search.cost.map_or_else(String::new, |cost| {
                format!(
                    " The best so far costs {}{}.",
                    words::thousands(cost),
                    gap_words(search.gap)
                )
            });
            format!("Looking for shifts.{cost}")
        }
        (RunState::Cancelled, ..) => "The search was cancelled.".to_owned(),
        (_, Some(roster), _) => found_words(roster, search, contact_type),
        (_, None, failure) => {
            let why = failure.clone().unwrap_or_else(|| "the search ended without a roster".into());
            format!("{}.", words::capitalised(&why))
        }
    };
    SearchPanel {
        id: search.id,
        contact_type: contact_type.id,
        is_over: run.state.is_over(),
        based_on,
        said,
        elapsed: u64::from(run.work_done),
        limit: run.work_total,
        is_found: search.roster.is_some(),
        drivers: search.roster.as_ref().and_then(|roster| dearest_words(roster, &search.problem)),
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

/// "12:00 – 12:30", or "12:00 Mo Tu, 12:30 We Th Fr" where the days differ.
fn breaks_words(shift: &FittedShift, shape: &ShiftShape) -> String {
    let mut by_time: BTreeMap<u32, Vec<&str>> = BTreeMap::new();
    for (day, at) in DAYS.iter().zip(shift.breaks) {
        if let Some(at) = at {
            by_time.entry(shift.start + at).or_default().push(day);
        }
    }
    match by_time.len() {
        0 => words::NONE.to_owned(),
        1 => by_time.keys().map(|&from| span_words(from, from + shape.break_length)).collect(),
        _ => {
            let each =
                by_time.iter().map(|(&from, days)| format!("{} {}", clock(from), days.join(" ")));
            each.collect::<Vec<_>>().join(", ")
        }
    }
}

fn span_words(from: u32, to: u32) -> String {
    format!("{} – {}", clock(from), clock(to))
}

/// The stretches of a day whose need costs most: what one person fewer there would save in a week.
fn dearest_words(roster: &FittedRoster, problem: &ShiftProblem) -> Option<String> {
    let per_day = (24 * 60 / problem.interval) as usize;
    let mut stretches: Vec<(f64, usize, u32, u32)> = Vec::new();
    for (day, prices) in roster.prices.chunks(per_day).enumerate() {
        let priced = (0u32..).zip(prices).filter(|(_, price)| **price > 0.0);
        for (at, price) in priced {
            let (from, to) = (at * problem.interval, (at + 1) * problem.interval);
            match stretches.last_mut() {
                Some((sum, on, _, until)) if *on == day && *until == from => {
                    *sum += price;
                    *until = to;
                }
                _ => stretches.push((*price, day, from, to)),
            }
        }
    }
    stretches.sort_by(|a, b| b.0.total_cmp(&a.0));
    let said: Vec<String> = stretches
        .iter()
        .take(SHOWN_STRETCHES)
        .map(|&(price, day, from, to)| {
            let day = DAYS.get(day).copied().unwrap_or_default();
            format!("{day} {} ({})", span_words(from, to), words::thousands(price))
        })
        .collect();
    (!said.is_empty()).then(|| format!("What drives the cost: {}.", said.join(", ")))
}

fn shift_row(shift: &FittedShift, problem: &ShiftProblem) -> Option<ShiftRow> {
    let shape = problem.shapes.get(shift.shape)?;
    let works = DAYS.iter().zip(shift.works).filter(|(_, works)| *works).map(|(day, _)| *day);
    Some(ShiftRow {
        kind: shape.name.clone(),
        times: span_words(shift.start, shift.start + shape.length),
        pause: breaks_words(shift, shape),
        days: works.collect::<Vec<_>>().join(" "),
        people: shift.people,
    })
}

/// `POST /staffing/{contact_type}/shifts`: queues a search for the week that is looked at.
pub(crate) async fn start(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<ShapesForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    context.day = typed.day.parse().unwrap_or(context.day);
    match problem(&app, &context, &contact_type, &typed).await? {
        Ok((problem, limit)) => {
            let by = Some(context.user.id);
            app.store.queue_shift_search(id, context.monday(), &problem, limit, by).await?;
            Ok(Redirect::to(&Tab::Cover.address(id, context.day)).into_response())
        }
        Err(wrong) => {
            let mut template = CoverPage::new(&app, &context, &contact_type).await?;
            template.shapes = ShapesForm { wrong: Some(wrong), ..typed };
            refused(&template)
        }
    }
}

/// The search that was asked for, or what is wrong with it.
async fn problem(
    app: &App,
    context: &RequestContext,
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
    let (monday, zone) = (context.monday(), &context.centre.zone);
    let problem =
        roster::shift_problem(&app.store, contact_type, monday, zone, shapes, typed.chance())
            .await?;
    let Some(problem) = problem else {
        return Ok(Err("Nothing is forecast for this week, so no shift is needed.".to_owned()));
    };
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
    _visit: RequestContext,
    Path((id, search)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    page(&panel_now(&app, id, search).await?)
}

async fn panel_now(app: &App, id: Uuid, search: Uuid) -> Result<SearchPanel, PageError> {
    let based_on = app.store.version_of(Edited::Cover(id)).await?.to_string();
    let contact_type = app.store.contact_type(id).await?;
    Ok(panel(&of(app, id, search).await?, &contact_type, based_on))
}

/// `POST /staffing/{contact_type}/shifts/{search}/stop`: enough; the best so far will do.
pub(crate) async fn cancel(
    State(app): State<App>,
    _planner: Planner,
    Path((id, search)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    of(&app, id, search).await?;
    app.store.enough_of_shift_search(search).await?;
    page(&panel_now(&app, id, search).await?)
}

async fn of(app: &App, contact_type: Uuid, search: Uuid) -> Result<ShiftSearch, PageError> {
    let search = app.store.shift_search(search).await?;
    if search.contact_type == contact_type { Ok(search) } else { Err(PageError::NotFound) }
}

#[derive(Deserialize)]
pub(crate) struct UseForm {
    #[serde(default)]
    based_on: String,
}

/// `POST /staffing/{contact_type}/shifts/{search}/use`: the shifts become the cover of their week,
/// and go to named people as far as there are some.
pub(crate) async fn use_roster(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, search)): Path<(Uuid, Uuid)>,
    Form(form): Form<UseForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let search = of(&app, id, search).await?;
    let save = edited::save(&context, &form.based_on);
    if !roster::use_fitted(&app.store, &context.centre, &contact_type, &search, save).await? {
        return Err(PageError::NotFound);
    }
    let address = Tab::Cover.address(id, search.monday);
    Ok(Redirect::to(&format!("{address}&saved=shifts")).into_response())
}
