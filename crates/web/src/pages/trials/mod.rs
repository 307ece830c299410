//! Trials: a day is simulated before customers live it.

mod export;
mod form;
mod parts;
mod progress;
mod record;
mod replay;
mod result;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{TrialInputs, Verdict};
use barometer_store::{ContactType, Trial, TrialState};
use jiff::Span;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::Visit;
use crate::extract::{Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::{Choice, choices};
use crate::planning;
use crate::words;

pub(crate) use export::{export, export_inputs};
pub(crate) use form::TrialForm;
use form::handling_key;
pub(crate) use form::queue;
pub(crate) use form::repeat;
use progress::ProgressPart;
pub(crate) use progress::{cancel, progress};
pub(crate) use record::record;
pub(crate) use replay::{replay, replay_csv};
use result::ResultView;

const LISTED: i64 = 30;

#[derive(Template)]
#[template(path = "trials/list.html")]
struct ListPage {
    frame: Frame,
    answer: String,
    trials: Vec<TrialLine>,
    form: Option<FormView>,
}

struct FormView {
    others: Vec<Choice>,
    contact_type: Uuid,
    contact_type_name: String,
    days: Vec<DayChoice>,
    versions: Vec<VersionChoice>,
    typed: TrialForm,
    /// Whether a version has more than one team.
    has_helpers: bool,
    no_plan: Option<String>,
    strategy: String,
}

struct DayChoice {
    value: String,
    name: String,
    is_chosen: bool,
}

struct VersionChoice {
    id: Uuid,
    name: String,
    is_chosen: bool,
}

/// One trial in a list.
pub(crate) struct TrialLine {
    pub name: String,
    pub address: String,
    pub verdict: Option<Verdict>,
    pub state: &'static str,
    pub what: String,
    pub level: String,
    pub abandonment: String,
    pub when: String,
}

#[derive(Template)]
#[template(path = "trials/show.html")]
struct ShowPage {
    frame: Frame,
    question: String,
    progress: ProgressPart,
    facts: String,
    result: Option<ResultView>,
    again: String,
    replay: String,
    repeat: String,
    intervals_csv: String,
    inputs_json: String,
}

#[derive(Deserialize)]
pub(crate) struct ListQuery {
    contact_type: Option<Uuid>,
    again: Option<Uuid>,
}

/// `GET /trials`: a form for the next trial and the latest ones.
pub(crate) async fn list(
    State(app): State<App>,
    visit: Visit,
    Query(query): Query<ListQuery>,
) -> Result<Response, PageError> {
    let mut typed = TrialForm { contact_type: query.contact_type, ..TrialForm::default() };
    if let Some(again) = query.again {
        let before = app.store.trial(again).await?;
        typed.contact_type = Some(before.contact_type);
        typed.version = Some(before.strategy_version);
        typed.replications = before.inputs.replications.to_string();
        typed.seed = before.inputs.seed.to_string();
        typed.handling = handling_key(&before.inputs).to_owned();
        let luck = before.inputs.types.iter().any(|each| each.luck.is_some());
        let demand = if luck { "uncertain" } else { "exact" };
        typed.demand = demand.to_owned();
    }
    page(&list_page(&app, &visit, typed).await?)
}

async fn list_page(app: &App, visit: &Visit, typed: TrialForm) -> Result<ListPage, PageError> {
    let (types, trials) = tokio::try_join!(
        app.store.contact_types(visit.centre.id),
        app.store.latest_trials(None, LISTED),
    )?;
    let chosen = types.iter().find(|each| Some(each.id) == typed.contact_type).or(types.first());
    let form = match chosen {
        Some(chosen) if visit.may_plan() => {
            Some(form_view(app, visit, &types, chosen, typed).await?)
        }
        _ => None,
    };
    let over: Vec<Verdict> = trials.iter().filter_map(verdict_of).collect();
    let holds = over.iter().filter(|verdict| **verdict == Verdict::Holds).count();
    let answer = match (holds, over.len()) {
        (_, 0) => "Nothing has been tried yet: choose a day, a strategy and a cover.".to_owned(),
        (1, 1) => "The one finished trial holds every target.".to_owned(),
        (_, 1) => "The one finished trial does not hold every target.".to_owned(),
        (0, all) => format!("None of the latest {all} finished trials holds every target."),
        (holds, all) => format!("{holds} of the latest {all} finished trials hold every target."),
    };
    Ok(ListPage {
        frame: Frame::of(visit, Stage::Trials, chosen.map(|chosen| chosen.id)),
        answer,
        trials: trial_lines(trials.iter(), visit),
        form,
    })
}

async fn form_view(
    app: &App,
    visit: &Visit,
    types: &[ContactType],
    chosen: &ContactType,
    mut typed: TrialForm,
) -> Result<FormView, PageError> {
    let versions = app.store.strategy_versions(chosen.id).await?;
    let day = typed.day.parse().unwrap_or(visit.day);
    typed.day = day.to_string();
    let plan = planning::plan(&app.store, chosen, day, 1, &visit.centre.zone).await?;
    let no_plan = match (plan.is_empty(), versions.is_empty()) {
        (true, _) => Some(format!(
            "Nothing is forecast for {} on {}. Choose a day that the forecast reaches.",
            chosen.name,
            words::long_day(day)
        )),
        (_, true) => Some(format!("{} has no strategy yet. Save one first.", chosen.name)),
        _ => None,
    };
    let has_cover = plan.iter().any(|interval| interval.assessment.cover.is_some());
    if !has_cover && typed.cover == "planned" {
        typed.cover = "need".to_owned();
    }
    let wanted = typed.version.or(versions.first().map(|newest| newest.id));
    Ok(FormView {
        others: choices(types, chosen.id, |other| Stage::Trials.address(day, Some(other))),
        contact_type: chosen.id,
        contact_type_name: chosen.name.clone(),
        days: (0..7)
            .map(|ahead| visit.monday().saturating_add(Span::new().days(ahead)))
            .map(|each| DayChoice {
                value: each.to_string(),
                name: words::long_day(each),
                is_chosen: each == day,
            })
            .collect(),
        versions: versions
            .iter()
            .map(|version| VersionChoice {
                id: version.id,
                name: format!(
                    "v{} {}{}",
                    version.version,
                    version.strategy.name,
                    if version.is_live { " (live)" } else { "" }
                ),
                is_chosen: Some(version.id) == wanted,
            })
            .collect(),
        has_helpers: versions.iter().any(|version| version.strategy.teams.len() > 1),
        typed,
        no_plan,
        strategy: Stage::Strategy.address(day, Some(chosen.id)),
    })
}

/// Lines of a list of trials.
pub(crate) fn trial_lines<'a>(
    trials: impl Iterator<Item = &'a Trial>,
    visit: &Visit,
) -> Vec<TrialLine> {
    trials
        .map(|trial| {
            let day = trial.result.as_ref().map(|result| result.day);
            TrialLine {
                name: format!("{}, {}", trial.contact_type_name, words::short_day(trial.day)),
                address: format!("/trials/{}?day={}", trial.id, trial.day),
                verdict: verdict_of(trial),
                state: state_word(trial.state),
                what: format!("v{}, {}", trial.version, trial.cover_words),
                level: words::estimated_percent(day.and_then(|day| day.service_level)),
                abandonment: words::estimated_percent(day.and_then(|day| day.abandonment)),
                when: words::moment(trial.created_at, &visit.centre.zone),
            }
        })
        .collect()
}

