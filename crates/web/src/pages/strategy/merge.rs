//! Two planners set the same thing differently: the second to save chooses, and nothing is lost.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use barometer_app::drafts::Opened;
use barometer_strategy::{Conflict, Edit, PartId, Side};

use super::change::{not_saved, opened_at, to_strategy};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;

#[derive(Template)]
#[template(path = "strategy/merge.html")]
struct MergePage {
    frame: Frame,
    who: String,
    rows: Vec<ConflictRow>,
    /// The edit that waits, as JSON, and what it was made of.
    edit: String,
    based_on: String,
    part: String,
    address: String,
    back: String,
}

struct ConflictRow {
    key: String,
    name: String,
    base: String,
    mine: String,
    theirs: String,
}

/// The page on which one side is chosen for each setting.
pub(super) fn ask_which(
    context: &RequestContext,
    opened: &Opened,
    edit: &Edit,
    part: Option<&PartId>,
    conflicts: &[Conflict],
    who: Option<&str>,
) -> Result<Response, PageError> {
    let told = |value: &Option<String>| value.clone().unwrap_or_else(|| "not there".to_owned());
    let rows = conflicts.iter().map(|conflict| ConflictRow {
        key: conflict.key.clone(),
        name: conflict.name.clone(),
        base: told(&conflict.base),
        mine: told(&conflict.mine),
        theirs: told(&conflict.theirs),
    });
    let edit = serde_json::to_string(edit).map_err(|error| PageError::Internal(Box::new(error)))?;
    let page = MergePage {
        frame: Frame::of(context, Stage::Strategy, None),
        who: who.unwrap_or("Somebody").to_owned(),
        rows: rows.collect(),
        edit,
        based_on: opened.basis.to_string(),
        part: part.map_or_else(String::new, ToString::to_string),
        address: format!("/strategy/merge?day={}", context.day),
        back: format!("/strategy?day={}&{}", context.day, super::query_of(opened)),
    };
    Ok((StatusCode::CONFLICT, Html(page.render()?)).into_response())
}

/// `POST /strategy/merge`: the edit again, with a side chosen for each setting.
pub(crate) async fn merge(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    let typed: BTreeMap<String, String> = typed.into_iter().collect();
    let text = |name: &str| typed.get(name).map_or("", String::as_str);
    let opened = opened_at(&app, &context, text("based_on")).await?;
    let edit: Edit = serde_json::from_str(text("edit")).map_err(|error| {
        PageError::Refused(format!("Nothing was changed: the edit cannot be read: {error}."))
    })?;
    let part: Option<PartId> = text("part").parse().ok();
    let prefer = |conflict: &Conflict| match typed.get(&format!("of:{}", conflict.key))?.as_str() {
        "mine" => Some(Side::Mine),
        "theirs" => Some(Side::Theirs),
        _ => None,
    };
    match opened.save(&app.store, &edit, context.user.id, &prefer).await {
        Ok(saved) => Ok(to_strategy(&context, &opened, saved, part.as_ref())),
        Err(other) => not_saved(&context, &opened, &edit, part.as_ref(), other),
    }
}
