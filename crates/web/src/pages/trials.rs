//! Trials: a day is simulated before customers live it.

use std::collections::HashMap;

use askama::Template;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{
    Judged, Rules, Target, Theory, TrialInputs, TrialInterval, TrialResult, Verdict,
};
use barometer_queueing::Outcome;
use barometer_simulate::{Measures, Spread};
use barometer_store::{ContactType, NewTrial, StrategyVersion, Trial, TrialState};
use jiff::Span;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::charts;
use crate::exports;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::demand::{Choice, choices};
use crate::pages::{page, refused};
use crate::planning::{self, PlannedInterval};
use crate::words;

const MOST_REPLICATIONS: u32 = 20_000;
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
    no_plan: Option<String>,
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
    intervals_csv: String,
    inputs_json: String,
}

/// The part of a trial's page that changes while it is played.
#[derive(Template)]
#[template(path = "trials/progress.html")]
struct ProgressPart {
    address: String,
    cancel: String,
    state: TrialState,
    is_over: bool,
    played: u32,
    replications: u32,
    failure: Option<String>,
    may_cancel: bool,
    is_stopping: bool,
}

struct ResultView {
    verdict: Option<Verdict>,
    sentence: String,
    theory_name: &'static str,
    rows: Vec<MeasureRow>,
    chart: String,
    intervals: Vec<IntervalRow>,
    theory_note: String,
}

struct MeasureRow {
    name: String,
    target: String,
    trial: String,
    theory: String,
    verdict: Option<Verdict>,
}

struct IntervalRow {
    time: String,
    agents: u32,
    offered: String,
    level: String,
    theory: String,
    abandonment: String,
    answer: String,
    occupancy: String,
}

#[derive(Serialize)]
struct TrialChart {
    labels: Vec<String>,
    trial: Vec<Option<f64>>,
    low: Vec<Option<f64>>,
    high: Vec<Option<f64>>,
    theory: Vec<Option<f64>>,
    theory_name: &'static str,
    target: f64,
}

/// A trial as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Deserialize)]
#[serde(default)]
pub(crate) struct TrialForm {
    contact_type: Option<Uuid>,
    version: Option<Uuid>,
    day: String,
    cover: String,
    more: String,
    people: String,
    handling: String,
    replications: String,
    seed: String,
    #[serde(skip)]
    wrong: HashMap<&'static str, String>,
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
            handling: "exponential".to_owned(),
            replications: "200".to_owned(),
            seed: "1".to_owned(),
            wrong: HashMap::new(),
        }
    }
}

