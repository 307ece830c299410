//! Changes to a strategy: a part's form, parts added, copied, connected, replaced and removed, a contact type
//! taken in, another version brought back. Each is an edit of a draft.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_app::drafts::{Basis, NotSaved, Opened, Saved, Which};
use barometer_strategy::{Edit, Fault, Next, Part, PartId, StepName};
use serde_json::Value;

use super::editor::{EditorPart, Forms, sorted_faults};
use super::look::Look;
use super::merge::ask_which;
use super::{open, show_page};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::schema_form::Typed;

/// `POST /strategy/part`: saves a part as typed, or draws its form again with a row more or less, or
/// another variant.
pub(crate) async fn save(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    let typed: Typed = typed.into_iter().collect();
    let text = |name: &str| typed.get(name).map_or("", String::as_str);
    let part: PartId = text("part").parse().map_err(|_| PageError::NotFound)?;
    let opened = opened_at(&app, &context, text("based_on")).await?;
    let (value, unread) = Forms::of(&opened.strategy).read(&part, &typed);
    if text("do") != "save" {
        let form = EditorPart::filled(&opened, &part, &context, &value, &unread);
        return Ok(Html(form.render()?).into_response());
    }
    if !unread.is_empty() {
        return refuse(&app, &context, &opened, (&part, &value), Vec::new(), unread).await;
    }
    let with = match part.read(value.clone()) {
        Ok(with) => with,
        Err(Fault { field, message }) => {
            let at = part.find(&opened.strategy).unwrap_or(0);
            let field = format!("{}[{at}].{field}", part.list());
            let faults = vec![Fault { field, message }];
            return refuse(&app, &context, &opened, (&part, &value), faults, BTreeMap::new()).await;
        }
    };
    let edit = match part.find(&opened.strategy) {
        Some(_) => Edit::Replace { part: part.clone(), with },
        None => Edit::Add { part: with, at: None },
    };
    match opened.save(&app.store, &edit, context.user.id, &|_| None).await {
        Ok(saved) => Ok(to_strategy(&context, &opened, saved, Some(&part))),
        Err(NotSaved::Faults(faults)) => {
            refuse(&app, &context, &opened, (&part, &value), faults, BTreeMap::new()).await
        }
        Err(other) => not_saved(&context, &opened, &edit, Some(&part), other),
    }
}

/// What the form of a change was made of.
pub(super) async fn opened_at(
    app: &App,
    context: &RequestContext,
    based_on: &str,
) -> Result<Opened, PageError> {
    let basis: Basis = based_on.parse()?;
    Ok(Opened::at(&app.store, &context.centre, basis).await?)
}

/// As [`opened_at`]; where the form does not say, what is shown unasked.
pub(super) async fn opened_for(
    app: &App,
    context: &RequestContext,
    based_on: &str,
) -> Result<Opened, PageError> {
    match based_on {
        "" => open(app, context, Which::Usual).await,
        based_on => opened_at(app, context, based_on).await,
    }
}

/// The form as it was typed, with what is wrong beside its fields.
async fn refuse(
    app: &App,
    context: &RequestContext,
    opened: &Opened,
    (part, value): (&PartId, &Value),
    faults: Vec<Fault>,
    mut wrong: BTreeMap<String, String>,
) -> Result<Response, PageError> {
    let at = part.find(&opened.strategy).unwrap_or(0);
    let (here, elsewhere) = sorted_faults(faults, part, at);
    wrong.extend(here);
    let mut form = EditorPart::filled(opened, part, context, value, &wrong).with_strays(&wrong);
    form.wrong.extend(elsewhere);
    refused(&show_page(app, context, opened, part, form).await?)
}

/// `POST /strategy/change`: a change that is no form of settings.
pub(crate) async fn change(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    let typed: Typed = typed.into_iter().collect();
    let text = |name: &str| typed.get(name).map_or("", |text| text.trim());
    let opened = opened_at(&app, &context, text("based_on")).await?;
    let strategy = &opened.strategy;
    let part =
        || -> Result<PartId, PageError> { text("part").parse().map_err(|_| PageError::NotFound) };
    let (edit, shown) = match text("do") {
        "restore" => {
            let version = text("version").parse().map_err(|_| PageError::NotFound)?;
            let wanted = open(&app, &context, Which::Version(version)).await?;
            (Edit::between(strategy, &wanted.strategy), None)
        }
        "name" => (Edit::Rename(text("name").to_owned()), None),
        "take_in" => {
            let edit = opened.take_in(text("contact_type")).ok_or(PageError::NotFound)?;
            (edit, Some(PartId::Entry(strategy.entries.len())))
        }
        "add" => {
            let part = new_part(&opened, text("kind")).ok_or(PageError::NotFound)?;
            let shown = part.id_at(strategy.entries.len());
            (Edit::Add { part, at: None }, Some(shown))
        }
        "insert" => {
            let kind = step_name(text("kind")).ok_or(PageError::NotFound)?;
            let (edit, added) =
                Edit::insert_on_way(strategy, &part()?, text("exit"), kind).map_err(told)?;
            (edit, Some(added))
        }
        "connect" => {
            let (part, exit) = (part()?, text("exit").to_owned());
            let edit = Edit::Connect { part: part.clone(), exit, to: Some(next(text("to"))?) };
            (edit, Some(part))
        }
        "duplicate" => {
            let (edit, copy) = Edit::duplicate(strategy, &part()?).map_err(told)?;
            (edit, Some(copy))
        }
        "replace" => {
            let PartId::Step(id) = part()? else { return Err(PageError::NotFound) };
            let by = next(text("to"))?;
            let edit = Edit::replace_everywhere(strategy, &id, &by).map_err(told)?;
            (edit, Some(shown_next(&by).unwrap_or(PartId::Step(id))))
        }
        "remove" => {
            let part = part()?;
            let to = match text("to") {
                "" => Next::Release,
                to => next(to)?,
            };
            let edit = Edit::remove_leading_to(strategy, &part, &to).map_err(told)?;
            (edit, shown_next(&to))
        }
        _ => return Err(PageError::NotFound),
    };
    save_edit(&app, &context, &opened, &edit, shown.as_ref()).await
}

