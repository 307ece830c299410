//! Drafts: begun, taken back and done again, kept as versions, renamed, thrown away.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::{Direction, Opened, StartingShape, Which};
use barometer_store::{DraftLine, Revision};
use serde::Deserialize;

use super::change::{opened_at, opened_for, to_note};
use super::open;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::page_error::PageError;
use crate::words;

/// Characters in the name of a draft or the label of a version, at most.
const MOST_NAME_CHARS: usize = 80;

/// What the page says of the draft that is open, and which others there are.
pub(super) struct DraftBar {
    /// "Draft “Summer”, three edits since v1", "v1, live".
    pub what: String,
    pub is_draft: bool,
    pub number: i32,
    pub head: i32,
    pub name: String,
    pub is_thrown_away: bool,
    pub undoes: Option<String>,
    pub redoes: Option<String>,
    /// The version that says the same, if one was kept.
    pub kept_as: Option<i32>,
    /// The version that a draft began from, to be compared with.
    pub began_from: Option<i32>,
    /// Everything that can be opened, by group.
    pub groups: Vec<(&'static str, Vec<Openable>)>,
    pub thrown_away: Vec<Openable>,
    pub history: Vec<HistoryRow>,
    pub shapes: [StartingShape; 3],
    pub address: String,
}

/// A version or a draft that can be opened.
pub(super) struct Openable {
    pub name: String,
    pub address: String,
    pub is_open: bool,
}

/// An edit of the open draft.
pub(super) struct HistoryRow {
    pub summary: String,
    pub by: String,
    pub when: String,
}

impl DraftBar {
    pub fn of(opened: &Opened, context: &RequestContext, history: Vec<Revision>) -> Self {
        let draft = opened.draft();
        let openable = |of: String, name: String, is_open| Openable {
            address: format!("/strategy?day={}&{of}", context.day),
            name,
            is_open,
        };
        let of_draft = |line: &DraftLine| {
            let is_open = draft.is_some_and(|draft| draft.id == line.id);
            openable(format!("draft={}", line.number), line.name.clone(), is_open)
        };
        let is_open = |version: i32| {
            draft.is_none() && opened.version().is_some_and(|v| v.version == version)
        };
        let versions = opened.versions.iter().map(|version| {
            let live = if version.is_live { ", live" } else { "" };
            let label = match version.label.as_str() {
                "" => format!("v{}{live}", version.version),
                label => format!("v{} {label}{live}", version.version),
            };
            openable(format!("version={}", version.version), label, is_open(version.version))
        });
        let (away, drafts): (Vec<&DraftLine>, Vec<&DraftLine>) =
            opened.drafts.iter().partition(|line| line.is_thrown_away);
        // What the draft began with is no edit.
        let edits = history.len().saturating_sub(1);
        let row = |revision: Revision| HistoryRow {
            summary: revision.summary,
            by: revision.made_by.unwrap_or_else(|| "demo".to_owned()),
            when: words::moment(revision.made_at, &context.centre.zone),
        };
        Self {
            what: what(opened),
            is_draft: draft.is_some(),
            number: draft.map_or(0, |draft| draft.number),
            head: draft.map_or(0, |draft| draft.head),
            name: draft.map_or_else(String::new, |draft| draft.name.clone()),
            is_thrown_away: draft.is_some_and(|draft| draft.is_thrown_away),
            undoes: draft.and_then(|draft| draft.undoes.clone()),
            redoes: draft.and_then(|draft| draft.redoes.clone()),
            kept_as: draft.and_then(|draft| draft.kept_as),
            began_from: opened.began_from().map(|version| version.version),
            groups: vec![
                ("Drafts", drafts.into_iter().map(of_draft).collect()),
                ("Versions", versions.collect()),
            ],
            thrown_away: away.into_iter().map(of_draft).collect(),
            history: history.into_iter().take(edits).map(row).collect(),
            shapes: StartingShape::ALL,
            address: format!("/strategy/drafts?day={}", context.day),
        }
    }
}

/// What is open, in words.
fn what(opened: &Opened) -> String {
    match (opened.draft(), opened.version()) {
        (Some(draft), _) => {
            let edits = match draft.edits {
                0 => "no edit yet".to_owned(),
                1 => "one edit".to_owned(),
                edits => format!("{} edits", words::count_word(edits as usize)),
            };
            let since = match draft.based_on {
                0 => String::new(),
                version => format!(" since v{version}"),
            };
            let kept = draft.kept_as.map_or_else(String::new, |kept| format!(", kept as v{kept}"));
            format!("Draft “{}”: {edits}{since}{kept}", draft.name)
        }
        (None, Some(version)) if version.is_live => format!("v{}, the live one", version.version),
        (None, Some(version)) => format!("v{}, kept", version.version),
        (None, None) => "A strategy to begin with, not kept yet".to_owned(),
    }
}

/// What is to be done with drafts.
#[derive(Deserialize)]
pub(crate) struct DraftForm {
    #[serde(rename = "do")]
    act: String,
    /// What is open: a version or a revision of a draft.
    #[serde(default)]
    based_on: String,
    /// The draft that is meant, and its open revision.
    #[serde(default)]
    draft: i32,
    #[serde(default)]
    head: i32,
    #[serde(default)]
    name: String,
    /// The shape to begin with instead of what is open; nothing for that.
    #[serde(default)]
    shape: String,
    /// The part whose panel is open.
    #[serde(default)]
    part: String,
}

/// `POST /strategy/drafts`
pub(crate) async fn act(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<DraftForm>,
) -> Result<Response, PageError> {
    let name = name_of(&form.name)?;
    let (store, by) = (&app.store, context.user.id);
    let to = |of: String, note: &str| {
        let part = match form.part.as_str() {
            "" => String::new(),
            part => format!("&part={part}"),
        };
        to_note(&context, &format!("{of}{part}"), note)
    };
    match form.act.as_str() {
        "begin" => {
            let mut opened = opened_for(&app, &context, &form.based_on).await?;
            if !form.shape.is_empty() {
                let shape = StartingShape::ALL.into_iter().find(|each| each.key() == form.shape);
                opened.begin_with(shape.ok_or(PageError::NotFound)?, &context.centre.name);
            }
            let name = opened.free_name(if name.is_empty() { "New draft" } else { name });
            let number = opened.branch(store, &name, by).await?;
            return Ok(to(format!("draft={number}"), "branched"));
        }
        "keep" | "try" | "compare" => {
            let opened = opened_at(&app, &context, &form.based_on).await?;
            let label = match (name, opened.draft()) {
                ("", Some(draft)) => draft.name.as_str(),
                (name, _) => name,
            };
            let version = opened.keep(store, label, by).await?;
            if form.act == "try" {
                let address = format!("/trials?day={}&version={version}#new", context.day);
                return Ok(Redirect::to(&address).into_response());
            }
            if let ("compare", Some(before)) = (form.act.as_str(), opened.began_from()) {
                let candidates = format!("version={}&more=0&version={version}&more=0", before.id);
                let address = format!("/comparisons?day={}&{candidates}", context.day);
                return Ok(Redirect::to(&address).into_response());
            }
            return Ok(to(super::query_of(&opened), "kept"));
        }
        _ => {}
    }
    let opened = open(&app, &context, Which::Draft(form.draft)).await?;
    let draft = opened.draft().ok_or(PageError::NotFound)?;
    let here = format!("draft={}", draft.number);
    let note = match form.act.as_str() {
        "undo" if opened.step(store, Direction::Undo, form.head, by).await? => "undone",
        "redo" if opened.step(store, Direction::Redo, form.head, by).await? => "redone",
        "undo" | "redo" => "moved",
        "rename" => {
            if name.is_empty() {
                let message = "Nothing was changed: a draft needs a name. Go back and type one.";
                return Err(PageError::Refused(message.to_owned()));
            }
            store.rename_draft(draft.id, name).await?;
            "renamed"
        }
        "away" => {
            store.throw_draft_away(draft.id, true).await?;
            "away"
        }
        "back" => {
            store.throw_draft_away(draft.id, false).await?;
            "back"
        }
        _ => return Err(PageError::NotFound),
    };
    Ok(to(here, note))
}

fn name_of(typed: &str) -> Result<&str, PageError> {
    let name = typed.trim();
    if name.chars().count() > MOST_NAME_CHARS {
        let message =
            format!("Nothing was changed: a name has up to {MOST_NAME_CHARS} characters.");
        return Err(PageError::Refused(message));
    }
    Ok(name)
}

/// What a note of the address says.
pub(super) fn note_words(note: &str) -> Option<&'static str> {
    Some(match note {
        "begun" => {
            "A draft has begun with this change. What you do in it is kept at once, and can be undone."
        }
        "branched" => {
            "This is a draft of your own. What you do in it is kept at once, and can be undone."
        }
        "saved" => "Kept in the draft.",
        "merged" => "Kept in the draft, together with what somebody else did meanwhile.",
        "same" => "Nothing was changed.",
        "undone" => "Undone.",
        "redone" => "Redone.",
        "moved" => "Somebody has changed this draft meanwhile: look again before you undo.",
        "kept" => "Kept as a version, which never changes. It can be tried, compared and go live.",
        "renamed" => "The draft has its new name.",
        "away" => "The draft is discarded.",
        "back" => "The draft is restored.",
        _ => return None,
    })
}
