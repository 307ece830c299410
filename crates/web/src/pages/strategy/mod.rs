//! Strategy: what happens to a contact of the centre, on the map and part by part, version by version.

pub(crate) mod campaigns;
mod change;
mod differences;
mod drafts;
mod editor;
pub(crate) mod expectations;
mod files;
pub(crate) mod lists;
mod look;
mod map;
mod merge;
mod numbers;
mod panel;
mod parts;
mod people;
mod repair;
mod rules;
mod seen;
mod timeline;
mod waive;
mod walk;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::{Opened, StartingShape, Which};
use barometer_store::StrategyVersion;
use barometer_strategy::{Change, PartId, StepName};
use serde::Deserialize;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

pub(crate) use change::{change, save};
use drafts::DraftBar;
pub(crate) use drafts::act as act_on_draft;
use editor::EditorPart;
use expectations::ExpectationRow;
pub(crate) use files::{Uploaded, customers_schema, export, save_json, schema};
use look::Look;
pub use map::journey_map;
use map::{Drawn, Fold, MapView, with_fold};
pub(crate) use merge::merge;
pub(crate) use numbers::{import_numbers, numbers, numbers_csv};
use panel::{FindingView, PanelView};
use parts::{PartLine, PartLines, part_lines};
pub(crate) use people::{import_people, people, people_csv, people_xlsx};
pub(crate) use repair::{effect as repair_effect, repair};
pub(crate) use rules::rules;
use seen::{Asked, Seen};
use waive::WaivedRow;
pub(crate) use waive::{take_back as take_waiver_back, waive};
pub(crate) use walk::walk;

#[derive(Template)]
#[template(path = "strategy/show.html")]
struct ShowPage {
    frame: Frame,
    question: String,
    answer: String,
    map: MapView,
    /// "fold" or "unfold" for all ways, and its address.
    fold_all: Option<(&'static str, String)>,
    panel: PanelView,
    findings: Vec<FindingView>,
    /// What is found and waived, with who said why.
    waived: Vec<WaivedRow>,
    waive_address: String,
    expectations: Vec<ExpectationRow>,
    times: Vec<Choice>,
    /// Contact types of the trial that is drawn: all of them, or one alone.
    types: Vec<Choice>,
    /// The trial whose contacts the ribbons show, and whether it is one of the version before.
    trial: Option<TrialShown>,
    bar: DraftBar,
    /// Shapes to start from, where nothing is kept and no draft is begun.
    shapes: Vec<StartingShape>,
    changes: Vec<Change>,
    /// The version from which the changes are told.
    changed_from: Option<i32>,
    day: String,
    day_before: String,
    day_after: String,
    svg_address: String,
    walk_address: String,
    rules_address: String,
    people_address: String,
    numbers_address: String,
    campaigns_address: String,
    entries: Vec<PartLine>,
    steps: Vec<PartLine>,
    teams: Vec<PartLine>,
    campaigns: Vec<PartLine>,
    kinds: [StepName; 11],
    /// Where a way can be led to, as forms say it and by name.
    targets: Vec<(String, String)>,
    editor: EditorPart,
    name: String,
    versions: Vec<VersionRow>,
    /// What is open, as forms say it and as people do.
    based_on: String,
    shown: String,
    /// Contact types that come in nowhere.
    missing: Vec<String>,
    change_address: String,
    may_plan: bool,
    note: Option<&'static str>,
    json_address: String,
    wrong_json: Option<String>,
    /// What is wrong with a file of expectations.
    wrong_expectations: Vec<String>,
}

/// Something to look at: a moment of the day, a contact type.
struct Choice {
    name: String,
    address: String,
    is_chosen: bool,
}

/// The trial whose contacts are drawn.
struct TrialShown {
    name: String,
    address: String,
    /// The version that it tried, where that is not what is open.
    of_version: Option<i32>,
}

struct VersionRow {
    version: i32,
    label: String,
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
    draft: Option<i32>,
    /// The version from which differences are told.
    from: Option<i32>,
    part: Option<String>,
    note: Option<String>,
    #[serde(flatten)]
    look: Look,
}

impl ShowQuery {
    /// What is usual, looked at as on the page from which a form was sent.
    fn before(context: &RequestContext) -> Self {
        Self { look: Look::before(context), ..Self::default() }
    }

