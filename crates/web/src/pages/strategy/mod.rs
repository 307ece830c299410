//! Strategy: what happens to a contact of the centre, on the map and part by part, version by version.

mod change;
mod editor;
pub(crate) mod expectations;
mod files;
mod map;
mod panel;
mod parts;
mod repair;
mod rules;
mod seen;
mod timeline;
mod walk;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::Draft;
use barometer_store::StrategyVersion;
use barometer_strategy::{PartId, StepName};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

pub(crate) use change::{change, save};
use editor::EditorPart;
use expectations::ExpectationRow;
pub(crate) use files::{customers_schema, export, save_json, schema};
use map::{Drawn, MapView};
use panel::{FindingView, PanelView};
use parts::{PartLine, part_lines};
pub(crate) use repair::repair;
pub(crate) use rules::rules;
use seen::Seen;
pub(crate) use walk::walk;

#[derive(Template)]
#[template(path = "strategy/show.html")]
struct ShowPage {
    frame: Frame,
    question: String,
    answer: String,
    map: MapView,
    panel: PanelView,
    findings: Vec<FindingView>,
    expectations: Vec<ExpectationRow>,
    times: Vec<TimeChoice>,
    /// The trial whose contacts the ribbons show.
    trial: Option<(String, String)>,
    day: String,
    day_before: String,
    day_after: String,
    svg_address: String,
    walk_address: String,
    rules_address: String,
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
    /// The version before the shown one, to which a change can be undone.
    undo: Option<i32>,
    json_address: String,
    wrong_json: Option<String>,
}

/// A moment of the day to look at.
struct TimeChoice {
    time: String,
    address: String,
    is_chosen: bool,
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
    /// The time of day that the map shows, such as `09:30`.
    at: Option<String>,
    /// The trial whose contacts it shows.
    trial: Option<Uuid>,
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
    let at = query.at.as_deref().and_then(|at| at.parse().ok());
    let seen = Seen::of(&app, &context, draft, at, query.trial).await?;
    let part = shown_part(&seen, query.part.as_deref());
    let editor = EditorPart::of(&seen.draft, &part, &context)?;
    let mut template = page_of(&context, &seen, &part, editor);
    let (centre, strategy) = (&context.centre, &seen.draft.strategy);
    template.expectations =
        expectations::checked(&app.store, centre.id, strategy, &centre.zone).await?;
    let before = seen.draft.version - 1;
    (template.note, template.undo) = match query.note.as_deref() {
        Some("saved") => {
            let note = "Saved as a new version. It is a draft until it goes live.";
            (Some(note), Some(before).filter(|&before| before > 0 && context.may_plan()))
        }
        Some("same") => (Some("Nothing was changed, so no new version was made."), None),
        _ => (None, None),
    };
    page(&template)
}

/// How a map looks that stands alone in a file.
pub(crate) const MAP_STYLE: &str = include_str!("../../../../../web-assets/src/journey-file.css");

/// `GET /strategy/map.svg`: the map as a file.
pub(crate) async fn map_file(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let draft = open(&app, &context, query.version).await?;
    let at = query.at.as_deref().and_then(|at| at.parse().ok());
    let seen = Seen::of(&app, &context, draft, at, query.trial).await?;
    let mut map = MapView::of(&Drawn::of(&seen, None, ""));
    map.is_file = true;
    let name = format!("strategy-{}-v{}.svg", seen.draft.strategy.name, seen.draft.version);
    Ok(crate::exports::attachment(&name, "image/svg+xml", map.render()?.into_bytes()))
}

/// The version that is asked for, or else the newest.
async fn open(
    app: &App,
    context: &RequestContext,
    version: Option<i32>,
) -> Result<Draft, PageError> {
    Ok(Draft::open(&app.store, &context.centre, version).await?)
}

/// The part that is asked for if it is there; or else where most contacts are lost, what preflight finds
/// first, or the first step.
fn shown_part(seen: &Seen, part: Option<&str>) -> PartId {
    let strategy = &seen.draft.strategy;
    let asked = part.and_then(|part| part.parse().ok());
    let asked = asked.filter(|part: &PartId| part.find(strategy).is_some());
    let worst = || {
        let (stop, _, _) = seen.load.as_ref()?.worst(&seen.journey)?;
        let at = stop.checked_sub(strategy.entries.len())?;
        strategy.steps.get(at).map(|step| PartId::Step(step.id.clone()))
    };
    let found = || seen.findings.first().map(|finding| finding.part.clone());
    let first = || strategy.steps.first().map(|step| PartId::Step(step.id.clone()));
    asked.or_else(worst).or_else(found).or_else(first).unwrap_or(PartId::Entry(0))
}

