//! Every request gets an id, which its answer carries; where it is set, every request is logged with it.

use std::time::Instant;

use axum::extract::{MatchedPath, Request, State};
use axum::http::{HeaderName, HeaderValue};
use axum::middleware::Next;
use axum::response::Response;
use tracing::Instrument;
use uuid::Uuid;

use crate::App;

const REQUEST_ID: HeaderName = HeaderName::from_static("x-request-id");
/// Longest id that is taken over from a proxy.
const LONGEST_ID: usize = 64;

/// An id of our own, or the one that a proxy gave the request.
fn id_of(request: &Request) -> String {
    let given = request.headers().get(&REQUEST_ID).and_then(|given| given.to_str().ok());
    let is_plain = |given: &&str| {
        (1..=LONGEST_ID).contains(&given.len())
            && given.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
    };
    given.filter(is_plain).map_or_else(|| Uuid::new_v4().to_string(), str::to_owned)
}

/// What is logged of an address: not what is secret in it, and not its query, which may hold what people typed.
fn path_of(request: &Request) -> String {
    let route = request.extensions().get::<MatchedPath>().map(MatchedPath::as_str);
    let secret = route.filter(|route| route.contains("{secret}"));
    secret.unwrap_or_else(|| request.uri().path()).to_owned()
}

/// Answers within a span that has the request's id: everything that is logged meanwhile has it too.
pub(crate) async fn logged(State(app): State<App>, request: Request, next: Next) -> Response {
    let id = id_of(&request);
    let (method, path) = (request.method().clone(), path_of(&request));
    let begun = Instant::now();
    let span = tracing::info_span!("request", id);
    let mut answer = next.run(request).instrument(span.clone()).await;
    if let Ok(id) = HeaderValue::from_str(&id) {
        answer.headers_mut().insert(REQUEST_ID, id);
    }
    if app.settings.access_log {
        let millis = begun.elapsed().as_secs_f64() * 1_000.0;
        let status = answer.status().as_u16();
        span.in_scope(|| tracing::info!(%method, path, status, millis, "answered"));
    }
    answer
}