    fn asked(&self) -> Asked {
        Asked { from: self.from, ..self.look.clone().asked() }
    }
}

/// What was open, where that is all that an address says.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct OpenQuery {
    draft: Option<i32>,
    version: Option<i32>,
}

/// What an address asks for: a draft, a version, or what is usual.
fn which(draft: Option<i32>, version: Option<i32>) -> Which {
    match (draft, version) {
        (Some(draft), _) => Which::Draft(draft),
        (None, Some(version)) => Which::Version(version),
        (None, None) => Which::Usual,
    }
}

/// What is open, as addresses say it.
fn query_of(opened: &Opened) -> String {
    match (opened.draft(), opened.version()) {
        (Some(draft), _) => format!("draft={}", draft.number),
        (None, Some(version)) => format!("version={}", version.version),
        (None, None) => "version=0".to_owned(),
    }
}

/// What is open, as people say it.
fn shown(opened: &Opened) -> String {
    match opened.draft() {
        Some(draft) => format!("draft “{}”", draft.name),
        None => opened.basis.to_string(),
    }
}

/// `GET /strategy`: the live version, or the version or draft that is asked for.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    if opened.types.is_empty() {
        return Ok(Redirect::to(&Stage::Demand.address(context.day, None)).into_response());
    }
    let mut template = asked_page(&app, &context, opened, &query).await?;
    template.note = query.note.as_deref().and_then(drafts::note_words);
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
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    let seen = Seen::of(&app, &context, opened, query.asked()).await?;
    let mut map = MapView::of(&Drawn::of(&seen, None, ""));
    map.is_file = true;
    let name = format!("strategy-{}-{}.svg", seen.opened.strategy.name, seen.opened.basis);
    Ok(crate::exports::attachment(&name, "image/svg+xml", map.render()?.into_bytes()))
}

/// The map of a version with what it changes of another, for a page that says so.
pub(super) async fn changed_map(
    app: &App,
    context: &RequestContext,
    (version, from): (i32, Option<i32>),
) -> Result<String, PageError> {
    let opened = open(app, context, Which::Version(version)).await?;
    let seen = Seen::of(app, context, opened, Asked { from, ..Asked::default() }).await?;
    let address = format!("/strategy?version={version}&day={}", context.day);
    Ok(MapView::of(&Drawn::of(&seen, None, &address)).render()?)
}

async fn open(app: &App, context: &RequestContext, which: Which) -> Result<Opened, PageError> {
    Ok(Opened::open(&app.store, &context.centre, which).await?)
}

/// The part that is asked for if it is there; or else where most contacts are lost or what preflight finds
/// first, or the first step.
fn shown_part(seen: &Seen, part: Option<&str>) -> PartId {
    let strategy = &seen.opened.strategy;
    let asked = part.and_then(|part| part.parse().ok());
    let asked = asked.filter(|part: &PartId| part.find(strategy).is_some());
    let worst = || {
        let (stop, _, _) = seen.load.as_ref()?.worst(&seen.journey)?;
        let at = stop.checked_sub(strategy.entries.len())?;
        strategy.steps.get(at).map(|step| PartId::Step(step.id.clone()))
    };
    let found = || seen.findings.first().map(|finding| finding.part.clone());
    let first = || strategy.steps.first().map(|step| PartId::Step(step.id.clone()));
    // The trial of another version says nothing about what was changed since.
    let is_own = seen.trial.as_ref().is_some_and(|trial| {
        seen.opened.version().is_some_and(|open| open.version == trial.version)
    });
    let telling = if is_own { worst().or_else(found) } else { found().or_else(worst) };
    asked.or(telling).or_else(first).unwrap_or(PartId::Entry(0))
}

