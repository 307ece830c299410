//! The form of a comparison: up to six candidates, or one or two settings to sweep.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{Axis, Candidate, ComparisonInputs, Sweepable, TrialInputs, TypePlan};
use barometer_store::{NewComparison, StrategyVersion};
use barometer_strategy::Strategy;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Query};
use crate::forms::{self, FormErrors};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::state_word;
use crate::pages::trials::{
    Choosable, FormView, TrialForm, days_words, named, only_type, subject_of, version_options,
};
use crate::pages::{page, refused};
use crate::words;
use barometer_app::trials::Scope;

/// Candidates of a comparison, and points of a sweep, at most.
const MOST_CANDIDATES: usize = 6;
const MOST_POINTS: usize = 144;
const MOST_STEPS: u32 = 40;
/// Comparisons in the list.
const LISTED: i64 = 20;

/// A comparison as typed.
#[derive(Clone, Debug, Deserialize)]
#[serde(default)]
pub(crate) struct ComparisonForm {
    contact_type: Vec<Uuid>,
    days: String,
    cover: String,
    people: String,
    handling: String,
    again_percent: String,
    again_minutes: String,
    demand: String,
    replications: String,
    seed: String,
    /// "candidates", "sweep" or "campaign".
    kind: String,
    /// The campaign that the strategy is played with and without.
    campaign: String,
    /// Versions of the candidates, and how many people more each has, in which team.
    version: Vec<String>,
    more: Vec<String>,
    team: Vec<String>,
    swept_version: Option<Uuid>,
    setting: Vec<String>,
    from: Vec<String>,
    to: Vec<String>,
    steps: Vec<String>,
    #[serde(skip)]
    wrong: FormErrors,
}

impl Default for ComparisonForm {
    fn default() -> Self {
        let trial = TrialForm::default();
        Self {
            contact_type: Vec::new(),
            days: String::new(),
            cover: trial.cover,
            people: trial.people,
            handling: trial.handling,
            again_percent: trial.again_percent,
            again_minutes: trial.again_minutes,
            demand: trial.demand,
            replications: trial.replications,
            seed: trial.seed,
            kind: "candidates".to_owned(),
            campaign: String::new(),
            version: Vec::new(),
            more: Vec::new(),
            team: Vec::new(),
            swept_version: None,
            setting: Vec::new(),
            from: vec!["-3".to_owned(), String::new()],
            to: vec!["3".to_owned(), String::new()],
            steps: vec!["7".to_owned(), String::new()],
            wrong: FormErrors::default(),
        }
    }
}

impl ComparisonForm {
    /// Whether a version is one of the candidates, or the one that is swept.
    fn asks_for(&self, version: &StrategyVersion) -> bool {
        match self.kind.as_str() {
            "sweep" => Some(version.id) == self.swept_version,
            _ => self.version.contains(&version.id.to_string()),
        }
    }

    /// What all candidates have in common, as the form of a trial.
    fn trial(&self) -> TrialForm {
        let typed = self.clone();
        TrialForm {
            contact_type: typed.contact_type,
            version: typed.swept_version,
            days: typed.days,
            cover: typed.cover,
            people: typed.people,
            handling: typed.handling,
            again_percent: typed.again_percent,
            again_minutes: typed.again_minutes,
            demand: typed.demand,
            replications: typed.replications,
            seed: typed.seed,
            wrong: typed.wrong,
            ..TrialForm::default()
        }
    }
}

#[derive(Template)]
#[template(path = "comparisons/ask.html")]
struct AskPage {
    frame: Frame,
    form: FormView,
    rows: Vec<CandidateRow>,
    swept: Vec<Choosable>,
    settings: Vec<SettingRow>,
    wrong: FormErrors,
    may_plan: bool,
    trial_address: String,
    listed: Vec<ListedRow>,
}

struct CandidateRow {
    nth: usize,
    versions: Vec<Choosable>,
    teams: Vec<Choosable>,
    more: String,
}

