//! Strategy: what happens to a contact. One entry, one queue, one team, kept version by version.

use askama::Template;
use axum::extract::State;
use axum::extract::multipart::MultipartError;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{ContactType, StrategyVersion};
use barometer_strategy::{Entry, Exit, Queue, SCHEMA_VERSION, Strategy, Team};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::exports;
use crate::extract::{Form, Multipart, Path, Query};
use crate::forms::Wrong;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{Choice, choices};
use crate::pages::{page, refused, to_first};
use crate::words;

#[derive(Template)]
#[template(path = "strategy/show.html")]
struct ShowPage {
    frame: Frame,
    others: Vec<Choice>,
    answer: String,
    flow: Flow,
    form: StrategyForm,
    versions: Vec<VersionRow>,
    address: String,
    try_address: String,
    may_plan: bool,
    note: Option<&'static str>,
    json_address: String,
    wrong_json: Option<String>,
}

/// What the picture of the way says.
struct Flow {
    entry: String,
    queue: String,
    places: String,
    longest: String,
    team: String,
    concurrency: String,
    when_full: Option<&'static str>,
    when_too_long: Option<&'static str>,
}

struct VersionRow {
    version: i32,
    by: String,
    when: String,
    is_live: bool,
    is_shown: bool,
    address: String,
    export: String,
}

/// A strategy as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct StrategyForm {
    name: String,
    entry: String,
    queue: String,
    places: String,
    longest_wait: String,
    when_full: String,
    when_too_long: String,
    team: String,
    concurrency: String,
    #[serde(skip)]
    wrong: Wrong,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    version: Option<i32>,
    note: Option<String>,
}

/// `GET /strategy`: the first contact type's strategy.
pub(crate) async fn first(State(app): State<App>, visit: Visit) -> Result<Response, PageError> {
    to_first(&app, &visit, Stage::Strategy).await
}

/// `GET /strategy/{contact_type}`: the newest version, or the one that is asked for.
pub(crate) async fn show(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let versions = app.store.strategy_versions(id).await?;
    let shown = match query.version {
        Some(version) => {
            Some(versions.iter().find(|each| each.version == version).ok_or(PageError::NotFound)?)
        }
        None => versions.first(),
    };
    let strategy = shown.map_or_else(|| unsaved(&contact_type), |version| version.strategy.clone());
    let form = StrategyForm::of(&strategy);
    let shown = shown.map(|version| version.version);
    let mut template =
        show_page(&app, &visit, &contact_type, &versions, shown, &strategy, form).await?;
    template.note = match query.note.as_deref() {
        Some("saved") => Some("Saved as a new version. It is a draft until it goes live."),
        Some("same") => Some("Nothing was changed, so no new version was made."),
        _ => None,
    };
    page(&template)
}

/// What a contact type begins with: as many contacts at once as its targets say.
fn unsaved(contact_type: &ContactType) -> Strategy {
    let mut strategy = Strategy::plain(&contact_type.name);
    strategy.team.concurrency = contact_type.rules.concurrency;
    strategy
}

async fn show_page(
    app: &App,
    visit: &Visit,
    contact_type: &ContactType,
    versions: &[StrategyVersion],
    shown: Option<i32>,
    strategy: &Strategy,
    form: StrategyForm,
) -> Result<ShowPage, PageError> {
    let id = contact_type.id;
    let types = app.store.contact_types(visit.centre.id).await?;
    let row = |version: &StrategyVersion| VersionRow {
        version: version.version,
        by: version.created_by.clone().unwrap_or_else(|| "demo".to_owned()),
        when: words::moment(version.created_at, &visit.centre.zone),
        is_live: version.is_live,
        is_shown: Some(version.version) == shown,
        address: format!("/strategy/{id}?day={}&version={}", visit.day, version.version),
        export: format!("/strategy/{id}/{}", version.version),
    };
    Ok(ShowPage {
        frame: Frame::of(visit, Stage::Strategy, Some(id)),
        others: choices(&types, id, |other| Stage::Strategy.address(visit.day, Some(other))),
        answer: answer(strategy),
        flow: Flow::of(strategy),
        form,
        versions: versions.iter().map(row).collect(),
        address: format!("/strategy/{id}?day={}", visit.day),
        try_address: format!("/trials?contact_type={id}&day={}#new", visit.day),
        may_plan: visit.may_plan(),
        note: None,
        json_address: format!("/strategy/{id}/json?day={}", visit.day),
        wrong_json: None,
    })
}

