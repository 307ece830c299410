//! Searches: the cheapest design with which every target of a trial holds.

mod form;
mod parallel;
mod picture;
mod result;
mod screening;
mod typed;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Edited, NewTrial, RunState};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports::{self, Cell};
use crate::extract::{Form, Path};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::pages::trials::{days_words, only_type};
use crate::words;

pub(crate) use form::{ask, queue, queue_for_day};
use result::ResultView;
pub(crate) use screening::screening;

#[derive(Template)]
#[template(path = "searches/show.html")]
struct ShowPage {
    frame: Frame,
    id: Uuid,
    question: String,
    progress: ProgressPart,
    /// What it does and has so far, while it goes on.
    so_far: Option<String>,
    facts: String,
    /// The versions of the covers of its contact types.
    covers: Vec<i64>,
    result: Option<ResultView>,
}

/// `GET /searches/{search}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    let subject = &search.subject;
    let mut covers = Vec::new();
    for contact_type in &subject.contact_types {
        covers.push(app.store.version_of(Edited::Cover(*contact_type)).await?);
    }
    let context = RequestContext { day: subject.day, ..context };
    let zone = &context.centre.zone;
    let so_far = search.phase.as_ref().filter(|_| !search.run.state.is_over()).map(|phase| {
        let best = search.best_cost.map_or_else(String::new, |cost| {
            format!("; the best so far costs {}", words::one_decimal(cost))
        });
        format!("Now: {phase}{best}.")
    });
    page(&ShowPage {
        frame: Frame::of(&context, Stage::Trials, only_type(&subject.contact_types)),
        id,
        question: format!(
            "What does it take to hold every target on {} for {}?",
            days_words(subject.day, subject.days),
            subject.name
        ),
        progress: ProgressPart::of(&search.run, &context),
        so_far,
        facts: format!(
            "{}. Each design on {} simulated days, the best on {} fresh ones; seed {}; asked by {} on {}.",
            search.title,
            words::thousands(f64::from(search.question.days)),
            words::thousands(f64::from(search.question.fresh_days)),
            search.question.seed,
            search.run.created_by.as_deref().unwrap_or("nobody"),
            words::moment(search.run.created_at, zone),
        ),
        covers,
        result: search.answer.as_ref().map(|answer| ResultView::of(&search, answer, zone)),
    })
}

/// `POST /searches/{search}/enough`: the best so far will do.
pub(crate) async fn enough(
    State(app): State<App>,
    _planner: Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.search(id).await?;
    app.store.enough_of_search(id).await?;
    Ok(Redirect::to(&format!("/searches/{id}")).into_response())
}

/// `POST /searches/{search}/trial`: a trial of the design found, on customers that the search has not met.
pub(crate) async fn try_it(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    let answer = search.answer.as_ref().ok_or(PageError::NotFound)?;
    let design = &answer.best.design;
    let mut inputs = design
        .inputs(&search.question, &answer.blocks)
        .map_err(|error| PageError::Internal(error.into()))?;
    inputs.seed = search.question.seed.wrapping_add(1);
    let new = NewTrial {
        subject: search.subject.clone(),
        strategy_version: search.strategy_version,
        cover_words: "people found by a search".to_owned(),
        inputs,
        asked: json!({}),
        set: None,
        created_by: context.user.id,
    };
    let trial = app.store.queue_trial(&new).await?;
    Ok(Redirect::to(&format!("/trials/{trial}?day={}", new.subject.day)).into_response())
}

/// The versions of the covers of its contact types that the page shows.
#[derive(Deserialize)]
pub(crate) struct CoverForm {
    #[serde(default)]
    based_on: Vec<i64>,
}

/// `POST /searches/{search}/cover`: its people become the cover of the day.
pub(crate) async fn use_as_cover(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<CoverForm>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    let seen = (context.user.id, form.based_on.as_slice());
    barometer_app::searches::use_as_cover(&app.store, &search, seen).await?;
    Ok(Redirect::to(&format!("/?day={}", search.subject.day)).into_response())
}

/// `POST /searches/{search}/draft`: its settings as a draft of the strategy.
pub(crate) async fn begin_draft(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    let (store, by) = (&app.store, context.user.id);
    let draft = barometer_app::searches::begin_draft(store, &context.centre, &search, by).await?;
    Ok(Redirect::to(&format!("/strategy?draft={draft}")).into_response())
}

/// `GET /searches/{search}/search.json`: question and answer.
pub(crate) async fn export(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    if search.run.state != RunState::Done {
        return Err(PageError::NotFound);
    }
    let kept = json!({ "question": search.question, "answer": search.answer });
    let text = serde_json::to_string_pretty(&kept)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&format!("search-{}.json", search.subject.day), text))
}

/// `GET /searches/{search}/tried.csv`: every design that was simulated.
pub(crate) async fn tried(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    let answer = search.answer.as_ref().ok_or(PageError::NotFound)?;
    let question = &search.question;
    let mut heads: Vec<String> =
        ["part", "cost", "worst_target_points", "days"].map(str::to_owned).into();
    heads.extend(question.teams.iter().map(|knob| format!("hours_{}", knob.team)));
    heads.extend(question.settings.iter().map(|knob| knob.setting.key()));
    let of = |figures: &[f64], nth: usize, places| {
        figures.get(nth).map_or(Cell::Text(String::new()), |figure| Cell::Number(*figure, places))
    };
    let rows = answer.tried.iter().map(|tried| {
        let mut row = vec![
            Cell::Text(tried.what.words().to_owned()),
            Cell::Number(tried.cost, 2),
            Cell::Number(100.0 * tried.worst, 3),
            Cell::Number(f64::from(tried.days), 0),
        ];
        row.extend((0..question.teams.len()).map(|nth| of(&tried.hours, nth, 2)));
        row.extend(question.settings.iter().enumerate().map(|(nth, knob)| {
            let Some(value) = tried.settings.get(nth).copied().flatten() else {
                return Cell::Text(String::new());
            };
            let option = knob.setting.option_words(value);
            option.map_or(Cell::Number(value, 3), |words| Cell::Text(words.to_owned()))
        }));
        row
    });
    let heads: Vec<&str> = heads.iter().map(String::as_str).collect();
    exports::csv_of(&format!("tried-{}.csv", search.subject.day), &heads, rows.collect()).await
}

/// `GET /searches/{search}/people.csv`: the people of the design, interval by interval, as a cover file.
pub(crate) async fn people(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let search = app.store.search(id).await?;
    let answer = search.answer.as_ref().ok_or(PageError::NotFound)?;
    let inputs = answer
        .best
        .design
        .inputs(&search.question, &answer.blocks)
        .map_err(|error| PageError::Internal(error.into()))?;
    let zone = &context.centre.zone;
    let starts: Vec<_> = inputs.starts().collect();
    let rows = inputs.teams.iter().flat_map(|team| {
        starts.iter().zip(&team.agents).map(|(start, &agents)| {
            vec![
                Cell::Text(
                    start.to_zoned(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string(),
                ),
                Cell::Text(team.team.clone()),
                Cell::Number(f64::from(agents), 0),
            ]
        })
    });
    let name = format!("people-{}.csv", search.subject.day);
    exports::csv_of(&name, &["interval_start", "team", "agents"], rows.collect()).await
}
