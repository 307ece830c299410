//! One change sheet: what changes, on what evidence, with which risks, and who decides.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::release::{self, OpenedEvidence, OpenedSheet, said, waived_words};
use barometer_plan::{
    Actor, ChangeSheet, EvidenceDocument, EvidenceKey, Risks, SheetAct, SheetDocument, SheetState,
    TriedDay, Verdict,
};
use barometer_simulate::Estimate;
use barometer_store::{Deed, Noted, Role};
use barometer_strategy::{Change, Strategy};
use jiff::tz::TimeZone;
use serde::Deserialize;

use crate::access::RequestContext;
use crate::extract::{Form, Path};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::strategy::{changed_map, expectations};
use crate::pages::{page, trail};
use crate::{App, exports, words};

#[derive(Template)]
#[template(path = "go_live/sheet.html")]
struct SheetPage {
    frame: Frame,
    number: i32,
    title: String,
    answer: String,
    state: &'static str,
    facts: Vec<(&'static str, String)>,
    changes: Vec<Change>,
    map: String,
    evidence: Vec<EvidenceRow>,
    days: Vec<DayRow>,
    risks: Vec<String>,
    /// The journey map with what changes.
    picture: Option<String>,
    found: Vec<String>,
    waived: Vec<String>,
    broken: Vec<String>,
    expectations: usize,
    record: Vec<RecordRow>,
    is_intact: bool,
    acts: Acts,
    address: String,
}

struct EvidenceRow {
    address: String,
    name: String,
    told: String,
    seed: String,
    verdict: Option<Verdict>,
    problem: Option<&'static str>,
}

/// A day that was tried.
struct DayRow {
    day: String,
    evidence: String,
    contact_type: String,
    level: String,
    target: String,
    is_short: bool,
    verdict: Option<Verdict>,
}

struct RecordRow {
    at: String,
    by: String,
    what: &'static str,
    said: String,
    seal: String,
}

/// What the reader may do with the sheet now; what is written beside a button that is not there.
#[derive(Default)]
struct Acts {
    revise: bool,
    propose: bool,
    withdraw: bool,
    decide: bool,
    publish: bool,
    roll_back: bool,
    /// Why the next step cannot be taken, or not by this reader.
    why_not: Option<String>,
}

/// Somebody who looks at a sheet, as its rules see them.
pub(super) fn actor(context: &RequestContext) -> Actor {
    Actor {
        id: context.user.id,
        may_plan: context.may_plan(),
        may_approve: context.may(Role::Approver),
    }
}

/// `GET /go-live/sheets/{number}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(number): Path<i32>,
) -> Result<Response, PageError> {
    let opened = OpenedSheet::of(&app.store, &context.centre, number).await?;
    let (checked, expected) = checks(&app, &context, &opened).await?;
    let zone = &context.centre.zone;
    let documents = opened.evidence.iter().filter_map(|each| each.document.as_ref());
    let risks = Risks::of(&opened.strategy, documents);
    let version = opened.version().map_or(0, |version| version.version);
    let from = opened.against().map(|against| against.version);
    let picture = if opened.changes.is_empty() || opened.version().is_none() {
        None
    } else {
        Some(changed_map(&app, &context, (version, from)).await?)
    };
    let from = from.map_or_else(String::new, |from| format!("&from={from}"));
    page(&SheetPage {
        frame: Frame::of(&context, Stage::GoLive, None),
        number,
        title: question(&opened.sheet),
        answer: answer(&context, &opened),
        state: opened.sheet.state.words(),
        facts: facts(&context, &opened),
        map: format!("/strategy?version={version}{from}&day={}", context.day),
        picture,
        days: risks.days.iter().map(|day| DayRow::of(day, zone)).collect(),
        evidence: opened
            .evidence
            .iter()
            .map(|each| EvidenceRow::of(each, &opened.strategy))
            .collect(),
        risks: risk_words(&risks),
        found: checked.findings.iter().map(|each| each.rule.title().to_owned()).collect(),
        waived: waived_words(&checked),
        expectations: expected.len(),
        broken: broken(&expected),
        record: opened
            .kept
            .record
            .iter()
            .rev()
            .map(|kept| RecordRow {
                at: words::moment(kept.entry.at, zone),
                by: kept.by.clone().unwrap_or_else(|| "Barometer".to_owned()),
                what: kept.entry.act.words(),
                said: said(&kept.entry.act),
                seal: kept.seal.chars().take(12).collect(),
            })
            .collect(),
        is_intact: opened.kept.record.iter().all(|kept| kept.is_sealed),
        acts: Acts::of(&context, &opened),
        changes: opened.changes,
        address: format!("/go-live/sheets/{number}"),
    })
}