/// The worst verdict on a target; `None` until the trial is done.
pub(crate) fn verdict_of(trial: &Trial) -> Option<Verdict> {
    let judged = trial.result.as_ref()?.judge(&trial.inputs.rules);
    judged.iter().map(|judged| judged.verdict).max()
}

pub(crate) const fn state_word(state: TrialState) -> &'static str {
    match state {
        TrialState::Queued => "queued",
        TrialState::Running => "running",
        TrialState::Done => "done",
        TrialState::Cancelled => "cancelled",
        TrialState::Failed => "failed",
    }
}

fn demand_words(inputs: &TrialInputs) -> String {
    match inputs.types.iter().find_map(|each| each.luck.as_ref()) {
        None => {
            "Contacts arrive at random around the forecast, which is taken as exact.".to_owned()
        }
        Some(luck) => {
            let at = |part: usize| {
                let place = luck.day_factors.len() * part / 10;
                let factor = luck.day_factors.get(place).copied().unwrap_or(1.0);
                words::change(factor - 1.0)
            };
            format!(
                "Each simulated day is as far off the forecast as days have been, eight in ten from {} to {}; the models take the forecast as exact.",
                at(1),
                at(9)
            )
        }
    }
}

/// `GET /trials/{trial}`
pub(crate) async fn show(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let visit = Visit { day: trial.day, ..visit };
    let zone = &visit.centre.zone;
    let result = match &trial.result {
        Some(result) => {
            let summary = app.store.trial_summary(id).await?;
            Some(ResultView::of(&trial, result, summary.as_ref(), zone)?)
        }
        None => None,
    };
    let template = ShowPage {
        frame: Frame::of(&visit, Stage::Trials, Some(trial.contact_type)),
        question: format!(
            "Will {} hold for {}?",
            words::long_day(trial.day),
            trial.contact_type_name
        ),
        facts: format!(
            "v{} of “{}”, {}, {} simulated days, handle times {}, seed {}; asked by {} on {}. {}",
            trial.version,
            trial.inputs.strategy.name,
            trial.cover_words,
            words::thousands(f64::from(trial.inputs.replications)),
            handling_key(&trial.inputs),
            trial.inputs.seed,
            trial.created_by.as_deref().unwrap_or("nobody"),
            words::moment(trial.created_at, zone),
            demand_words(&trial.inputs),
        ),
        progress: ProgressPart::of(&trial, &visit),
        result,
        again: format!("/trials?again={id}&day={}#new", trial.day),
        replay: format!("/trials/{id}/day"),
        repeat: format!("/trials/{id}/repeat"),
        intervals_csv: format!("/trials/{id}/intervals.csv"),
        inputs_json: format!("/trials/{id}/trial.json"),
    };
    page(&template)
}