/// Where a way is to lead, as forms write it: `step.queue`, or the name of an end.
fn next(text: &str) -> Result<Next, PageError> {
    match text {
        "release" => Ok(Next::Release),
        "busy_tone" => Ok(Next::BusyTone),
        "keep_ringing" => Ok(Next::KeepRinging),
        step => step.strip_prefix("step.").map(Next::step).ok_or(PageError::NotFound),
    }
}

fn shown_next(next: &Next) -> Option<PartId> {
    match next {
        Next::Step(id) => Some(PartId::Step(id.clone())),
        _ => None,
    }
}

fn told(fault: Fault) -> PageError {
    PageError::Refused(format!("Nothing was changed. {}: {}.", fault.field, fault.message))
}

fn step_name(kind: &str) -> Option<StepName> {
    StepName::ALL.into_iter().find(|each| each.key() == kind)
}

/// A part to begin with: an entry, a team or a step of a kind.
fn new_part(opened: &Opened, kind: &str) -> Option<Part> {
    let strategy = &opened.strategy;
    Some(match kind {
        "entry" => Part::new_entry(strategy),
        "team" => Part::new_team(strategy),
        "campaign" => Part::new_campaign(strategy),
        "range" => Part::new_range(strategy),
        kind => Part::new_step(strategy, step_name(kind)?),
    })
}

/// Saves an edit that no form stands for, or says why not.
pub(super) async fn save_edit(
    app: &App,
    context: &RequestContext,
    opened: &Opened,
    edit: &Edit,
    part: Option<&PartId>,
) -> Result<Response, PageError> {
    match opened.save(&app.store, edit, context.user.id, &|_| None).await {
        Ok(saved) => Ok(to_strategy(context, opened, saved, part)),
        Err(other) => not_saved(context, opened, edit, part, other),
    }
}

/// Why an edit was not saved: what to choose between, or a message.
pub(super) fn not_saved(
    context: &RequestContext,
    opened: &Opened,
    edit: &Edit,
    part: Option<&PartId>,
    reason: NotSaved,
) -> Result<Response, PageError> {
    match reason {
        NotSaved::Faults(faults) => {
            let told = faults.iter().map(|fault| format!("{}: {}.", fault.field, fault.message));
            let told: Vec<String> = told.collect();
            Err(PageError::Refused(format!("Nothing was changed. {}", told.join(" "))))
        }
        NotSaved::Conflicts { conflicts, who } => {
            ask_which(context, opened, edit, part, &conflicts, who.as_deref())
        }
        NotSaved::TooBusy => Err(PageError::Refused(
            "Nothing was changed: others change this draft at this moment. Go back and try again."
                .to_owned(),
        )),
        NotSaved::Store(error) => Err(error.into()),
    }
}

/// To the page with the draft that was changed.
pub(super) fn to_strategy(
    context: &RequestContext,
    opened: &Opened,
    saved: Saved,
    part: Option<&PartId>,
) -> Response {
    let (of, note) = match saved {
        Saved::InDraft { number, is_new: true, .. } => (format!("draft={number}"), "begun"),
        Saved::InDraft { number, is_merged: true, .. } => (format!("draft={number}"), "merged"),
        Saved::InDraft { number, .. } => (format!("draft={number}"), "saved"),
        Saved::Unchanged => (super::query_of(opened), "same"),
    };
    let part = part.map_or_else(String::new, |part| format!("&part={part}"));
    to_note(context, &format!("{of}{part}"), note)
}

/// To the page of the draft or version that is open, with the map shown as before and a note.
pub(super) fn to_note(context: &RequestContext, of: &str, note: &str) -> Response {
    let look = Look::before(context).in_address();
    Redirect::to(&format!("/strategy?day={}&{of}{look}&note={note}", context.day)).into_response()
}