fn answer(strategy: &Strategy) -> String {
    let Strategy { entry, queue, team, .. } = strategy;
    let places = queue.places.map_or_else(
        || "with as many places as it takes".to_owned(),
        |places| format!("of {places} places"),
    );
    let wait = queue.longest_wait_secs.map_or_else(
        || "for as long as patience lasts".to_owned(),
        |secs| format!("for up to {secs} s, then {}", exit_words(queue.when_too_long)),
    );
    let full = match queue.places {
        Some(_) => format!(" Whoever finds it full goes {}.", exit_words(queue.when_full)),
        None => String::new(),
    };
    format!(
        "A contact on “{}” that finds nobody free waits in a queue {places}, {wait}; {} answers.{full}",
        entry.name, team.name
    )
}

const fn exit_words(exit: Exit) -> &'static str {
    match exit {
        Exit::Voicemail => "to voicemail",
        Exit::Release => "to a message and is released",
    }
}

impl Flow {
    fn of(strategy: &Strategy) -> Self {
        let Strategy { entry, queue, team, .. } = strategy;
        let exit = |exit: Exit| match exit {
            Exit::Voicemail => "Voicemail",
            Exit::Release => "Message, released",
        };
        let shortened = |name: &str| {
            let mut short: String = name.chars().take(24).collect();
            if short.len() < name.len() {
                short.push('…');
            }
            short
        };
        Self {
            entry: shortened(&entry.name),
            queue: shortened(&queue.name),
            places: queue
                .places
                .map_or_else(|| "places: no limit".to_owned(), |places| format!("{places} places")),
            longest: queue.longest_wait_secs.map_or_else(
                || "longest wait: none".to_owned(),
                |secs| format!("longest wait {secs} s"),
            ),
            team: shortened(&team.name),
            concurrency: match team.concurrency {
                1 => "one contact at a time".to_owned(),
                more => format!("{more} contacts at once"),
            },
            when_full: queue.places.map(|_| exit(queue.when_full)),
            when_too_long: queue.longest_wait_secs.map(|_| exit(queue.when_too_long)),
        }
    }
}

/// `POST /strategy/{contact_type}`: saves a new version, unless nothing was changed.
pub(crate) async fn save(
    State(app): State<App>,
    Planner(visit): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<StrategyForm>,
) -> Result<Response, PageError> {
    match typed.strategy() {
        Ok(strategy) => save_version(&app, &visit, id, &strategy).await,
        Err(wrong) => {
            refused(&newest_page(&app, &visit, id, Some(StrategyForm { wrong, ..typed })).await?)
        }
    }
}

/// `POST /strategy/{contact_type}/json`: saves a strategy that was exported here or written elsewhere.
pub(crate) async fn save_json(
    State(app): State<App>,
    Planner(visit): Planner,
    Path(id): Path<Uuid>,
    Multipart(mut parts): Multipart,
) -> Result<Response, PageError> {
    let cut_off = |error: MultipartError| {
        PageError::Refused(format!(
            "The upload was cut off: {}. Nothing was saved.",
            error.body_text()
        ))
    };
    let mut text = String::new();
    while let Some(part) = parts.next_field().await.map_err(cut_off)? {
        if part.name() == Some("file") {
            text = part.text().await.map_err(cut_off)?;
        }
    }
    match Strategy::from_json(&text) {
        Ok(strategy) => save_version(&app, &visit, id, &strategy).await,
        Err(error) => {
            let mut template = newest_page(&app, &visit, id, None).await?;
            template.wrong_json = Some(format!("Nothing was saved: {error}."));
            refused(&template)
        }
    }
}

