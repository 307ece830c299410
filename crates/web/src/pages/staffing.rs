//! Staffing: how many people that takes, against the people planned.

use std::collections::HashMap;

use askama::Template;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{Candidate, Explanation, IntervalLoad, Model, Rules, Verdict, explain, need};
use barometer_store::{ContactType, CoverInterval};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
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

/// More people than a form may plan for one interval.
const MOST_PEOPLE: u32 = 100_000;

#[derive(Template)]
#[template(path = "staffing/show.html")]
struct ShowPage {
    frame: Frame,
    others: Vec<Choice>,
    days: Vec<DayTab>,
    answer: String,
    no_forecast: Option<String>,
    chart: String,
    rows: Vec<Row>,
    why: Option<WhyPanel>,
    targets: TargetsForm,
    cover: CoverForm,
    may_plan: bool,
    model_words: &'static str,
    within: String,
    targets_address: String,
    cover_address: String,
    export_day: String,
    export_week: String,
    earlier_day: String,
    later_day: String,
    saved: bool,
}

struct DayTab {
    name: String,
    address: String,
    is_current: bool,
}

struct Row {
    time: String,
    contacts: String,
    handle: String,
    erlangs: String,
    need: u32,
    other_need: String,
    rostered: u32,
    cover: String,
    pressure: String,
    level: String,
    abandonment: String,
    occupancy: String,
    verdict: Option<Verdict>,
    why: String,
}

#[derive(Template)]
#[template(path = "staffing/why.html")]
struct WhyPanel {
    title: String,
    inputs: String,
    sentence: String,
    candidates: Vec<CandidateColumn>,
    measures: Vec<MeasureRow>,
    other: String,
    source: &'static str,
}

struct CandidateColumn {
    agents: u32,
    is_need: bool,
    holds: bool,
}

struct MeasureRow {
    name: String,
    target: String,
    figures: Vec<String>,
}

#[derive(Serialize)]
struct NeedChart {
    labels: Vec<String>,
    need: Vec<u32>,
    cover: Vec<Option<u32>>,
    load: Vec<f64>,
}

/// Targets as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct TargetsForm {
    service_level: String,
    within_secs: String,
    abandonment: String,
    occupancy: String,
    patience_secs: String,
    concurrency: String,
    shrinkage: String,
    day: String,
    #[serde(skip)]
    wrong: HashMap<&'static str, String>,
}

/// Cover as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct CoverForm {
    how: String,
    from: String,
    to: String,
    people: String,
    day: String,
    #[serde(skip)]
    wrong: Option<String>,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    at: Option<i64>,
    saved: Option<String>,
}

/// `GET /staffing`: the first contact type's page.
pub(crate) async fn first(State(app): State<App>, visit: Visit) -> Result<Response, PageError> {
    let types = app.store.contact_types(visit.centre.id).await?;
    Ok(match types.first() {
        Some(first) => {
            Redirect::to(&Stage::Staffing.address(visit.day, Some(first.id))).into_response()
        }
        None => Redirect::to(&Stage::Demand.address(visit.day, None)).into_response(),
    })
}

/// `GET /staffing/{contact_type}`: a day's need against its cover.
pub(crate) async fn show(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let targets = TargetsForm::of(&contact_type.rules);
    let mut template = show_page(&app, &visit, &contact_type, query.at, targets).await?;
    template.saved = query.saved.is_some();
    page(&template)
}