impl TrialForm {
    fn wrong(&self, field: &str) -> Option<&str> {
        self.wrong.get(field).map(String::as_str)
    }
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
        typed.handling = handling_key(before.inputs.handling).to_owned();
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
    let answer = match over.len() {
        0 => "Nothing has been tried yet: choose a day, a strategy and a cover.".to_owned(),
        all => format!(
            "{holds} of the latest {all} finished {} hold every target.",
            if all == 1 { "trial" } else { "trials" }
        ),
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
        (_, true) => {
            Some(format!("{} has no strategy yet. Save one under Strategy first.", chosen.name))
        }
        _ => None,
    };
    let has_cover = plan.iter().any(|interval| interval.assessment.cover.is_some());
    if !has_cover && typed.cover == "planned" {
        typed.cover = "need".to_owned();
    }
    let wanted = typed.version.or(versions.first().map(|newest| newest.id));
    Ok(FormView {
        others: choices(types, chosen.id, Stage::Trials, day),
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
        typed,
        no_plan,
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

const fn state_word(state: TrialState) -> &'static str {
    match state {
        TrialState::Queued => "queued",
        TrialState::Running => "running",
        TrialState::Done => "done",
        TrialState::Cancelled => "cancelled",
        TrialState::Failed => "failed",
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
    match new_trial(&typed, &contact_type, &versions, &plan, &visit) {
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

fn new_trial(
    typed: &TrialForm,
    contact_type: &ContactType,
    versions: &[StrategyVersion],
    plan: &[PlannedInterval],
    visit: &Visit,
) -> Result<NewTrial, HashMap<&'static str, String>> {
    let mut wrong = HashMap::new();
    let version = versions.iter().find(|version| Some(version.id) == typed.version);
    if version.is_none() {
        wrong.insert("version", "Choose a version of the strategy.".to_owned());
    }
    if plan.is_empty() {
        wrong.insert("day", "Nothing is forecast for this day.".to_owned());
    }
    let replications = typed
        .replications
        .trim()
        .parse()
        .ok()
        .filter(|count| (2..=MOST_REPLICATIONS).contains(count));
    if replications.is_none() {
        wrong.insert(
            "replications",
            format!("Must be a whole number from 2 to {MOST_REPLICATIONS}."),
        );
    }
    // JSON in the database keeps whole numbers up to this exactly.
    let seed = typed.seed.trim().parse::<u64>().ok().filter(|seed| *seed <= 1 << 53);
    if seed.is_none() {
        wrong.insert("seed", "Must be a whole number from 0 to 9007199254740992.".to_owned());
    }
    let cover =
        chosen_cover(typed, plan).map_err(|(field, message)| wrong.insert(field, message)).ok();
    let (Some(version), Some(replications), Some(seed), Some((cover_words, agents)), true) =
        (version, replications, seed, cover, wrong.is_empty())
    else {
        return Err(wrong);
    };
    let inputs = TrialInputs {
        strategy: version.strategy.clone(),
        rules: contact_type.rules,
        interval_secs: contact_type.grain.secs(),
        intervals: without_gaps(contact_type, plan, &agents),
        handling: handling(&typed.handling),
        replications,
        seed,
    };
    if let Err(error) = inputs.experiment() {
        wrong.insert("cover", format!("This cannot be played: {error}."));
        return Err(wrong);
    }
    Ok(NewTrial {
        contact_type: contact_type.id,
        strategy_version: version.id,
        day: visit.day,
        cover_words,
        inputs,
        created_by: visit.user.id,
    })
}

/// The chosen cover in words and per interval of the plan.
fn chosen_cover(
    typed: &TrialForm,
    plan: &[PlannedInterval],
) -> Result<(String, Vec<u32>), (&'static str, String)> {
    const MOST: u32 = 100_000;
    let more = match typed.more.trim() {
        "" => 0,
        text => text
            .trim_start_matches('+')
            .replace('−', "-")
            .parse::<i32>()
            .ok()
            .filter(|more| more.unsigned_abs() <= MOST)
            .ok_or_else(|| ("more", format!("Must be a whole number from −{MOST} to {MOST}.")))?,
    };
    let (words, agents): (String, Vec<u32>) = match typed.cover.as_str() {
        "fixed" => {
            let people = typed.people.trim().parse::<u32>().ok().filter(|people| *people <= MOST);
            let people = people
                .ok_or_else(|| ("people", format!("Must be a whole number from 0 to {MOST}.")))?;
            (format!("{people} people all day"), plan.iter().map(|_| people).collect())
        }
        "need" => {
            ("the need".to_owned(), plan.iter().map(|interval| interval.assessment.need).collect())
        }
        _ => {
            if plan.iter().all(|interval| interval.assessment.cover.is_none()) {
                return Err((
                    "cover",
                    "No cover is planned for this day. Plan it under Staffing, or try the need."
                        .to_owned(),
                ));
            }
            let planned =
                plan.iter().map(|interval| interval.assessment.cover.unwrap_or(0)).collect();
            ("planned cover".to_owned(), planned)
        }
    };
    let shifted = agents.into_iter().map(|agents| agents.saturating_add_signed(more)).collect();
    Ok(match more {
        0 => (words, shifted),
        more if more < 0 => (format!("{words}, {} fewer", more.unsigned_abs()), shifted),
        more => (format!("{words}, {more} more"), shifted),
    })
}

/// A day's intervals in a row: closed stretches between open ones have no contacts and no people.
fn without_gaps(
    contact_type: &ContactType,
    plan: &[PlannedInterval],
    agents: &[u32],
) -> Vec<TrialInterval> {
    let grain = contact_type.grain.duration();
    let mut row: Vec<TrialInterval> = Vec::with_capacity(plan.len());
    for (interval, &agents) in plan.iter().zip(agents) {
        while let Some(last) = row.last().filter(|last| last.start + grain < interval.start) {
            let mut closed = *last;
            closed.start = last.start + grain;
            closed.load.contacts = 0.0;
            closed.agents = 0;
            row.push(closed);
        }
        row.push(TrialInterval { start: interval.start, load: interval.load, agents });
    }
    row
}

fn handling(key: &str) -> Spread {
    match key {
        "log-normal" => Spread::LogNormal { variation: 0.7 },
        "constant" => Spread::Constant,
        _ => Spread::Exponential,
    }
}

const fn handling_key(handling: Spread) -> &'static str {
    match handling {
        Spread::LogNormal { .. } => "log-normal",
        Spread::Constant => "constant",
        Spread::Exponential => "exponential",
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
        Some(result) => Some(ResultView::of(&trial, result, zone)?),
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
            "v{} of “{}”, {}, {} simulated days, handle times {}, seed {}; asked by {} on {}.",
            trial.version,
            trial.inputs.strategy.name,
            trial.cover_words,
            words::thousands(f64::from(trial.inputs.replications)),
            handling_key(trial.inputs.handling),
            trial.inputs.seed,
            trial.created_by.as_deref().unwrap_or("nobody"),
            words::moment(trial.created_at, zone),
        ),
        progress: ProgressPart::of(&trial, &visit),
        result,
        again: format!("/trials?again={id}&day={}#new", trial.day),
        intervals_csv: format!("/trials/{id}/intervals.csv"),
        inputs_json: format!("/trials/{id}/trial.json"),
    };
    page(&template)
}

impl ProgressPart {
    fn of(trial: &Trial, visit: &Visit) -> Self {
        Self {
            address: format!("/trials/{}/progress", trial.id),
            cancel: format!("/trials/{}/cancel", trial.id),
            state: trial.state,
            is_over: trial.state.is_over(),
            played: trial.played,
            replications: trial.inputs.replications,
            failure: trial.failure.clone(),
            may_cancel: visit.may_plan(),
            is_stopping: trial.cancel_requested,
        }
    }

    fn word(&self) -> &'static str {
        if self.is_stopping && !self.is_over { "stopping" } else { state_word(self.state) }
    }
}

/// `GET /trials/{trial}/progress`: asked for again and again while a trial is played. Once it is
/// over the page is loaded anew.
pub(crate) async fn progress(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let mut response = page(&ProgressPart::of(&trial, &visit))?;
    if trial.state.is_over() {
        response.headers_mut().insert("hx-refresh", axum::http::HeaderValue::from_static("true"));
    }
    Ok(response)
}

/// `POST /trials/{trial}/cancel`
pub(crate) async fn cancel(
    State(app): State<App>,
    Planner(_): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.cancel_trial(id).await?;
    Ok(Redirect::to(&format!("/trials/{id}")).into_response())
}

impl ResultView {
    fn of(trial: &Trial, result: &TrialResult, zone: &TimeZone) -> Result<Self, PageError> {
        let rules = &trial.inputs.rules;
        let theory = trial.inputs.theory().map_err(|error| PageError::Internal(Box::new(error)))?;
        let judged = result.judge(rules);
        let theory_name = match theory.model {
            barometer_plan::Model::ErlangA => "Erlang A",
            barometer_plan::Model::ErlangC => "Erlang C",
        };
        Ok(Self {
            verdict: judged.iter().map(|judged| judged.verdict).max(),
            sentence: sentence(&judged, rules),
            rows: measure_rows(&result.day, &theory, &judged, rules),
            chart: charts::embedded(&trial_chart(trial, result, &theory, theory_name, zone))?,
            intervals: interval_rows(trial, result, &theory, zone),
            theory_note: theory_note(&theory, theory_name, result),
            theory_name,
        })
    }
}

fn sentence(judged: &[Judged], rules: &Rules) -> String {
    let of = |verdict: Verdict| -> Vec<String> {
        judged
            .iter()
            .filter(|each| each.verdict == verdict)
            .map(|each| {
                format!(
                    "{} is {} against {}",
                    words::target_name(each.target, rules),
                    words::estimated_percent(Some(each.got)),
                    words::target_bound(each.target, each.wanted)
                )
            })
            .collect()
    };
    let (broken, marginal) = (of(Verdict::Breaks), of(Verdict::Marginal));
    match (broken.is_empty(), marginal.is_empty()) {
        (false, _) => format!("It breaks: {}.", words::listing(&broken)),
        (true, false) => {
            format!("It is marginal: {}; more replications would tell.", words::listing(&marginal))
        }
        (true, true) if judged.is_empty() => {
            "Nothing was offered, so there is nothing to judge.".to_owned()
        }
        (true, true) => format!("It holds: {}.", words::listing(&of(Verdict::Holds))),
    }
}

fn measure_rows(
    day: &Measures,
    theory: &Theory,
    judged: &[Judged],
    rules: &Rules,
) -> Vec<MeasureRow> {
    let on = |target: Target| judged.iter().find(|each| each.target == target);
    let says = |figure: fn(&Outcome) -> String| {
        theory.day.as_ref().map_or_else(|| "no steady state".to_owned(), figure)
    };
    let judged_row = |target: Target, trial: String, theory: String| MeasureRow {
        name: words::capitalised(&words::target_name(target, rules)),
        target: on(target).map_or_else(
            || words::NONE.to_owned(),
            |each| words::target_bound(target, each.wanted),
        ),
        trial,
        theory,
        verdict: on(target).map(|each| each.verdict),
    };
    let plain_row = |name: &str, trial: String, theory: String| MeasureRow {
        name: name.to_owned(),
        target: words::NONE.to_owned(),
        trial,
        theory,
        verdict: None,
    };
    let mut rows = vec![
        judged_row(
            Target::ServiceLevel,
            words::estimated_percent(day.service_level),
            says(|outcome| words::percent(outcome.service_level)),
        ),
        judged_row(
            Target::Abandonment,
            words::estimated_percent(day.abandonment),
            says(|outcome| words::percent(outcome.abandonment)),
        ),
        judged_row(
            Target::Occupancy,
            words::estimated_percent(day.occupancy),
            says(|outcome| words::percent(outcome.occupancy)),
        ),
        plain_row(
            "Speed of answer (ASA)",
            words::estimated_secs(day.answer_secs),
            says(|outcome| words::secs(outcome.answer_secs)),
        ),
    ];
    let none = || words::NONE.to_owned();
    for (name, share) in [
        ("To voicemail", day.to_voicemail),
        ("Released when full or too long", day.released),
        ("Never answered: nobody left", day.left_waiting),
    ] {
        if share.is_some_and(|share| share.mean > 0.0) {
            rows.push(plain_row(name, words::estimated_percent(share), none()));
        }
    }
    let half = day.offered.half_width.unwrap_or(0.0);
    rows.push(plain_row(
        "Contacts offered",
        format!("{:.1} ± {half:.1}", day.offered.mean),
        none(),
    ));
    rows
}

fn theory_note(theory: &Theory, name: &str, result: &TrialResult) -> String {
    let assumes = format!(
        "{name} takes each interval as settled, the queue as endless and the day's backlog as none; the trial does not."
    );
    match (&theory.day, result.day.service_level) {
        (Some(day), Some(level)) => {
            let points = (level.mean - day.service_level) * 100.0;
            let sign = if points < 0.0 { "lower" } else { "higher" };
            format!(
                "The trial's service level is {:.1} points {sign} than {name}'s. {assumes}",
                points.abs()
            )
        }
        _ => format!(
            "{name} has no steady state for some interval: the line would grow without limit. {assumes}"
        ),
    }
}

fn trial_chart(
    trial: &Trial,
    result: &TrialResult,
    theory: &Theory,
    theory_name: &'static str,
    zone: &TimeZone,
) -> TrialChart {
    let percent = |share: f64| charts::tenth((share * 100.0).clamp(0.0, 100.0));
    let levels = || result.intervals.iter().map(|interval| interval.service_level);
    TrialChart {
        labels: trial
            .inputs
            .intervals
            .iter()
            .map(|interval| words::clock(interval.start, zone))
            .collect(),
        trial: levels().map(|level| level.map(|level| percent(level.mean))).collect(),
        low: levels().map(|level| level.map(|level| percent(level.low()))).collect(),
        high: levels().map(|level| level.map(|level| percent(level.high()))).collect(),
        theory: theory
            .intervals
            .iter()
            .map(|outcome| outcome.map(|outcome| percent(outcome.service_level)))
            .collect(),
        theory_name,
        target: percent(trial.inputs.rules.service_level),
    }
}

fn interval_rows(
    trial: &Trial,
    result: &TrialResult,
    theory: &Theory,
    zone: &TimeZone,
) -> Vec<IntervalRow> {
    trial
        .inputs
        .intervals
        .iter()
        .zip(&result.intervals)
        .zip(&theory.intervals)
        .map(|((interval, measures), theory)| IntervalRow {
            time: words::clock(interval.start, zone),
            agents: interval.agents,
            offered: format!("{:.1}", measures.offered.mean),
            level: words::estimated_percent(measures.service_level),
            theory: theory.map_or_else(
                || words::NONE.to_owned(),
                |outcome| words::percent(outcome.service_level),
            ),
            abandonment: words::estimated_percent(measures.abandonment),
            answer: words::estimated_secs(measures.answer_secs),
            occupancy: words::estimated_percent(measures.occupancy),
        })
        .collect()
}

/// `GET /trials/{trial}/intervals.csv`
pub(crate) async fn export(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let result = trial.result.as_ref().ok_or(PageError::NotFound)?;
    let theory = trial.inputs.theory().map_err(|error| PageError::Internal(Box::new(error)))?;
    let pair = |estimate: Option<barometer_simulate::Estimate>| {
        let figure =
            |figure: Option<f64>| figure.map_or_else(String::new, |figure| format!("{figure:.6}"));
        [
            figure(estimate.map(|estimate| estimate.mean)),
            figure(estimate.and_then(|estimate| estimate.half_width)),
        ]
    };
    let rows = trial.inputs.intervals.iter().zip(&result.intervals).zip(&theory.intervals).map(
        |((interval, measures), theory)| {
            let local = interval.start.to_zoned(visit.centre.zone.clone());
            let mut row = vec![
                local.strftime("%Y-%m-%dT%H:%M:%S%:z").to_string(),
                interval.agents.to_string(),
            ];
            row.extend(pair(Some(measures.offered)));
            row.extend(pair(measures.service_level));
            row.extend(pair(measures.abandonment));
            row.extend(pair(measures.answer_secs));
            row.extend(pair(measures.occupancy));
            row.push(
                theory.map_or_else(String::new, |outcome| format!("{:.6}", outcome.service_level)),
            );
            row
        },
    );
    let rows = rows.collect();
    let heading = [
        "interval_start",
        "agents",
        "offered",
        "offered_half_width_95",
        "service_level_share",
        "service_level_half_width_95",
        "abandonment_share",
        "abandonment_half_width_95",
        "answer_secs",
        "answer_secs_half_width_95",
        "occupancy_share",
        "occupancy_half_width_95",
        "steady_state_service_level_share",
    ];
    exports::csv(&format!("trial-{}-{}.csv", trial.contact_type_name, trial.day), &heading, rows)
        .await
}

/// `GET /trials/{trial}/trial.json`: everything that the numbers follow from, and the numbers.
pub(crate) async fn export_inputs(
    State(app): State<App>,
    _: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let text = serde_json::to_string_pretty(
        &serde_json::json!({ "inputs": trial.inputs, "result": trial.result }),
    )
    .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&format!("trial-{}-{}.json", trial.contact_type_name, trial.day), text))
}
