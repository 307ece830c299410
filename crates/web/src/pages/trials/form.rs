//! The form of a trial: what is typed, checked, becomes trials in the queue.

use std::collections::BTreeMap;

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{AssemblyError, CoverChoice, TeamPeople, TrialInputs, TypePlan};
use barometer_store::{NewTrial, StrategyVersion, TrialSet};
use barometer_strategy::{Channel, Duration, Strategy, TryAgain};
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::list::list_page;
use super::scope::{KINDS_OF_DAYS, WHOLE_WEEK, kind_words, subject_of};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path};
use crate::forms::{self, FormErrors};
use crate::page_error::PageError;
use crate::pages::refused;
use barometer_app::planning::Basis;
use barometer_app::trials::{PlayedDays, Scope};

/// More days than a trial may simulate.
const MOST_REPLICATIONS: u32 = 20_000;
/// JSON in the database keeps whole numbers up to this exactly.
const MOST_SEED: u64 = 1 << 53;
/// More people than a form may ask for.
const MOST_PEOPLE: i32 = 20_000;

/// A trial as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Deserialize, Serialize)]
#[serde(default)]
pub(crate) struct TrialForm {
    /// The trial to begin from.
    #[serde(skip_serializing)]
    pub again: Option<Uuid>,
    /// The contact types that come; none for all.
    pub contact_type: Vec<Uuid>,
    pub version: Option<Uuid>,
    /// A date, or one of the keys of [`super::scope`].
    pub days: String,
    pub cover: String,
    pub people: String,
    /// Teams by id, and people more or fewer of each.
    pub team: Vec<String>,
    pub more: Vec<String>,
    /// Points of service level to which the trial is to be known; nothing to play all days.
    pub precision: String,
    pub handling: String,
    /// Share in per cent of those who give up or find it full that try again, and after how many
    /// minutes on average; nothing where nobody does.
    pub again_percent: String,
    pub again_minutes: String,
    /// Which numbers contacts come from: see [`Basis::parse`].
    pub demand: String,
    pub replications: String,
    pub seed: String,
    #[serde(skip)]
    pub wrong: FormErrors,
}

impl Default for TrialForm {
    fn default() -> Self {
        Self {
            again: None,
            contact_type: Vec::new(),
            version: None,
            days: String::new(),
            cover: "planned".to_owned(),
            people: String::new(),
            team: Vec::new(),
            more: Vec::new(),
            precision: String::new(),
            handling: MEASURED.to_owned(),
            again_percent: String::new(),
            again_minutes: "10".to_owned(),
            demand: "uncertain".to_owned(),
            replications: "200".to_owned(),
            seed: "1".to_owned(),
            wrong: FormErrors::default(),
        }
    }
}

/// `POST /trials`: queues a trial, or one for each kind of day.
pub(crate) async fn queue(
    State(app): State<App>,
    Planner(mut context): Planner,
    Form(mut typed): Form<TrialForm>,
) -> Result<Response, PageError> {
    if let Some(day) = forms::day(&typed.days) {
        context.day = day;
    }
    match new_trials(&app, &context, &typed).await? {
        Ok(new) => {
            let mut first = None;
            for trial in &new {
                let id = app.store.queue_trial(trial).await?;
                first = first.or(Some(id));
            }
            let set = new.first().and_then(|trial| trial.set.as_ref()).map(|set| set.id);
            let address = match (set, first) {
                (Some(set), _) => format!("/trials/sets/{set}?day={}", context.day),
                (None, Some(id)) => format!("/trials/{id}?day={}", context.day),
                (None, None) => format!("/trials?day={}", context.day),
            };
            Ok(Redirect::to(&address).into_response())
        }
        Err(wrong) => {
            typed.wrong = wrong;
            refused(&list_page(&app, &context, typed).await?)
        }
    }
}

/// `POST /trials/{trial}/repeat`: queues the same trial again, from the inputs that are kept with it.
pub(crate) async fn repeat(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let before = app.store.trial(id).await?;
    let again = NewTrial {
        subject: before.subject,
        strategy_version: before.strategy_version,
        cover_words: before.cover_words,
        inputs: before.inputs,
        asked: before.asked,
        set: None,
        created_by: context.user.id,
    };
    let repeated = app.store.queue_trial(&again).await?;
    Ok(Redirect::to(&format!("/trials/{repeated}?day={}", again.subject.day)).into_response())
}

