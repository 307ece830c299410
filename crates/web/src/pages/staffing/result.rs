//! What the targets come to: the answer, the chart, the strip, the table, and what differs.

use askama::Template;
use barometer_app::staffing::{Period, Source, Span};
use barometer_plan::{IntervalLoad, Model, PlannedInterval, Rules, ScheduleHours, Verdict, need};
use barometer_queueing::Outcome;
use barometer_store::ContactType;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Serialize;

use super::Asked;
use super::period::period_words;
use super::targets::differences;
use super::why::{WhyPanel, model_to_compare};
use crate::access::RequestContext;
use crate::charts;
use crate::page_error::PageError;
use crate::strip::{Cell, Hours, cells};
use crate::words;

/// Everything on the need page that depends on the targets.
#[derive(Template)]
#[template(path = "staffing/result.html")]
pub(super) struct NeedResult {
    answer: String,
    differs: Vec<String>,
    effect: String,
    chart: String,
    strips: Vec<DayStrip>,
    rows: Vec<Row>,
    totals: Vec<Total>,
    why: Option<WhyPanel>,
    /// Where the need of the day as a whole is asked for.
    day_need: Option<String>,
    level_words: String,
    model_words: &'static str,
    other_words: &'static str,
    is_deferred: bool,
    is_empty: bool,
    shrinkage: String,
}

struct DayStrip {
    name: String,
    cells: Vec<Cell>,
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
    backlog: String,
    verdict: Option<Verdict>,
    why: String,
}

/// A day of a longer period in one line.
struct Total {
    day: String,
    contacts: String,
    need_hours: String,
    rostered_hours: String,
    cover_hours: String,
    short: usize,
    verdict: Option<Verdict>,
}

#[derive(Serialize)]
struct NeedChart {
    labels: Vec<String>,
    need: Vec<u32>,
    cover: Vec<Option<u32>>,
    load: Vec<f64>,
}

impl NeedResult {
    pub fn of(
        contact_type: &ContactType,
        rules: &Rules,
        source: &Source,
        plan: &[PlannedInterval],
        asked: &Asked,
        context: &RequestContext,
        at: Option<i64>,
    ) -> Result<Self, PageError> {
        let zone = &context.centre.zone;
        let period = asked.period(context);
        let secs = source.interval_secs();
        let shown = ContactType { rules: *rules, ..contact_type.clone() };
        let explained = at
            .and_then(|at| plan.iter().find(|interval| interval.start.as_second() == at))
            .or_else(|| busiest(plan));
        let model = Model::for_rules(rules);
        let why = explained
            .filter(|_| model != Model::Deadline)
            .map(|interval| WhyPanel::of(&shown, rules, interval, zone, secs))
            .transpose()?;
        let differs = differences(&contact_type.rules, rules);
        let other = model_to_compare(rules);
        let is_one_planned_day = period.kind == Span::Day
            && asked.pooled().is_none()
            && differs.is_empty()
            && !plan.is_empty()
            && period.first >= context.today;
        let address = |at: i64| why_address(contact_type, at);
        Ok(Self {
            answer: answer(&shown, plan, period, zone, secs),
            effect: if differs.is_empty() {
                String::new()
            } else {
                effect(source, &contact_type.rules, plan, rules, secs)
            },
            differs,
            chart: charts::embedded(&chart(plan, period, zone, secs))?,
            strips: strips(&shown, plan, explained.map(|interval| interval.start), zone, &address),
            rows: rows(plan, rules, other, period, zone, secs, &address),
            totals: if period.is_one_day() { Vec::new() } else { totals(plan, rules, zone, secs) },
            why,
            day_need: is_one_planned_day
                .then(|| format!("/staffing/{}/day-need?day={}", contact_type.id, period.first)),
            level_words: level_words(rules),
            model_words: words::model_name(model),
            other_words: other.map_or("", words::model_name),
            is_deferred: model == Model::Deadline,
            is_empty: plan.is_empty(),
            shrinkage: shrinkage_words(rules),
        })
    }
}

