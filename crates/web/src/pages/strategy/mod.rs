//! Strategy: what happens to a contact of the centre, part by part, version by version.

mod change;
mod editor;
mod files;
mod parts;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::Draft;
use barometer_store::StrategyVersion;
use barometer_strategy::{PartId, StepName};
use serde::Deserialize;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

pub(crate) use change::{change, save};
use editor::EditorPart;
pub(crate) use files::{customers_schema, export, save_json, schema};
use parts::{PartLine, part_lines};

#[derive(Template)]
#[template(path = "strategy/show.html")]
struct ShowPage {
    frame: Frame,
    answer: String,
    entries: Vec<PartLine>,
    steps: Vec<PartLine>,
    teams: Vec<PartLine>,
    kinds: [StepName; 11],
    editor: EditorPart,
    name: String,
    versions: Vec<VersionRow>,
    shown: i32,
    is_newest: bool,
    /// Contact types that come in nowhere.
    missing: Vec<String>,
    change_address: String,
    try_address: String,
    may_plan: bool,
    note: Option<&'static str>,
    json_address: String,
    wrong_json: Option<String>,
}

struct VersionRow {
    version: i32,
    by: String,
    when: String,
    summary: String,
    is_live: bool,
    is_shown: bool,
    address: String,
    export: String,
}

/// What a page of a strategy is asked with.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct ShowQuery {
    version: Option<i32>,
    part: Option<String>,
    note: Option<String>,
}

/// `GET /strategy`: the newest version, or the one that is asked for.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let draft = open(&app, &context, query.version).await?;
    if draft.types.is_empty() {
        return Ok(Redirect::to(&Stage::Demand.address(context.day, None)).into_response());
    }
    let part = shown_part(&draft, query.part.as_deref());
    let editor = EditorPart::of(&draft, &part, &context)?;
    let mut template = show_page(&context, &draft, &part, editor);
    template.note = match query.note.as_deref() {
        Some("saved") => Some("Saved as a new version. It is a draft until it goes live."),
        Some("same") => Some("Nothing was changed, so no new version was made."),
        _ => None,
    };
    page(&template)
}

/// The version that is asked for, or else the newest.
async fn open(
    app: &App,
    context: &RequestContext,
    version: Option<i32>,
) -> Result<Draft, PageError> {
    Ok(Draft::open(&app.store, &context.centre, version).await?)
}

/// The part that is asked for if it is there, or else the first step.
fn shown_part(draft: &Draft, part: Option<&str>) -> PartId {
    let asked = part.and_then(|part| part.parse().ok());
    let asked = asked.filter(|part: &PartId| part.find(&draft.strategy).is_some());
    let first = || draft.strategy.steps.first().map(|step| PartId::Step(step.id.clone()));
    asked.or_else(first).unwrap_or(PartId::Entry(0))
}

fn show_page(
    context: &RequestContext,
    draft: &Draft,
    part: &PartId,
    editor: EditorPart,
) -> ShowPage {
    let row = |version: &StrategyVersion| VersionRow {
        version: version.version,
        by: version.created_by.clone().unwrap_or_else(|| "demo".to_owned()),
        when: words::moment(version.created_at, &context.centre.zone),
        summary: version.summary.clone(),
        is_live: version.is_live,
        is_shown: version.version == draft.version,
        address: format!("/strategy?day={}&version={}", context.day, version.version),
        export: format!("/strategy/versions/{}", version.version),
    };
    let (entries, steps, teams) = part_lines(
        &draft.strategy,
        part,
        &format!("/strategy?day={}&version={}", context.day, draft.version),
    );
    ShowPage {
        frame: Frame::of(context, Stage::Strategy, None),
        answer: parts::answer(&draft.strategy),
        entries,
        steps,
        teams,
        kinds: StepName::ALL,
        editor,
        name: draft.strategy.name.clone(),
        versions: draft.versions.iter().map(row).collect(),
        shown: draft.version,
        is_newest: draft.version == draft.newest(),
        missing: draft.without_entry(),
        change_address: format!("/strategy/change?day={}", context.day),
        try_address: format!("/trials?day={}#new", context.day),
        may_plan: context.may_plan(),
        note: None,
        json_address: format!("/strategy/json?day={}", context.day),
        wrong_json: None,
    }
}
