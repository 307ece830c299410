//! The part of a trial's page that changes while it is played.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Trial, TrialState};
use uuid::Uuid;

use super::state_word;
use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::Path;
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

/// The part of a trial's page that changes while it is played.
#[derive(Template)]
#[template(path = "trials/progress.html")]
pub(super) struct ProgressPart {
    address: String,
    cancel: String,
    state: TrialState,
    is_over: bool,
    played: u32,
    replications: u32,
    failure: Option<String>,
    left: Option<String>,
    may_cancel: bool,
    is_stopping: bool,
}

impl ProgressPart {
    pub fn of(trial: &Trial, visit: &Visit) -> Self {
        Self {
            address: format!("/trials/{}/progress", trial.id),
            cancel: format!("/trials/{}/cancel", trial.id),
            state: trial.state,
            is_over: trial.state.is_over(),
            played: trial.played,
            replications: trial.inputs.replications,
            failure: trial.failure.clone(),
            left: words::time_left(
                trial.running_secs,
                f64::from(trial.played) / f64::from(trial.inputs.replications.max(1)),
            ),
            may_cancel: visit.may_plan(),
            is_stopping: trial.cancel_requested,
        }
    }

    fn word(&self) -> &'static str {
        if self.is_stopping && !self.is_over { "stopping" } else { state_word(self.state) }
    }
}

/// `GET /trials/{trial}/progress`: asked for again and again while a trial is played. Once it is
/// over the page is loaded anew.
pub(crate) async fn progress(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let mut response = page(&ProgressPart::of(&trial, &visit))?;
    if trial.state.is_over() {
        response.headers_mut().insert("hx-refresh", axum::http::HeaderValue::from_static("true"));
    }
    Ok(response)
}

/// `POST /trials/{trial}/cancel`
pub(crate) async fn cancel(
    State(app): State<App>,
    Planner(_): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.cancel_trial(id).await?;
    Ok(Redirect::to(&format!("/trials/{id}")).into_response())
}
