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
use crate::pages::trials::state_word;
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

#[derive(Template)]
#[template(path = "comparisons/progress.html")]
struct ProgressPart {
    address: String,
    cancel: String,
    is_over: bool,
    is_stopping: bool,
    is_cancelled: bool,
    word: &'static str,
    percent: u32,
    left: Option<String>,
    failure: Option<String>,
    may_cancel: bool,
}

impl ProgressPart {
    fn of(comparison: &Comparison, visit: &Visit) -> Self {
        let is_over = comparison.state.is_over();
        let is_stopping = comparison.cancel_requested && !is_over;
        Self {
            address: format!("/comparisons/{}/progress", comparison.id),
            cancel: format!("/comparisons/{}/cancel", comparison.id),
            is_over,
            is_stopping,
            is_cancelled: comparison.state == TrialState::Cancelled,
            word: if is_stopping { "stopping" } else { state_word(comparison.state) },
            percent: (comparison.progress * 100.0) as u32,
            left: words::time_left(comparison.running_secs, comparison.progress),
            failure: comparison.failure.clone(),
            may_cancel: visit.may_plan(),
        }
    }
}

/// `GET /comparisons/{comparison}`
pub(crate) async fn show(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let comparison = app.store.comparison(id).await?;
    let visit = Visit { day: comparison.day, ..visit };
    let zone = &visit.centre.zone;
    let result = match &comparison.result {
        Some(result) => Some(ResultView::of(&comparison, result, zone)?),
        None => None,
    };
    let first = comparison.inputs.candidates.first();
    let day = words::long_day(comparison.day);
    let question = if comparison.inputs.axes.is_empty() {
        format!("Which is better on {day} for {}?", comparison.contact_type_name)
    } else {
        format!("What does a setting do on {day} for {}?", comparison.contact_type_name)
    };
    let replications = first.map_or(0, |first| first.inputs.replications);
    page(&ShowPage {
        frame: Frame::of(&visit, Stage::Trials, Some(comparison.contact_type)),
        question,
        progress: ProgressPart::of(&comparison, &visit),
        facts: format!(
            "{}. {} simulated days each, the same customers for all, seed {}; asked for on {}.",
            comparison.title,
            words::thousands(f64::from(replications)),
            first.map_or(0, |first| first.inputs.seed),
            words::moment(comparison.created_at, zone),
        ),
        result,
        again: format!(
            "/comparisons?contact_type={}&day={}",
            comparison.contact_type, comparison.day
        ),
        json: format!("/comparisons/{id}/comparison.json"),
    })
}

/// `GET /comparisons/{comparison}/progress`: asked for again and again while it is played.
pub(crate) async fn progress(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let comparison = app.store.comparison(id).await?;
    let mut response = page(&ProgressPart::of(&comparison, &visit))?;
    if comparison.state.is_over() {
        response.headers_mut().insert("hx-refresh", axum::http::HeaderValue::from_static("true"));
    }
    Ok(response)
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
    Ok(exports::json(&format!("comparison-{}.json", comparison.day), text))
}