/// The page for a query.
async fn asked_page(
    app: &App,
    context: &RequestContext,
    opened: Opened,
    query: &ShowQuery,
) -> Result<ShowPage, PageError> {
    let seen = Seen::of(app, context, opened, query.asked()).await?;
    let part = shown_part(&seen, query.part.as_deref());
    let editor = EditorPart::of(&seen.opened, &part, context)?;
    page_of(app, context, &seen, &part, editor).await
}

/// The page with a form that comes back.
async fn show_page(
    app: &App,
    context: &RequestContext,
    opened: &Opened,
    part: &PartId,
    editor: EditorPart,
) -> Result<ShowPage, PageError> {
    let seen = Seen::of(app, context, opened.clone(), Look::before(context).asked()).await?;
    page_of(app, context, &seen, part, editor).await
}

async fn page_of(
    app: &App,
    context: &RequestContext,
    seen: &Seen,
    part: &PartId,
    editor: EditorPart,
) -> Result<ShowPage, PageError> {
    let (opened, centre) = (&seen.opened, &context.centre);
    let (expectations, history) = tokio::try_join!(
        expectations::checked(&app.store, centre.id, &opened.strategy, &centre.zone),
        async {
            match opened.draft() {
                Some(draft) => Ok(app.store.draft_history(draft.id).await?),
                None => Ok(Vec::new()),
            }
        },
    )?;
    let of = query_of(opened);
    let base = format!("/strategy?day={}&{of}", context.day);
    let time = seen.at.strftime("%H:%M").to_string();
    let trial =
        seen.trial.as_ref().map_or_else(String::new, |trial| format!("&trial={}", trial.id));
    let only = |name: &str| format!("&contact_type={}", words::in_address(name));
    let shown_type = seen.only.as_deref().map_or_else(String::new, only);
    let unfolded = format!("{base}&at={time}{trial}{shown_type}");
    let address = with_fold(&unfolded, &seen.fold);
    let here = with_fold(&format!("{base}&at={time}{trial}&part={part}"), &seen.fold);
    let to_fold = format!("{unfolded}&part={part}");
    let all_types = Choice {
        name: "all contacts".to_owned(),
        address: here.clone(),
        is_chosen: seen.only.is_none(),
    };
    let of_types = seen.types.iter().map(|name| Choice {
        name: name.clone(),
        address: format!("{here}{}", only(name)),
        is_chosen: seen.only.as_ref() == Some(name),
    });
    let row = |version: &StrategyVersion| VersionRow {
        version: version.version,
        label: version.label.clone(),
        by: version.created_by.clone().unwrap_or_else(|| "demo".to_owned()),
        when: words::moment(version.created_at, &centre.zone),
        summary: version.summary.clone(),
        is_live: version.is_live,
        is_shown: opened.version().is_some_and(|open| open.id == version.id),
        address: format!("/strategy?day={}&version={}", context.day, version.version),
        export: format!("/strategy/versions/{}", version.version),
    };
    let PartLines { entries, steps, teams, campaigns } =
        part_lines(&opened.strategy, part, &address);
    let findings = seen.findings.iter();
    let of_day = |days: i64| {
        let day = context.day.saturating_add(jiff::Span::new().days(days));
        let address = format!("{}&{of}&part={part}", Stage::Strategy.address(day, None));
        with_fold(&address, &seen.fold)
    };
    let is_first = opened.versions.is_empty() && opened.drafts.is_empty();
    let (changes, changed_from) = match &seen.differences {
        Some(differences) => (differences.changes.clone(), Some(differences.from)),
        None => (Vec::new(), None),
    };
    Ok(ShowPage {
        frame: Frame::of(context, Stage::Strategy, None),
        question: format!("What happens to a contact on {} at {time}?", seen.at.strftime("%A")),
        answer: parts::answer(seen),
        map: MapView::of(&Drawn {
            to_fold: Some(&to_fold),
            ..Drawn::of(seen, Some(part), &address)
        })
        .beside_panel(),
        fold_all: seen.ways.can_be_folded().then(|| match seen.ways.is_all_folded() {
            true => ("unfold", to_fold.clone()),
            false => ("fold", with_fold(&to_fold, &Fold::All)),
        }),
        panel: PanelView::of(seen, part, context, &address),
        findings: findings.map(|each| FindingView::of(each, &opened.strategy, &address)).collect(),
        waived: seen.waived.iter().map(|each| WaivedRow::of(each, opened, centre)).collect(),
        waive_address: format!("/strategy/waivers?day={}&{of}", context.day),
        expectations,
        times: times(
            seen,
            &time,
            &with_fold(&format!("{base}{trial}{shown_type}&part={part}"), &seen.fold),
        ),
        types: if seen.types.len() > 1 {
            std::iter::once(all_types).chain(of_types).collect()
        } else {
            Vec::new()
        },
        trial: seen.trial.as_ref().map(|trial| TrialShown {
            name: format!("{}, {}", trial.subject.name, words::short_day(trial.subject.day)),
            address: format!("/trials/{}?day={}", trial.id, context.day),
            of_version: Some(trial.version)
                .filter(|version| opened.version().is_none_or(|open| open.version != *version)),
        }),
        bar: DraftBar::of(opened, context, history),
        shapes: if is_first { StartingShape::ALL.to_vec() } else { Vec::new() },
        changes,
        changed_from,
        day: words::short_day(context.day),
        day_before: of_day(-1),
        day_after: of_day(1),
        svg_address: format!("/strategy/map.svg{}", address.trim_start_matches("/strategy")),
        walk_address: format!("/strategy/walk?day={}&{of}&at={time}", context.day),
        people_address: format!("/strategy/people?day={}&{of}", context.day),
        numbers_address: format!("/strategy/numbers?day={}&{of}", context.day),
        campaigns_address: format!("/strategy/campaigns?day={}&{of}", context.day),
        rules_address: format!("/strategy/rules?day={}", context.day),
        entries,
        steps,
        teams,
        campaigns,
        kinds: StepName::ALL,
        targets: panel::targets(&opened.strategy),
        editor,
        name: opened.strategy.name.clone(),
        versions: opened.versions.iter().map(row).collect(),
        based_on: opened.basis.to_string(),
        shown: match opened.draft() {
            Some(draft) => format!("“{}”", draft.name),
            None => opened.basis.to_string(),
        },
        missing: opened.without_entry(),
        change_address: format!("/strategy/change?day={}", context.day),
        may_plan: context.may_plan(),
        note: None,
        json_address: format!("/strategy/json?day={}", context.day),
        wrong_json: None,
        wrong_expectations: Vec::new(),
    })
}

