//! Go-live: which drafts may replace the live version, on what evidence, and who let them.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::{release, strategy_week};
use barometer_plan::Verdict;
use barometer_store::{GoLive, Role, StrategyVersion, TrialLine};
use barometer_strategy::{Change, changes};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Approver, RequestContext};
use crate::extract::{Form, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::strategy::expectations::{self, ExpectationRow};
use crate::pages::trials::days_words;
use crate::words;

/// Characters of a reason, at most.
const MOST_NOTE_CHARS: usize = 300;
const LISTED: i64 = 12;
/// Trials of a draft that are offered as evidence.
const EVIDENCE: i64 = 12;

#[derive(Template)]
#[template(path = "go_live.html")]
struct GoLivePage {
    frame: Frame,
    answer: String,
    sheet: Option<Sheet>,
    past: Vec<PastRow>,
    rollbacks: Vec<Rollback>,
    may_approve: bool,
    done: bool,
}

/// The change sheet of the draft that waits.
struct Sheet {
    version: i32,
    version_id: Uuid,
    live: String,
    changes: Vec<Change>,
    evidence: Vec<Evidence>,
    try_address: String,
    /// Expectations that the draft breaks, and how many there are.
    broken: Vec<String>,
    expectations: usize,
    /// What preflight finds in the planned week, and what of it was waived by whom.
    found: Vec<&'static str>,
    waived: Vec<String>,
}

struct Evidence {
    trial: Uuid,
    name: String,
    address: String,
    verdict: Verdict,
}

struct Rollback {
    version_id: Uuid,
    name: String,
}

struct PastRow {
    when: String,
    what: String,
    by: String,
    note: String,
    trial: Option<String>,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    done: Option<String>,
}

/// `GET /go-live`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let versions = app.store.strategy_versions(context.centre.id).await?;
    let past = app.store.latest_go_lives(LISTED).await?;
    let sheet = match versions.first().filter(|newest| !newest.is_live) {
        Some(draft) => {
            let trials = app.store.latest_trials(Some(draft.id), EVIDENCE).await?;
            let live = versions.iter().find(|version| version.is_live);
            let after = app.store.strategy(draft.id).await?;
            let changes = match live {
                Some(live) => changes(&app.store.strategy(live.id).await?, &after),
                None => Vec::new(),
            };
            let (centre, zone) = (context.centre.id, &context.centre.zone);
            let expected = expectations::checked(&app.store, centre, &after, zone).await?;
            let types = app.store.contact_types(centre).await?;
            let monday = context.monday();
            let checked =
                strategy_week::check(&app.store, &context.centre, &types, &after, monday).await?;
            let mut sheet = Sheet::of(draft, live, changes, &trials, expected, &context);
            sheet.found = checked.findings.iter().map(|each| each.rule.title()).collect();
            sheet.waived = checked
                .waived
                .iter()
                .map(|(finding, waiver)| {
                    format!("{}: “{}”, {}", finding.rule.title(), waiver.reason, waiver.by)
                })
                .collect();
            Some(sheet)
        }
        None => None,
    };
    let answer = match &sheet {
        None if versions.is_empty() => "Nothing waits: no strategy is saved yet.".to_owned(),
        None => "Nothing waits: the newest version of the strategy is the live one.".to_owned(),
        Some(sheet) => {
            let tried = match sheet.evidence.len() {
                0 => "nobody has tried it".to_owned(),
                1 => "it was tried once".to_owned(),
                times => format!("it was tried {times} times"),
            };
            format!("v{} waits to go live; {tried}.", sheet.version)
        }
    };
    let template = GoLivePage {
        frame: Frame::of(&context, Stage::GoLive, None),
        answer,
        sheet,
        past: past.into_iter().map(|each| past_row(each, &context)).collect(),
        rollbacks: rollbacks(&versions),
        may_approve: context.may(Role::Approver),
        done: query.done.is_some(),
    };
    page(&template)
}

impl Sheet {
    fn of(
        draft: &StrategyVersion,
        live: Option<&StrategyVersion>,
        changes: Vec<Change>,
        trials: &[TrialLine],
        expected: Vec<ExpectationRow>,
        context: &RequestContext,
    ) -> Self {
        let evidence = |trial: &TrialLine| {
            let subject = &trial.subject;
            Some(Evidence {
                trial: trial.id,
                name: format!(
                    "{}, {}, {}",
                    words::capitalised(&subject.name),
                    days_words(subject.day, subject.days),
                    trial.cover_words
                ),
                address: format!("/trials/{}?day={}", trial.id, subject.day),
                verdict: trial.digest?.verdict?,
            })
        };
        Self {
            version: draft.version,
            version_id: draft.id,
            live: live.map_or_else(
                || "nothing is live yet".to_owned(),
                |live| format!("v{} is live", live.version),
            ),
            changes,
            evidence: trials.iter().filter_map(evidence).collect(),
            try_address: format!("/trials?day={}#new", context.day),
            found: Vec::new(),
            waived: Vec::new(),
            expectations: expected.len(),
            broken: expected
                .into_iter()
                .filter(|row| !row.is_met)
                .map(|row| format!("{}: {}", row.name, row.told))
                .collect(),
        }
    }
}

/// The versions that were live before, to go back to.
fn rollbacks(versions: &[StrategyVersion]) -> Vec<Rollback> {
    let Some(live) = versions.iter().find(|version| version.is_live) else { return Vec::new() };
    versions
        .iter()
        .filter(|version| version.has_been_live && !version.is_live)
        .map(|version| Rollback {
            version_id: version.id,
            name: format!("v{} {} (live is v{})", version.version, version.called(), live.version),
        })
        .collect()
}

fn past_row(past: GoLive, context: &RequestContext) -> PastRow {
    PastRow {
        when: words::moment(past.approved_at, &context.centre.zone),
        what: format!("{} v{}", past.strategy, past.version),
        by: past.approved_by.unwrap_or_else(|| "set up with the demo".to_owned()),
        note: past.note,
        trial: past.trial.map(|trial| format!("/trials/{trial}")),
    }
}

#[derive(Deserialize)]
pub(crate) struct ApproveForm {
    version: Uuid,
    trial: Option<Uuid>,
    #[serde(default)]
    note: String,
}

/// `POST /go-live`: a tried draft goes live, or an earlier version comes back.
pub(crate) async fn approve(
    State(app): State<App>,
    Approver(context): Approver,
    Form(form): Form<ApproveForm>,
) -> Result<Response, PageError> {
    let note = form.note.trim();
    if note.is_empty() || note.chars().count() > MOST_NOTE_CHARS {
        let message = format!(
            "Say in up to {MOST_NOTE_CHARS} characters why this goes live. Go back and add it."
        );
        return Err(PageError::Refused(message));
    }
    release::go_live(&app.store, form.version, form.trial, context.user.id, note).await?;
    Ok(Redirect::to(&format!("/go-live?day={}&done=1", context.day)).into_response())
}
