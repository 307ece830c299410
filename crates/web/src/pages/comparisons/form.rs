//! The form of a comparison: up to six candidates, or one or two settings to sweep.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{Axis, ComparisonInputs, Contender, Sweepable};
use barometer_store::{ContactType, NewComparison, StrategyVersion};
use jiff::Span;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::{Form, Query};
use crate::forms::Wrong;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::trials::{TrialForm, state_word};
use crate::pages::{Choice, choices, page, refused};
use crate::planning;
use crate::words;

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
    contact_type: Option<Uuid>,
    day: String,
    cover: String,
    people: String,
    helpers: String,
    handling: String,
    demand: String,
    replications: String,
    seed: String,
    /// "candidates" or "sweep".
    kind: String,
    /// Versions of the candidates, and how many people more each has.
    version: Vec<String>,
    more: Vec<String>,
    swept_version: Option<Uuid>,
    setting: Vec<String>,
    from: Vec<String>,
    to: Vec<String>,
    steps: Vec<String>,
    #[serde(skip)]
    wrong: Wrong,
}

impl Default for ComparisonForm {
    fn default() -> Self {
        let trial = TrialForm::default();
        Self {
            contact_type: None,
            day: String::new(),
            cover: trial.cover,
            people: trial.people,
            helpers: trial.helpers,
            handling: trial.handling,
            demand: trial.demand,
            replications: trial.replications,
            seed: trial.seed,
            kind: "candidates".to_owned(),
            version: Vec::new(),
            more: Vec::new(),
            swept_version: None,
            setting: vec!["people".to_owned(), String::new()],
            from: vec!["-3".to_owned(), String::new()],
            to: vec!["3".to_owned(), String::new()],
            steps: vec!["7".to_owned(), String::new()],
            wrong: Wrong::default(),
        }
    }
}

#[derive(Template)]
#[template(path = "comparisons/ask.html")]
struct AskPage {
    frame: Frame,
    others: Vec<Choice>,
    contact_type: Uuid,
    contact_type_name: String,
    days: Vec<(String, String, bool)>,
    rows: Vec<CandidateRow>,
    swept: Vec<(Uuid, String, bool)>,
    settings: Vec<SettingRow>,
    typed: ComparisonForm,
    has_helpers: bool,
    no_plan: Option<String>,
    may_plan: bool,
    listed: Vec<ListedRow>,
}

struct CandidateRow {
    nth: usize,
    versions: Vec<(Uuid, String, bool)>,
    more: String,
}

