//! Staffing: how many people that takes, against the people planned.

mod cover;
mod targets;
mod why;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{IntervalLoad, Model, PlannedInterval, Rules, Verdict, need};
use barometer_store::ContactType;
use jiff::Span;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::App;
use crate::access::Visit;
use crate::charts;
use crate::exports;
use crate::extract::{Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{Choice, choices};
use crate::pages::{page, to_first};
use crate::planning;
use crate::strip::{Cell, Hours, cells};
use crate::words;

use cover::CoverForm;
pub(crate) use cover::save_cover;
use targets::TargetsForm;
pub(crate) use targets::save_targets;
use why::WhyPanel;
pub(crate) use why::why;

#[derive(Template)]
#[template(path = "staffing/show.html")]
struct ShowPage {
    frame: Frame,
    others: Vec<Choice>,
    days: Vec<DayTab>,
    answer: String,
    no_forecast: Option<String>,
    chart: String,
    strip: Vec<Cell>,
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

#[derive(Serialize)]
struct NeedChart {
    labels: Vec<String>,
    need: Vec<u32>,
    cover: Vec<Option<u32>>,
    load: Vec<f64>,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    at: Option<i64>,
    saved: Option<String>,
}

/// `GET /staffing`: the first contact type's page.
pub(crate) async fn first(State(app): State<App>, visit: Visit) -> Result<Response, PageError> {
    to_first(&app, &visit, Stage::Staffing).await
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
        others: choices(&types, id, |other| Stage::Staffing.address(day, Some(other))),
        days: day_tabs(visit, id),
        answer: answer(contact_type, &plan, day, zone),
        no_forecast,
        chart: charts::embedded(&need_chart(contact_type, &plan, zone))?,
        strip: cells(
            contact_type,
            &plan,
            Hours::of(plan.iter(), zone),
            explained.map(|interval| interval.start),
            zone,
            |at| why_address(id, at),
        ),
        rows: plan.iter().map(|interval| row(contact_type, interval, zone)).collect(),
        why,
        targets: TargetsForm { day: day.to_string(), ..targets },
        cover: CoverForm { day: day.to_string(), ..CoverForm::default() },
        may_plan: visit.may_plan(),
        model_words: words::model_name(Model::for_rules(&contact_type.rules)),
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
                "Nothing is forecast for {day}: it is closed, or outside the forecast, which reaches from {} to {}.",
                words::full_date(head.first_day),
                words::full_date(planning::last_forecast_day(head.first_day))
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
            let most = short.iter().map(|interval| interval.assessment.shortfall());
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
        pressure: assessment.pressure.map_or_else(|| words::NONE.to_owned(), words::pressure),
        level: share(|outcome| outcome.service_level),
        abandonment: share(|outcome| outcome.abandonment),
        occupancy: share(|outcome| outcome.occupancy),
        verdict: assessment.verdict,
        why: why_address(contact_type.id, interval.start.as_second()),
    }
}

fn why_address(contact_type: Uuid, at: i64) -> String {
    format!("/staffing/{contact_type}/why?at={at}")
}

/// The model to show beside the one in use, where there is one.
fn other_model(rules: &Rules) -> Option<Model> {
    rules.patience_secs.map(|_| Model::ErlangC)
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
