//! The walk-through: one made-up contact, or one call of a campaign, followed through a version, each
//! decision explained.

mod form;

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_strategy::Strategy;
use barometer_walk::{Called, Moment, Scene, Walk, WalkEnd, What};
use serde::Deserialize;

use super::map::{Drawn, MapView};
use super::seen::{Asked, Seen};
use super::{open, which};
use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;
use form::WalkForm;

#[derive(Template)]
#[template(path = "strategy/walk.html")]
struct WalkPage {
    frame: Frame,
    answer: String,
    /// Whether it comes to no agent.
    is_lost: bool,
    /// Whether nothing is wrong with that: nobody was called.
    is_right: bool,
    form: WalkForm,
    wrong: Option<String>,
    moments: Vec<MomentRow>,
    remedies: Vec<String>,
    map: Option<MapView>,
    back: String,
    keep: Option<KeepForm>,
    /// What is wrong with what was to be kept.
    keep_wrong: FormErrors,
}

/// The form that keeps a walk-through as an expectation.
#[derive(Default, Deserialize)]
pub(crate) struct KeepForm {
    pub name: String,
    /// The scene as JSON, as the page wrote it.
    pub scene: String,
    pub end: String,
    pub within_secs: String,
    /// What the page was asked with, so that it can be shown once more.
    #[serde(default)]
    pub asked: String,
}

struct MomentRow {
    clock: String,
    secs: String,
    told: String,
    class: &'static str,
    step: String,
    address: Option<String>,
}

/// `GET /strategy/walk`: the contact as asked, walked through; a plain one at first.
pub(crate) async fn walk(
    State(app): State<App>,
    context: RequestContext,
    Query(asked): Query<Vec<(String, String)>>,
) -> Result<Response, PageError> {
    shown(&app, &context, asked.into_iter().collect(), None).await
}

/// The walk-through with a form that comes back.
pub(super) async fn come_back(
    app: &App,
    context: &RequestContext,
    (keep, wrong): (KeepForm, FormErrors),
) -> Result<Response, PageError> {
    let asked = form_urlencoded::parse(keep.asked.as_bytes()).into_owned().collect();
    shown(app, context, asked, Some((keep, wrong))).await
}

async fn shown(
    app: &App,
    context: &RequestContext,
    typed: BTreeMap<String, String>,
    refused_keep: Option<(KeepForm, FormErrors)>,
) -> Result<Response, PageError> {
    let text = |name: &str| typed.get(name).map_or("", |text| text.trim());
    let which = which(text("draft").parse().ok(), text("version").parse().ok());
    let opened = open(app, context, which).await?;
    if opened.types.is_empty() {
        return Ok(Redirect::to(&Stage::Demand.address(context.day, None)).into_response());
    }
    let asked = Asked { at: text("at").parse().ok(), ..Asked::default() };
    let seen = Seen::of(app, context, opened, asked).await?;
    let form = WalkForm::of(&seen, &typed, context);
    let address =
        format!("/strategy?day={}&{}={}&at={}", context.day, form.of.0, form.of.1, form.at);
    let mut template = WalkPage {
        frame: Frame::of(context, Stage::Strategy, None),
        answer: String::new(),
        is_lost: false,
        is_right: true,
        form,
        wrong: None,
        moments: Vec::new(),
        remedies: Vec::new(),
        map: None,
        back: address.clone(),
        keep: None,
        keep_wrong: FormErrors::default(),
    };
    let strategy = &seen.opened.strategy;
    let zone = &context.centre.zone;
    let walked = template.form.scene(&seen, context).and_then(|scene| {
        let walk = scene.walk(strategy, zone).map_err(|error| error.to_string())?;
        let remedies = scene.remedies(strategy, zone).map_err(|error| error.to_string())?;
        Ok((scene, walk, remedies))
    });
    let (scene, walk, remedies) = match walked {
        Ok(walked) => walked,
        Err(wrong) => {
            template.wrong = Some(format!("{}.", words::capitalised(&wrong)));
            template.answer = "This contact cannot be walked through as it is.".to_owned();
            return refused(&template);
        }
    };
    template.answer = answer(&scene, &walk, strategy);
    template.is_lost = walk.end != WalkEnd::Answered;
    template.is_right = matches!(walk.end, WalkEnd::Answered | WalkEnd::NotCalled);
    let called = scene.called.as_ref().map(|called| called.campaign.as_str());
    template.moments = walk.moments.iter().map(|moment| row(moment, called, &address)).collect();
    template.remedies = remedies
        .iter()
        .map(|remedy| {
            let secs = words::secs(remedy.answered_after_secs);
            format!("{}: answered after {secs}", remedy.what)
        })
        .collect();
    if context.may_plan() {
        template.keep = to_keep(&scene, &walk, strategy, &typed);
    }
    let mut passed: Vec<String> =
        walk.moments.iter().filter_map(|moment| moment.step.clone()).collect();
    passed.extend(scene.called.as_ref().map(|called| called.campaign.clone()));
    let drawn = Drawn { passed: &passed, ..Drawn::of(&seen, None, &address) };
    template.map = Some(MapView::of(&drawn));
    match refused_keep {
        Some((keep, wrong)) => {
            (template.keep, template.keep_wrong) = (Some(keep), wrong);
            refused(&template)
        }
        None => page(&template),
    }
}

