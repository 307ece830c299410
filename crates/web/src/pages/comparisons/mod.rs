//! Comparisons: candidates, or the values of a setting, on the same customers.

mod form;
mod result;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_store::RunState;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::exports;
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::pages::trials::{days_words, named, only_type};
use crate::words;

pub(crate) use form::{ask, queue};
use result::ResultView;

#[derive(Template)]
#[template(path = "comparisons/show.html")]
struct ShowPage {
    frame: Frame,
    question: String,
    progress: ProgressPart,
    facts: String,
    result: Option<ResultView>,
    again: String,
    json: String,
}

/// `GET /comparisons/{comparison}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let comparison = app.store.comparison(id).await?;
    let subject = &comparison.subject;
    let context = RequestContext { day: subject.day, ..context };
    let zone = &context.centre.zone;
    let result = match &comparison.result {
        Some(result) => Some(ResultView::of(&comparison, result, zone)?),
        None => None,
    };
    let first = comparison.inputs.base();
    let days = days_words(subject.day, subject.days);
    let question = if comparison.inputs.axes().is_empty() {
        format!("Which is better on {days} for {}?", subject.name)
    } else {
        let settings: Vec<_> =
            comparison.inputs.axes().iter().map(|axis| axis.name.as_str()).collect();
        format!("{}: what changes on {days} for {}?", settings.join(" and "), subject.name)
    };
    let replications = first.map_or(0, |first| first.replications);
    page(&ShowPage {
        frame: Frame::of(&context, Stage::Trials, only_type(&subject.contact_types)),
        question,
        progress: ProgressPart::of(&comparison.run, &context),
        facts: format!(
            "{}. {} simulated days each, the same customers for all, seed {}; asked for on {}.",
            comparison.title,
            words::thousands(f64::from(replications)),
            first.map_or(0, |first| first.seed),
            words::moment(comparison.run.created_at, zone),
        ),
        result,
        again: format!("/comparisons?day={}{}", subject.day, named(&subject.contact_types)),
        json: format!("/comparisons/{id}/comparison.json"),
    })
}

/// `GET /comparisons/{comparison}/comparison.json`: everything that the numbers follow from, and the
/// numbers.
pub(crate) async fn export(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let comparison = app.store.comparison(id).await?;
    if comparison.run.state != RunState::Done {
        return Err(PageError::NotFound);
    }
    let kept = serde_json::json!({ "inputs": comparison.inputs, "result": comparison.result });
    let text = serde_json::to_string_pretty(&kept)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&format!("comparison-{}.json", comparison.subject.day), text))
}
