//! A change sheet as it is written: for a version, on what evidence, when it takes effect.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::release::{self, Offer, OpenedEvidence, OpenedSheet};
use barometer_plan::{EvidenceKey, SheetAct, SheetText};
use barometer_store::{StoreError, StrategyVersion};
use barometer_strategy::Strategy;
use jiff::civil::DateTime;
use serde::Deserialize;

use super::sheet::actor;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};

/// Trials and comparisons that are offered as evidence.
const OFFERED: i64 = 12;

#[derive(Template)]
#[template(path = "go_live/form.html")]
struct FormPage {
    frame: Frame,
    heading: String,
    answer: String,
    action: String,
    back: String,
    try_address: String,
    text: SheetText,
    takes_effect: String,
    zone: String,
    evidence: Vec<Offered>,
    wrong: FormErrors,
}

/// A trial or comparison that can be chosen.
struct Offered {
    value: String,
    name: String,
    told: String,
    is_chosen: bool,
}

#[derive(Debug, Deserialize)]
pub(crate) struct NewQuery {
    version: i32,
}

/// A sheet as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct SheetForm {
    title: String,
    #[serde(rename = "why_wanted")]
    why: String,
    conditions: String,
    way_back: String,
    takes_effect: String,
    evidence: Vec<String>,
}

impl SheetForm {
    /// What the sheet says, with messages beside what is wrong.
    fn text(&self, app: &App, context: &RequestContext, wrong: &mut FormErrors) -> SheetText {
        let takes_effect = match self.takes_effect.trim() {
            "" => None,
            typed => {
                let local = typed.parse::<DateTime>().ok();
                let at = local.and_then(|at| context.centre.zone.to_timestamp(at).ok());
                let now = app.live.time_of(&context.centre);
                if at.is_none() {
                    wrong.note("takes_effect", "Give a day and a time, or leave it empty.");
                } else if at <= now {
                    let message = "This time is past: leave it empty for when it is published.";
                    wrong.note("takes_effect", message);
                }
                at
            }
        };
        let key = |value: &String| {
            let (kind, id) = value.split_once(':')?;
            let id = id.parse().ok()?;
            Some(if kind == "trial" { EvidenceKey::Trial(id) } else { EvidenceKey::Comparison(id) })
        };
        let text = SheetText {
            title: self.title.trim().to_owned(),
            why: self.why.trim().to_owned(),
            conditions: self.conditions.trim().to_owned(),
            way_back: self.way_back.trim().to_owned(),
            takes_effect,
            evidence: self.evidence.iter().filter_map(key).collect(),
        };
        for (field, message) in text.faults() {
            wrong.note(field, message);
        }
        text
    }
}

/// `GET /go-live/new?version=2`: a sheet for a version.
pub(crate) async fn ask(
    State(app): State<App>,
    Planner(context): Planner,
    Query(query): Query<NewQuery>,
) -> Result<Response, PageError> {
    let version = version(&app, &context, query.version).await?;
    let offer = release::evidence_of(&app.store, context.centre.id, version.id, OFFERED).await?;
    // Everything that was tried speaks for it until the planner says otherwise.
    let text = SheetText {
        title: version.called().to_owned(),
        why: version.summary.clone(),
        evidence: offer.evidence.iter().map(|each| each.key).collect(),
        ..SheetText::default()
    };
    page(&FormPage::new(&context, &version, (text, FormErrors::default()), &offer, None))
}

/// `POST /go-live/new?version=2`
pub(crate) async fn draw_up(
    State(app): State<App>,
    Planner(context): Planner,
    Query(query): Query<NewQuery>,
    Form(typed): Form<SheetForm>,
) -> Result<Response, PageError> {
    let version = version(&app, &context, query.version).await?;
    let mut wrong = FormErrors::default();
    let text = typed.text(&app, &context, &mut wrong);
    if !wrong.is_empty() {
        let offer =
            release::evidence_of(&app.store, context.centre.id, version.id, OFFERED).await?;
        return refused(&FormPage::new(&context, &version, (text, wrong), &offer, None));
    }
    let (store, by) = (&app.store, context.user.id);
    let number = release::draw_up(store, context.centre.id, version.id, text, by).await?;
    Ok(Redirect::to(&format!("/go-live/sheets/{number}?day={}", context.day)).into_response())
}