struct SettingRow {
    nth: usize,
    options: Vec<Choosable>,
    from: String,
    to: String,
    steps: String,
}

struct ListedRow {
    address: String,
    name: String,
    what: String,
    state: &'static str,
    when: String,
}

/// `GET /comparisons`: a form for the next one, and the latest ones.
pub(crate) async fn ask(
    State(app): State<App>,
    context: RequestContext,
    Query(typed): Query<ComparisonForm>,
) -> Result<Response, PageError> {
    page(&ask_page(&app, &context, typed).await?)
}

async fn ask_page(
    app: &App,
    context: &RequestContext,
    typed: ComparisonForm,
) -> Result<AskPage, PageError> {
    let versions = app.store.strategy_versions(context.centre.id).await?;
    let mut form = FormView::of(app, context, typed.trial()).await?;
    // Candidates are held against each other on the same days.
    form.leave_kinds_of_days_out();
    let swept = versions
        .iter()
        .find(|version| Some(version.id) == typed.swept_version)
        .or(versions.first());
    let sweepable = match swept {
        Some(version) => Sweepable::all(&app.store.strategy(version.id).await?),
        None => Vec::new(),
    };
    let listed = app.store.latest_comparisons(LISTED).await?;
    Ok(AskPage {
        frame: Frame::of(context, Stage::Trials, only_type(&typed.contact_type)),
        rows: candidate_rows(&typed, &versions, &form),
        swept: version_options(&versions, swept.map(|version| version.id)),
        settings: setting_rows(&typed, &sweepable, &form),
        form,
        wrong: typed.wrong,
        may_plan: context.may_plan(),
        trial_address: format!("/trials?day={}{}", context.day, named(&typed.contact_type)),
        listed: listed
            .into_iter()
            .map(|line| ListedRow {
                address: format!("/comparisons/{}?day={}", line.id, line.subject.day),
                name: format!(
                    "{}, {}",
                    words::capitalised(&line.subject.name),
                    match line.subject.days {
                        1 => words::short_day(line.subject.day),
                        days => days_words(line.subject.day, days),
                    }
                ),
                what: line.title,
                state: state_word(line.run.state),
                when: words::moment(line.run.created_at, &context.centre.zone),
            })
            .collect(),
    })
}

fn candidate_rows(
    typed: &ComparisonForm,
    versions: &[StrategyVersion],
    form: &FormView,
) -> Vec<CandidateRow> {
    // To begin with: the newest as planned, beside itself with one person more.
    let newest = versions.first().map(|version| version.id);
    let row = |nth: usize| {
        let chosen = match typed.version.get(nth) {
            Some(version) => version.parse().ok(),
            None => newest.filter(|_| nth < 2 && typed.version.is_empty()),
        };
        let usual = if nth == 1 { "1" } else { "0" };
        let team = typed.team.get(nth).map(String::as_str).or(form.first_home());
        let team_option = |team_line: &crate::pages::trials::TeamLine| Choosable {
            value: team_line.id.clone(),
            name: team_line.name.clone(),
            is_chosen: Some(team_line.id.as_str()) == team,
        };
        CandidateRow {
            nth,
            versions: version_options(versions, chosen),
            teams: form.teams.iter().map(team_option).collect(),
            more: typed.more.get(nth).cloned().unwrap_or_else(|| usual.to_owned()),
        }
    };
    (0..MOST_CANDIDATES).map(row).collect()
}

fn setting_rows(
    typed: &ComparisonForm,
    sweepable: &[(Sweepable, String)],
    form: &FormView,
) -> Vec<SettingRow> {
    let usual = form.first_home().map(|team| format!("people:{team}"));
    let text = |list: &[String], nth: usize| list.get(nth).cloned().unwrap_or_default();
    (0..2)
        .map(|nth| {
            let chosen = typed.setting.get(nth).or(usual.as_ref().filter(|_| nth == 0));
            let options = sweepable.iter().map(|(setting, name)| {
                let value = setting.key();
                let is_chosen = Some(&value) == chosen;
                Choosable { value, name: words::capitalised(name), is_chosen }
            });
            SettingRow {
                nth,
                options: options.collect(),
                from: text(&typed.from, nth),
                to: text(&typed.to, nth),
                steps: text(&typed.steps, nth),
            }
        })
        .collect()
}

