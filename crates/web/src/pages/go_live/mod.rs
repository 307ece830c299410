//! Go-live: what is live, which change sheets wait, and what went live when.

pub(crate) mod evidence;
pub(crate) mod form;
pub(crate) mod sheet;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::live::View;
use barometer_plan::{ChangeSheet, SheetState};
use barometer_store::{
    Edited, GoLive, KeptSheet, LiveRelease, ReleaseAnswer, Role, StrategyVersion,
};
use serde::Deserialize;

use evidence::EvidenceForm;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

/// Releases and versions that are listed.
const LISTED: i64 = 12;
const LISTED_VERSIONS: usize = 6;

#[derive(Template)]
#[template(path = "go_live/overview.html")]
struct OverviewPage {
    frame: Frame,
    answer: String,
    sheets: Vec<SheetRow>,
    past: Vec<PastRow>,
    /// What the switch has, in words, and whether that is not what is to be live.
    there: Option<(String, bool)>,
    /// Versions that a sheet can be drawn up for.
    versions: Vec<(String, String, &'static str)>,
    /// What counts as evidence.
    evidence: String,
    /// The same as a form, for administrators.
    evidence_form: Option<EvidenceForm>,
    wrong: FormErrors,
    note: Option<&'static str>,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    note: Option<String>,
}

struct SheetRow {
    address: String,
    number: i32,
    title: String,
    version: String,
    state: &'static str,
    /// Whether it waits for an approver.
    waits: bool,
    by: String,
    at: String,
    is_open: bool,
}

struct PastRow {
    when: String,
    what: String,
    by: String,
    note: String,
    address: Option<String>,
}

/// `GET /go-live`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let mut template = overview(&app, &context, None).await?;
    template.note = (query.note.as_deref() == Some("evidence"))
        .then_some("What counts as evidence is changed.");
    page(&template)
}

/// The page; with what was typed of the rule for evidence where that was refused.
async fn overview(
    app: &App,
    context: &RequestContext,
    typed: Option<(EvidenceForm, FormErrors)>,
) -> Result<OverviewPage, PageError> {
    let version = app.store.version_of(Edited::Evidence(context.centre.id)).await?;
    let (versions, past, kept, release, rules) = tokio::try_join!(
        app.store.strategy_versions(context.centre.id),
        app.store.latest_go_lives(LISTED),
        app.store.change_sheets(context.centre.id),
        app.store.live_release(context.centre.id),
        app.store.evidence_rules(context.centre.id),
    )?;
    let sheets: Vec<(&KeptSheet, ChangeSheet)> =
        kept.iter().filter_map(|kept| Some((kept, kept.sheet()?))).collect();
    let (evidence_form, wrong) =
        typed.unwrap_or_else(|| (EvidenceForm::of(&rules, version), FormErrors::default()));
    Ok(OverviewPage {
        frame: Frame::of(context, Stage::GoLive, None),
        answer: answer(&versions, &sheets),
        there: app
            .live
            .is_there()
            .then(|| on_the_switch(&app.live.view().borrow(), release.as_ref(), context)),
        sheets: sheets.iter().map(|each| SheetRow::of(each, &versions, context)).collect(),
        past: past.into_iter().map(|each| past_row(each, &kept, context)).collect(),
        versions: if context.may_plan() { proposable(&versions, &sheets) } else { Vec::new() },
        evidence: evidence::in_words(&rules),
        evidence_form: context.may(Role::Administrator).then_some(evidence_form),
        wrong,
        note: None,
    })
}

/// What the switch has, and whether it is not what is to be live.
fn on_the_switch(
    view: &View,
    release: Option<&LiveRelease>,
    context: &RequestContext,
) -> (String, bool) {
    let Some(release) = release else {
        return ("On the switch: nothing, and nothing is to be live.".to_owned(), false);
    };
    let wanted = format!("v{} (release {})", release.version, release.number);
    if let Some(trouble) = &view.trouble {
        return (
            format!("The switch is not heard, so {wanted} waits to be published: {trouble}."),
            true,
        );
    }
    match &release.answer {
        Some(ReleaseAnswer::Refused(message)) => (
            format!("The switch has refused {wanted}: {message}. It goes on with what it had."),
            true,
        ),
        Some(ReleaseAnswer::Live(since)) if view.is_as_it_should != Some(false) => {
            let since = words::moment(*since, &context.centre.zone);
            (format!("On the switch: {wanted} since {since}, as it is to be."), false)
        }
        _ => match &view.untold {
            Some(untold) => (format!("The switch could not be told everything: {untold}."), true),
            None => (format!("{wanted} is being published to the switch."), false),
        },
    }
}