fn question(sheet: &ChangeSheet) -> String {
    let title = &sheet.text.title;
    if sheet.state.is_open() {
        format!("Should “{title}” go live?")
    } else {
        format!("What went live with “{title}”?")
    }
}

async fn checks(
    app: &App,
    context: &RequestContext,
    opened: &OpenedSheet,
) -> Result<(barometer_app::strategy_week::Checked, Vec<expectations::ExpectationRow>), PageError> {
    let (centre, strategy) = (&context.centre, &opened.strategy);
    let checked = release::checked(&app.store, centre, strategy, context.monday()).await?;
    let expected = expectations::checked(&app.store, centre.id, strategy, &centre.zone).await?;
    Ok((checked, expected))
}

fn answer(context: &RequestContext, opened: &OpenedSheet) -> String {
    let zone = &context.centre.zone;
    let version = opened.version();
    let name = version.map_or_else(
        || "A version that was removed".to_owned(),
        |version| format!("v{} {}", version.version, version.called()),
    );
    let last = opened.kept.record.iter().rev();
    let who = last
        .filter(|kept| !matches!(kept.entry.act, SheetAct::Commented { .. }))
        .map(|kept| {
            let by = kept.by.clone().unwrap_or_else(|| "Barometer".to_owned());
            (by, words::moment(kept.entry.at, zone))
        })
        .next();
    let (by, at) = who.unwrap_or_default();
    let effect = opened.sheet.text.takes_effect.map(|at| words::moment(at, zone));
    let stands = match opened.sheet.state {
        SheetState::Draft => format!("is being written by {by}"),
        SheetState::Proposed => format!("waits for an approver; {by} proposed it on {at}"),
        SheetState::SentBack => format!("was sent back by {by} on {at}"),
        SheetState::Approved => format!("was approved by {by} on {at} and is not published yet"),
        SheetState::Scheduled => format!(
            "was approved by {by} and goes live on {}",
            effect.unwrap_or_else(|| "a day that is not set".to_owned())
        ),
        SheetState::Live => format!("is live since {at}"),
        SheetState::RolledBack => format!("was rolled back by {by} on {at}"),
        SheetState::Superseded => "was live until another version went live".to_owned(),
    };
    let settings = match opened.changes.len() {
        0 => "No setting differs".to_owned(),
        1 => "One setting differs".to_owned(),
        n => format!("{} settings differ", words::capitalised(&words::count_word(n))),
    };
    let against =
        opened.against().map_or_else(String::new, |against| format!(" from v{}", against.version));
    format!("{name} {stands}. {settings}{against}; {}.", evidence_words(opened))
}

fn evidence_words(opened: &OpenedSheet) -> String {
    let verdict = |each: &OpenedEvidence| each.document.as_ref()?.verdict_of(&opened.strategy);
    let verdicts: Vec<Verdict> = opened.evidence.iter().filter_map(verdict).collect();
    let holds = verdicts.iter().filter(|verdict| **verdict == Verdict::Holds).count();
    match (opened.evidence.len(), verdicts.len()) {
        (0, _) => "nobody has tried it".to_owned(),
        (_, 0) => "its evidence has no verdict yet".to_owned(),
        (_, 1) if holds == 1 => "its evidence holds every target".to_owned(),
        (_, 1) => "its evidence does not hold every target".to_owned(),
        (_, n) => format!("{holds} of {n} trials and comparisons hold every target"),
    }
}

fn facts(context: &RequestContext, opened: &OpenedSheet) -> Vec<(&'static str, String)> {
    let text = &opened.sheet.text;
    let drawn_up = opened.kept.record.first().and_then(|first| first.by.clone());
    let mut facts = vec![
        ("Why", text.why.clone()),
        ("Conditions", text.conditions.clone()),
        ("Way back", text.way_back.clone()),
        (
            "Takes effect",
            text.takes_effect.map_or_else(
                || "when it is published".to_owned(),
                |at| words::moment(at, &context.centre.zone),
            ),
        ),
        ("Drawn up by", drawn_up.unwrap_or_default()),
    ];
    facts.retain(|(_, value)| !value.is_empty());
    facts
}

