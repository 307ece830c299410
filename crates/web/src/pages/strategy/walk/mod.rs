//! The walk-through: one made-up contact followed through a version, each decision explained.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_strategy::{Channel, StepKind, Strategy};
use barometer_walk::{Caller, Moment, OnShift, Scene, Walk, WalkEnd, What};
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

#[derive(Template)]
#[template(path = "strategy/walk.html")]
struct WalkPage {
    frame: Frame,
    answer: String,
    is_lost: bool,
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

/// The form as it was typed.
struct WalkForm {
    day: String,
    /// What is open, as a field and its value: a version or a draft.
    of: (&'static str, i32),
    types: Vec<(String, bool)>,
    at: String,
    number: String,
    language: String,
    attributes: String,
    keys: String,
    labels: String,
    patience: String,
    ahead: String,
    accepts_callback: bool,
    is_contained: bool,
    handle_secs: String,
    teams: Vec<TeamRow>,
    /// Every choice of every menu, to choose from.
    choices: Vec<String>,
    has_labels: bool,
    has_assistant: bool,
}

struct TeamRow {
    id: String,
    name: String,
    people: String,
    busy: String,
    answers: String,
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
    template.moments = walk.moments.iter().map(|moment| row(moment, &address)).collect();
    template.remedies = remedies
        .iter()
        .map(|remedy| {
            let secs = words::secs(remedy.answered_after_secs);
            format!("{}: answered after {secs}", remedy.what)
        })
        .collect();
    if context.may_plan() {
        template.keep = to_keep(&scene, &walk, &typed);
    }
    let passed: Vec<String> =
        walk.moments.iter().filter_map(|moment| moment.step.clone()).collect();
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
fn to_keep(scene: &Scene, walk: &Walk, asked: &BTreeMap<String, String>) -> Option<KeepForm> {
    let name = format!(
        "{} at {} {}",
        scene.caller.contact_type,
        scene.at.strftime("%a %H:%M"),
        walk.end.words()
    );
    Some(KeepForm {
        name,
        scene: serde_json::to_string(scene).ok()?,
        end: serde_json::to_value(walk.end).ok()?.as_str()?.to_owned(),
        within_secs: words::plain_number((walk.secs / 5.0).ceil() * 5.0),
        asked: form_urlencoded::Serializer::new(String::new()).extend_pairs(asked).finish(),
    })
}

/// How it comes out, in a sentence.
fn answer(scene: &Scene, walk: &Walk, strategy: &Strategy) -> String {
    let at = scene.at.strftime("%H:%M");
    let name = &scene.caller.contact_type;
    let last = walk.moments.iter().rev().find_map(|moment| moment.step.as_deref());
    let place = last
        .and_then(|id| strategy.step(id))
        .map_or_else(String::new, |step| format!(" at “{}”", step.name));
    format!(
        "A contact of {name} that arrives at {at} {}{place} after {}, {} of them waiting.",
        walk.end.words(),
        words::secs(walk.secs),
        words::secs(walk.wait_secs)
    )
}

fn row(moment: &Moment, address: &str) -> MomentRow {
    let class = match &moment.what {
        What::Answered(_) => "answered",
        What::Ended(_) => "ended",
        What::Reached => "reached",
        _ => "",
    };
    MomentRow {
        clock: moment.clock.strftime("%H:%M:%S").to_string(),
        secs: words::secs(moment.at_secs),
        told: moment.sentence.clone(),
        class,
        step: moment.step.clone().unwrap_or_default(),
        address: moment.step.as_ref().map(|step| format!("{address}&part=step.{step}")),
    }
}

impl WalkForm {
    /// What was typed, or a plain contact at the shown moment with the people who are planned.
    fn of(seen: &Seen, typed: &BTreeMap<String, String>, context: &RequestContext) -> Self {
        let text = |name: &str, usual: &str| {
            typed.get(name).map_or_else(|| usual.to_owned(), |text| text.trim().to_owned())
        };
        let strategy = &seen.opened.strategy;
        let is_asked = typed.keys().any(|name| name.starts_with("people."));
        let chosen = text("contact_type", seen.opened.types.first().map_or("", |each| &each.name));
        let types = seen.opened.types.iter().map(|each| (each.name.clone(), each.name == chosen));
        let patience = seen.premises.types.iter().find(|each| each.name == chosen);
        let patience = patience.and_then(|each| each.patience.as_ref());
        let patience =
            patience.map_or_else(String::new, |each| words::plain_number(each.mean_secs()));
        let choices = strategy.steps.iter().flat_map(|step| match &step.does {
            StepKind::Menu(menu) => menu.choices.iter().map(|choice| choice.name.clone()).collect(),
            _ => Vec::new(),
        });
        let mut choices: Vec<String> = choices.collect();
        choices.dedup();
        let has =
            |is_it: fn(&StepKind) -> bool| strategy.steps.iter().any(|step| is_it(&step.does));
        Self {
            day: context.day.to_string(),
            of: match (seen.opened.draft(), seen.opened.version()) {
                (Some(draft), _) => ("draft", draft.number),
                (None, version) => ("version", version.map_or(0, |version| version.version)),
            },
            types: types.collect(),
            at: seen.at.strftime("%H:%M").to_string(),
            number: text("number", ""),
            language: text("language", ""),
            attributes: text("attributes", ""),
            keys: text("keys", &usual_keys(strategy, &chosen)),
            labels: text("labels", ""),
            patience: text("patience", &patience),
            ahead: text("ahead", "0"),
            accepts_callback: typed.contains_key("accepts_callback"),
            is_contained: typed.contains_key("is_contained"),
            handle_secs: text("handle_secs", "300"),
            teams: teams(seen, typed, is_asked, &chosen),
            has_labels: has(|does| matches!(does, StepKind::Labelling(_))),
            has_assistant: has(|does| matches!(does, StepKind::Assistant(_))),
            choices,
        }
    }

