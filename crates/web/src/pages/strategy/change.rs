//! Changes to a strategy: a part's form, parts added and removed, a contact type taken in, an
//! earlier version brought back. Each is an edit that makes the next version.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_app::drafts::{Draft, NotSaved, Saved};
use barometer_strategy::{Edit, Fault, Part, PartId, StepName, changes};
use serde_json::Value;

use super::editor::{EditorPart, Forms, Meanwhile, sorted_faults};
use super::{open, show_page};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::frame::Stage;
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
    let based_on: i32 = text("based_on").parse().map_err(|_| PageError::NotFound)?;
    let draft = open(&app, &context, Some(based_on)).await?;
    let (value, unread) = Forms::of(&draft.strategy).read(&part, &typed);
    if text("do") != "save" {
        let form = EditorPart::filled(&draft, &part, &context, &value, &unread);
        return Ok(Html(form.render()?).into_response());
    }
    if based_on != draft.newest() {
        return tell_of_meanwhile(&app, &context, &draft, &part, &value).await;
    }
    if !unread.is_empty() {
        return refuse(&app, &context, &draft, (&part, &value), Vec::new(), unread).await;
    }
    let with = match part.read(value.clone()) {
        Ok(with) => with,
        Err(Fault { field, message }) => {
            let at = part.find(&draft.strategy).unwrap_or(0);
            let field = format!("{}[{at}].{field}", part.list());
            let faults = vec![Fault { field, message }];
            return refuse(&app, &context, &draft, (&part, &value), faults, BTreeMap::new()).await;
        }
    };
    let edit = match part.find(&draft.strategy) {
        Some(_) => Edit::Replace { part: part.clone(), with },
        None => Edit::Add { part: with, at: None },
    };
    match draft.save(&app.store, &edit, context.user.id).await {
        Ok(saved) => Ok(to_strategy(&context, saved, Some(&part))),
        Err(NotSaved::Faults(faults)) => {
            refuse(&app, &context, &draft, (&part, &value), faults, BTreeMap::new()).await
        }
        Err(NotSaved::Outdated) => tell_of_meanwhile(&app, &context, &draft, &part, &value).await,
        Err(NotSaved::Store(error)) => Err(error.into()),
    }
}

/// The form as it was typed, with what is wrong beside its fields.
async fn refuse(
    app: &App,
    context: &RequestContext,
    draft: &Draft,
    (part, value): (&PartId, &Value),
    faults: Vec<Fault>,
    mut wrong: BTreeMap<String, String>,
) -> Result<Response, PageError> {
    let at = part.find(&draft.strategy).unwrap_or(0);
    let (here, elsewhere) = sorted_faults(faults, part, at);
    wrong.extend(here);
    let mut form = EditorPart::filled(draft, part, context, value, &wrong).with_strays(&wrong);
    form.wrong.extend(elsewhere);
    refused(&show_page(app, context, draft, part, form).await?)
}

/// Somebody else has saved a version since this one was opened: the form comes back as typed, on
/// top of the newest version, with what has changed meanwhile.
async fn tell_of_meanwhile(
    app: &App,
    context: &RequestContext,
    draft: &Draft,
    part: &PartId,
    value: &Value,
) -> Result<Response, PageError> {
    let newest = open(app, context, None).await?;
    let told = changes(&draft.strategy, &newest.strategy).into_iter().map(|change| {
        format!("{}, {}: {} → {}", change.subject, change.setting, change.before, change.after)
    });
    let by = newest.versions.first().and_then(|version| version.created_by.clone());
    let mut form = EditorPart::filled(&newest, part, context, value, &BTreeMap::new());
    form.meanwhile = Some(Meanwhile {
        who: by.unwrap_or_else(|| "Somebody".to_owned()),
        version: newest.version,
        changes: told.collect(),
    });
    let page = show_page(app, context, &newest, part, form).await?;
    Ok((StatusCode::CONFLICT, Html(page.render()?)).into_response())
}

/// `POST /strategy/change`: adds or removes a part, takes in a contact type, renames the strategy, or
/// brings an earlier version back.
pub(crate) async fn change(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    let typed: Typed = typed.into_iter().collect();
    let text = |name: &str| typed.get(name).map_or("", |text| text.trim());
    let based_on: i32 = text("based_on").parse().map_err(|_| PageError::NotFound)?;
    // Parts have ids, so these changes mean the same on whatever version is the newest.
    let draft = open(&app, &context, None).await?;
    let (edit, shown) = match text("do") {
        "restore" => {
            let wanted = open(&app, &context, Some(based_on)).await?;
            (Edit::between(&draft.strategy, &wanted.strategy), None)
        }
        "name" => (Edit::Rename(text("name").to_owned()), None),
        "take_in" => {
            let edit = draft.take_in(text("contact_type")).ok_or(PageError::NotFound)?;
            (edit, Some(PartId::Entry(draft.strategy.entries.len())))
        }
        "add" => {
            let part = new_part(&draft, text("kind")).ok_or(PageError::NotFound)?;
            let shown = part.id_at(draft.strategy.entries.len());
            (Edit::Add { part, at: None }, Some(shown))
        }
        "remove" => {
            let part: PartId = text("part").parse().map_err(|_| PageError::NotFound)?;
            // An entry is known by its place, which another version may have given to another one.
            if matches!(part, PartId::Entry(_)) && based_on != draft.newest() {
                return Err(outdated());
            }
            (Edit::Remove(part.clone()), Some(part))
        }
        _ => return Err(PageError::NotFound),
    };
    save_edit(&app, &context, &draft, &edit, shown.as_ref()).await
}

/// A part to begin with: an entry, a team or a step of a kind.
fn new_part(draft: &Draft, kind: &str) -> Option<Part> {
    let strategy = &draft.strategy;
    Some(match kind {
        "entry" => Part::new_entry(strategy),
        "team" => Part::new_team(strategy),
        kind => {
            let kind = StepName::ALL.into_iter().find(|each| each.key() == kind)?;
            Part::new_step(strategy, kind)
        }
    })
}

/// Saves an edit that no form stands for, or says why not.
pub(super) async fn save_edit(
    app: &App,
    context: &RequestContext,
    draft: &Draft,
    edit: &Edit,
    part: Option<&PartId>,
) -> Result<Response, PageError> {
    match draft.save(&app.store, edit, context.user.id).await {
        Ok(saved) => Ok(to_strategy(context, saved, part)),
        Err(NotSaved::Faults(faults)) => {
            let told = faults.iter().map(|fault| format!("{}: {}.", fault.field, fault.message));
            let told: Vec<String> = told.collect();
            Err(PageError::Refused(format!("Nothing was changed. {}", told.join(" "))))
        }
        Err(NotSaved::Outdated) => Err(outdated()),
        Err(NotSaved::Store(error)) => Err(error.into()),
    }
}

fn outdated() -> PageError {
    PageError::Refused(
        "Nothing was changed: somebody else saved a version meanwhile. Go back, reload the page and try again."
            .to_owned(),
    )
}

fn to_strategy(context: &RequestContext, saved: Saved, part: Option<&PartId>) -> Response {
    let address = Stage::Strategy.address(context.day, None);
    let part = part.map_or_else(String::new, |part| format!("&part={part}"));
    let note = match saved {
        Saved::AsNewVersion => "saved",
        Saved::Unchanged => "same",
    };
    Redirect::to(&format!("{address}{part}&note={note}")).into_response()
}