async fn show_page(
    app: &App,
    visit: &Visit,
    contact_type: &ContactType,
    at: Option<i64>,
    targets: TargetsForm,
) -> Result<ShowPage, PageError> {
    let (id, day, zone) = (contact_type.id, visit.day, &visit.centre.zone);
    let (plan, types) =
        tokio::try_join!(planning::plan(&app.store, contact_type, day, 1, zone), async {
            Ok(app.store.contact_types(visit.centre.id).await?)
        },)?;
    let no_forecast =
        if plan.is_empty() { Some(no_forecast(app, contact_type, visit).await?) } else { None };
    let explained = at
        .and_then(|at| plan.iter().find(|interval| interval.start.as_second() == at))
        .or_else(|| busiest(&plan));
    let why = explained.map(|interval| WhyPanel::of(contact_type, interval, zone)).transpose()?;
    let step =
        |days: i64| Stage::Staffing.address(day.saturating_add(Span::new().days(days)), Some(id));
    Ok(ShowPage {
        frame: Frame::of(visit, Stage::Staffing, Some(id)),
        others: choices(&types, id, Stage::Staffing, day),
        days: day_tabs(visit, id),
        answer: answer(contact_type, &plan, day, zone),
        no_forecast,
        chart: charts::embedded(&need_chart(contact_type, &plan, zone))?,
        rows: plan.iter().map(|interval| row(contact_type, interval, zone)).collect(),
        why,
        targets: TargetsForm { day: day.to_string(), ..targets },
        cover: CoverForm { day: day.to_string(), ..CoverForm::default() },
        may_plan: visit.may_plan(),
        model_words: match Model::for_rules(&contact_type.rules) {
            Model::ErlangA => "Erlang A",
            Model::ErlangC => "Erlang C",
        },
        within: words::plain(contact_type.rules.within_secs),
        targets_address: format!("/staffing/{id}/targets"),
        cover_address: format!("/staffing/{id}/cover"),
        export_day: format!("/staffing/{id}/need.csv?day={day}&days=1"),
        export_week: format!("/staffing/{id}/need.csv?day={}&days=7", visit.monday()),
        earlier_day: step(-1),
        later_day: step(1),
        saved: false,
    })
}

async fn no_forecast(
    app: &App,
    contact_type: &ContactType,
    visit: &Visit,
) -> Result<String, PageError> {
    let day = words::long_day(visit.day);
    Ok(match app.store.forecast(contact_type.id).await? {
        None => format!(
            "{} has no history yet, so there is nothing to staff. Import its history.",
            contact_type.name
        ),
        Some(head) => match head.failure {
            Some(failure) => format!("There is no forecast for {}: {failure}.", contact_type.name),
            None => format!(
                "Nothing is forecast for {day}: it is closed, or outside the forecast, which begins on {} and reaches 28 days.",
                words::full_date(head.first_day)
            ),
        },
    })
}

fn day_tabs(visit: &Visit, id: Uuid) -> Vec<DayTab> {
    (0..7)
        .map(|ahead| visit.monday().saturating_add(Span::new().days(ahead)))
        .map(|day| DayTab {
            name: words::short_day(day),
            address: Stage::Staffing.address(day, Some(id)),
            is_current: day == visit.day,
        })
        .collect()
}

fn busiest(plan: &[PlannedInterval]) -> Option<&PlannedInterval> {
    plan.iter().max_by_key(|interval| interval.assessment.need)
}

fn answer(
    contact_type: &ContactType,
    plan: &[PlannedInterval],
    day: Date,
    zone: &TimeZone,
) -> String {
    let Some(peak) = busiest(plan) else {
        return format!("{} has nothing forecast for {}.", contact_type.name, words::long_day(day));
    };
    let hours = |people: u32| f64::from(people) * contact_type.grain.secs() / 3600.0;
    let need_hours: f64 = plan.iter().map(|interval| hours(interval.assessment.need)).sum();
    let lead = format!(
        "{} on {} needs {} people at its peak, {}, and {} agent-hours on the phones in all.",
        contact_type.name,
        words::long_day(day),
        peak.assessment.need,
        words::clock(peak.start, zone),
        words::thousands(need_hours)
    );
    let short: Vec<_> = plan
        .iter()
        .filter(|interval| {
            matches!(interval.assessment.verdict, Some(Verdict::Breaks | Verdict::Marginal))
        })
        .collect();
    let planned = plan.iter().filter(|interval| interval.assessment.cover.is_some()).count();
    let rest = match (planned, short.first()) {
        (0, _) => " No cover is planned.".to_owned(),
        (_, None) => " The cover holds all day.".to_owned(),
        (_, Some(first)) => {
            let most = short.iter().map(|interval| {
                interval.assessment.need.saturating_sub(interval.assessment.cover.unwrap_or(0))
            });
            format!(
                " The cover is short in {} {}, first at {}, by up to {}.",
                words::count_word(short.len()),
                if short.len() == 1 { "interval" } else { "intervals" },
                words::clock(first.start, zone),
                most.max().unwrap_or(0)
            )
        }
    };
    lead + &rest
}