impl EvidenceRow {
    fn of(each: &OpenedEvidence, strategy: &Strategy) -> Self {
        let document = each.document.as_ref();
        let outcome = document.and_then(|document| document.outcome_of(strategy));
        let base = match document {
            Some(EvidenceDocument::Comparison { inputs, .. }) => inputs.base(),
            _ => outcome.map(|(inputs, _)| inputs),
        };
        let (address, kind, name) = match each.key {
            EvidenceKey::Trial(id) => {
                (format!("/trials/{id}"), "trial", words::capitalised(&each.name))
            }
            EvidenceKey::Comparison(id) => {
                (format!("/comparisons/{id}"), "comparison", each.name.clone())
            }
        };
        let days = base.map_or_else(String::new, |base| {
            format!(", {} simulated days", words::thousands(f64::from(base.replications)))
        });
        let level = outcome.and_then(|(_, outcome)| outcome.day.service_level);
        let level = level.map_or_else(String::new, |level| {
            format!(", service level {}", words::estimated_percent(Some(level)))
        });
        Self {
            address,
            name,
            told: format!("{kind}{days}{level}"),
            seed: base.map_or_else(String::new, |base| base.seed.to_string()),
            verdict: document.and_then(|document| document.verdict_of(strategy)),
            problem: match (document, each.is_of_version) {
                (_, false) => Some("not of this version"),
                (None, true) => Some("not finished"),
                (Some(_), true) if !each.is_enough => Some("too little to count"),
                (Some(_), true) => None,
            },
        }
    }
}

impl DayRow {
    fn of(day: &TriedDay, zone: &TimeZone) -> Self {
        let first = day.start.to_zoned(zone.clone()).date();
        let days = (day.secs / 86_400.0).ceil();
        Self {
            day: if days > 1.0 {
                format!("{days:.0} days from {}", words::long_day(first))
            } else {
                words::long_day(first)
            },
            evidence: day.evidence.clone(),
            contact_type: day.contact_type.clone(),
            level: words::estimated_percent(Some(day.level)),
            target: words::whole_percent(day.wanted),
            is_short: day.level.mean < day.wanted,
            verdict: day.verdict,
        }
    }
}

fn risk_words(risks: &Risks) -> Vec<String> {
    let mut told = Vec::new();
    if let Some((volume, before)) = risks.breaks_at {
        let before = before.map_or_else(String::new, |before| {
            format!(" (without the change: {})", words::whole_percent(before))
        });
        told.push(format!(
            "Every target holds up to {} of the forecast volume{before}.",
            words::whole_percent(volume)
        ));
    }
    let list = |is_gain: bool| {
        let those = risks.differences.iter().filter(|(_, level)| (level.mean > 0.0) == is_gain);
        let told: Vec<String> =
            those.map(|(name, level)| format!("{name} {}", points(level))).collect();
        (!told.is_empty()).then(|| words::listing(&told))
    };
    told.extend(list(true).map(|gains| format!("Who gains: {gains}.")));
    told.extend(list(false).map(|losses| format!("Who loses: {losses}.")));
    told
}

fn points(level: &Estimate) -> String {
    format!("{} points", words::signed_one_decimal(level.mean * 100.0))
}

impl Acts {
    fn of(context: &RequestContext, opened: &OpenedSheet) -> Self {
        let who = actor(context);
        let words = |text: &str| text.to_owned();
        let may = |act: &SheetAct| opened.sheet.may(act, Some(who), opened.ground);
        let reason = || words("because");
        let next = match opened.sheet.state {
            SheetState::Draft | SheetState::SentBack => Some(SheetAct::Proposed),
            SheetState::Proposed => Some(SheetAct::Approved { knowing: Vec::new() }),
            SheetState::Approved => Some(SheetAct::WentLive),
            SheetState::Live => Some(SheetAct::RolledBack { reason: reason() }),
            SheetState::Scheduled | SheetState::RolledBack | SheetState::Superseded => None,
        };
        let why_not = next
            .and_then(|next| may(&next).err())
            .map(|refusal| format!("{}.", crate::words::capitalised(&refusal.to_string())));
        Self {
            revise: may(&SheetAct::Revised(opened.sheet.text.clone())).is_ok(),
            propose: may(&SheetAct::Proposed).is_ok(),
            withdraw: may(&SheetAct::Withdrawn).is_ok(),
            decide: may(&SheetAct::SentBack { reason: reason() }).is_ok(),
            publish: may(&SheetAct::WentLive).is_ok(),
            roll_back: opened.kept.against.is_some()
                && may(&SheetAct::RolledBack { reason: reason() }).is_ok(),
            why_not,
        }
    }
}

#[derive(Debug, Deserialize)]
pub(crate) struct ActForm {
    act: String,
    #[serde(default)]
    said: String,
}

