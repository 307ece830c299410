//! All forecasts anew, with progress.

use askama::Template;
use axum::extract::State;
use axum::http::HeaderValue;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{ForecastRun, RunState};
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::Path;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::page;

#[derive(Template)]
#[template(path = "demand/run.html")]
pub(super) struct RunPanel {
    words: String,
    share: f64,
    is_over: bool,
    may_cancel: bool,
    progress: String,
    cancel: String,
}

impl RunPanel {
    pub fn of(run: &ForecastRun, visit: &Visit) -> Self {
        let ForecastRun { id, total, done, state, .. } = run;
        Self {
            words: match state {
                RunState::Waiting => "All forecasts wait to be made anew.".to_owned(),
                RunState::Running => format!("{done} of {total} forecasts are made anew."),
                RunState::Done => format!("All {total} forecasts are made anew."),
                RunState::Cancelled => format!("Stopped after {done} of {total} forecasts."),
                RunState::Failed => {
                    format!("It broke off after {done} of {total} forecasts; try again.")
                }
            },
            share: f64::from(*done) / f64::from((*total).max(1)),
            is_over: state.is_over(),
            may_cancel: visit.may_plan() && !state.is_over(),
            progress: format!("/demand/forecast-all/{id}?day={}", visit.day),
            cancel: format!("/demand/forecast-all/{id}/cancel?day={}", visit.day),
        }
    }
}

/// `POST /demand/forecast-all`
pub(crate) async fn start(
    State(app): State<App>,
    Planner(visit): Planner,
) -> Result<Response, PageError> {
    app.store.queue_forecast_run(visit.centre.id, Some(visit.user.id)).await?;
    Ok(Redirect::to(&Stage::Demand.address(visit.day, None)).into_response())
}

/// `GET /demand/forecast-all/{run}`: the progress alone; the whole page again when it is over.
pub(crate) async fn progress(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let run = app.store.forecast_run(id).await?;
    let mut response = page(&RunPanel::of(&run, &visit))?;
    if run.state.is_over() {
        response.headers_mut().insert("hx-refresh", HeaderValue::from_static("true"));
    }
    Ok(response)
}

/// `POST /demand/forecast-all/{run}/cancel`
pub(crate) async fn cancel(
    State(app): State<App>,
    Planner(visit): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.forecast_run(id).await?;
    app.store.end_forecast_run(id, RunState::Cancelled).await?;
    Ok(Redirect::to(&Stage::Demand.address(visit.day, None)).into_response())
}
