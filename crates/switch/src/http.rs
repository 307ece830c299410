//! The switch over HTTP.

use std::convert::Infallible;
use std::sync::Arc;
use std::time::Duration;

use axum::extract::rejection::JsonRejection;
use axum::extract::{DefaultBodyLimit, Path, Query, Request, State};
use axum::http::{StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, put};
use axum::{Json, Router};
use barometer_wire::{
    Accepted, Conduct, DayPlan, Disturbance, IntervalPage, Live, Refusal, Release, StaffingPage,
    openapi, paths,
};
use futures_util::stream::{self, Stream, StreamExt};
use jiff::civil::Date;
use serde::Deserialize;
use sha2::{Digest, Sha256};
use tokio::sync::oneshot;
use tokio_stream::wrappers::{BroadcastStream, WatchStream};

use crate::known::{Answer, Refused};
use crate::world::{Command, Seen, Switch};

/// The largest document that is taken: a strategy with its lists.
const MOST_BYTES: usize = 32 << 20;
/// Rows of a page, unless told otherwise and at most.
const ROWS: usize = 1000;
const MOST_ROWS: usize = 20_000;
/// The longest that the world may take to answer.
const MOST_WAIT: Duration = Duration::from_secs(20);

#[derive(Clone)]
struct Line {
    seen: Seen,
    commands: std::sync::mpsc::Sender<Command>,
    /// Compared instead of the token, so that the time of the comparison tells nothing.
    token: [u8; 32],
}

impl Switch {
    /// The interface of this switch.
    pub fn router(&self) -> Router {
        let line = Line {
            seen: self.seen.clone(),
            commands: self.commands.clone(),
            token: Sha256::digest(self.token.as_bytes()).into(),
        };
        let below = |path: &str, parameter: &str| format!("{path}/{{{parameter}}}");
        Router::new()
            .route(paths::LIVE, get(live))
            .route(&below(paths::RELEASES, "number"), put(publish))
            .route(&below(paths::DAYS, "date"), put(plan))
            .route(paths::STATE, get(state))
            .route(paths::INTERVALS, get(intervals))
            .route(paths::STAFFING, get(staffing))
            .route(paths::EVENTS, get(events))
            .layer(middleware::from_fn_with_state(line.clone(), not_out_of_order))
            .route(paths::CONDUCT, get(conduct).post(behave))
            .layer(middleware::from_fn_with_state(line.clone(), with_token))
            .route(paths::OPENAPI, get(|| async { Json(openapi()) }))
            .layer(DefaultBodyLimit::max(MOST_BYTES))
            .with_state(line)
    }
}

fn refusal(status: StatusCode, message: impl Into<String>) -> Response {
    (status, Json(Refusal { message: message.into() })).into_response()
}

impl IntoResponse for Refused {
    fn into_response(self) -> Response {
        match self {
            Self::Conflict(message) => refusal(StatusCode::CONFLICT, message),
            Self::Impossible(message) => refusal(StatusCode::UNPROCESSABLE_ENTITY, message),
            Self::Failed(message) => refusal(StatusCode::SERVICE_UNAVAILABLE, message),
        }
    }
}

async fn with_token(State(line): State<Line>, request: Request, next: Next) -> Response {
    let shown = request.headers().get(header::AUTHORIZATION).and_then(|value| value.to_str().ok());
    let shown = shown.and_then(|value| value.strip_prefix("Bearer ")).unwrap_or_default();
    let shown: [u8; 32] = Sha256::digest(shown.as_bytes()).into();
    if shown != line.token {
        return refusal(StatusCode::UNAUTHORIZED, "the token is missing or wrong");
    }
    next.run(request).await
}

/// During an outage the switch tells nothing and takes nothing.
async fn not_out_of_order(State(line): State<Line>, request: Request, next: Next) -> Response {
    let state = line.seen.state.borrow().clone();
    let is_out = state.is_some_and(|state| {
        state.disturbances.iter().any(|each| matches!(each, Disturbance::Outage { .. }))
    });
    if is_out {
        return refusal(StatusCode::SERVICE_UNAVAILABLE, "the switch is out of order");
    }
    next.run(request).await
}

