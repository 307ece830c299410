//! Waivers: a finding may stay, for a reason, on record.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::Opened;
use barometer_preflight::Finding;
use barometer_store::{Centre, StoreError, Waiver};
use serde::Deserialize;
use uuid::Uuid;

use super::OpenQuery;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path, Query};
use crate::page_error::PageError;
use crate::words;

/// Characters of a reason, and of a finding's key, at most.
const MOST_REASON_CHARS: usize = 300;

/// A finding that is waived.
pub(super) struct WaivedRow {
    pub place: String,
    pub title: &'static str,
    pub reason: String,
    pub by: String,
    pub when: String,
    pub address: String,
}

impl WaivedRow {
    pub fn of((finding, waiver): &(Finding, Waiver), opened: &Opened, centre: &Centre) -> Self {
        let place = finding.part.of(&opened.strategy);
        Self {
            place: place.map_or_else(|_| String::new(), |part| part.name().to_owned()),
            title: finding.rule.title(),
            reason: waiver.reason.clone(),
            by: waiver.by.clone(),
            when: words::moment(waiver.at, &centre.zone),
            address: format!(
                "/strategy/waivers/{}/take-back?{}",
                waiver.id,
                super::query_of(opened)
            ),
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct WaiveForm {
    finding: String,
    #[serde(default)]
    reason: String,
}

/// `POST /strategy/waivers`
pub(crate) async fn waive(
    State(app): State<App>,
    Planner(context): Planner,
    Query(open): Query<OpenQuery>,
    Form(form): Form<WaiveForm>,
) -> Result<Response, PageError> {
    let reason = form.reason.trim();
    let length = reason.chars().count();
    if length == 0 || length > MOST_REASON_CHARS {
        return Err(PageError::Refused(format!(
            "Nothing was waived: say in up to {MOST_REASON_CHARS} characters why it may stay. Go back and add it."
        )));
    }
    if form.finding.chars().count() > MOST_REASON_CHARS {
        return Err(PageError::NotFound);
    }
    match app.store.waive(context.centre.id, &form.finding, reason, context.user.id).await {
        // Two planners waived it at the same time: it is waived.
        Ok(()) | Err(StoreError::Taken) => Ok(back(&context, &open)),
        Err(error) => Err(error.into()),
    }
}

/// `POST /strategy/waivers/{waiver}/take-back`
pub(crate) async fn take_back(
    State(app): State<App>,
    Planner(context): Planner,
    Path(waiver): Path<Uuid>,
    Query(open): Query<OpenQuery>,
) -> Result<Response, PageError> {
    app.store.take_waiver_back(context.centre.id, waiver, context.user.id).await?;
    Ok(back(&context, &open))
}

fn back(context: &RequestContext, open: &OpenQuery) -> Response {
    let of = match (open.draft, open.version) {
        (Some(draft), _) => format!("&draft={draft}"),
        (None, Some(version)) => format!("&version={version}"),
        (None, None) => String::new(),
    };
    Redirect::to(&format!("/strategy?day={}{of}", context.day)).into_response()
}
