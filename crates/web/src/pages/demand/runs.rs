//! Forecasts that a worker makes.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{ContactType, RunState};

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::progress::ProgressPart;

/// `POST /demand/forecast-all`
pub(crate) async fn start(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    app.store.queue_forecast_run(context.centre.id, Some(context.user.id)).await?;
    Ok(Redirect::to(&Stage::Demand.address(context.day, None)).into_response())
}

/// The run that makes the forecast of a contact type: while it waits or is under way, and where it failed or
/// was cancelled, so that what is shown is older than what it is made from.
pub(super) async fn run_of(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
) -> Result<Option<ProgressPart>, PageError> {
    let run = app.store.last_forecast_run_of(contact_type).await?;
    let run = run.filter(|run| run.state != RunState::Done);
    Ok(run.map(|run| ProgressPart::of(&run, context)))
}

/// The run that makes forecasts of the centre, while it waits or is under way.
pub(super) async fn open_run(
    app: &App,
    context: &RequestContext,
) -> Result<Option<ProgressPart>, PageError> {
    let run = app.store.open_forecast_run(context.centre.id).await?;
    Ok(run.map(|run| ProgressPart::of(&run, context)))
}
