//! Changes to a strategy: a part's form, parts added and removed, a contact type taken in, an
//! earlier version brought back.
//!
//! Every change is a new version. Whoever began from a version that is not the newest any more is
//! told what was saved meanwhile, and nothing is overwritten: the change is then made to the newest.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_strategy::{Strategy, changes};
use serde_json::{Value, json};

use super::editor::{EditorPart, Forms, Meanwhile, sorted_faults};
use super::parts::{PartKey, with_part};
use super::{Opened, plain, show_page};
use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::Form;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::schema_form::Typed;
use crate::words;

/// `POST /strategy/part`: saves a part as typed, or draws its form anew with a row
/// more or less, or another variant.
pub(crate) async fn save(
    State(app): State<App>,
    Planner(visit): Planner,
    Form(typed): Form<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    let typed: Typed = typed.into_iter().collect();
    let text = |name: &str| typed.get(name).map_or("", String::as_str);
    let key = PartKey::parse(text("part")).ok_or(PageError::NotFound)?;
    let based_on: i32 = text("based_on").parse().map_err(|_| PageError::NotFound)?;
    let opened = Opened::of(&app, &visit, Some(based_on)).await?;
    let (value, unread) = Forms::of(&opened.strategy).read(&key, &typed);
    if text("do") != "save" {
        let form = EditorPart::filled(&opened, &key, &visit, &value, &unread);
        return Ok(Html(form.render()?).into_response());
    }
    if based_on != opened.newest() {
        return tell_of_meanwhile(&app, &visit, &opened, &key, &value).await;
    }
    let whole = with_part(&opened.strategy, &key, value.clone());
    match checked(whole, &key, &opened.strategy, unread) {
        Ok(strategy) => save_version(&app, &visit, &opened, &strategy, Some(&key)).await,
        Err((wrong, elsewhere)) => {
            let mut form =
                EditorPart::filled(&opened, &key, &visit, &value, &wrong).with_strays(&wrong);
            form.wrong.extend(elsewhere);
            refused(&show_page(&visit, &opened, &key, form))
        }
    }
}

type Wrongs = (BTreeMap<String, String>, Vec<String>);

/// The strategy of a JSON value, or what is wrong with it: in the part, and elsewhere.
fn checked(
    whole: Value,
    key: &PartKey,
    before: &Strategy,
    unread: BTreeMap<String, String>,
) -> Result<Strategy, Wrongs> {
    if !unread.is_empty() {
        return Err((unread, Vec::new()));
    }
    let strategy: Strategy = serde_json::from_value(whole)
        .map_err(|error| (BTreeMap::new(), vec![format!("{error}.")]))?;
    let at = key.find(before).unwrap_or(0);
    let (here, elsewhere) = sorted_faults(strategy.faults(), key, at);
    if here.is_empty() && elsewhere.is_empty() { Ok(strategy) } else { Err((here, elsewhere)) }
}

/// Somebody else has saved a version since this one was opened: the form comes back as typed, on
/// top of the newest version, with what has changed meanwhile.
async fn tell_of_meanwhile(
    app: &App,
    visit: &Visit,
    opened: &Opened,
    key: &PartKey,
    value: &Value,
) -> Result<Response, PageError> {
    let newest = Opened::of(app, visit, None).await?;
    let told = changes(&opened.strategy, &newest.strategy).into_iter().map(|change| {
        format!("{}, {}: {} → {}", change.subject, change.setting, change.before, change.after)
    });
    let by = newest.versions.first().and_then(|version| version.created_by.clone());
    let mut form = EditorPart::filled(&newest, key, visit, value, &BTreeMap::new());
    form.meanwhile = Some(Meanwhile {
        who: by.unwrap_or_else(|| "Somebody".to_owned()),
        version: newest.version,
        changes: told.collect(),
    });
    let page = show_page(visit, &newest, key, form);
    Ok((StatusCode::CONFLICT, Html(page.render()?)).into_response())
}

