//! Comparisons: candidates, or the values of a setting, on the same customers.

mod form;
mod result;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Comparison, TrialState};
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::exports;
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::{Played, ProgressPart};
use crate::pages::trials::{days_words, named, only_type};
use crate::words;

pub(crate) use form::{ask, queue};
use result::ResultView;

#[derive(Template)]
#[template(path = "comparisons/show.html")]
struct ShowPage {
    frame: Frame,
    question: String,
    progress: ProgressPart,
    facts: String,
    result: Option<ResultView>,
    again: String,
    json: String,
}

/// The part of a comparison's page that changes while it is played.
fn progress_of(comparison: &Comparison, visit: &Visit) -> ProgressPart {
    let played = Played {
        address: format!("/comparisons/{}", comparison.id),
        state: comparison.state,
        is_cancel_requested: comparison.cancel_requested,
        done: (format!("{} %", (comparison.progress * 100.0) as u32), comparison.progress),
        running_secs: comparison.running_secs,
        failure: comparison.failure.as_deref(),
    };
    ProgressPart::of(played, visit)
}

/// `GET /comparisons/{comparison}`
pub(crate) async fn show(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let comparison = app.store.comparison(id).await?;
    let subject = &comparison.subject;
    let visit = Visit { day: subject.day, ..visit };
    let zone = &visit.centre.zone;
    let result = match &comparison.result {
        Some(result) => Some(ResultView::of(&comparison, result, zone)?),
        None => None,
    };
    let first = comparison.inputs.candidates.first();
    let days = days_words(subject.day, subject.days);
    let question = if comparison.inputs.axes.is_empty() {
        format!("Which is better on {days} for {}?", subject.name)
    } else {
        format!("What does a setting do on {days} for {}?", subject.name)
    };
    let replications = first.map_or(0, |first| first.inputs.replications);
    page(&ShowPage {
        frame: Frame::of(&visit, Stage::Trials, only_type(&subject.contact_types)),
        question,
        progress: progress_of(&comparison, &visit),
        facts: format!(
            "{}. {} simulated days each, the same customers for all, seed {}; asked for on {}.",
            comparison.title,
            words::thousands(f64::from(replications)),
            first.map_or(0, |first| first.inputs.seed),
            words::moment(comparison.created_at, zone),
        ),
        result,
        again: format!("/comparisons?day={}{}", subject.day, named(&subject.contact_types)),
        json: format!("/comparisons/{id}/comparison.json"),
    })
}

/// `GET /comparisons/{comparison}/progress`: asked for again and again while it is played.
pub(crate) async fn progress(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    progress_of(&app.store.comparison(id).await?, &visit).response()
}

/// `POST /comparisons/{comparison}/cancel`
pub(crate) async fn cancel(
    State(app): State<App>,
    Planner(_): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.cancel_comparison(id).await?;
    Ok(Redirect::to(&format!("/comparisons/{id}")).into_response())
}

/// `GET /comparisons/{comparison}/comparison.json`: everything that the numbers follow from, and the
/// numbers.
pub(crate) async fn export(
    State(app): State<App>,
    _: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let comparison = app.store.comparison(id).await?;
    if comparison.state != TrialState::Done {
        return Err(PageError::NotFound);
    }
    let kept = serde_json::json!({ "inputs": comparison.inputs, "result": comparison.result });
    let text = serde_json::to_string_pretty(&kept)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&format!("comparison-{}.json", comparison.subject.day), text))
}
