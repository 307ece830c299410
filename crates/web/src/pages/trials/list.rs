//! The latest trials, and the form for the next one.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{Verdict, channel_of};
use barometer_store::{
    ContactType, SearchLine, StrategyVersion, Subject, Trial, TrialLine, TrialSet,
};
use barometer_strategy::Strategy;
use jiff::Span;
use jiff::civil::Date;
use uuid::Uuid;

use super::form::{TrialForm, handling_key};
use super::scope::{KINDS_OF_DAYS, WHOLE_WEEK, days_words, scope_name};
use super::{named, only_type};
use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::state_word;
use crate::words;
use barometer_app::planning;
use barometer_app::trials::Scope;

const LISTED: i64 = 30;
/// Searches that are listed beside the trials.
const LISTED_SEARCHES: i64 = 10;

#[derive(Template)]
#[template(path = "trials/list.html")]
pub(crate) struct ListPage {
    frame: Frame,
    answer: String,
    trials: Vec<TrialRow>,
    searches: Vec<SearchRow>,
    form: Option<FormView>,
    compare: String,
    record: String,
}

/// What the form of a trial, or of a comparison, lets choose from.
pub(crate) struct FormView {
    pub types: Vec<Choosable>,
    pub days: Vec<Choosable>,
    pub versions: Vec<Choosable>,
    /// What contacts come from.
    pub demands: Vec<Choosable>,
    pub teams: Vec<TeamLine>,
    pub typed: TrialForm,
    pub no_plan: Option<String>,
    pub strategy: String,
    /// The page of what customers are like, of the first contact type.
    pub customers: String,
    /// What the chosen contact types are called together.
    pub subject: String,
    /// The day that is looked at, which the addresses keep.
    pub day: Date,
}

/// Something that can be chosen.
#[derive(Clone)]
pub(crate) struct Choosable {
    pub value: String,
    pub name: String,
    pub is_chosen: bool,
}

/// A team of the chosen version.
pub(crate) struct TeamLine {
    pub id: String,
    pub name: String,
    /// Whose plans its people come from.
    pub plans_of: String,
    pub more: String,
}

/// One trial in a list.
pub(crate) struct TrialRow {
    pub name: String,
    pub address: String,
    pub verdict: Option<Verdict>,
    pub state: &'static str,
    pub what: String,
    pub level: String,
    pub abandonment: String,
    pub when: String,
}

/// One search in a list.
pub(crate) struct SearchRow {
    pub name: String,
    pub address: String,
    pub title: String,
    pub state: &'static str,
    pub when: String,
}

impl SearchRow {
    fn of(search: &SearchLine, context: &RequestContext) -> Self {
        let subject = &search.subject;
        Self {
            name: format!("{}, {}", subject.name, days_words(subject.day, subject.days)),
            address: format!("/searches/{}?day={}", search.id, subject.day),
            title: search.title.clone(),
            state: state_word(search.run.state),
            when: words::moment(search.run.created_at, &context.centre.zone),
        }
    }
}

/// `GET /trials`: a form for the next trial and the latest ones.
pub(crate) async fn list(
    State(app): State<App>,
    context: RequestContext,
    Query(mut typed): Query<TrialForm>,
) -> Result<Response, PageError> {
    if let Some(again) = typed.again {
        typed = as_before(&app.store.trial(again).await?);
    }
    page(&list_page(&app, &context, typed).await?)
}

/// The form as it was filled in for a trial; of one that was kept without, what can be told from it.
fn as_before(before: &Trial) -> TrialForm {
    let kept: Option<TrialForm> = serde_json::from_value(before.asked.clone()).ok();
    let mut typed = kept.unwrap_or_default();
    typed.contact_type = before.subject.contact_types.clone();
    typed.version = Some(before.strategy_version);
    typed.replications = before.inputs.replications.to_string();
    typed.seed = before.inputs.seed.to_string();
    typed.handling = handling_key(&before.inputs).to_owned();
    let is_exact = before.inputs.types.iter().all(|each| each.luck.is_none());
    if before.asked.get("demand").is_none() {
        typed.demand = if is_exact { "exact" } else { "uncertain" }.to_owned();
    }
    typed
}