/// `POST /comparisons`: queues a comparison.
pub(crate) async fn queue(
    State(app): State<App>,
    Planner(mut context): Planner,
    Form(mut typed): Form<ComparisonForm>,
) -> Result<Response, PageError> {
    if let Some(day) = forms::day(&typed.days) {
        context.day = day;
    }
    let (types, versions) = tokio::try_join!(
        app.store.contact_types(context.centre.id),
        app.store.strategy_versions(context.centre.id),
    )?;
    let scope = Scope::of(&types, &typed.contact_type);
    let trial = typed.trial();
    let days = trial.played(&scope, &context);
    let plans = trial.plans(&app, &context, &scope, &days).await?;
    // Versions that are asked for, each with what it says.
    let mut strategies = Vec::new();
    for version in versions.iter().filter(|version| typed.asks_for(version)) {
        strategies.push((version, app.store.strategy(version.id).await?));
    }
    let builder =
        Builder { typed: &typed, context: &context, plans: &plans, strategies: &strategies };
    let made = match typed.kind.as_str() {
        "sweep" => builder.sweep(),
        "campaign" => builder.campaign(),
        _ => builder.candidates(),
    };
    match made {
        Ok((title, inputs)) => {
            let new = NewComparison {
                subject: subject_of(&scope, &context, &days),
                title,
                inputs,
                created_by: context.user.id,
            };
            let id = app.store.queue_comparison(&new).await?;
            Ok(Redirect::to(&format!("/comparisons/{id}?day={}", context.day)).into_response())
        }
        Err(wrong) => {
            typed.wrong = wrong;
            refused(&ask_page(&app, &context, typed).await?)
        }
    }
}

struct Builder<'a> {
    typed: &'a ComparisonForm,
    context: &'a RequestContext,
    plans: &'a [TypePlan],
    strategies: &'a [(&'a StrategyVersion, Strategy)],
}

type Made = Result<(String, ComparisonInputs), FormErrors>;

