//! How far a trial is.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::Trial;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::Path;
use crate::page_error::PageError;
use crate::pages::progress::{Played, ProgressPart};

/// The part of a trial's page that changes while it is played.
pub(super) fn part_of(trial: &Trial, visit: &Visit) -> ProgressPart {
    let all = trial.inputs.replications;
    let played = Played {
        address: format!("/trials/{}", trial.id),
        state: trial.state,
        is_cancel_requested: trial.cancel_requested,
        done: (
            format!("{} of {all} days", trial.played),
            f64::from(trial.played) / f64::from(all.max(1)),
        ),
        running_secs: trial.running_secs,
        failure: trial.failure.as_deref(),
    };
    ProgressPart::of(played, visit)
}

/// `GET /trials/{trial}/progress`: asked for again and again while a trial is played.
pub(crate) async fn progress(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    part_of(&app.store.trial(id).await?, &visit).response()
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