fn need_chart(contact_type: &ContactType, plan: &[PlannedInterval], zone: &TimeZone) -> NeedChart {
    let erlangs =
        |load: &IntervalLoad| load.contacts * load.handle_secs / contact_type.grain.secs();
    NeedChart {
        labels: plan.iter().map(|interval| words::clock(interval.start, zone)).collect(),
        need: plan.iter().map(|interval| interval.assessment.need).collect(),
        cover: plan.iter().map(|interval| interval.assessment.cover).collect(),
        load: plan.iter().map(|interval| charts::tenth(erlangs(&interval.load))).collect(),
    }
}

fn row(contact_type: &ContactType, interval: &PlannedInterval, zone: &TimeZone) -> Row {
    let rules = &contact_type.rules;
    let assessment = &interval.assessment;
    let IntervalLoad { contacts, handle_secs } = interval.load;
    let share = |of: fn(&barometer_queueing::Outcome) -> f64| {
        assessment
            .with_cover
            .map_or_else(|| words::NONE.to_owned(), |outcome| words::percent(of(&outcome)))
    };
    let other = other_model(rules)
        .and_then(|model| need(interval.load, contact_type.grain.secs(), rules, model).ok());
    Row {
        time: words::clock(interval.start, zone),
        contacts: format!("{contacts:.1}"),
        handle: format!("{handle_secs:.0}"),
        erlangs: format!("{:.2}", contacts * handle_secs / contact_type.grain.secs()),
        need: assessment.need,
        other_need: other.map_or_else(|| words::NONE.to_owned(), |need| need.agents.to_string()),
        rostered: rules.rostered(assessment.need),
        cover: assessment.cover.map_or_else(|| words::NONE.to_owned(), |agents| agents.to_string()),
        pressure: match assessment.pressure {
            Some(pressure) if pressure.is_finite() => format!("{pressure:.2}"),
            Some(_) => "∞".to_owned(),
            None => words::NONE.to_owned(),
        },
        level: share(|outcome| outcome.service_level),
        abandonment: share(|outcome| outcome.abandonment),
        occupancy: share(|outcome| outcome.occupancy),
        verdict: assessment.verdict,
        why: format!("/staffing/{}/why?at={}", contact_type.id, interval.start.as_second()),
    }
}

/// The model to show beside the one in use, where there is one.
fn other_model(rules: &Rules) -> Option<Model> {
    rules.patience_secs.map(|_| Model::ErlangC)
}

#[derive(Deserialize)]
pub(crate) struct WhyQuery {
    at: i64,
}

/// `GET /staffing/{contact_type}/why`: one interval's need with its reason.
pub(crate) async fn why(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
    Query(query): Query<WhyQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = &visit.centre.zone;
    let at = Timestamp::from_second(query.at).map_err(|_| PageError::NotFound)?;
    let plan =
        planning::plan(&app.store, &contact_type, zone.to_datetime(at).date(), 1, zone).await?;
    let interval = plan.iter().find(|interval| interval.start == at).ok_or(PageError::NotFound)?;
    page(&WhyPanel::of(&contact_type, interval, zone)?)
}

impl WhyPanel {
    fn of(
        contact_type: &ContactType,
        interval: &PlannedInterval,
        zone: &TimeZone,
    ) -> Result<Self, PageError> {
        let rules = &contact_type.rules;
        let model = Model::for_rules(rules);
        let reason = explain(interval.load, contact_type.grain.secs(), rules, model)
            .map_err(|error| PageError::Internal(Box::new(error)))?;
        Ok(Self {
            title: format!("Why {} at {}?", reason.need, words::clock(interval.start, zone)),
            inputs: inputs(contact_type, interval, &reason),
            sentence: sentence(&reason, rules),
            candidates: reason
                .candidates
                .iter()
                .map(|candidate| CandidateColumn {
                    agents: candidate.agents,
                    is_need: candidate.agents == reason.need,
                    holds: candidate.holds(),
                })
                .collect(),
            measures: measures(&reason, rules),
            other: other_words(contact_type, interval, &reason),
            source: match model {
                Model::ErlangA => "Erlang A (M/M/n+M): Palm 1946; Mandelbaum and Zeltyn 2007",
                Model::ErlangC => "Erlang C (M/M/n): Erlang 1917; Cooper 1981, ch. 3",
            },
        })
    }
}