/// `POST /go-live/sheets/{number}`: something is done with the sheet; who may do it is the sheet's to say.
pub(crate) async fn act(
    State(app): State<App>,
    context: RequestContext,
    Path(number): Path<i32>,
    Form(form): Form<ActForm>,
) -> Result<Response, PageError> {
    let said = form.said.trim().to_owned();
    let mut opened = OpenedSheet::of(&app.store, &context.centre, number).await?;
    let acts = match form.act.as_str() {
        "comment" => vec![SheetAct::Commented { text: said }],
        "propose" => vec![SheetAct::Proposed],
        "withdraw" => vec![SheetAct::Withdrawn],
        "send_back" => vec![SheetAct::SentBack { reason: said }],
        "approve" => vec![approved(&app, &context, &opened).await?],
        "approve_and_publish" => {
            vec![approved(&app, &context, &opened).await?, SheetAct::WentLive]
        }
        "publish" => vec![SheetAct::WentLive],
        "roll_back" => vec![SheetAct::RolledBack { reason: said }],
        _ => return Err(PageError::NotFound),
    };
    for (nth, act) in acts.into_iter().enumerate() {
        if nth > 0 {
            opened = OpenedSheet::of(&app.store, &context.centre, number).await?;
        }
        opened.act(&app.store, context.centre.id, act, Some(actor(&context))).await?;
    }
    let noted = Noted::about(format!("sheet {number}: {}", form.act.replace('_', " ")));
    trail::note(&app, &context, Deed::ChangeSheet, noted).await;
    app.live.wake();
    Ok(Redirect::to(&format!("/go-live/sheets/{number}?day={}", context.day)).into_response())
}

/// The approval, with what the approver sees.
async fn approved(
    app: &App,
    context: &RequestContext,
    opened: &OpenedSheet,
) -> Result<SheetAct, PageError> {
    let (checked, expected) = checks(app, context, opened).await?;
    let knowing = opened.known(&checked, &broken(&expected));
    Ok(SheetAct::Approved { knowing })
}

/// Expectations that are not met, and what happens instead.
fn broken(expected: &[expectations::ExpectationRow]) -> Vec<String> {
    let broken = expected.iter().filter(|row| !row.is_met);
    broken.map(|row| format!("{}: {}", row.name, row.told)).collect()
}

/// `GET /go-live/sheets/{number}/sheet.json`: the sheet with everything that its evidence follows from.
pub(crate) async fn export(
    State(app): State<App>,
    context: RequestContext,
    Path(number): Path<i32>,
) -> Result<Response, PageError> {
    let document = document(&app, &context, number).await?;
    let text = serde_json::to_string_pretty(&document)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&format!("change-sheet-{number}.json"), text))
}

/// A sheet with its evidence and what is found on it now.
pub(crate) async fn document(
    app: &App,
    context: &RequestContext,
    number: i32,
) -> Result<SheetDocument, PageError> {
    let opened = OpenedSheet::of(&app.store, &context.centre, number).await?;
    let (checked, expected) = checks(app, context, &opened).await?;
    Ok(opened.document(&checked, broken(&expected)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn estimate(mean: f64, half_width: f64) -> Estimate {
        Estimate { mean, error: Some(half_width / 2.0), half_width: Some(half_width) }
    }

    #[test]
    fn risks_are_told_in_the_planners_words() {
        let risks = Risks {
            days: Vec::new(),
            breaks_at: Some((0.89, Some(0.75))),
            differences: vec![
                ("Sailing changes".to_owned(), estimate(0.087, 0.01)),
                ("Bookings".to_owned(), estimate(-0.014, 0.005)),
                ("Groups".to_owned(), estimate(0.02, 0.01)),
            ],
        };
        insta::assert_snapshot!(risk_words(&risks).join("\n"), @"
        Every target holds up to 89 % of the forecast volume (without the change: 75 %).
        Who gains: Sailing changes +8.7 points and Groups +2.0 points.
        Who loses: Bookings −1.4 points.
        ");
        assert!(risk_words(&Risks::default()).is_empty());
    }

    #[test]
    fn a_tried_day_is_told_by_its_date_in_the_centres_zone() {
        let day = TriedDay {
            evidence: "the whole centre".to_owned(),
            start: "2026-07-03T23:00:00Z".parse().expect("a moment"),
            secs: 86_400.0,
            contact_type: "Bookings".to_owned(),
            level: estimate(0.712, 0.01),
            wanted: 0.8,
            verdict: Some(Verdict::Breaks),
        };
        let zone = TimeZone::get("Europe/London").expect("a zone");
        let row = DayRow::of(&day, &zone);
        assert_eq!((row.day.as_str(), row.level.as_str()), ("Saturday 4 July", "71.2 ± 1.0 %"));
        assert!(row.is_short && row.target == "80 %");
        let week = TriedDay { secs: 7.0 * 86_400.0, ..day };
        assert_eq!(DayRow::of(&week, &zone).day, "7 days from Saturday 4 July");
    }
}