/// The times of the day in which anything is expected or anybody is on shift; the shown one anyway.
fn times(seen: &Seen, shown: &str, address: &str) -> Vec<Choice> {
    let day = (86_400.0 / seen.premises.interval_secs) as usize;
    let first = seen.interval - seen.interval % day.max(1);
    let premises = &seen.premises;
    let is_live = |at: usize| {
        let comes =
            premises.types.iter().any(|each| each.contacts.get(at).is_some_and(|c| *c > 0.0));
        comes || premises.teams.iter().any(|team| team.people.get(at).is_some_and(|p| *p > 0))
    };
    let live: Vec<usize> =
        (first..(first + day).min(premises.intervals)).filter(|&at| is_live(at)).collect();
    // An hour before and after, so that what happens while closed can be seen.
    let (from, to) =
        (live.first().copied().unwrap_or(first), live.last().copied().unwrap_or(first));
    let times = (from.saturating_sub(2)..=(to + 2).min(premises.intervals.saturating_sub(1)))
        .map(|at| premises.clock(at).strftime("%H:%M").to_string());
    let mut times: Vec<String> = times.collect();
    if !times.iter().any(|time| time == shown) {
        times.push(shown.to_owned());
    }
    times.sort();
    times.dedup();
    let choice = |time: String| Choice {
        is_chosen: time == shown,
        address: format!("{address}&at={time}"),
        name: time,
    };
    times.into_iter().map(choice).collect()
}