fn answer(versions: &[StrategyVersion], sheets: &[(&KeptSheet, ChangeSheet)]) -> String {
    let Some(live) = versions.iter().find(|version| version.is_live) else {
        return "Nothing is live yet. Keep a version under Strategy, try it, and draw up its change sheet."
            .to_owned();
    };
    let count = |state| sheets.iter().filter(|(_, sheet)| sheet.state == state).count();
    let mut waits = Vec::new();
    for (state, one, many) in [
        (SheetState::Proposed, "waits for an approver", "wait for an approver"),
        (SheetState::Approved, "is approved and not published", "are approved and not published"),
        (SheetState::Scheduled, "goes live at a time that is set", "go live at times that are set"),
        (SheetState::SentBack, "was sent back", "were sent back"),
    ] {
        match count(state) {
            0 => {}
            1 => waits.push(format!("one change sheet {one}")),
            n => waits.push(format!("{} change sheets {many}", words::count_word(n))),
        }
    }
    let waits = match waits.as_slice() {
        [] => "No change sheet waits.".to_owned(),
        waits => format!("{}.", words::capitalised(&words::listing(waits))),
    };
    format!("v{} {} is live. {waits}", live.version, live.called())
}

impl SheetRow {
    fn of(
        (kept, sheet): &(&KeptSheet, ChangeSheet),
        versions: &[StrategyVersion],
        context: &RequestContext,
    ) -> Self {
        let version = versions.iter().find(|version| version.id == kept.version);
        let last = kept.record.last();
        Self {
            address: format!("/go-live/sheets/{}?day={}", kept.number, context.day),
            number: kept.number,
            title: sheet.text.title.clone(),
            version: version.map_or_else(|| "–".to_owned(), |each| format!("v{}", each.version)),
            state: sheet.state.words(),
            waits: sheet.state == SheetState::Proposed,
            by: last.and_then(|last| last.by.clone()).unwrap_or_else(|| "Barometer".to_owned()),
            at: last.map_or_else(String::new, |last| {
                words::moment(last.entry.at, &context.centre.zone)
            }),
            is_open: sheet.state.is_open(),
        }
    }
}

/// Versions that are not live and have no open sheet: their names, where a sheet is drawn up, and what they are.
fn proposable(
    versions: &[StrategyVersion],
    sheets: &[(&KeptSheet, ChangeSheet)],
) -> Vec<(String, String, &'static str)> {
    let has_open = |version: &StrategyVersion| {
        sheets.iter().any(|(kept, sheet)| kept.version == version.id && sheet.state.is_open())
    };
    versions
        .iter()
        .filter(|version| !version.is_live && !has_open(version))
        .take(LISTED_VERSIONS)
        .map(|version| {
            (
                format!("v{} {}", version.version, version.called()),
                format!("/go-live/new?version={}", version.version),
                if version.has_been_live { "has been live: go back to it" } else { "not live yet" },
            )
        })
        .collect()
}

fn past_row(past: GoLive, sheets: &[KeptSheet], context: &RequestContext) -> PastRow {
    let sheet = sheets.iter().find(|kept| Some(kept.id) == past.sheet);
    PastRow {
        when: words::moment(past.approved_at, &context.centre.zone),
        what: format!("{} v{}", past.strategy, past.version),
        by: past.approved_by.unwrap_or_else(|| match sheet {
            Some(_) => "at the time that was set".to_owned(),
            None => "set up with the demo".to_owned(),
        }),
        note: past.note,
        address: sheet
            .map(|sheet| format!("/go-live/sheets/{}", sheet.number))
            .or_else(|| past.trial.map(|trial| format!("/trials/{trial}"))),
    }
}
