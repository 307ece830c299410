//! Strategy: what happens to a contact of the centre, part by part, version by version.

mod change;
mod editor;
mod files;
mod parts;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{ContactType, StrategyVersion};
use barometer_strategy::{Channel, ChannelSkill, Strategy};
use serde::Deserialize;

use crate::App;
use crate::access::Visit;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

pub(crate) use change::{change, save};
use editor::EditorPart;
pub(crate) use files::{customers_schema, export, save_json, schema};
use parts::{PartKey, PartLine, part_lines};

#[derive(Template)]
#[template(path = "strategy/show.html")]
struct ShowPage {
    frame: Frame,
    answer: String,
    entries: Vec<PartLine>,
    steps: Vec<PartLine>,
    teams: Vec<PartLine>,
    kinds: &'static [(&'static str, &'static str)],
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
    visit: Visit,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let opened = Opened::of(&app, &visit, query.version).await?;
    if opened.types.is_empty() {
        return Ok(Redirect::to(&Stage::Demand.address(visit.day, None)).into_response());
    }
    let key = opened.key(query.part.as_deref());
    let editor = EditorPart::of(&opened, &key, &visit);
    let mut template = show_page(&visit, &opened, &key, editor);
    template.note = match query.note.as_deref() {
        Some("saved") => Some("Saved as a new version. It is a draft until it goes live."),
        Some("same") => Some("Nothing was changed, so no new version was made."),
        _ => None,
    };
    page(&template)
}

/// The centre's strategy as it is opened for reading or changing.
struct Opened {
    types: Vec<ContactType>,
    versions: Vec<StrategyVersion>,
    /// Number of the version; 0 for one that was never saved.
    version: i32,
    strategy: Strategy,
}

impl Opened {
    /// The version that is asked for, or else the newest.
    async fn of(app: &App, visit: &Visit, version: Option<i32>) -> Result<Self, PageError> {
        let (types, versions) = tokio::try_join!(
            app.store.contact_types(visit.centre.id),
            app.store.strategy_versions(visit.centre.id),
        )?;
        let found = match version.filter(|&version| version > 0) {
            Some(version) => {
                let found = versions.iter().find(|each| each.version == version);
                Some(found.ok_or(PageError::NotFound)?)
            }
            None => versions.first(),
        };
        let (version, strategy) = match found {
            Some(found) => (found.version, found.strategy.clone()),
            None => (0, unsaved(&visit.centre.name, &types)),
        };
        Ok(Self { types, versions, version, strategy })
    }

    fn newest(&self) -> i32 {
        self.versions.first().map_or(0, |newest| newest.version)
    }

    /// The part that is asked for if it is there, or else the first step.
    fn key(&self, part: Option<&str>) -> PartKey {
        let asked = part.and_then(PartKey::parse).filter(|key| key.find(&self.strategy).is_some());
        let first = || self.strategy.steps.first().map(|step| PartKey::Step(step.id.clone()));
        asked.or_else(first).unwrap_or(PartKey::Entry(0))
    }

    fn address(&self, visit: &Visit) -> String {
        format!("/strategy?day={}&version={}", visit.day, self.version)
    }

    /// Names of the contact types that come in nowhere.
    fn missing(&self) -> Vec<String> {
        let names = self.types.iter().map(|each| &each.name);
        names.filter(|name| self.strategy.entry_of(name).is_none()).cloned().collect()
    }
}

/// What a centre begins with: a line of its own for each contact type.
fn unsaved(centre: &str, types: &[ContactType]) -> Strategy {
    Strategy::joined(centre, types.iter().map(|each| (each.name.clone(), plain(each))))
}

/// What a contact type begins with: a queue and a team with as many contacts at once as its targets
/// say.
fn plain(contact_type: &ContactType) -> Strategy {
    let mut strategy = Strategy::plain(&contact_type.name);
    let (at_once, slowing) = (contact_type.rules.concurrency, contact_type.rules.slowing);
    if at_once > 1 {
        for team in &mut strategy.teams {
            team.channels = vec![ChannelSkill { channel: Channel::Chat, at_once, slowing }];
        }
    }
    strategy
}

fn show_page(visit: &Visit, opened: &Opened, key: &PartKey, editor: EditorPart) -> ShowPage {
    let row = |version: &StrategyVersion| VersionRow {
        version: version.version,
        by: version.created_by.clone().unwrap_or_else(|| "demo".to_owned()),
        when: words::moment(version.created_at, &visit.centre.zone),
        is_live: version.is_live,
        is_shown: version.version == opened.version,
        address: format!("/strategy?day={}&version={}", visit.day, version.version),
        export: format!("/strategy/versions/{}", version.version),
    };
    let (entries, steps, teams) = part_lines(&opened.strategy, key, &opened.address(visit));
    ShowPage {
        frame: Frame::of(visit, Stage::Strategy, None),
        answer: parts::answer(&opened.strategy),
        entries,
        steps,
        teams,
        kinds: &parts::KINDS,
        editor,
        name: opened.strategy.name.clone(),
        versions: opened.versions.iter().map(row).collect(),
        shown: opened.version,
        is_newest: opened.version == opened.newest(),
        missing: opened.missing(),
        change_address: format!("/strategy/change?day={}", visit.day),
        try_address: format!("/trials?day={}#new", visit.day),
        may_plan: visit.may_plan(),
        note: None,
        json_address: format!("/strategy/json?day={}", visit.day),
        wrong_json: None,
    }
}