struct SettingRow {
    nth: usize,
    options: Vec<(String, String, bool)>,
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

#[derive(Deserialize)]
pub(crate) struct AskQuery {
    contact_type: Option<Uuid>,
}

/// `GET /comparisons`: a form for the next one, and the latest ones.
pub(crate) async fn ask(
    State(app): State<App>,
    visit: Visit,
    Query(query): Query<AskQuery>,
) -> Result<Response, PageError> {
    let typed = ComparisonForm { contact_type: query.contact_type, ..ComparisonForm::default() };
    page(&ask_page(&app, &visit, typed).await?)
}

async fn ask_page(
    app: &App,
    visit: &Visit,
    mut typed: ComparisonForm,
) -> Result<AskPage, PageError> {
    let types = app.store.contact_types(visit.centre.id).await?;
    let chosen = types.iter().find(|each| Some(each.id) == typed.contact_type).or(types.first());
    let chosen = chosen.ok_or(PageError::NotFound)?;
    let versions = app.store.strategy_versions(chosen.id).await?;
    let day = typed.day.parse().unwrap_or(visit.day);
    typed.day = day.to_string();
    let plan = planning::plan(&app.store, chosen, day, 1, &visit.centre.zone).await?;
    if plan.iter().all(|interval| interval.assessment.cover.is_none()) && typed.cover == "planned" {
        typed.cover = "need".to_owned();
    }
    let no_plan = (plan.is_empty() || versions.is_empty()).then(|| {
        format!(
            "{} has no forecast for {}, or no strategy: there is nothing to compare.",
            chosen.name,
            words::long_day(day)
        )
    });
    let swept = versions
        .iter()
        .find(|version| Some(version.id) == typed.swept_version)
        .or(versions.first());
    let listed = app.store.latest_comparisons(LISTED).await?;
    Ok(AskPage {
        frame: Frame::of(visit, Stage::Trials, Some(chosen.id)),
        others: choices(&types, chosen.id, |other| {
            format!("/comparisons?contact_type={other}&day={day}")
        }),
        contact_type: chosen.id,
        contact_type_name: chosen.name.clone(),
        days: (0..7)
            .map(|ahead| visit.monday().saturating_add(Span::new().days(ahead)))
            .map(|each| (each.to_string(), words::long_day(each), each == day))
            .collect(),
        rows: candidate_rows(&typed, &versions),
        swept: version_options(&versions, swept.map(|version| version.id)),
        settings: setting_rows(&typed, swept),
        has_helpers: versions.iter().any(|version| version.strategy.teams.len() > 1),
        typed,
        no_plan,
        may_plan: visit.may_plan(),
        listed: listed
            .into_iter()
            .map(|line| ListedRow {
                address: format!("/comparisons/{}?day={}", line.id, line.day),
                name: format!("{}, {}", line.contact_type_name, words::short_day(line.day)),
                what: line.title,
                state: state_word(line.state),
                when: words::moment(line.created_at, &visit.centre.zone),
            })
            .collect(),
    })
}

fn version_options(
    versions: &[StrategyVersion],
    chosen: Option<Uuid>,
) -> Vec<(Uuid, String, bool)> {
    let option =
        |version: &StrategyVersion| (version.id, version_name(version), Some(version.id) == chosen);
    versions.iter().map(option).collect()
}

fn version_name(version: &StrategyVersion) -> String {
    let live = if version.is_live { " (live)" } else { "" };
    format!("v{} {}{live}", version.version, version.strategy.name)
}

fn candidate_rows(typed: &ComparisonForm, versions: &[StrategyVersion]) -> Vec<CandidateRow> {
    // To begin with: the newest as planned, beside itself with one person more.
    let newest = versions.first().map(|version| version.id);
    let row = |nth: usize| {
        let chosen = match typed.version.get(nth) {
            Some(version) => version.parse().ok(),
            None => newest.filter(|_| nth < 2 && typed.version.is_empty()),
        };
        let usual = if nth == 1 { "1" } else { "0" };
        CandidateRow {
            nth,
            versions: version_options(versions, chosen),
            more: typed.more.get(nth).cloned().unwrap_or_else(|| usual.to_owned()),
        }
    };
    (0..MOST_CANDIDATES).map(row).collect()
}

fn setting_rows(typed: &ComparisonForm, swept: Option<&StrategyVersion>) -> Vec<SettingRow> {
    let all = swept.map_or_else(Vec::new, |version| Sweepable::all(&version.strategy));
    let text = |list: &[String], nth: usize| list.get(nth).cloned().unwrap_or_default();
    (0..2)
        .map(|nth| {
            let chosen = text(&typed.setting, nth);
            let options = all.iter().map(|each| {
                let key = each.key().to_owned();
                let is_chosen = key == chosen;
                (key, words::capitalised(each.name()), is_chosen)
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
    Planner(mut visit): Planner,
    Form(mut typed): Form<ComparisonForm>,
) -> Result<Response, PageError> {
    let contact_type =
        app.store.contact_type(typed.contact_type.ok_or(PageError::NotFound)?).await?;
    let versions = app.store.strategy_versions(contact_type.id).await?;
    visit.day = typed.day.parse().unwrap_or(visit.day);
    let plan = planning::plan(&app.store, &contact_type, visit.day, 1, &visit.centre.zone).await?;
    let luck = match typed.demand.as_str() {
        "uncertain" => planning::luck(&app.store, &contact_type, visit.day).await?,
        _ => None,
    };
    let builder = Builder { typed: &typed, contact_type: &contact_type, visit: &visit };
    let inputs = |version: &StrategyVersion, more: &str| {
        builder.inputs(version, more, (&plan, luck.clone()))
    };
    let made = if typed.kind == "sweep" {
        builder.sweep(&versions, inputs)
    } else {
        builder.candidates(&versions, inputs)
    };
    match made {
        Ok((title, inputs)) => {
            let new = NewComparison {
                contact_type: contact_type.id,
                day: visit.day,
                title,
                inputs,
                created_by: visit.user.id,
            };
            let id = app.store.queue_comparison(&new).await?;
            Ok(Redirect::to(&format!("/comparisons/{id}?day={}", visit.day)).into_response())
        }
        Err(wrong) => {
            typed.wrong = wrong;
            refused(&ask_page(&app, &visit, typed).await?)
        }
    }
}

struct Builder<'a> {
    typed: &'a ComparisonForm,
    contact_type: &'a ContactType,
    visit: &'a Visit,
}

type Made = Result<(String, ComparisonInputs), Wrong>;
type Played = Result<(String, barometer_plan::TrialInputs), Wrong>;

impl Builder<'_> {
    /// What a version would be played with.
    fn inputs(
        &self,
        version: &StrategyVersion,
        more: &str,
        plan: (&[barometer_plan::PlannedInterval], Option<barometer_simulate::DemandLuck>),
    ) -> Played {
        let typed = self.typed.clone();
        let trial = TrialForm {
            version: Some(version.id),
            day: typed.day,
            cover: typed.cover,
            more: more.to_owned(),
            people: typed.people,
            helpers: typed.helpers,
            handling: typed.handling,
            demand: typed.demand,
            replications: typed.replications,
            seed: typed.seed,
            ..TrialForm::default()
        };
        trial.inputs(self.contact_type, &version.strategy, plan, self.visit)
    }

    fn candidates(
        &self,
        versions: &[StrategyVersion],
        inputs: impl Fn(&StrategyVersion, &str) -> Played,
    ) -> Made {
        let mut candidates = Vec::new();
        for (nth, chosen) in self.typed.version.iter().take(MOST_CANDIDATES).enumerate() {
            let Some(version) = versions.iter().find(|each| each.id.to_string() == *chosen) else {
                continue;
            };
            let more = self.typed.more.get(nth).map_or("0", String::as_str);
            let (cover, inputs) = inputs(version, more)?;
            candidates.push(Contender { name: format!("v{}, {cover}", version.version), inputs });
        }
        if candidates.len() < 2 {
            return Err(Wrong::of("version", "Choose at least two candidates."));
        }
        let names: Vec<String> =
            candidates.iter().map(|candidate| candidate.name.clone()).collect();
        let twins =
            |nth: usize| candidates[..nth].iter().any(|each| each.inputs == candidates[nth].inputs);
        if let Some(twin) = (1..candidates.len()).find(|&nth| twins(nth)) {
            let message = format!("“{}” is there twice; let the candidates differ.", names[twin]);
            return Err(Wrong::of("version", message));
        }
        Ok((names.join(" against "), ComparisonInputs { candidates, axes: Vec::new() }))
    }

    fn sweep(
        &self,
        versions: &[StrategyVersion],
        inputs: impl Fn(&StrategyVersion, &str) -> Played,
    ) -> Made {
        let version = versions.iter().find(|each| Some(each.id) == self.typed.swept_version);
        let Some(version) = version else {
            return Err(Wrong::of("swept_version", "Choose a version of the strategy."));
        };
        let (_, base) = inputs(version, "0")?;
        let all = Sweepable::all(&version.strategy);
        let mut wrong = Wrong::default();
        let mut axes: Vec<(&Sweepable, Axis)> = Vec::new();
        for (nth, key) in self.typed.setting.iter().take(2).enumerate() {
            let Some(setting) = all.iter().find(|each| each.key() == key) else { continue };
            if let Some(values) = self.values(nth, &mut wrong) {
                axes.push((setting, Axis { name: words::capitalised(setting.name()), values }));
            }
        }
        if axes.is_empty() {
            wrong.note("setting", "Choose a setting to sweep.");
        }
        let points: usize = axes.iter().map(|(_, axis)| axis.values.len()).product();
        if points > MOST_POINTS {
            wrong.note(
                "setting",
                format!("{points} points are too many; {MOST_POINTS} is the most."),
            );
        }
        if !wrong.is_empty() {
            return Err(wrong);
        }
        let candidates = Contender::grid(&axes, &base, words::plain_number)
            .map_err(|message| Wrong::of("setting", message))?;
        let names: Vec<&str> = axes.iter().map(|(_, axis)| axis.name.as_str()).collect();
        let title = format!("v{}: {}", version.version, names.join(" and "));
        let axes = axes.into_iter().map(|(_, axis)| axis).collect();
        Ok((title, ComparisonInputs { candidates, axes }))
    }

    /// Values from the first to the last, evenly spaced.
    fn values(&self, nth: usize, wrong: &mut Wrong) -> Option<Vec<f64>> {
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