fn inputs(contact_type: &ContactType, interval: &PlannedInterval, reason: &Explanation) -> String {
    let rules = &contact_type.rules;
    let IntervalLoad { contacts, handle_secs } = interval.load;
    let patience = rules.patience_secs.map_or_else(
        || "callers wait for ever".to_owned(),
        |secs| format!("patience {} s on average", words::plain(secs)),
    );
    let concurrency = if rules.concurrency > 1 {
        format!("; {} at once per agent", rules.concurrency)
    } else {
        String::new()
    };
    format!(
        "{contacts:.1} contacts × {handle_secs:.0} s ÷ {:.0} s = {:.2} Erlangs; {patience}{concurrency}.",
        contact_type.grain.secs(),
        reason.offered_erlangs
    )
}

fn sentence(reason: &Explanation, rules: &Rules) -> String {
    let need = reason.need;
    if need == 0 {
        return "Nobody is needed: no contacts are expected.".to_owned();
    }
    let fewer = reason.candidates.iter().find(|candidate| candidate.agents + 1 == need);
    match fewer {
        None => "One person is the least that answers at all.".to_owned(),
        Some(Candidate { agents, outcome: None, .. }) => {
            format!("With {agents} the line would grow without limit.")
        }
        Some(Candidate { agents, checks, .. }) => {
            let missed: Vec<String> = checks
                .iter()
                .filter(|check| !check.is_met())
                .map(|check| words::missed(check, rules))
                .collect();
            format!("With {agents}, {}.", words::listing(&missed))
        }
    }
}

fn measures(reason: &Explanation, rules: &Rules) -> Vec<MeasureRow> {
    type Figure = fn(&barometer_queueing::Outcome) -> String;
    let row = |name: String, target: String, figure: Figure| MeasureRow {
        name,
        target,
        figures: reason
            .candidates
            .iter()
            .map(|candidate| {
                candidate.outcome.as_ref().map_or_else(|| "no limit".to_owned(), figure)
            })
            .collect(),
    };
    let ceiling = |ceiling: Option<f64>| {
        ceiling.map_or_else(String::new, |most| format!("≤ {}", words::short_percent(most)))
    };
    vec![
        row(
            format!("Service level, {} s", words::plain(rules.within_secs)),
            format!("≥ {}", words::short_percent(rules.service_level)),
            |outcome| words::percent(outcome.service_level),
        ),
        row("Abandonment".to_owned(), ceiling(rules.abandonment), |outcome| {
            words::percent(outcome.abandonment)
        }),
        row("Occupancy".to_owned(), ceiling(rules.occupancy), |outcome| {
            words::percent(outcome.occupancy)
        }),
        row("Speed of answer".to_owned(), String::new(), |outcome| {
            words::secs(outcome.answer_secs)
        }),
        row("Has to wait".to_owned(), String::new(), |outcome| {
            words::percent(outcome.wait_probability)
        }),
    ]
}

fn other_words(
    contact_type: &ContactType,
    interval: &PlannedInterval,
    reason: &Explanation,
) -> String {
    let rules = &contact_type.rules;
    let rostered = format!(
        "With {} shrinkage that is {} on the roster.",
        words::short_percent(rules.shrinkage),
        rules.rostered(reason.need)
    );
    let other = other_model(rules)
        .and_then(|model| need(interval.load, contact_type.grain.secs(), rules, model).ok());
    match other {
        Some(other) => format!(
            "{rostered} Erlang C, in which nobody loses patience, would say {}.",
            other.agents
        ),
        None => rostered,
    }
}