pub(crate) async fn list_page(
    app: &App,
    context: &RequestContext,
    typed: TrialForm,
) -> Result<ListPage, PageError> {
    let (trials, searches) = tokio::try_join!(
        app.store.latest_trials(None, LISTED),
        app.store.latest_searches(LISTED_SEARCHES),
    )?;
    let ids = typed.contact_type.clone();
    let form = match context.may_plan() {
        true => Some(FormView::of(app, context, typed).await?),
        false => None,
    };
    let over: Vec<Verdict> = trials.iter().filter_map(|trial| trial.digest?.verdict).collect();
    let holds = over.iter().filter(|verdict| **verdict == Verdict::Holds).count();
    let answer = match (holds, over.len()) {
        (_, 0) => "Nothing has been tried yet: choose a day, a strategy and a cover.".to_owned(),
        (1, 1) => "The one finished trial holds every target.".to_owned(),
        (_, 1) => "The one finished trial does not hold every target.".to_owned(),
        (0, all) => format!("None of the latest {all} finished trials holds every target."),
        (1, all) => format!("One of the latest {all} finished trials holds every target."),
        (holds, all) => format!("{holds} of the latest {all} finished trials hold every target."),
    };
    let named = named(&ids);
    Ok(ListPage {
        frame: Frame::of(context, Stage::Trials, only_type(&ids)),
        answer,
        trials: trial_rows(trials.iter(), context),
        searches: searches.iter().map(|search| SearchRow::of(search, context)).collect(),
        form,
        compare: format!("/comparisons?day={}{named}", context.day),
        record: format!("/trials/record?day={}{named}", context.day),
    })
}

impl FormView {
    /// Lets only days in a row be chosen.
    pub fn leave_kinds_of_days_out(&mut self) {
        self.days.retain(|day| day.value != KINDS_OF_DAYS);
    }

    /// The first team that has a plan.
    pub fn first_home(&self) -> Option<&str> {
        let home = self.teams.iter().find(|team| !team.plans_of.is_empty());
        home.or(self.teams.first()).map(|team| team.id.as_str())
    }

    pub async fn of(
        app: &App,
        context: &RequestContext,
        mut typed: TrialForm,
    ) -> Result<Self, PageError> {
        let (types, versions) = tokio::try_join!(
            app.store.contact_types(context.centre.id),
            app.store.strategy_versions(context.centre.id),
        )?;
        let version = typed.version_of(&versions).or(versions.first());
        let strategy = match version {
            Some(version) => Some(app.store.strategy(version.id).await?),
            None => None,
        };
        if typed.contact_type.is_empty() {
            typed.contact_type = playable(app, context, &types, strategy.as_ref()).await?;
        }
        let scope = Scope::of(&types, &typed.contact_type);
        if typed.days.is_empty() {
            typed.days = context.day.to_string();
        }
        let days = typed.played(&scope, context);
        let is_by_date = typed.days != KINDS_OF_DAYS;
        let plans = match is_by_date {
            true => typed.plans(app, context, &scope, &days).await?,
            false => Vec::new(),
        };
        let demands = demand_options(app, &scope, &typed.demand).await?;
        let mut forecast = plans.iter().flat_map(|each| &each.plan).peekable();
        let no_plan = if types.is_empty() {
            Some("There is no contact type yet. Bring in history under Demand first.".to_owned())
        } else if versions.is_empty() {
            Some("No strategy is saved yet. Save one first.".to_owned())
        } else if is_by_date && forecast.peek().is_none() {
            let days = super::days_words(days.first, days.days as u32);
            Some(format!(
                "There is neither a forecast nor history for {} on {days}. Choose another day.",
                scope_name(&scope)
            ))
        } else {
            None
        };
        let is_planned = forecast.any(|interval| interval.assessment.cover.is_some());
        if is_by_date && !is_planned && typed.cover == "planned" {
            typed.cover = "need".to_owned();
        }
        Ok(Self {
            types: types
                .iter()
                .map(|each| Choosable {
                    value: each.id.to_string(),
                    name: each.name.clone(),
                    is_chosen: scope.types.iter().any(|chosen| chosen.id == each.id),
                })
                .collect(),
            days: day_options(context, &typed.days),
            versions: version_options(&versions, version.map(|version| version.id)),
            demands,
            teams: strategy.map_or_else(Vec::new, |strategy| team_lines(&strategy, &scope, &typed)),
            no_plan,
            strategy: Stage::Strategy.address(context.day, None),
            customers: scope.ids().first().map_or_else(String::new, |first| {
                format!("/staffing/{first}/customers?day={}", context.day)
            }),
            subject: scope_name(&scope),
            day: context.day,
            typed,
        })
    }
}

