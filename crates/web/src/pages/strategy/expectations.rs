//! Expectations: walk-throughs that are kept, and checked on whatever version is looked at.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::Store;
use barometer_strategy::Strategy;
use barometer_walk::{Expectation, Outcome, Scene, WalkEnd, read_expectations, write_expectations};
use jiff::tz::TimeZone;
use uuid::Uuid;

use super::change::opened_for;
use super::files::Uploaded;
use super::walk::{self, KeepForm};
use super::{ShowQuery, asked_page};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports;
use crate::extract::{Form, Multipart, Path};
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::refused;

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

/// `POST /strategy/expectations`: keeps a walk-through as an expectation.
pub(crate) async fn keep(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<KeepForm>,
) -> Result<Response, PageError> {
    let mut wrong = FormErrors::default();
    let name = form.name.trim();
    if name.is_empty() || name.chars().count() > MOST_NAME_CHARS || name.contains(char::is_control)
    {
        wrong.note(
            "name",
            format!("Nothing was saved: a name has 1 to {MOST_NAME_CHARS} characters."),
        );
    }
    // The page writes these two: nobody has typed them.
    let scene = Scene::from_json(&form.scene).map_err(PageError::Refused)?;
    let end: WalkEnd = serde_json::from_value(serde_json::Value::String(form.end.clone()))
        .map_err(|_| PageError::Refused("Nothing was saved: choose how it ends.".to_owned()))?;
    let within_secs = match form.within_secs.trim() {
        "" => None,
        text => {
            text.parse::<f64>().ok().filter(|secs| secs.is_finite() && *secs >= 0.0).or_else(|| {
                wrong.note(
                    "within_secs",
                    format!("Nothing was saved: “{text}” is no number of seconds."),
                );
                None
            })
        }
    };
    let expects = Outcome { end: Some(end), reaches: None, within_secs };
    let expectation = Expectation { name: name.to_owned(), scene, expects };
    if wrong.is_empty() {
        match save(&app, &context, &[expectation]).await? {
            Ok(()) => return Ok(to_list(&context)),
            Err(too_many) => wrong.note("name", too_many),
        }
    }
    walk::come_back(&app, &context, (form, wrong)).await
}

/// `POST /strategy/expectations/import`: all expectations of a CSV file, or none.
pub(crate) async fn import(
    State(app): State<App>,
    Planner(context): Planner,
    parts: Multipart,
) -> Result<Response, PageError> {
    let uploaded = Uploaded::of(parts).await?;
    let wrong = match read_expectations(&uploaded.text) {
        Ok(expectations) => match save(&app, &context, &expectations).await? {
            Ok(()) => return Ok(to_list(&context)),
            Err(too_many) => vec![too_many],
        },
        Err(wrong) => wrong,
    };
    let opened = opened_for(&app, &context, &uploaded.based_on).await?;
    let mut template = asked_page(&app, &context, opened, &ShowQuery::before(&context)).await?;
    template.wrong_expectations = wrong;
    refused(&template)
}

/// Saves all of them, or none: then why.
async fn save(
    app: &App,
    context: &RequestContext,
    expectations: &[Expectation],
) -> Result<Result<(), String>, PageError> {
    let centre = context.centre.id;
    let kept = app.store.expectations(centre).await?;
    let new = expectations
        .iter()
        .filter(|each| kept.iter().all(|(_, other)| other.name != each.name))
        .count();
    if kept.len() + new > MOST_EXPECTATIONS {
        return Ok(Err(format!(
            "Nothing was saved: a centre has up to {MOST_EXPECTATIONS} expectations. Remove some first."
        )));
    }
    app.store.save_expectations(centre, expectations, Some(context.user.id)).await?;
    Ok(Ok(()))
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