    /// The contact and the people that the form stands for.
    fn scene(&self, seen: &Seen, context: &RequestContext) -> Result<Scene, String> {
        let chosen = self.types.iter().find(|each| each.1).map(|each| each.0.clone());
        let contact_type = chosen.ok_or("choose a contact type")?;
        let channel = seen.premises.types.iter().find(|each| each.name == contact_type);
        let time = self.at.parse().map_err(|_| format!("at: “{}” is no time of day", self.at))?;
        let attributes = list(&self.attributes).into_iter().map(|item| {
            let pair = item.split_once('=').map(|(name, value)| (name.trim(), value.trim()));
            let (name, value) =
                pair.ok_or_else(|| format!("attributes: “{item}” is not name=value"))?;
            Ok::<_, String>((name.to_owned(), value.to_owned()))
        });
        let people = self.teams.iter().filter(|team| !team.people.is_empty()).map(|team| {
            let people = count(&team.people, &team.name)?;
            let answers = number(&team.answers, &team.name)?;
            Ok::<_, String>(OnShift {
                team: team.id.clone(),
                people,
                busy: count(&team.busy, &team.name)?.min(people),
                free_after_secs: 60.0,
                answers_after_secs: answers,
            })
        });
        Ok(Scene {
            at: context.day.to_datetime(time),
            caller: Caller {
                contact_type,
                channel: channel.map_or(Channel::Call, |each| each.channel),
                number: self.number.clone(),
                language: self.language.clone(),
                attributes: attributes.collect::<Result<_, _>>()?,
                keys: list(&self.keys),
                labels: list(&self.labels),
                patience_secs: number(&self.patience, "patience")?,
                is_contained: self.is_contained,
                accepts_callback: self.accepts_callback,
                handle_secs: number(&self.handle_secs, "handle time")?.unwrap_or(300.0),
            },
            people: people.collect::<Result<_, _>>()?,
            ahead: count(&self.ahead, "contacts ahead")?,
        })
    }
}

/// What most callers of a type choose in the menus, in the order of the steps.
fn usual_keys(strategy: &Strategy, contact_type: &str) -> String {
    let menus = strategy.steps.iter().filter_map(|step| match &step.does {
        StepKind::Menu(menu) => {
            let share = |choice: &&barometer_strategy::MenuChoice| choice.share_of(contact_type);
            menu.choices.iter().max_by(|a, b| share(a).total_cmp(&share(b)))
        }
        _ => None,
    });
    menus.map(|choice| choice.name.clone()).collect::<Vec<_>>().join("; ")
}

/// Teams with who is on shift: as typed, or as planned, all of them busy but a few.
fn teams(
    seen: &Seen,
    typed: &BTreeMap<String, String>,
    is_asked: bool,
    contact_type: &str,
) -> Vec<TeamRow> {
    let planned = |id: &str| {
        let of_team = seen.premises.teams.iter().find(|team| team.team == id);
        of_team.and_then(|team| team.people.get(seen.interval)).copied().unwrap_or(0)
    };
    let field = |name: String, usual: String| {
        let kept = typed.get(&name).map(|text| text.trim().to_owned());
        kept.unwrap_or_else(|| if is_asked { String::new() } else { usual })
    };
    let row = |team: &barometer_strategy::Team| {
        let people = planned(&team.id);
        let answers = team.answer_delay.mean_secs().max(3.0);
        TeamRow {
            people: field(format!("people.{}", team.id), people.to_string()),
            busy: field(format!("busy.{}", team.id), people.to_string()),
            answers: field(format!("answers.{}", team.id), words::plain_number(answers)),
            id: team.id.clone(),
            name: team.name.clone(),
        }
    };
    let strategy = &seen.opened.strategy;
    let reached = strategy.entry_of(contact_type).and_then(|entry| {
        let at = strategy.entries.iter().position(|each| each == entry)?;
        Some(seen.journey.reach(at, true))
    });
    let channel = seen.premises.types.iter().find(|each| each.name == contact_type);
    let channel = channel.map_or(Channel::Call, |each| each.channel);
    // Only those who may be offered the contact; a callback is a call, whatever it was before.
    let may_answer = |team: &&barometer_strategy::Team| {
        strategy.steps.iter().enumerate().any(|(at, step)| {
            let is_reached =
                reached.as_ref().is_none_or(|reached| reached[strategy.entries.len() + at]);
            is_reached
                && [channel, Channel::Call]
                    .iter()
                    .any(|&channel| strategy.may_be_answered_by(step, team, channel))
        })
    };
    strategy.teams.iter().filter(may_answer).map(row).collect()
}

fn list(text: &str) -> Vec<String> {
    let items = text.split(';').map(str::trim).filter(|item| !item.is_empty());
    items.map(str::to_owned).collect()
}

fn number(text: &str, what: &str) -> Result<Option<f64>, String> {
    match text.trim() {
        "" => Ok(None),
        text => match text.parse::<f64>() {
            Ok(number) if number.is_finite() && number >= 0.0 => Ok(Some(number)),
            _ => Err(format!("{what}: “{text}” is no number of 0 or more")),
        },
    }
}

fn count(text: &str, what: &str) -> Result<u32, String> {
    match text.trim() {
        "" => Ok(0),
        text => {
            text.parse().map_err(|_| format!("{what}: “{text}” is no whole number of 0 or more"))
        }
    }
}