/// `GET /go-live/sheets/{number}/text`: the sheet, to be written otherwise.
pub(crate) async fn ask_again(
    State(app): State<App>,
    Planner(context): Planner,
    Path(number): Path<i32>,
) -> Result<Response, PageError> {
    let opened = OpenedSheet::of(&app.store, &context.centre, number).await?;
    let version = opened.version().ok_or(PageError::NotFound)?;
    let offer = release::evidence_of(&app.store, context.centre.id, version.id, OFFERED).await?;
    let said = (opened.sheet.text.clone(), FormErrors::default());
    page(&FormPage::new(&context, version, said, &offer, Some(number)))
}

/// `POST /go-live/sheets/{number}/text`
pub(crate) async fn revise(
    State(app): State<App>,
    Planner(context): Planner,
    Path(number): Path<i32>,
    Form(typed): Form<SheetForm>,
) -> Result<Response, PageError> {
    let opened = OpenedSheet::of(&app.store, &context.centre, number).await?;
    let version = opened.version().ok_or(PageError::NotFound)?;
    let mut wrong = FormErrors::default();
    let text = typed.text(&app, &context, &mut wrong);
    if !wrong.is_empty() {
        let offer =
            release::evidence_of(&app.store, context.centre.id, version.id, OFFERED).await?;
        return refused(&FormPage::new(&context, version, (text, wrong), &offer, Some(number)));
    }
    let (act, who) = (SheetAct::Revised(text), Some(actor(&context)));
    opened.act(&app.store, context.centre.id, act, who).await?;
    Ok(Redirect::to(&format!("/go-live/sheets/{number}?day={}", context.day)).into_response())
}

async fn version(
    app: &App,
    context: &RequestContext,
    number: i32,
) -> Result<StrategyVersion, PageError> {
    let versions = app.store.strategy_versions(context.centre.id).await?;
    let version = versions.into_iter().find(|version| version.version == number);
    Ok(version.ok_or(StoreError::NotFound)?)
}

impl FormPage {
    fn new(
        context: &RequestContext,
        version: &StrategyVersion,
        (text, wrong): (SheetText, FormErrors),
        offered: &Offer,
        sheet: Option<i32>,
    ) -> Self {
        let zone = &context.centre.zone;
        let name = format!("v{} {}", version.version, version.called());
        let evidence = &offered.evidence;
        let answer = match evidence.len() {
            0 => format!("{name} has no finished trial yet: it can be proposed once it has one."),
            1 => format!("{name} has one finished trial or comparison to rest on."),
            n => format!("{name} has {n} finished trials and comparisons to rest on."),
        };
        let new = format!("/go-live/new?version={}", version.version);
        Self {
            frame: Frame::of(context, Stage::GoLive, None),
            heading: format!("Why should v{} go live?", version.version),
            answer,
            action: sheet.map_or(new, |number| format!("/go-live/sheets/{number}/text")),
            back: sheet.map_or_else(
                || "/go-live".to_owned(),
                |number| format!("/go-live/sheets/{number}"),
            ),
            try_address: format!("/trials?day={}#new", context.day),
            takes_effect: text.takes_effect.map_or_else(String::new, |at| {
                zone.to_datetime(at).strftime("%Y-%m-%dT%H:%M").to_string()
            }),
            zone: zone.iana_name().unwrap_or("the centre's zone").to_owned(),
            evidence: evidence
                .iter()
                .map(|each| Offered::of(each, &text, &offered.strategy))
                .collect(),
            text,
            wrong,
        }
    }
}

impl Offered {
    fn of(each: &OpenedEvidence, text: &SheetText, strategy: &Strategy) -> Self {
        let value = match each.key {
            EvidenceKey::Trial(id) => format!("trial:{id}"),
            EvidenceKey::Comparison(id) => format!("comparison:{id}"),
        };
        let kind = match each.key {
            EvidenceKey::Trial(_) => "trial",
            EvidenceKey::Comparison(_) => "comparison",
        };
        let verdict = each.document.as_ref().and_then(|document| document.verdict_of(strategy));
        let told = verdict
            .map_or_else(|| kind.to_owned(), |verdict| format!("{kind}: {}", verdict.word()));
        Self { value, name: each.name.clone(), told, is_chosen: text.evidence.contains(&each.key) }
    }
}
