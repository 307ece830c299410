//! The form of a trial: what is typed, checked, becomes a trial in the queue.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{
    CoverChoice, PlannedInterval, TrialInputs, TrialTeam, customers_of, trial_intervals,
};
use barometer_simulate::DemandLuck;
use barometer_store::{ContactType, NewTrial, StrategyVersion};
use barometer_strategy::{Duration, Strategy};
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use super::list_page;
use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::{Form, Path};
use crate::forms::Wrong;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::planning;

/// More days than a trial may simulate.
const MOST_REPLICATIONS: u32 = 20_000;
/// JSON in the database keeps whole numbers up to this exactly.
const MOST_SEED: u64 = 1 << 53;
/// More people than a form may ask for.
const MOST_PEOPLE: i32 = 100_000;

/// A trial as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Deserialize)]
#[serde(default)]
pub(crate) struct TrialForm {
    pub contact_type: Option<Uuid>,
    pub version: Option<Uuid>,
    pub day: String,
    pub cover: String,
    pub more: String,
    pub people: String,
    /// People all day in each further team of the strategy.
    pub helpers: String,
    /// Points of service level to which the trial is to be known; nothing to play all days.
    pub precision: String,
    pub handling: String,
    /// "uncertain": days are drawn as far off the forecast as days have been; "exact": they are not.
    pub demand: String,
    pub replications: String,
    pub seed: String,
    #[serde(skip)]
    pub wrong: Wrong,
}

impl Default for TrialForm {
    fn default() -> Self {
        Self {
            contact_type: None,
            version: None,
            day: String::new(),
            cover: "planned".to_owned(),
            more: "0".to_owned(),
            people: String::new(),
            helpers: "0".to_owned(),
            precision: String::new(),
            handling: "exponential".to_owned(),
            demand: "uncertain".to_owned(),
            replications: "200".to_owned(),
            seed: "1".to_owned(),
            wrong: Wrong::default(),
        }
    }
}

impl TrialForm {
    /// The chosen cover, before more or fewer people.
    fn cover_choice(&self, wrong: &mut Wrong) -> Option<CoverChoice> {
        match self.cover.as_str() {
            "fixed" => {
                let people = wrong.whole("people", &self.people, 0..=MOST_PEOPLE)?;
                Some(CoverChoice::Fixed(people.unsigned_abs()))
            }
            "need" => Some(CoverChoice::Need),
            _ => Some(CoverChoice::Planned),
        }
    }
}

/// `POST /trials`: queues a trial.
pub(crate) async fn queue(
    State(app): State<App>,
    Planner(mut visit): Planner,
    Form(mut typed): Form<TrialForm>,
) -> Result<Response, PageError> {
    let contact_type =
        app.store.contact_type(typed.contact_type.ok_or(PageError::NotFound)?).await?;
    let versions = app.store.strategy_versions(contact_type.id).await?;
    let day: Date = typed.day.parse().unwrap_or(visit.day);
    visit.day = day;
    let plan = planning::plan(&app.store, &contact_type, day, 1, &visit.centre.zone).await?;
    let luck = match typed.demand.as_str() {
        "uncertain" => planning::luck(&app.store, &contact_type, day).await?,
        _ => None,
    };
    match new_trial(&typed, &contact_type, &versions, (&plan, luck), &visit) {
        Ok(new) => {
            let id = app.store.queue_trial(&new).await?;
            Ok(Redirect::to(&format!("/trials/{id}?day={day}")).into_response())
        }
        Err(wrong) => {
            typed.wrong = wrong;
            refused(&list_page(&app, &visit, typed).await?)
        }
    }
}

/// `POST /trials/{trial}/repeat`: queues the same trial again, from the inputs that are kept with it.
pub(crate) async fn repeat(
    State(app): State<App>,
    Planner(visit): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let before = app.store.trial(id).await?;
    let again = NewTrial {
        contact_type: before.contact_type,
        strategy_version: before.strategy_version,
        day: before.day,
        cover_words: before.cover_words,
        inputs: before.inputs,
        created_by: visit.user.id,
    };
    let repeated = app.store.queue_trial(&again).await?;
    Ok(Redirect::to(&format!("/trials/{repeated}?day={}", again.day)).into_response())
}

