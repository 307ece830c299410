//! Whether the server is alive, and whether it can work.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use serde::Serialize;

use crate::App;

/// A run that has waited longer than this for a worker is named.
const LONG_WAIT_SECS: f64 = 900.0;

/// What `GET /health/ready` answers.
#[derive(Serialize)]
struct Ready {
    /// Whether pages can be shown.
    ready: bool,
    /// Migrations that the database lacks; none where it does not answer.
    missing_migrations: Option<usize>,
    /// Workers alive.
    workers: Option<i64>,
    /// Age of the oldest run that waits, in seconds.
    oldest_waiting_run_secs: Option<f64>,
    /// What somebody should look at.
    warnings: Vec<&'static str>,
}

/// `GET /health/live`: the process answers.
pub(crate) async fn live() -> &'static str {
    "ok"
}

/// `GET /health/ready`: 200 when pages can be shown, 503 when not.
pub(crate) async fn ready(State(app): State<App>) -> Response {
    let ready = match app.store.operating_state().await {
        Err(error) => {
            tracing::warn!(%error, "not ready");
            Ready {
                ready: false,
                missing_migrations: None,
                workers: None,
                oldest_waiting_run_secs: None,
                warnings: vec!["the database does not answer"],
            }
        }
        Ok(state) => {
            let waits_long = state.oldest_waiting_secs.is_some_and(|secs| secs > LONG_WAIT_SECS);
            let warnings = [
                (state.missing_migrations > 0, "migrations are missing: run `barometer migrate`"),
                (state.workers == 0, "no worker has given a sign of life for a minute"),
                (waits_long, "a run has waited for over 15 minutes"),
            ];
            let warnings = warnings.into_iter().filter(|(is_so, _)| *is_so);
            Ready {
                ready: state.missing_migrations == 0,
                missing_migrations: Some(state.missing_migrations),
                workers: Some(state.workers),
                oldest_waiting_run_secs: state.oldest_waiting_secs,
                warnings: warnings.map(|(_, warning)| warning).collect(),
            }
        }
    };
    let status = if ready.ready { StatusCode::OK } else { StatusCode::SERVICE_UNAVAILABLE };
    (status, Json(ready)).into_response()
}
