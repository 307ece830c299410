//! Expectations: walk-throughs that are kept, and checked on whatever version is looked at.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::Store;
use barometer_strategy::Strategy;
use barometer_walk::{Expectation, Outcome, Scene, WalkEnd, read_expectations, write_expectations};
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use super::files::Uploaded;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports;
use crate::extract::{Form, Multipart, Path};
use crate::page_error::PageError;

/// Characters of a name, at most.
const MOST_NAME_CHARS: usize = 120;
/// Expectations of a centre, at most: they are checked whenever a version is shown.
const MOST_EXPECTATIONS: usize = 200;

/// An expectation beside what happens.
pub(crate) struct ExpectationRow {
    pub id: Uuid,
    pub name: String,
    pub is_met: bool,
    pub told: String,
}

/// The centre's expectations, checked on a version.
pub(crate) async fn checked(
    store: &Store,
    centre: Uuid,
    strategy: &Strategy,
    zone: &TimeZone,
) -> Result<Vec<ExpectationRow>, PageError> {
    let kept = store.expectations(centre).await?;
    let row = |(id, expectation): (Uuid, Expectation)| {
        let checked = expectation.check(strategy, zone);
        ExpectationRow { id, name: expectation.name, is_met: checked.is_met, told: checked.told }
    };
    Ok(kept.into_iter().map(row).collect())
}

#[derive(Deserialize)]
pub(crate) struct KeepForm {
    name: String,
    /// The scene as JSON, as the page wrote it.
    scene: String,
    end: String,
    within_secs: String,
}

/// `POST /strategy/expectations`: keeps a walk-through as an expectation.
pub(crate) async fn keep(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<KeepForm>,
) -> Result<Response, PageError> {
    let name = form.name.trim();
    if name.is_empty() || name.chars().count() > MOST_NAME_CHARS || name.contains(char::is_control)
    {
        let wanted = format!("Nothing was saved: a name has 1 to {MOST_NAME_CHARS} characters.");
        return Err(PageError::Refused(wanted));
    }
    let scene = Scene::from_json(&form.scene).map_err(PageError::Refused)?;
    let end: WalkEnd = serde_json::from_value(serde_json::Value::String(form.end))
        .map_err(|_| PageError::Refused("Nothing was saved: choose how it ends.".to_owned()))?;
    let within_secs = match form.within_secs.trim() {
        "" => None,
        text => match text.parse::<f64>() {
            Ok(secs) if secs.is_finite() && secs >= 0.0 => Some(secs),
            _ => {
                let told = format!("Nothing was saved: “{text}” is no number of seconds.");
                return Err(PageError::Refused(told));
            }
        },
    };
    let expects = Outcome { end: Some(end), reaches: None, within_secs };
    let expectation = Expectation { name: name.to_owned(), scene, expects };
    save(&app, &context, vec![expectation]).await
}

/// `POST /strategy/expectations/import`: all expectations of a CSV file, or none.
pub(crate) async fn import(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, .. } = Uploaded::of(parts).await?;
    let expectations = read_expectations(&text)
        .map_err(|wrong| PageError::Refused(format!("Nothing was saved. {}.", wrong.join(". "))))?;
    save(&app, &context, expectations).await
}

async fn save(
    app: &App,
    context: &RequestContext,
    expectations: Vec<Expectation>,
) -> Result<Response, PageError> {
    let centre = context.centre.id;
    let kept = app.store.expectations(centre).await?;
    let new = expectations
        .iter()
        .filter(|each| kept.iter().all(|(_, other)| other.name != each.name))
        .count();
    if kept.len() + new > MOST_EXPECTATIONS {
        return Err(PageError::Refused(format!(
            "Nothing was saved: a centre has up to {MOST_EXPECTATIONS} expectations. Remove some first."
        )));
    }
    app.store.save_expectations(centre, &expectations, Some(context.user.id)).await?;
    Ok(to_list(context))
}

/// `POST /strategy/expectations/{expectation}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path(expectation): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.remove_expectation(context.centre.id, expectation).await?;
    Ok(to_list(&context))
}

fn to_list(context: &RequestContext) -> Response {
    Redirect::to(&format!("/strategy?day={}#expectations", context.day)).into_response()
}

/// `GET /strategy/expectations.csv`
pub(crate) async fn export_expectations(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    let kept = app.store.expectations(context.centre.id).await?;
    let kept: Vec<Expectation> = kept.into_iter().map(|(_, expectation)| expectation).collect();
    let text = write_expectations(&kept);
    Ok(exports::attachment("expectations.csv", "text/csv; charset=utf-8", text.into_bytes()))
}
