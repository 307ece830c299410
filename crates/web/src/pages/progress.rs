//! Runs on a page: how far one is, what is left, and a way to stop it. One part for all long work.

use askama::Template;
use axum::extract::State;
use axum::http::HeaderValue;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Run, RunKind, RunState};
use uuid::Uuid;

use super::page;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Path;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::words;

/// How far a run is.
#[derive(Template)]
#[template(path = "progress.html")]
pub(crate) struct ProgressPart {
    id: Uuid,
    state: RunState,
    is_stopping: bool,
    /// What is done, in words: "75 of 200 days".
    done: String,
    /// What it has come to so far, as a finished run says it.
    over: &'static str,
    percent: u32,
    left: Option<String>,
    failure: Option<String>,
    may_cancel: bool,
    /// Where it is asked how far it is.
    asks: String,
}

impl ProgressPart {
    pub fn of(run: &Run, context: &RequestContext) -> Self {
        let unit = match run.kind {
            RunKind::Trial => "days",
            RunKind::Comparison => "parts",
            RunKind::Shifts => "s",
            RunKind::Forecasts => "forecasts",
            RunKind::Account => "scenarios",
            RunKind::Search => "simulated days",
            RunKind::Report => "report",
            RunKind::Answer => "steps",
            RunKind::Drawing => "file",
        };
        let count = |work: u32| words::thousands(f64::from(work));
        Self {
            id: run.id,
            state: run.state,
            is_stopping: run.cancel_requested && !run.state.is_over(),
            done: match run.kind {
                // It ends when it is done, long before what it may take at most.
                RunKind::Search | RunKind::Answer => format!("{} {unit}", count(run.work_done)),
                _ => format!("{} of {} {unit}", count(run.work_done), count(run.work_total)),
            },
            over: match run.kind {
                RunKind::Forecasts => "forecasts made until then are kept",
                _ => "there is no result",
            },
            percent: (run.progress() * 100.0) as u32,
            left: match run.kind {
                RunKind::Search | RunKind::Answer => None,
                _ => words::time_left(run.running_secs, run.progress()),
            },
            failure: run.failure.clone(),
            may_cancel: context.may_plan(),
            asks: format!("/runs/{}/progress", run.id),
        }
    }

    /// The same within a part of a page that is asked for at its own address, and that stands there once it is over.
    pub fn within(mut self, address: String) -> Self {
        self.asks = address;
        self
    }

    fn word(&self) -> &'static str {
        if self.is_stopping { "stopping" } else { state_word(self.state) }
    }

    fn is_over(&self) -> bool {
        self.state.is_over()
    }
}

/// A kind in a word.
pub(crate) const fn kind_word(kind: RunKind) -> &'static str {
    match kind {
        RunKind::Trial => "trial",
        RunKind::Comparison => "comparison",
        RunKind::Shifts => "shifts",
        RunKind::Forecasts => "forecasts",
        RunKind::Account => "account",
        RunKind::Search => "search",
        RunKind::Report => "report",
        RunKind::Answer => "answer",
        RunKind::Drawing => "drawing",
    }
}

/// A state in words.
pub(crate) const fn state_word(state: RunState) -> &'static str {
    match state {
        RunState::Queued => "queued",
        RunState::Running => "running",
        RunState::Done => "done",
        RunState::Failed => "failed",
        RunState::Cancelled => "cancelled",
    }
}

/// `GET /runs/{run}/progress`: asked for again and again while a run goes on; once it is over, the page
/// that shows it is loaded again.
pub(crate) async fn progress(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let run = app.store.run(id).await?;
    let mut response = page(&ProgressPart::of(&run, &context))?;
    if run.state.is_over() {
        response.headers_mut().insert("hx-refresh", HeaderValue::from_static("true"));
    }
    Ok(response)
}

/// `POST /runs/{run}/cancel`
pub(crate) async fn cancel(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let run = app.store.run(id).await?;
    app.store.cancel_run(id).await?;
    back_to(&app, &context, &run).await
}

/// `POST /runs/{run}/retry`: a run that failed or was cancelled, once more.
pub(crate) async fn retry(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let run = app.store.run(id).await?;
    // Pressed twice, it is queued once.
    app.store.retry_run(id).await?;
    back_to(&app, &context, &run).await
}

async fn back_to(app: &App, context: &RequestContext, run: &Run) -> Result<Response, PageError> {
    Ok(Redirect::to(&address(app, context, run).await?).into_response())
}

/// The page that shows a run.
pub(crate) async fn address(
    app: &App,
    context: &RequestContext,
    run: &Run,
) -> Result<String, PageError> {
    let id = run.id;
    Ok(match run.kind {
        RunKind::Trial => format!("/trials/{id}"),
        RunKind::Comparison => format!("/comparisons/{id}"),
        RunKind::Forecasts => Stage::Demand.address(context.day, None),
        RunKind::Account => "/watch/account".to_owned(),
        RunKind::Search => format!("/searches/{id}"),
        RunKind::Report => format!("/reports/editions/{id}"),
        RunKind::Answer => app.store.question(id).await?.1,
        RunKind::Drawing => format!("/reports/drawings/{id}"),
        RunKind::Shifts => {
            let contact_type = app.store.shift_search(id).await?.contact_type;
            format!("/staffing/{contact_type}/roster?day={}", context.day)
        }
    })
}