/// The contact types to begin with: those that come in somewhere and, where any has people planned this
/// week, have them too.
async fn playable(
    app: &App,
    context: &RequestContext,
    types: &[ContactType],
    strategy: Option<&Strategy>,
) -> Result<Vec<Uuid>, PageError> {
    let (from, to) = planning::span(context.monday(), 7, &context.centre.zone)?;
    let enters = |each: &&ContactType| {
        strategy.is_none_or(|strategy| strategy.entry_of(&each.name).is_some())
    };
    let (mut all, mut planned) = (Vec::new(), Vec::new());
    for each in types.iter().filter(enters) {
        all.push(each.id);
        if !app.store.cover_between(each.id, from, to).await?.is_empty() {
            planned.push(each.id);
        }
    }
    Ok(if planned.is_empty() { all } else { planned })
}

fn day_options(context: &RequestContext, chosen: &str) -> Vec<Choosable> {
    let option =
        |value: String, name: String| Choosable { is_chosen: value == chosen, value, name };
    (0..7)
        .map(|ahead| context.monday().saturating_add(Span::new().days(ahead)))
        .map(|each| option(each.to_string(), words::long_day(each)))
        .chain([
            option(
                WHOLE_WEEK.to_owned(),
                format!("the whole week, {}", words::week_span(context.monday())),
            ),
            option(KINDS_OF_DAYS.to_owned(), "a typical, the fullest and a storm day".to_owned()),
        ])
        .collect()
}

/// The forecast, and those that were frozen of the chosen contact types.
async fn demand_options(
    app: &App,
    scope: &Scope,
    chosen: &str,
) -> Result<Vec<Choosable>, PageError> {
    let option = |value: &str, name: String| Choosable {
        is_chosen: value == chosen,
        value: value.to_owned(),
        name,
    };
    let mut options = vec![
        option("uncertain", "as measured".to_owned()),
        option("exact", "none: the forecast is exact".to_owned()),
    ];
    for each in &scope.types {
        for frozen in app.store.frozen_forecasts(each.id).await? {
            let value = format!("frozen:{}", frozen.name);
            if options.iter().all(|known| known.value != value) {
                options
                    .push(option(&value, format!("as measured, of the version “{}”", frozen.name)));
            }
        }
    }
    Ok(options)
}

/// The versions of a strategy to choose from.
pub(crate) fn version_options(
    versions: &[StrategyVersion],
    chosen: Option<Uuid>,
) -> Vec<Choosable> {
    let option = |version: &StrategyVersion| Choosable {
        value: version.id.to_string(),
        name: format!(
            "v{} {}{}",
            version.version,
            version.called(),
            if version.is_live { " (live)" } else { "" }
        ),
        is_chosen: Some(version.id) == chosen,
    };
    versions.iter().map(option).collect()
}

fn team_lines(strategy: &Strategy, scope: &Scope, typed: &TrialForm) -> Vec<TeamLine> {
    let homes: Vec<(&str, &str)> = scope
        .types
        .iter()
        .filter_map(|each| {
            let channel = channel_of(&each.rules);
            let home = strategy.home_team(&each.name, channel)?;
            Some((home.id.as_str(), each.name.as_str()))
        })
        .collect();
    let line = |team: &barometer_strategy::Team| {
        let plans: Vec<String> = homes
            .iter()
            .filter(|(id, _)| *id == team.id)
            .map(|(_, name)| (*name).to_owned())
            .collect();
        let at = typed.team.iter().position(|id| *id == team.id);
        TeamLine {
            id: team.id.clone(),
            name: team.name.clone(),
            plans_of: words::listing(&plans),
            more: at.and_then(|at| typed.more.get(at)).cloned().unwrap_or_else(|| "0".to_owned()),
        }
    };
    strategy.teams.iter().map(line).collect()
}

/// Rows of a list of trials.
pub(crate) fn trial_rows<'a>(
    trials: impl Iterator<Item = &'a TrialLine>,
    context: &RequestContext,
) -> Vec<TrialRow> {
    trials
        .map(|trial| {
            let digest = trial.digest;
            TrialRow {
                name: name_of(&trial.subject, trial.set.as_ref()),
                address: format!("/trials/{}?day={}", trial.id, trial.subject.day),
                verdict: digest.and_then(|digest| digest.verdict),
                state: state_word(trial.run.state),
                what: format!("v{}, {}", trial.version, trial.cover_words),
                level: words::estimated_percent(digest.and_then(|digest| digest.service_level)),
                abandonment: words::estimated_percent(digest.and_then(|digest| digest.abandonment)),
                when: words::moment(trial.run.created_at, &context.centre.zone),
            }
        })
        .collect()
}

fn name_of(subject: &Subject, set: Option<&TrialSet>) -> String {
    let days = match subject.days {
        1 => words::short_day(subject.day),
        days => super::days_words(subject.day, days),
    };
    let name = format!("{}, {days}", words::capitalised(&subject.name));
    match set {
        Some(set) => format!("{name}, {}", set.day_kind),
        None => name,
    }
}