impl Builder<'_> {
    /// What a version would be played with, so many people more of a team.
    fn inputs(
        &self,
        strategy: &Strategy,
        team: Option<&String>,
        more: &str,
    ) -> Result<(String, TrialInputs), FormErrors> {
        // Where the form asks for no team, there is one.
        let team = team.or(strategy.teams.first().map(|team| &team.id));
        let mut trial = self.typed.trial();
        trial.team.extend(team.cloned());
        trial.more.push(more.to_owned());
        trial.inputs(strategy, &self.context.centre.zone, self.plans)
    }

    fn candidates(&self) -> Made {
        let mut candidates = Vec::new();
        for (nth, chosen) in self.typed.version.iter().take(MOST_CANDIDATES).enumerate() {
            let is_chosen =
                |(version, _): &&(&StrategyVersion, Strategy)| version.id.to_string() == *chosen;
            let Some((version, strategy)) = self.strategies.iter().find(is_chosen) else {
                continue;
            };
            let more = self.typed.more.get(nth).map_or("0", String::as_str);
            let (cover, inputs) = self.inputs(strategy, self.typed.team.get(nth), more)?;
            candidates.push(Candidate { name: format!("v{}, {cover}", version.version), inputs });
        }
        if candidates.len() < 2 {
            return Err(FormErrors::of("version", "Choose at least two candidates."));
        }
        let names: Vec<String> =
            candidates.iter().map(|candidate| candidate.name.clone()).collect();
        let twins =
            |nth: usize| candidates[..nth].iter().any(|each| each.inputs == candidates[nth].inputs);
        if let Some(twin) = (1..candidates.len()).find(|&nth| twins(nth)) {
            let message = format!("“{}” is there twice; let the candidates differ.", names[twin]);
            return Err(FormErrors::of("version", message));
        }
        Ok((names.join(" against "), ComparisonInputs::Chosen { candidates }))
    }

    /// A version without one of its campaigns, and with it.
    fn campaign(&self) -> Made {
        let found = self.strategies.iter().find_map(|(version, strategy)| {
            let campaign = strategy.campaign(&self.typed.campaign)?;
            Some((version, strategy, campaign.name.clone()))
        });
        let Some((version, strategy, name)) = found else {
            let message = "This version has no such campaign. Open the campaign's page again.";
            return Err(FormErrors::of("version", message));
        };
        let mut without = strategy.clone();
        for campaign in without.campaigns.iter_mut().filter(|each| each.id == self.typed.campaign) {
            campaign.paused_because = Some("left out of this comparison".to_owned());
        }
        let mut candidates = Vec::new();
        for (named, strategy) in [("without", &without), ("with", strategy)] {
            let (_, inputs) = self.inputs(strategy, None, "0")?;
            let name = format!("v{} {named} “{name}”", version.version);
            candidates.push(Candidate { name, inputs });
        }
        let title = format!("v{} without and with “{name}”", version.version);
        Ok((title, ComparisonInputs::Chosen { candidates }))
    }

    fn sweep(&self) -> Made {
        let is_swept = |(version, _): &&(&StrategyVersion, Strategy)| {
            Some(version.id) == self.typed.swept_version
        };
        let Some((version, strategy)) = self.strategies.iter().find(is_swept) else {
            return Err(FormErrors::of("swept_version", "Choose a version of the strategy."));
        };
        let (_, base) = self.inputs(strategy, None, "0")?;
        let all = Sweepable::all(strategy);
        let mut wrong = FormErrors::default();
        let mut axes = Vec::new();
        for (nth, key) in self.typed.setting.iter().take(2).enumerate() {
            let found = all.iter().find(|(setting, _)| setting.key() == *key);
            let Some((setting, name)) = found.cloned() else {
                if !key.is_empty() {
                    wrong.note("setting", "This version has no such setting. Choose another.");
                }
                continue;
            };
            if let Some(values) = self.values(nth, &mut wrong) {
                axes.push(Axis { setting, name: words::capitalised(&name), values });
            }
        }
        if axes.is_empty() {
            wrong.note("setting", "Choose a setting to sweep.");
        }
        let points: usize = axes.iter().map(|axis| axis.values.len()).product();
        if points > MOST_POINTS {
            wrong.note(
                "setting",
                format!("{points} points are too many; {MOST_POINTS} is the most."),
            );
        }
        if !wrong.is_empty() {
            return Err(wrong);
        }
        let names: Vec<&str> = axes.iter().map(|axis| axis.name.as_str()).collect();
        let title = format!("v{}: {}", version.version, names.join(" and "));
        let inputs = ComparisonInputs::Sweep { base: Box::new(base), axes };
        match inputs.candidates() {
            Ok(_) => Ok((title, inputs)),
            Err(error) => Err(FormErrors::of("setting", format!("{error}."))),
        }
    }

    /// Values from the first to the last, evenly spaced.
    fn values(&self, nth: usize, wrong: &mut FormErrors) -> Option<Vec<f64>> {
        let text = |list: &[String]| list.get(nth).cloned().unwrap_or_default();
        let from = wrong.number("from", &text(&self.typed.from));
        let to = wrong.number("to", &text(&self.typed.to));
        let steps = wrong.whole("steps", &text(&self.typed.steps), 2..=MOST_STEPS)?;
        let (Some(from), Some(to)) = (from, to) else {
            wrong.note("from", "Needs the first and the last value.");
            return None;
        };
        if from >= to {
            wrong.note("to", "Must be above the first value.");
            return None;
        }
        let step = (to - from) / f64::from(steps - 1);
        // Settings are typed with few digits; sums of steps should look like it.
        let value = |nth: u32| ((from + step * f64::from(nth)) * 1e6).round() / 1e6;
        Some((0..steps).map(value).collect())
    }
}
