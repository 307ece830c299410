//! A request that was begun is worked off to its end, even if the client has gone meanwhile: a change is made whole, with
//! its line in the trail, and no connection to the database is left in the middle of an answer.

use std::panic::resume_unwind;

use axum::extract::Request;
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use tokio::sync::Semaphore;
use tracing::Instrument;

/// Requests that are worked off at the same time, whether anybody waits for them or not. The others wait for their turn,
/// and are dropped if their client goes first. As many as there may be connections, so that clients that stay need not
/// wait for those that have gone sooner than they would for each other.
static PLACES: Semaphore = Semaphore::const_new(1024);

/// Answers a request in a task of its own.
pub(crate) async fn answered(request: Request, next: Next) -> Response {
    let place = PLACES.acquire().await;
    let work = async move {
        let answer = next.run(request).await;
        drop(place);
        answer
    };
    match tokio::spawn(work.in_current_span()).await {
        Ok(answer) => answer,
        Err(error) => match error.try_into_panic() {
            Ok(panic) => resume_unwind(panic),
            // The server stops.
            Err(_) => StatusCode::SERVICE_UNAVAILABLE.into_response(),
        },
    }
}