fn new_trial(
    typed: &TrialForm,
    contact_type: &ContactType,
    versions: &[StrategyVersion],
    (plan, luck): (&[PlannedInterval], Option<DemandLuck>),
    visit: &Visit,
) -> Result<NewTrial, Wrong> {
    let version = versions.iter().find(|version| Some(version.id) == typed.version);
    let Some(version) = version else {
        return Err(Wrong::of("version", "Choose a version of the strategy."));
    };
    let (cover_words, inputs) =
        typed.inputs(contact_type, &version.strategy, (plan, luck), visit)?;
    Ok(NewTrial {
        contact_type: contact_type.id,
        strategy_version: version.id,
        day: visit.day,
        cover_words,
        inputs,
        created_by: visit.user.id,
    })
}

impl TrialForm {
    /// What is to be played, with the cover in words; or what is wrong with what was typed.
    pub fn inputs(
        &self,
        contact_type: &ContactType,
        strategy: &Strategy,
        (plan, luck): (&[PlannedInterval], Option<DemandLuck>),
        visit: &Visit,
    ) -> Result<(String, TrialInputs), Wrong> {
        let mut wrong = Wrong::default();
        if plan.is_empty() {
            wrong.note("day", "Nothing is forecast for this day.");
        }
        let replications = wrong.whole("replications", &self.replications, 2..=MOST_REPLICATIONS);
        let seed = wrong.whole("seed", &self.seed, 0..=MOST_SEED);
        let more = if self.more.trim().is_empty() {
            Some(0)
        } else {
            wrong.whole("more", &self.more, -MOST_PEOPLE..=MOST_PEOPLE)
        };
        let helpers = self.helpers.trim();
        let helpers = if helpers.is_empty() { "0" } else { helpers };
        let helpers = wrong.whole("helpers", helpers, 0..=MOST_PEOPLE).unwrap_or(0).unsigned_abs();
        let precision = wrong.number("precision", &self.precision);
        if precision.is_some_and(|points| !(0.01..=50.0).contains(&points)) {
            wrong.note("precision", "Must be 0.01 to 50 points; leave it empty to play all days.");
        }
        let choice = self.cover_choice(&mut wrong);
        let agents = choice.zip(more).and_then(|(choice, more)| {
            let agents = choice.agents(plan, more);
            if agents.is_none() && !plan.is_empty() {
                wrong.note(
                    "cover",
                    "No cover is planned for this day. Plan it under Staffing, or try the need.",
                );
            }
            Some((choice.words(more), agents?))
        });
        let (Some(replications), Some(seed), Some((cover_words, agents)), true) =
            (replications, seed, agents, wrong.is_empty())
        else {
            return Err(wrong);
        };
        let customers = customers_of(&contact_type.rules, &handling(&self.handling));
        let mut inputs = TrialInputs::of_one_type(
            strategy.clone(),
            contact_type.rules,
            &visit.centre.zone,
            contact_type.grain.secs(),
            (&contact_type.name, customers),
            &trial_intervals(plan, &agents, contact_type.grain.duration()),
        );
        let intervals = inputs.interval_count();
        let further = strategy
            .teams
            .iter()
            .skip(1)
            .map(|team| TrialTeam { team: team.id.clone(), agents: vec![helpers; intervals] });
        inputs.teams.extend(further);
        inputs.types.iter_mut().for_each(|each| each.luck = luck.clone());
        inputs.precision = precision.map(|points| points / 100.0);
        (inputs.replications, inputs.seed) = (replications, seed);
        match inputs.experiment() {
            Ok(_) => Ok((cover_words, inputs)),
            Err(error) => Err(Wrong::of("cover", format!("This cannot be played: {error}."))),
        }
    }
}

/// How handle times spread; the mean is the forecast's.
fn handling(key: &str) -> Duration {
    let mean_secs = 1.0;
    match key {
        "log-normal" => Duration::LogNormal { mean_secs, variation: 0.7 },
        "constant" => Duration::Constant { secs: mean_secs },
        _ => Duration::Exponential { mean_secs },
    }
}

pub(super) fn handling_key(inputs: &TrialInputs) -> &'static str {
    match inputs.types.first().map(|first| &first.customers.handling) {
        Some(Duration::LogNormal { .. }) => "log-normal",
        Some(Duration::Constant { .. }) => "constant",
        _ => "exponential",
    }
}
