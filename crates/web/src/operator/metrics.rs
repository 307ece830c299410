//! Figures in the text form that Prometheus and its like read.

use std::time::Instant;

use axum::extract::{MatchedPath, Request, State};
use axum::http::{StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use barometer_store::{OperatingFigures, OperatingState};
use prometheus_client::encoding::EncodeLabelSet;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::metrics::histogram::Histogram;
use prometheus_client::registry::Registry;
use std::sync::atomic::AtomicU64;

use crate::App;
use crate::extract::ClientAddress;
use crate::page_error::PageError;
use crate::pages::progress::{kind_word, state_word};

/// Seconds within which answers are counted.
const WITHIN_SECS: [f64; 9] = [0.005, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 3.0, 10.0];

/// An amount with a fraction.
type Amount = Gauge<f64, AtomicU64>;

/// What a request was answered with. Routes and not addresses: there are few of them.
#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Answered {
    route: String,
    method: String,
    status: u16,
}

#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Route {
    route: String,
}

#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct OfKind {
    kind: String,
    state: String,
}

#[derive(Clone, Debug, PartialEq, Eq, Hash, EncodeLabelSet)]
struct OfState {
    state: String,
}

/// What this process counts.
#[derive(Clone, Debug)]
pub(crate) struct Metrics {
    requests: Family<Answered, Counter>,
    secs: Family<Route, Histogram, fn() -> Histogram>,
    /// Attempts to sign in that were refused.
    pub refused_sign_ins: Counter,
}

impl Default for Metrics {
    fn default() -> Self {
        Self {
            requests: Family::default(),
            secs: Family::new_with_constructor(|| Histogram::new(WITHIN_SECS)),
            refused_sign_ins: Counter::default(),
        }
    }
}

/// Counts a request under its route.
pub(crate) async fn measured(State(app): State<App>, request: Request, next: Next) -> Response {
    let begun = Instant::now();
    let matched = request.extensions().get::<MatchedPath>();
    let route = matched.map_or("none", MatchedPath::as_str).to_owned();
    let method = request.method().to_string();
    let answer = next.run(request).await;
    let secs = begun.elapsed().as_secs_f64();
    app.metrics.secs.get_or_create(&Route { route: route.clone() }).observe(secs);
    let answered = Answered { route, method, status: answer.status().as_u16() };
    app.metrics.requests.get_or_create(&answered).inc();
    answer
}

/// `GET /metrics`: for requests with the token or, where none is set, from this machine alone. Behind a proxy every
/// request comes from this machine: there the token is needed.
pub(crate) async fn show(
    State(app): State<App>,
    ClientAddress(address): ClientAddress,
    request: Request,
) -> Result<Response, PageError> {
    let shown = request.headers().get(header::AUTHORIZATION).and_then(|shown| shown.to_str().ok());
    let is_near = address.is_some_and(|address| address.is_loopback());
    let is_let = match &app.settings.metrics_token {
        Some(token) => shown
            .and_then(|shown| shown.strip_prefix("Bearer "))
            .is_some_and(|shown| is_same(shown, token)),
        None => {
            let is_by_proxy =
                app.settings.https || request.headers().contains_key("x-forwarded-for");
            is_near && !is_by_proxy
        }
    };
    if !is_let {
        return Ok(StatusCode::FORBIDDEN.into_response());
    }
    let (state, figures) =
        tokio::try_join!(app.store.operating_state(), app.store.operating_figures())?;
    let text = text(&app.metrics, &state, figures)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    let kind = "application/openmetrics-text; version=1.0.0; charset=utf-8";
    Ok(([(header::CONTENT_TYPE, kind)], text).into_response())
}

/// Compared by digest, so that time tells nothing of how much was right.
fn is_same(shown: &str, token: &str) -> bool {
    use sha2::{Digest, Sha256};
    Sha256::digest(shown) == Sha256::digest(token)
}

fn text(
    metrics: &Metrics,
    state: &OperatingState,
    figures: OperatingFigures,
) -> Result<String, std::fmt::Error> {
    let mut registry = Registry::with_prefix("barometer");
    registry.register("http_requests", "Requests answered", metrics.requests.clone());
    registry.register("http_request_secs", "Seconds until an answer", metrics.secs.clone());
    registry.register(
        "sign_ins_refused",
        "Attempts to sign in that were refused",
        metrics.refused_sign_ins.clone(),
    );
    let runs: Family<OfKind, Gauge> = Family::default();
    for (kind, state, count) in figures.runs {
        let (kind, state) = (kind_word(kind).to_owned(), state_word(state).to_owned());
        runs.get_or_create(&OfKind { kind, state }).set(count);
    }
    registry.register("runs", "Runs by kind and state", runs);
    for (name, help, counts) in [
        ("imports", "Imports by state", figures.imports),
        ("messages", "Messages of the outbox by state", figures.messages),
    ] {
        let family: Family<OfState, Gauge> = Family::default();
        for (state, count) in counts {
            family.get_or_create(&OfState { state }).set(count);
        }
        registry.register(name, help, family);
    }
    let connections: Family<OfState, Gauge> = Family::default();
    let (open, idle) = figures.connections;
    let idle = i64::try_from(idle).unwrap_or(i64::MAX);
    for (state, count) in [("idle", idle), ("in_use", i64::from(open) - idle)] {
        connections.get_or_create(&OfState { state: state.to_owned() }).set(count);
    }
    registry.register("database_connections", "Connections of this process", connections);
    let whole = [
        ("workers", "Workers that gave a sign of life in the last minute", state.workers),
        ("database_bytes", "Size of the database", figures.database_bytes),
    ];
    for (name, help, count) in whole {
        let gauge: Gauge = Gauge::default();
        gauge.set(count);
        registry.register(name, help, gauge);
    }
    let ages = [
        ("oldest_waiting_run_secs", "Age of the oldest run that waits", state.oldest_waiting_secs),
        ("oldest_forecast_secs", "Age of the oldest forecast", figures.oldest_forecast_secs),
    ];
    for (name, help, secs) in ages {
        let gauge = Amount::default();
        gauge.set(secs.unwrap_or(0.0));
        registry.register(name, help, gauge);
    }
    let mut text = String::new();
    encode(&mut text, &registry)?;
    Ok(text)
}