/// What an expectation of this walk would be: that it ends like this, in the seconds it took, rounded up.
fn to_keep(
    scene: &Scene,
    walk: &Walk,
    strategy: &Strategy,
    asked: &BTreeMap<String, String>,
) -> Option<KeepForm> {
    let at = scene.at.strftime("%a %H:%M").to_string();
    let who = match &scene.called {
        None => who(scene, strategy, &at),
        Some(called) => {
            let lives = called.zone.as_deref().unwrap_or("somebody");
            format!("{}, {lives}, {at}:", campaign_name(called, strategy))
        }
    };
    let name = format!("{who} {}", end_words(scene, walk.end));
    Some(KeepForm {
        name,
        scene: serde_json::to_string(scene).ok()?,
        end: serde_json::to_value(walk.end).ok()?.as_str()?.to_owned(),
        within_secs: words::plain_number((walk.secs / 5.0).ceil() * 5.0),
        asked: form_urlencoded::Serializer::new(String::new()).extend_pairs(asked).finish(),
    })
}

/// The contact that comes in, or the person who is called, at a moment: "Bookings at 09:30".
fn who(scene: &Scene, strategy: &Strategy, at: &str) -> String {
    let Some(called) = &scene.called else {
        return format!("{} at {at}", scene.caller.contact_type);
    };
    let name = campaign_name(called, strategy);
    let lives = called.zone.as_ref().map_or_else(String::new, |zone| format!(" in {zone}"));
    format!("Somebody{lives} who is next on the list of {name} at {at}")
}

fn campaign_name<'a>(called: &'a Called, strategy: &'a Strategy) -> &'a str {
    let campaign = strategy.campaigns.iter().find(|each| each.id == called.campaign);
    campaign.map_or(&called.campaign, |campaign| &campaign.name)
}

/// How it ends: who is called talks to an agent, who comes in is answered by one.
fn end_words(scene: &Scene, end: WalkEnd) -> &'static str {
    match (&scene.called, end) {
        (Some(_), WalkEnd::Answered) => "talks to an agent",
        _ => end.words(),
    }
}

/// How it comes out, in a sentence.
fn answer(scene: &Scene, walk: &Walk, strategy: &Strategy) -> String {
    let at = scene.at.strftime("%H:%M").to_string();
    let ends = end_words(scene, walk.end);
    if scene.called.is_some() {
        let who = who(scene, strategy, &at);
        return match walk.end {
            WalkEnd::NotCalled => format!("{who} {ends}."),
            _ => format!("{who} {ends} after {}.", words::secs(walk.secs)),
        };
    }
    let last = walk.moments.iter().rev().find_map(|moment| moment.step.as_deref());
    let place = last
        .and_then(|id| strategy.step(id))
        .map_or_else(String::new, |step| format!(" at “{}”", step.name));
    format!(
        "A contact of {} that arrives at {at} {ends}{place} after {}, {} of them waiting.",
        scene.caller.contact_type,
        words::secs(walk.secs),
        words::secs(walk.wait_secs)
    )
}

fn row(moment: &Moment, called: Option<&str>, address: &str) -> MomentRow {
    let class = match &moment.what {
        What::Answered(_) => "answered",
        What::Ended(_) | What::Again => "ended",
        What::Reached | What::Dialled => "reached",
        _ => "",
    };
    MomentRow {
        clock: moment.clock.strftime("%H:%M:%S").to_string(),
        secs: words::secs(moment.at_secs),
        told: moment.sentence.clone(),
        class,
        step: moment.step.clone().unwrap_or_default(),
        address: match (&moment.step, called) {
            (Some(step), _) => Some(format!("{address}&part=step.{step}")),
            (None, Some(campaign)) => Some(format!("{address}&part=campaign.{campaign}")),
            (None, None) => None,
        },
    }
}