/// The page with a form that comes back.
async fn show_page(
    app: &App,
    context: &RequestContext,
    draft: &Draft,
    part: &PartId,
    editor: EditorPart,
) -> Result<ShowPage, PageError> {
    let seen = Seen::of(app, context, draft.clone(), None, None).await?;
    let mut template = page_of(context, &seen, part, editor);
    let centre = &context.centre;
    template.expectations =
        expectations::checked(&app.store, centre.id, &draft.strategy, &centre.zone).await?;
    Ok(template)
}

fn page_of(context: &RequestContext, seen: &Seen, part: &PartId, editor: EditorPart) -> ShowPage {
    let draft = &seen.draft;
    let base = format!("/strategy?day={}&version={}", context.day, draft.version);
    let time = seen.at.strftime("%H:%M").to_string();
    let trial =
        seen.trial.as_ref().map_or_else(String::new, |trial| format!("&trial={}", trial.id));
    let address = format!("{base}&at={time}{trial}");
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
    let (entries, steps, teams) = part_lines(&draft.strategy, part, &address);
    let findings = seen.findings.iter();
    let of_day = |days: i64| {
        Stage::Strategy.address(context.day.saturating_add(jiff::Span::new().days(days)), None)
    };
    ShowPage {
        frame: Frame::of(context, Stage::Strategy, None),
        question: format!("What happens to a contact on {} at {time}?", seen.at.strftime("%A")),
        answer: parts::answer(seen),
        map: MapView::of(&Drawn::of(seen, Some(part), &address)),
        panel: PanelView::of(seen, part, context, &address),
        findings: findings.map(|each| FindingView::of(each, &draft.strategy, &address)).collect(),
        expectations: Vec::new(),
        times: times(seen, &time, &format!("{base}{trial}&part={part}")),
        trial: seen.trial.as_ref().map(|trial| {
            let name = format!("{}, {}", trial.subject.name, words::short_day(trial.subject.day));
            (name, format!("/trials/{}?day={}", trial.id, context.day))
        }),
        day: words::short_day(context.day),
        day_before: format!("{}&version={}&part={part}", of_day(-1), draft.version),
        day_after: format!("{}&version={}&part={part}", of_day(1), draft.version),
        svg_address: format!("/strategy/map.svg{}", address.trim_start_matches("/strategy")),
        walk_address: format!(
            "/strategy/walk?day={}&version={}&at={time}",
            context.day, draft.version
        ),
        rules_address: format!("/strategy/rules?day={}", context.day),
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
        undo: None,
        json_address: format!("/strategy/json?day={}", context.day),
        wrong_json: None,
    }
}

/// The times of the day in which anything is expected or anybody is on shift; the shown one anyway.
fn times(seen: &Seen, shown: &str, address: &str) -> Vec<TimeChoice> {
    let day = (86_400.0 / seen.premises.interval_secs) as usize;
    let first = seen.interval - seen.interval % day.max(1);
    let premises = &seen.premises;
    let is_live = |at: usize| {
        let comes =
            premises.types.iter().any(|each| each.contacts.get(at).is_some_and(|c| *c > 0.0));
        comes || premises.teams.iter().any(|team| team.people.get(at).is_some_and(|p| *p > 0))
    };
    let length = jiff::SignedDuration::from_secs_f64(premises.interval_secs);
    let live: Vec<usize> =
        (first..(first + day).min(premises.intervals)).filter(|&at| is_live(at)).collect();
    // An hour before and after, so that what happens while closed can be seen.
    let (from, to) =
        (live.first().copied().unwrap_or(first), live.last().copied().unwrap_or(first));
    let times =
        (from.saturating_sub(2)..=(to + 2).min(premises.intervals.saturating_sub(1))).map(|at| {
            let moment = premises.start + length * at as i32;
            moment.to_zoned(premises.zone.clone()).datetime().strftime("%H:%M").to_string()
        });
    let mut times: Vec<String> = times.collect();
    if !times.iter().any(|time| time == shown) {
        times.push(shown.to_owned());
    }
    times.sort();
    times.dedup();
    let choice = |time: String| TimeChoice {
        is_chosen: time == shown,
        address: format!("{address}&at={time}"),
        time,
    };
    times.into_iter().map(choice).collect()
}