async fn ask<T>(
    line: &Line,
    command: impl FnOnce(oneshot::Sender<Answer<T>>) -> Command,
) -> Answer<T> {
    let (answer, answered) = oneshot::channel();
    let gone = || Refused::Failed("the switch has stopped".to_owned());
    line.commands.send(command(answer)).map_err(|_| gone())?;
    match tokio::time::timeout(MOST_WAIT, answered).await {
        Ok(answer) => answer.map_err(|_| gone())?,
        Err(_) => Err(Refused::Failed("the switch is busy; ask again".to_owned())),
    }
}

fn document<T>(sent: Result<Json<T>, JsonRejection>) -> Answer<T> {
    sent.map(|Json(document)| document).map_err(|error| Refused::Impossible(error.body_text()))
}

async fn live(State(line): State<Line>) -> Json<Live> {
    Json(line.seen.live())
}

async fn publish(
    State(line): State<Line>,
    Path(number): Path<u32>,
    sent: Result<Json<Release>, JsonRejection>,
) -> Answer<Json<Accepted>> {
    let release = document(sent)?;
    if release.number != number {
        let message = format!("number: {}, but the address says {number}", release.number);
        return Err(Refused::Impossible(message));
    }
    ask(&line, |answer| Command::Publish(Box::new(release), answer)).await.map(Json)
}

async fn plan(
    State(line): State<Line>,
    Path(date): Path<Date>,
    sent: Result<Json<DayPlan>, JsonRejection>,
) -> Answer<Json<()>> {
    let plan = document(sent)?;
    if plan.date != date {
        let message = format!("date: {}, but the address says {date}", plan.date);
        return Err(Refused::Impossible(message));
    }
    ask(&line, |answer| Command::Plan(Box::new(plan), answer)).await.map(Json)
}

async fn state(State(line): State<Line>) -> Response {
    let state = line.seen.state.borrow().clone();
    match state {
        Some(state) => Json(state.as_ref()).into_response(),
        None => refusal(StatusCode::SERVICE_UNAVAILABLE, "the switch is starting"),
    }
}

#[derive(Deserialize)]
struct PageQuery {
    #[serde(default)]
    after: u64,
    limit: Option<usize>,
}

impl PageQuery {
    fn limit(&self) -> usize {
        self.limit.unwrap_or(ROWS).clamp(1, MOST_ROWS)
    }
}

async fn intervals(State(line): State<Line>, Query(page): Query<PageQuery>) -> Json<IntervalPage> {
    Json(line.seen.intervals(page.after, page.limit()))
}

async fn staffing(State(line): State<Line>, Query(page): Query<PageQuery>) -> Json<StaffingPage> {
    Json(line.seen.staffing(page.after, page.limit()))
}

async fn events(State(line): State<Line>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let states = WatchStream::new(line.seen.state.clone()).filter_map(|state| async move {
        Event::default().event("state").json_data(state?.as_ref()).ok()
    });
    let happened = BroadcastStream::new(line.seen.happened.subscribe());
    // A listener who is too far behind misses events, not states.
    let happened = happened.filter_map(|happened| async move {
        let happened: Arc<crate::world::Happened> = happened.ok()?;
        Event::default().event(happened.of).json_data(happened.as_ref()).ok()
    });
    let all = stream::select(states, happened).map(Ok);
    Sse::new(all).keep_alive(KeepAlive::default())
}

async fn conduct(State(line): State<Line>) -> Json<Conduct> {
    Json(line.seen.conduct())
}

async fn behave(
    State(line): State<Line>,
    sent: Result<Json<Conduct>, JsonRejection>,
) -> Answer<Json<Conduct>> {
    let conduct = document(sent)?;
    ask(&line, |answer| Command::Conduct(conduct, answer)).await.map(Json)
}