/// `POST /strategy/change`: adds or removes a part, takes in a contact type, renames the strategy, or brings an
/// earlier version back.
pub(crate) async fn change(
    State(app): State<App>,
    Planner(visit): Planner,
    Form(typed): Form<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    let typed: Typed = typed.into_iter().collect();
    let text = |name: &str| typed.get(name).map_or("", |text| text.trim());
    let based_on: i32 = text("based_on").parse().map_err(|_| PageError::NotFound)?;
    let opened = Opened::of(&app, &visit, Some(based_on)).await?;
    // Bringing back says which version is wanted; everything else is made to the newest.
    if text("do") == "restore" {
        return save_version(&app, &visit, &opened, &opened.strategy, None).await;
    }
    let opened = Opened::of(&app, &visit, None).await?;
    let mut whole = serde_json::to_value(&opened.strategy).unwrap_or_default();
    let key = match text("do") {
        "name" => {
            whole["name"] = Value::from(text("name"));
            opened.key(None)
        }
        "take_in" => {
            let name = text("contact_type");
            let contact_type = opened.types.iter().find(|each| each.name == name);
            let contact_type = contact_type.ok_or(PageError::NotFound)?;
            let at = opened.strategy.entries.len();
            let mut strategy = opened.strategy.clone();
            strategy.take_in(name, plain(contact_type));
            whole = serde_json::to_value(&strategy).unwrap_or_default();
            PartKey::Entry(at)
        }
        "add" => add_part(&mut whole, text("kind"), &opened.strategy).ok_or(PageError::NotFound)?,
        "remove" => {
            let key = PartKey::parse(text("part")).ok_or(PageError::NotFound)?;
            let at = key.find(&opened.strategy).ok_or(PageError::NotFound)?;
            if let Some(list) = whole[key.list()].as_array_mut() {
                list.remove(at);
            }
            key
        }
        _ => return Err(PageError::NotFound),
    };
    let refuse = |messages: Vec<String>| {
        PageError::Refused(format!("Nothing was changed. {}", messages.join(" ")))
    };
    let strategy: Strategy =
        serde_json::from_value(whole).map_err(|error| refuse(vec![error.to_string()]))?;
    let faults = strategy.faults();
    if !faults.is_empty() {
        let told = faults.iter().map(|fault| format!("{}: {}.", fault.field, fault.message));
        return Err(refuse(told.collect()));
    }
    save_version(&app, &visit, &opened, &strategy, Some(&key)).await
}

/// Adds an entry, a team or a step of a kind; gives its key.
fn add_part(whole: &mut Value, kind: &str, strategy: &Strategy) -> Option<PartKey> {
    let taken =
        |id: &str| strategy.step(id).is_some() || strategy.teams.iter().any(|team| team.id == id);
    let id = (1..).map(|nth| format!("{}-{nth}", kind.replace('_', "-"))).find(|id| !taken(id))?;
    let first = strategy.steps.first()?;
    let (key, part) = match kind {
        "entry" => {
            let nth = strategy.entries.len();
            let part = json!({ "name": format!("Entry {}", nth + 1),
                "contact_types": [format!("Contact type {}", nth + 1)],
                "first": { "step": first.id } });
            (PartKey::Entry(nth), part)
        }
        "team" => (PartKey::Team(id.clone()), json!({ "id": id, "name": format!("Team {id}") })),
        kind => {
            let words = super::parts::KINDS.iter().find(|(name, _)| *name == kind)?.1;
            let mut does = Forms::of(strategy).blank_step(kind)?;
            let team = strategy.teams.first().map(|team| team.id.clone());
            match kind {
                // What a part cannot do without is filled in with what is there.
                "hunt_group" => does[kind]["members"] = json!([{ "who": { "team": team } }]),
                "callback" => {
                    let line = strategy.first_queue().map(|(step, _)| step.id.clone());
                    does[kind]["line"] = json!(line.unwrap_or_else(|| first.id.clone()));
                }
                _ => {}
            }
            // The number that tells it from others of its kind tells its name, too.
            let name = match id.rsplit_once('-') {
                Some((_, nth)) if nth != "1" => format!("{} {nth}", words::capitalised(words)),
                _ => words::capitalised(words),
            };
            let part = json!({ "id": id, "name": name, "does": does });
            (PartKey::Step(id), part)
        }
    };
    whole[key.list()].as_array_mut()?.push(part);
    Some(key)
}

/// Saves a strategy as the next version, unless it is the newest already.
pub(super) async fn save_version(
    app: &App,
    visit: &Visit,
    opened: &Opened,
    strategy: &Strategy,
    key: Option<&PartKey>,
) -> Result<Response, PageError> {
    let part = key.map_or_else(String::new, |key| format!("&part={}", key.text()));
    let address = Stage::Strategy.address(visit.day, None);
    if opened.versions.first().is_some_and(|newest| newest.strategy == *strategy) {
        return Ok(Redirect::to(&format!("{address}{part}&note=same")).into_response());
    }
    app.store.add_strategy_version(visit.centre.id, strategy, Some(visit.user.id)).await?;
    Ok(Redirect::to(&format!("{address}{part}&note=saved")).into_response())
}
