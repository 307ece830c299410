//! Forecasts that a worker makes.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use uuid::Uuid;

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

/// The run that makes the forecast of a contact type, while it waits or is under way.
pub(super) async fn open_run_of(
    app: &App,
    context: &RequestContext,
    contact_type: Uuid,
) -> Result<Option<ProgressPart>, PageError> {
    let Some(run) = app.store.open_forecast_run(context.centre.id).await? else { return Ok(None) };
    let types = app.store.forecast_run_types(run.id).await?;
    let is_meant = types.is_none_or(|types| types.contains(&contact_type));
    Ok(is_meant.then(|| ProgressPart::of(&run, context)))
}