/// `POST /staffing/{contact_type}/targets`
pub(crate) async fn save_targets(
    State(app): State<App>,
    Planner(mut visit): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<TargetsForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    visit.day = typed.day.parse().unwrap_or(visit.day);
    match typed.rules() {
        Ok(rules) => {
            app.store.save_rules(id, &rules).await?;
            let target = Stage::Staffing.address(visit.day, Some(id));
            Ok(Redirect::to(&format!("{target}&saved=targets")).into_response())
        }
        Err(wrong) => {
            let form = TargetsForm { wrong, ..typed };
            refused(&show_page(&app, &visit, &contact_type, None, form).await?)
        }
    }
}

impl TargetsForm {
    fn of(rules: &Rules) -> Self {
        let share = |share: f64| words::plain(share * 100.0);
        let optional = |value: Option<String>| value.unwrap_or_default();
        Self {
            service_level: share(rules.service_level),
            within_secs: words::plain(rules.within_secs),
            abandonment: optional(rules.abandonment.map(share)),
            occupancy: optional(rules.occupancy.map(share)),
            patience_secs: optional(rules.patience_secs.map(words::plain)),
            concurrency: rules.concurrency.to_string(),
            shrinkage: share(rules.shrinkage),
            ..Self::default()
        }
    }

    /// What is wrong with a field, for the template.
    fn wrong(&self, field: &str) -> Option<&str> {
        self.wrong.get(field).map(String::as_str)
    }

    fn rules(&self) -> Result<Rules, HashMap<&'static str, String>> {
        let mut wrong = HashMap::new();
        let mut number = |field: &'static str, typed: &str| {
            let text = typed.trim().trim_end_matches('%').trim().replace(',', ".");
            match text.parse::<f64>() {
                Ok(number) if number.is_finite() => Some(number),
                _ if text.is_empty() => None,
                _ => {
                    wrong.insert(field, format!("“{}” is not a number", typed.trim()));
                    None
                }
            }
        };
        let service_level = number("service_level", &self.service_level);
        let within_secs = number("within_secs", &self.within_secs);
        let abandonment = number("abandonment", &self.abandonment);
        let occupancy = number("occupancy", &self.occupancy);
        let patience_secs = number("patience_secs", &self.patience_secs);
        let concurrency = number("concurrency", &self.concurrency);
        let shrinkage = number("shrinkage", &self.shrinkage);
        let rules = Rules {
            service_level: service_level.unwrap_or(0.0) / 100.0,
            within_secs: within_secs.unwrap_or(-1.0),
            abandonment: abandonment.map(|share| share / 100.0),
            occupancy: occupancy.map(|share| share / 100.0),
            patience_secs,
            concurrency: concurrency
                .filter(|count| count.fract() == 0.0)
                .map_or(0, |count| count.clamp(0.0, 1e6) as u32),
            shrinkage: shrinkage.unwrap_or(-1.0) / 100.0,
        };
        match rules.check() {
            Ok(rules) if wrong.is_empty() => Ok(rules),
            Ok(_) => Err(wrong),
            Err(errors) => {
                for error in errors {
                    wrong.entry(error.field).or_insert_with(|| words::capitalised(error.message));
                }
                Err(wrong)
            }
        }
    }
}

/// `POST /staffing/{contact_type}/cover`: plans people for a stretch of the day, or the need itself.
pub(crate) async fn save_cover(
    State(app): State<App>,
    Planner(mut visit): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<CoverForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    visit.day = typed.day.parse().unwrap_or(visit.day);
    let zone = &visit.centre.zone;
    let (first, days) = if typed.how == "need-week" { (visit.monday(), 7) } else { (visit.day, 1) };
    let plan = planning::plan(&app.store, &contact_type, first, days, zone).await?;
    let planned = if typed.how == "people" {
        people_between(&typed, &plan, zone)
    } else {
        Ok(need_as_cover(&plan))
    };
    match planned {
        Ok(cover) => {
            app.store.save_cover(id, &cover).await?;
            let target = Stage::Staffing.address(visit.day, Some(id));
            Ok(Redirect::to(&format!("{target}&saved=cover")).into_response())
        }
        Err(wrong) => {
            let targets = TargetsForm::of(&contact_type.rules);
            let mut template = show_page(&app, &visit, &contact_type, None, targets).await?;
            template.cover = CoverForm { wrong: Some(wrong), ..typed };
            refused(&template)
        }
    }
}