async fn kinds_of_days(
    app: &App,
    context: &RequestContext,
    scope: &Scope,
    is_planned: bool,
) -> Result<Option<Vec<PlayedDays>>, PageError> {
    let (store, zone) = (&app.store, &context.centre.zone);
    Ok(scope.kinds_of_days(store, zone, context.monday(), is_planned).await?)
}

pub(crate) async fn new_trials(
    app: &App,
    context: &RequestContext,
    typed: &TrialForm,
) -> Result<Result<Vec<NewTrial>, FormErrors>, PageError> {
    let (types, versions) = tokio::try_join!(
        app.store.contact_types(context.centre.id),
        app.store.strategy_versions(context.centre.id),
    )?;
    let scope = Scope::of(&types, &typed.contact_type);
    let Some(version) = typed.version_of(&versions) else {
        return Ok(Err(FormErrors::of("version", "Choose a version of the strategy.")));
    };
    let strategy = app.store.strategy(version.id).await?;
    let asked = serde_json::to_value(typed).map_err(|error| PageError::Internal(error.into()))?;
    let played = match typed.days.as_str() {
        KINDS_OF_DAYS => match kinds_of_days(app, context, &scope, typed.cover == "planned").await?
        {
            Some(kinds) => kinds,
            None => {
                let message = "In the four weeks from this one on, no day is forecast and planned.";
                return Ok(Err(FormErrors::of("days", message)));
            }
        },
        _ => vec![typed.played(&scope, context)],
    };
    let set = (played.len() > 1).then(Uuid::new_v4);
    let mut trials = Vec::with_capacity(played.len());
    for days in played {
        let plans = typed.plans(app, context, &scope, &days).await?;
        let made = typed.inputs(&strategy, &context.centre.zone, &plans);
        let (cover_words, inputs) = match made {
            Ok(made) => made,
            Err(wrong) => return Ok(Err(wrong)),
        };
        trials.push(NewTrial {
            subject: subject_of(&scope, context, &days),
            strategy_version: version.id,
            cover_words,
            inputs,
            asked: asked.clone(),
            set: set.zip(days.kind).map(|(id, kind)| TrialSet { id, day_kind: kind_words(kind) }),
            created_by: context.user.id,
        });
    }
    Ok(Ok(trials))
}

impl TrialForm {
    pub fn version_of<'a>(&self, versions: &'a [StrategyVersion]) -> Option<&'a StrategyVersion> {
        versions.iter().find(|version| Some(version.id) == self.version)
    }

    /// Whether any team has people more or fewer.
    pub fn has_changes(&self) -> bool {
        self.more.iter().any(|more| !matches!(more.trim(), "" | "0"))
    }

    /// The chosen day, or the whole week of the period.
    pub fn played(&self, scope: &Scope, context: &RequestContext) -> PlayedDays {
        match self.days.as_str() {
            WHOLE_WEEK => scope.days(context.monday(), 7),
            date => scope.days(forms::day(date).unwrap_or(context.day), 1),
        }
    }

    /// What is planned of each contact type.
    pub async fn plans(
        &self,
        app: &App,
        context: &RequestContext,
        scope: &Scope,
        days: &PlayedDays,
    ) -> Result<Vec<TypePlan>, PageError> {
        let basis = Basis::parse(&self.demand);
        let (store, zone) = (&app.store, &context.centre.zone);
        Ok(scope.plans(store, zone, days, handling(&self.handling).as_ref(), &basis).await?)
    }

    /// The chosen cover, before more or fewer people.
    fn cover_choice(&self, wrong: &mut FormErrors) -> Option<CoverChoice> {
        match self.cover.as_str() {
            "fixed" => {
                let people = wrong.whole("people", &self.people, 0..=MOST_PEOPLE)?;
                Some(CoverChoice::Fixed(people.unsigned_abs()))
            }
            "need" => Some(CoverChoice::Need),
            _ => Some(CoverChoice::Planned),
        }
    }

    /// Whether customers who were not served try again.
    fn try_again(&self, wrong: &mut FormErrors) -> Option<TryAgain> {
        let percent = wrong.number("again_percent", &self.again_percent)?;
        if !(0.0..=100.0).contains(&percent) {
            wrong.note("again_percent", "Must be 0 to 100 %; leave it empty where nobody does.");
        }
        let minutes = wrong.number("again_minutes", &self.again_minutes);
        let Some(minutes) = minutes.filter(|minutes| (0.1..=1440.0).contains(minutes)) else {
            wrong.note("again_minutes", "Must be 0.1 to 1440 minutes.");
            return None;
        };
        (percent > 0.0).then(|| TryAgain {
            share: percent / 100.0,
            after: Duration::exponential(minutes * 60.0),
            most_attempts: None,
        })
    }

    fn people(&self, wrong: &mut FormErrors) -> Option<TeamPeople> {
        let mut more = BTreeMap::new();
        for (team, typed) in self.team.iter().zip(&self.more) {
            let number = wrong.optional_whole("more", typed, -MOST_PEOPLE..=MOST_PEOPLE);
            more.insert(team.clone(), number.unwrap_or(0));
        }
        Some(TeamPeople { choice: self.cover_choice(wrong)?, more })
    }

    /// What is to be played, with the cover in words; or what is wrong with what was typed.
    pub fn inputs(
        &self,
        strategy: &Strategy,
        zone: &TimeZone,
        plans: &[TypePlan],
    ) -> Result<(String, TrialInputs), FormErrors> {
        let mut wrong = FormErrors::default();
        let replications = wrong.whole("replications", &self.replications, 2..=MOST_REPLICATIONS);
        let seed = wrong.whole("seed", &self.seed, 0..=MOST_SEED);
        let precision = wrong.number("precision", &self.precision);
        if precision.is_some_and(|points| !(0.01..=50.0).contains(&points)) {
            wrong.note("precision", "Must be 0.01 to 50 points; leave it empty to play all days.");
        }
        let again = self.try_again(&mut wrong);
        let people = self.people(&mut wrong);
        let (Some(replications), Some(seed), Some(people), true) =
            (replications, seed, people, wrong.is_empty())
        else {
            return Err(wrong);
        };
        let mut inputs = TrialInputs::of_centre(strategy.clone(), zone, plans, &people)
            .map_err(|error| refusal(&error))?;
        let customers = inputs.types.iter_mut().map(|each| &mut each.customers);
        for each in customers.filter(|each| each.channel != Channel::Task) {
            if again.is_some() {
                (each.after_abandoning, each.after_blocked) = (again.clone(), again.clone());
            }
        }
        inputs.precision = precision.map(|points| points / 100.0);
        (inputs.replications, inputs.seed) = (replications, seed);
        match inputs.experiment() {
            Ok(_) => Ok((people.words(strategy), inputs)),
            Err(error) => Err(FormErrors::of("cover", format!("This cannot be played: {error}."))),
        }
    }
}