async fn save_version(
    app: &App,
    visit: &Visit,
    id: Uuid,
    strategy: &Strategy,
) -> Result<Response, PageError> {
    let versions = app.store.strategy_versions(id).await?;
    let address = Stage::Strategy.address(visit.day, Some(id));
    if versions.first().is_some_and(|newest| newest.strategy == *strategy) {
        return Ok(Redirect::to(&format!("{address}&note=same")).into_response());
    }
    app.store.add_strategy_version(id, strategy, Some(visit.user.id)).await?;
    Ok(Redirect::to(&format!("{address}&note=saved")).into_response())
}

/// The page of the newest version, with a form as it was typed or else as it is kept.
async fn newest_page(
    app: &App,
    visit: &Visit,
    id: Uuid,
    typed: Option<StrategyForm>,
) -> Result<ShowPage, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let versions = app.store.strategy_versions(id).await?;
    let newest = versions.first();
    let strategy = newest.map_or_else(|| unsaved(&contact_type), |newest| newest.strategy.clone());
    let shown = newest.map(|newest| newest.version);
    let form = typed.unwrap_or_else(|| StrategyForm::of(&strategy));
    show_page(app, visit, &contact_type, &versions, shown, &strategy, form).await
}

impl StrategyForm {
    fn of(strategy: &Strategy) -> Self {
        let limit = |limit: Option<u32>| limit.map(|limit| limit.to_string()).unwrap_or_default();
        let exit = |exit: Exit| match exit {
            Exit::Voicemail => "voicemail".to_owned(),
            Exit::Release => "release".to_owned(),
        };
        Self {
            name: strategy.name.clone(),
            entry: strategy.entry.name.clone(),
            queue: strategy.queue.name.clone(),
            places: limit(strategy.queue.places),
            longest_wait: limit(strategy.queue.longest_wait_secs),
            when_full: exit(strategy.queue.when_full),
            when_too_long: exit(strategy.queue.when_too_long),
            team: strategy.team.name.clone(),
            concurrency: strategy.team.concurrency.to_string(),
            wrong: Wrong::default(),
        }
    }

    fn strategy(&self) -> Result<Strategy, Wrong> {
        let mut wrong = Wrong::default();
        let places = wrong.optional_whole("queue.places", &self.places, 0..=u32::MAX);
        let longest_wait_secs =
            wrong.optional_whole("queue.longest_wait_secs", &self.longest_wait, 0..=u32::MAX);
        let concurrency = wrong.whole("team.concurrency", &self.concurrency, 1..=u32::MAX);
        let exit = |typed: &str| if typed == "voicemail" { Exit::Voicemail } else { Exit::Release };
        let strategy = Strategy {
            schema_version: SCHEMA_VERSION,
            name: self.name.trim().to_owned(),
            entry: Entry { name: self.entry.trim().to_owned() },
            queue: Queue {
                name: self.queue.trim().to_owned(),
                places,
                longest_wait_secs,
                when_full: exit(&self.when_full),
                when_too_long: exit(&self.when_too_long),
            },
            team: Team { name: self.team.trim().to_owned(), concurrency: concurrency.unwrap_or(0) },
        };
        for fault in strategy.faults() {
            wrong.note(fault.field, words::capitalised(&fault.message));
        }
        if wrong.is_empty() { Ok(strategy) } else { Err(wrong) }
    }
}

/// `GET /strategy/{contact_type}/{version}`: the JSON form.
pub(crate) async fn export(
    State(app): State<App>,
    _: Visit,
    Path((id, version)): Path<(Uuid, i32)>,
) -> Result<Response, PageError> {
    let versions = app.store.strategy_versions(id).await?;
    let found = versions.iter().find(|each| each.version == version).ok_or(PageError::NotFound)?;
    let name = format!("strategy-{}-v{version}.json", found.strategy.name);
    Ok(exports::json(&name, found.strategy.to_json()))
}
