//! Re-forecasting all contact types.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};

use crate::App;
use crate::access::Planner;
use crate::frame::Stage;
use crate::page_error::PageError;

/// `POST /demand/forecast-all`
pub(crate) async fn start(
    State(app): State<App>,
    Planner(visit): Planner,
) -> Result<Response, PageError> {
    app.store.queue_forecast_run(visit.centre.id, Some(visit.user.id)).await?;
    Ok(Redirect::to(&Stage::Demand.address(visit.day, None)).into_response())
}