fn refusal(error: &AssemblyError) -> FormErrors {
    match error {
        AssemblyError::NothingForecast => FormErrors::of(
            "days",
            "There is neither a forecast nor history for this time. Choose another day.",
        ),
        AssemblyError::NothingPlanned(name) => FormErrors::of(
            "cover",
            format!("No cover is planned for {name}. Plan it under Staffing, or try the need."),
        ),
        AssemblyError::NoEntry(name) => FormErrors::of(
            "contact_type",
            format!(
                "No entry of this strategy receives {name}. Give it an entry, or leave it out."
            ),
        ),
        AssemblyError::NoTeam(name) => FormErrors::of(
            "contact_type",
            format!("No team of this strategy answers {name}. Give it one, or leave it out."),
        ),
        AssemblyError::UnknownTeam(team) => FormErrors::of(
            "version",
            format!("This version has no team “{team}”. Choose its people again."),
        ),
        AssemblyError::Grain(..) => FormErrors::of(
            "contact_type",
            format!("These contact types cannot be tried together: {error}."),
        ),
    }
}

/// Handle times spread as they were measured, contact type by contact type.
const MEASURED: &str = "measured";
/// The variation of handle times that are log-normal and were not measured.
const SPREAD: f64 = 0.7;

/// How handle times spread, the mean being the forecast's; none for as they were measured.
pub(super) fn handling(key: &str) -> Option<Duration> {
    let mean_secs = 1.0;
    match key {
        "exponential" => Some(Duration::Exponential { mean_secs }),
        "log-normal" => Some(Duration::LogNormal { mean_secs, variation: SPREAD }),
        "constant" => Some(Duration::Constant { secs: mean_secs }),
        _ => None,
    }
}

pub(super) fn handling_key(inputs: &TrialInputs) -> &'static str {
    let key = |of: &Duration| match of {
        Duration::Exponential { .. } => "exponential",
        Duration::LogNormal { variation, .. } if (variation - SPREAD).abs() < 1e-9 => "log-normal",
        Duration::Constant { .. } => "constant",
        _ => MEASURED,
    };
    let mut keys = inputs.types.iter().map(|each| key(&each.customers.handling));
    let first = keys.next().unwrap_or("exponential");
    if keys.all(|key| key == first) { first } else { MEASURED }
}