/// "1 − 0.88 × 0.95 × 0.97 × 0.86 = 30.2 %".
fn shrinkage_words(rules: &Rules) -> String {
    let factors: Vec<String> = rules
        .shrinkage
        .causes()
        .iter()
        .filter(|(_, share)| *share > 0.0)
        .map(|(_, share)| words::plain(((1.0 - share) * 1000.0).round() / 1000.0))
        .collect();
    if factors.is_empty() {
        return "no shrinkage".to_owned();
    }
    format!("1 − {} = {}", factors.join(" × "), words::percent(rules.shrinkage.total()))
}

fn level_words(rules: &Rules) -> String {
    let of = match rules.level_of {
        barometer_queueing::LevelOf::Offered => "",
        barometer_queueing::LevelOf::OfferedLessShort { .. } => ", less short",
        barometer_queueing::LevelOf::Answered => ", of answered",
    };
    format!("{} s{of}", words::plain(rules.within_secs))
}

/// Day, span, pool and targets go along with the form beside it.
fn why_address(contact_type: &ContactType, at: i64) -> String {
    format!("/staffing/{}/why?at={at}", contact_type.id)
}

fn busiest(plan: &[PlannedInterval]) -> Option<&PlannedInterval> {
    plan.iter().max_by_key(|interval| interval.assessment.need)
}

fn is_short(interval: &&PlannedInterval) -> bool {
    matches!(interval.assessment.verdict, Some(Verdict::Breaks | Verdict::Marginal))
}

fn answer(
    contact_type: &ContactType,
    plan: &[PlannedInterval],
    period: Period,
    zone: &TimeZone,
    secs: f64,
) -> String {
    let when = period_words(period);
    let Some(peak) = busiest(plan) else {
        return format!("{} has nothing forecast {when}.", contact_type.name);
    };
    let at = |start: Timestamp| {
        if period.is_one_day() { words::clock(start, zone) } else { words::day_clock(start, zone) }
    };
    let need_hours = ScheduleHours::of(plan, secs).need;
    let mut lead = format!(
        "{} {when} needs {} people at its peak, {}, and {} agent-hours on the phones in all.",
        contact_type.name,
        peak.assessment.need,
        at(peak.start),
        words::thousands(need_hours)
    );
    if let Some(cost) = contact_type.rules.cost_per_hour {
        let paid = need_hours / contact_type.rules.shrinkage.present();
        lead += &format!(" With shrinkage that costs {}.", words::thousands(paid * cost));
    }
    let short: Vec<_> = plan.iter().filter(is_short).collect();
    let planned = plan.iter().filter(|interval| interval.assessment.cover.is_some()).count();
    let rest = match (planned, short.first()) {
        (0, _) => " No cover is planned.".to_owned(),
        (_, None) if period.is_one_day() => " The cover holds all day.".to_owned(),
        (_, None) => " The cover holds throughout.".to_owned(),
        (_, Some(first)) => {
            let most =
                short.iter().map(|interval| interval.assessment.shortfall()).max().unwrap_or(0);
            let by = if most > 0 { format!(", by up to {most}") } else { String::new() };
            format!(
                " The cover is short in {} {}, first at {}{by}.",
                words::count_word(short.len()),
                if short.len() == 1 { "interval" } else { "intervals" },
                at(first.start),
            )
        }
    };
    lead + &rest
}

/// What the changed targets do to the need.
fn effect(
    source: &Source,
    saved: &Rules,
    plan: &[PlannedInterval],
    rules: &Rules,
    secs: f64,
) -> String {
    let now = ScheduleHours::of(plan, secs).need;
    let Ok(before) = source.schedule(saved) else { return String::new() };
    let then = ScheduleHours::of(&before, secs).need;
    let change = now - then;
    let mut said = format!(
        "{} → {} agent-hours on the phones ({}{}",
        words::thousands(then),
        words::thousands(now),
        if change < 0.0 { "−" } else { "+" },
        words::thousands(change.abs()),
    );
    if then > 0.0 {
        said += &format!(", {}", words::change(change / then));
    }
    said += ")";
    let (roster_now, roster_then) =
        (now / rules.shrinkage.present(), then / saved.shrinkage.present());
    if let Some(cost) = rules.cost_per_hour {
        let money = (roster_now - roster_then) * cost;
        let sign = if money < 0.0 { "−" } else { "+" };
        said += &format!(", {sign}{} in cost", words::thousands(money.abs()));
    }
    said + "."
}