fn need_as_cover(plan: &[PlannedInterval]) -> Vec<CoverInterval> {
    plan.iter()
        .map(|interval| CoverInterval { start: interval.start, agents: interval.assessment.need })
        .collect()
}

fn people_between(
    typed: &CoverForm,
    plan: &[PlannedInterval],
    zone: &TimeZone,
) -> Result<Vec<CoverInterval>, String> {
    let time = |text: &str, name: &str| {
        text.trim().parse::<Time>().map_err(|_| format!("{name} must be a time such as 09:30."))
    };
    let from = time(&typed.from, "From")?;
    let to = time(&typed.to, "To")?;
    let agents = typed.people.trim().parse::<u32>().ok().filter(|people| *people <= MOST_PEOPLE);
    let agents =
        agents.ok_or_else(|| format!("People must be a whole number from 0 to {MOST_PEOPLE}."))?;
    if to <= from {
        return Err("To must be later than from.".to_owned());
    }
    let cover: Vec<_> = plan
        .iter()
        .filter(|interval| (from..to).contains(&zone.to_datetime(interval.start).time()))
        .map(|interval| CoverInterval { start: interval.start, agents })
        .collect();
    if cover.is_empty() {
        return Err("Nothing is open between these times on this day.".to_owned());
    }
    Ok(cover)
}

#[derive(Deserialize)]
pub(crate) struct ExportQuery {
    days: Option<i64>,
}

/// `GET /staffing/{contact_type}/need.csv`: need and cover of a day or a week.
pub(crate) async fn export(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
    Query(query): Query<ExportQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = &visit.centre.zone;
    let days = query.days.unwrap_or(1).clamp(1, 28);
    let plan = planning::plan(&app.store, &contact_type, visit.day, days, zone).await?;
    let rules = &contact_type.rules;
    let rows = plan.iter().map(|interval| {
        let assessment = &interval.assessment;
        let with_cover = |of: fn(&barometer_queueing::Outcome) -> f64| {
            assessment.with_cover.map_or_else(String::new, |outcome| format!("{:.6}", of(&outcome)))
        };
        vec![
            contact_type.name.clone(),
            interval.start.to_zoned(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string(),
            format!("{:.4}", interval.load.contacts),
            format!("{:.2}", interval.load.handle_secs),
            assessment.need.to_string(),
            rules.rostered(assessment.need).to_string(),
            assessment.cover.map_or_else(String::new, |agents| agents.to_string()),
            with_cover(|outcome| outcome.service_level),
            with_cover(|outcome| outcome.abandonment),
            with_cover(|outcome| outcome.occupancy),
            assessment.verdict.map_or_else(String::new, |verdict| verdict.word().to_owned()),
        ]
    });
    let rows = rows.collect();
    let heading = [
        "contact_type",
        "interval_start",
        "contacts",
        "handle_secs",
        "need_agents",
        "rostered_agents",
        "cover_agents",
        "service_level_share",
        "abandonment_share",
        "occupancy_share",
        "verdict",
    ];
    exports::csv(&format!("need-{}-{}.csv", contact_type.name, visit.day), &heading, rows).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn targets_survive_their_way_through_the_form() {
        let rules = Rules { abandonment: None, shrinkage: 0.285, ..Rules::STARTING };
        let back = TargetsForm::of(&rules).rules().unwrap();
        assert_eq!(TargetsForm::of(&back).shrinkage, "28.5");
        assert!((back.service_level - 0.8).abs() < 1e-12 && back.abandonment.is_none());
    }

    #[test]
    fn every_wrong_target_is_named_at_its_field() {
        let typed = TargetsForm {
            service_level: "180".into(),
            within_secs: "soon".into(),
            concurrency: "1.5".into(),
            shrinkage: "30 %".into(),
            ..TargetsForm::default()
        };
        let wrong = typed.rules().unwrap_err();
        assert_eq!(wrong["within_secs"], "“soon” is not a number");
        assert_eq!(wrong["service_level"], "Must be above 0 and at most 99.9 %");
        assert!(wrong.contains_key("concurrency") && !wrong.contains_key("shrinkage"));
    }
}