fn chart(plan: &[PlannedInterval], period: Period, zone: &TimeZone, secs: f64) -> NeedChart {
    let label = |start: Timestamp| match period.kind {
        Span::Week | Span::Days => words::day_clock(start, zone),
        Span::Day | Span::Typical => words::clock(start, zone),
    };
    let erlangs = |load: &IntervalLoad| load.contacts * load.handle_secs / secs;
    NeedChart {
        labels: plan.iter().map(|interval| label(interval.start)).collect(),
        need: plan.iter().map(|interval| interval.assessment.need).collect(),
        cover: plan.iter().map(|interval| interval.assessment.cover).collect(),
        load: plan.iter().map(|interval| charts::tenth(erlangs(&interval.load))).collect(),
    }
}

fn by_day<'a>(
    plan: &'a [PlannedInterval],
    zone: &'a TimeZone,
) -> impl Iterator<Item = &'a [PlannedInterval]> {
    plan.chunk_by(|a, b| zone.to_datetime(a.start).date() == zone.to_datetime(b.start).date())
}

fn strips(
    contact_type: &ContactType,
    plan: &[PlannedInterval],
    chosen: Option<Timestamp>,
    zone: &TimeZone,
    address: &impl Fn(i64) -> String,
) -> Vec<DayStrip> {
    let hours = Hours::of(plan.iter(), zone);
    by_day(plan, zone)
        .map(|day| DayStrip {
            name: words::short_day(zone.to_datetime(day[0].start).date()),
            cells: cells(contact_type, day, hours, chosen, zone, address),
        })
        .collect()
}

fn totals(plan: &[PlannedInterval], rules: &Rules, zone: &TimeZone, secs: f64) -> Vec<Total> {
    by_day(plan, zone)
        .map(|day| {
            let ScheduleHours { need, cover, .. } = ScheduleHours::of(day, secs);
            let is_covered = day.iter().any(|interval| interval.assessment.cover.is_some());
            Total {
                day: words::short_day(zone.to_datetime(day[0].start).date()),
                contacts: words::thousands(day.iter().map(|each| each.load.contacts).sum()),
                need_hours: words::thousands(need),
                rostered_hours: words::thousands(need / rules.shrinkage.present()),
                cover_hours: if is_covered {
                    words::thousands(cover)
                } else {
                    words::NONE.to_owned()
                },
                short: day.iter().filter(is_short).count(),
                verdict: barometer_plan::worst(day),
            }
        })
        .collect()
}

fn rows(
    plan: &[PlannedInterval],
    rules: &Rules,
    other: Option<Model>,
    period: Period,
    zone: &TimeZone,
    secs: f64,
    address: &impl Fn(i64) -> String,
) -> Vec<Row> {
    let row = |interval: &PlannedInterval| {
        let assessment = &interval.assessment;
        let IntervalLoad { contacts, handle_secs } = interval.load;
        let share = |of: fn(&Outcome) -> f64| {
            let outcome = assessment.with_cover.as_ref();
            outcome.map_or_else(|| words::NONE.to_owned(), |outcome| words::percent(of(outcome)))
        };
        let dash = || words::NONE.to_owned();
        let other = other.and_then(|model| need(interval.load, secs, rules, model).ok());
        Row {
            time: if period.is_one_day() {
                words::clock(interval.start, zone)
            } else {
                words::day_clock(interval.start, zone)
            },
            contacts: format!("{contacts:.1}"),
            handle: format!("{handle_secs:.0}"),
            erlangs: format!("{:.2}", contacts * handle_secs / secs),
            need: assessment.need,
            other_need: other.map_or_else(dash, |need| need.agents.to_string()),
            rostered: rules.rostered(assessment.need),
            cover: assessment.cover.map_or_else(dash, |agents| agents.to_string()),
            pressure: assessment.pressure.map_or_else(dash, words::pressure),
            level: share(|outcome| outcome.service_level),
            abandonment: share(|outcome| outcome.abandonment),
            occupancy: share(|outcome| outcome.occupancy),
            backlog: assessment.backlog_hours.map_or_else(dash, |hours| format!("{hours:.1}")),
            verdict: assessment.verdict,
            why: address(interval.start.as_second()),
        }
    };
    plan.iter().map(row).collect()
}
