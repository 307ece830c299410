//! The home page: will the week hold? The pressure strip, what breaks, and the way to each stage.

use askama::Template;
use axum::extract::{Query, State};
use axum::response::Response;
use barometer_plan::{Rules, Verdict};
use barometer_queueing::Outcome;
use barometer_store::{ContactType, TrialState};
use futures_util::future::try_join_all;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::Visit;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::trials::{TrialLine, trial_lines};
use crate::planning::{self, PlannedInterval, worst};
use crate::pressure_scale;
use crate::words;

#[derive(Template)]
#[template(path = "outlook.html")]
struct OutlookPage {
    frame: Frame,
    question: String,
    answer: Answer,
    days: Vec<DayHead>,
    rows: Vec<StripRow>,
    hours: String,
    reading: Option<Reading>,
    facts: Vec<Fact>,
    trials: Vec<TrialLine>,
}

struct Answer {
    lead: String,
    strong: String,
    tail: String,
}

struct DayHead {
    name: String,
    address: String,
}

struct StripRow {
    name: String,
    verdict: Option<Verdict>,
    volume: String,
    address: String,
    /// Seven days, or a message where there is no forecast.
    days: Vec<Vec<Cell>>,
    missing: Option<Missing>,
}

struct Missing {
    words: String,
    address: String,
}

struct Cell {
    x: f64,
    width: f64,
    colour: String,
    at: i64,
    title: String,
    reading: String,
    is_chosen: bool,
}

struct Fact {
    when: String,
    what: String,
    address: String,
}

#[derive(Template)]
#[template(path = "reading.html")]
struct Reading {
    title: String,
    has_cover: bool,
    rows: Vec<ReadingRow>,
    need: u32,
    note: Option<String>,
    verdict: Option<Verdict>,
    try_address: String,
    why_address: String,
    may_plan: bool,
}

struct ReadingRow {
    name: String,
    with_cover: String,
    target: String,
    with_need: String,
}

struct TypeWeek {
    contact_type: ContactType,
    plan: Vec<PlannedInterval>,
    first_forecast_day: Option<Date>,
}

/// `GET /`: the week's outlook.
pub(crate) async fn show(State(app): State<App>, visit: Visit) -> Result<Response, PageError> {
    let zone = visit.centre.zone.clone();
    let monday = visit.monday();
    let types = app.store.contact_types(visit.centre.id).await?;
    let weeks = try_join_all(types.into_iter().map(|contact_type| {
        let (store, zone) = (&app.store, &zone);
        async move {
            let plan = planning::plan(store, &contact_type, monday, 7, zone).await?;
            let head = store.forecast(contact_type.id).await?;
            let first_forecast_day =
                head.filter(|head| head.failure.is_none()).map(|head| head.first_day);
            Ok::<_, PageError>(TypeWeek { contact_type, plan, first_forecast_day })
        }
    }))
    .await?;
    let trials = app.store.latest_trials(None, 4).await?;
    let week = Week { monday, zone: &zone, types: &weeks };
    let chosen = week.most_pressed();
    let open = week.open_hours();
    let template = OutlookPage {
        frame: Frame::of(&visit, Stage::Outlook, None),
        question: question(monday, visit.today),
        answer: week.answer(),
        days: (0..7).map(|ahead| day_head(monday, ahead)).collect(),
        rows: weeks.iter().map(|each| week.row(each, open, chosen)).collect(),
        hours: format!("{:02}:00–{:02}:00", open.0, open.1),
        reading: chosen
            .map(|(each, interval)| Reading::of(&each.contact_type, interval, &zone, &visit)),
        facts: facts(&app, &weeks, monday, &zone).await?,
        trials: trial_lines(
            trials.iter().filter(|trial| trial.state != TrialState::Cancelled),
            &visit,
        ),
    };
    page(&template)
}

#[derive(Deserialize)]
pub(crate) struct ReadingQuery {
    contact_type: Uuid,
    at: i64,
}

/// `GET /reading`: one cell of the strip in figures.
pub(crate) async fn reading(
    State(app): State<App>,
    visit: Visit,
    Query(query): Query<ReadingQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(query.contact_type).await?;
    let at = Timestamp::from_second(query.at).map_err(|_| PageError::NotFound)?;
    let zone = &visit.centre.zone;
    let day = zone.to_datetime(at).date();
    let plan = planning::plan(&app.store, &contact_type, day, 1, zone).await?;
    let interval = plan.iter().find(|interval| interval.start == at).ok_or(PageError::NotFound)?;
    page(&Reading::of(&contact_type, interval, zone, &visit))
}

fn question(monday: Date, today: Date) -> String {
    let this_monday =
        today.saturating_sub(Span::new().days(i64::from(today.weekday().to_monday_zero_offset())));
    let week = Span::new().days(7);
    if monday == this_monday {
        "Will this week hold?".to_owned()
    } else if monday == this_monday.saturating_add(week) {
        "Will next week hold?".to_owned()
    } else {
        format!("Will the week of {} hold?", words::full_date(monday))
    }
}

fn day_head(monday: Date, ahead: i64) -> DayHead {
    let day = monday.saturating_add(Span::new().days(ahead));
    DayHead { name: words::short_day(day), address: format!("/staffing?day={day}") }
}

/// A week of all contact types.
struct Week<'a> {
    monday: Date,
    zone: &'a TimeZone,
    types: &'a [TypeWeek],
}

/// Intervals of one contact type and day that break one after the other.
struct BrokenRun<'a> {
    name: &'a str,
    day: Date,
    from: Timestamp,
    to: Timestamp,
    short: u32,
}

impl<'a> Week<'a> {
    fn local_day(&self, interval: &PlannedInterval) -> Date {
        self.zone.to_datetime(interval.start).date()
    }

    /// First and last hour in which anything is open.
    fn open_hours(&self) -> (i8, i8) {
        let hours = self
            .types
            .iter()
            .flat_map(|each| &each.plan)
            .map(|interval| self.zone.to_datetime(interval.start).hour());
        let (first, last) =
            hours.fold((24, 0), |(first, last), hour| (first.min(hour), last.max(hour + 1)));
        if first < last { (first, last) } else { (7, 21) }
    }

    /// The contact type and interval with the highest pressure.
    fn most_pressed(&self) -> Option<(&'a TypeWeek, &'a PlannedInterval)> {
        self.types
            .iter()
            .flat_map(|each| each.plan.iter().map(move |interval| (each, interval)))
            .max_by(|(_, one), (_, other)| rank(one).total_cmp(&rank(other)))
    }

    fn row(
        &self,
        each: &TypeWeek,
        open: (i8, i8),
        chosen: Option<(&TypeWeek, &PlannedInterval)>,
    ) -> StripRow {
        let ContactType { id, name, .. } = &each.contact_type;
        let contacts: f64 = each.plan.iter().map(|interval| interval.load.contacts).sum();
        let mut days: Vec<Vec<Cell>> = (0..7).map(|_| Vec::new()).collect();
        for interval in &each.plan {
            let ahead = self.local_day(interval).duration_since(self.monday).as_hours() / 24;
            let is_chosen = chosen.is_some_and(|(owner, cell)| {
                owner.contact_type.id == *id && cell.start == interval.start
            });
            if let Some(day) = usize::try_from(ahead).ok().and_then(|ahead| days.get_mut(ahead)) {
                day.push(self.cell(each, interval, open, is_chosen));
            }
        }
        StripRow {
            name: name.clone(),
            verdict: worst(&each.plan),
            volume: format!("{}/day", words::thousands(contacts / 7.0)),
            address: Stage::Staffing.address(self.monday, Some(*id)),
            days,
            missing: each.plan.is_empty().then(|| missing(each, self.monday)),
        }
    }

    fn cell(
        &self,
        each: &TypeWeek,
        interval: &PlannedInterval,
        open: (i8, i8),
        is_chosen: bool,
    ) -> Cell {
        let local = self.zone.to_datetime(interval.start);
        let hour = f64::from(local.hour() - open.0) + f64::from(local.minute()) / 60.0;
        let hours = f64::from(open.1 - open.0);
        let at = interval.start.as_second();
        let assessment = &interval.assessment;
        let state = match (assessment.pressure, assessment.verdict) {
            (Some(pressure), Some(verdict)) => {
                format!("pressure {pressure:.2}, {}", verdict.word())
            }
            _ => "no cover planned".to_owned(),
        };
        Cell {
            x: 100.0 * hour / hours,
            width: 100.0 * each.contact_type.grain.secs() / 3600.0 / hours + 0.3,
            colour: assessment.pressure.map_or_else(|| "none".to_owned(), pressure_scale::colour),
            at,
            title: format!(
                "{}, {} {}: {state}",
                each.contact_type.name,
                words::short_day(local.date()),
                words::clock_time(local.time())
            ),
            reading: format!("/reading?contact_type={}&at={at}", each.contact_type.id),
            is_chosen,
        }
    }

    fn broken_runs(&self) -> Vec<BrokenRun<'a>> {
        let mut runs: Vec<BrokenRun<'a>> = Vec::new();
        for each in self.types {
            let grain = each.contact_type.grain.duration();
            for interval in &each.plan {
                let assessment = &interval.assessment;
                if assessment.verdict != Some(Verdict::Breaks) {
                    continue;
                }
                let short = assessment.need.saturating_sub(assessment.cover.unwrap_or(0));
                let (day, end) = (self.local_day(interval), interval.start + grain);
                let name = each.contact_type.name.as_str();
                match runs.last_mut() {
                    // A single better interval in between does not end a hole in the roster.
                    Some(run)
                        if run.name == name
                            && run.day == day
                            && interval.start <= run.to + grain =>
                    {
                        run.to = end;
                        run.short = run.short.max(short);
                    }
                    _ => runs.push(BrokenRun { name, day, from: interval.start, to: end, short }),
                }
            }
        }
        runs
    }

    fn answer(&self) -> Answer {
        let planned = self.types.iter().flat_map(|each| &each.plan);
        let covered =
            planned.clone().filter(|interval| interval.assessment.cover.is_some()).count();
        if self.types.is_empty() || planned.clone().count() == 0 {
            let lead = "There is no forecast for this week yet. Import history, or choose a week that the forecast reaches.";
            return Answer { lead: lead.to_owned(), strong: String::new(), tail: String::new() };
        }
        if covered == 0 {
            let lead = "The forecast is there, but no cover is planned for this week. Plan it under Staffing.";
            return Answer { lead: lead.to_owned(), strong: String::new(), tail: String::new() };
        }
        let runs = self.broken_runs();
        let Some(worst) = runs.iter().max_by_key(|run| run.short) else {
            let marginal = planned
                .filter(|interval| interval.assessment.verdict == Some(Verdict::Marginal))
                .count();
            let tail = match marginal {
                0 => String::new(),
                1 => " One interval is marginal: one more person would mend it.".to_owned(),
                more => format!(" {more} intervals are marginal: one more person would mend each."),
            };
            return Answer {
                lead: "Yes: every day holds.".to_owned(),
                strong: String::new(),
                tail,
            };
        };
        let mut broken_days: Vec<Date> = runs.iter().map(|run| run.day).collect();
        broken_days.sort_unstable();
        broken_days.dedup();
        let holding = 7 - broken_days.len().min(7);
        let lead = match holding {
            0 => "No day holds every target. ".to_owned(),
            1 => "One of seven days holds every target. ".to_owned(),
            more => format!(
                "{} of seven days hold every target. ",
                words::capitalised(&words::count_word(more))
            ),
        };
        let mut of_worst: Vec<&BrokenRun> =
            runs.iter().filter(|run| run.name == worst.name).collect();
        of_worst.sort_by_key(|run| std::cmp::Reverse(run.short));
        of_worst.truncate(2);
        of_worst.sort_by_key(|run| run.from);
        let times: Vec<String> = of_worst
            .iter()
            .map(|run| {
                let clock = |at| words::clock(at, self.zone);
                format!("{} {}–{}", run.day.strftime("%A"), clock(run.from), clock(run.to))
            })
            .collect();
        let others = runs.len() - of_worst.len();
        let tail = format!(
            ": {} short at the worst interval.{}",
            people(worst.short),
            match others {
                0 => String::new(),
                1 => " One shorter hole besides.".to_owned(),
                more => format!(
                    " {} smaller holes besides.",
                    words::capitalised(&words::count_word(more))
                ),
            }
        );
        Answer {
            lead,
            strong: format!("{} breaks on {}", worst.name, words::listing(&times)),
            tail,
        }
    }
}

fn people(count: u32) -> String {
    if count == 1 { "1 person".to_owned() } else { format!("{count} people") }
}

/// Orders intervals by how much they deserve a look: broken before pressed.
fn rank(interval: &PlannedInterval) -> f64 {
    let assessment = &interval.assessment;
    let pressure = assessment.pressure.map_or(0.0, |pressure| pressure.min(100.0));
    match assessment.verdict {
        Some(Verdict::Breaks) => 1000.0 + pressure,
        Some(Verdict::Marginal) => 500.0 + pressure,
        _ => pressure,
    }
}

fn missing(each: &TypeWeek, monday: Date) -> Missing {
    let id = each.contact_type.id;
    match each.first_forecast_day {
        Some(first) => {
            let last = first.saturating_add(Span::new().days(27));
            Missing {
                words: format!(
                    "The forecast reaches from {} to {}",
                    words::full_date(first),
                    words::full_date(last)
                ),
                address: format!("/?day={first}"),
            }
        }
        None => Missing {
            words: "No forecast yet".to_owned(),
            address: Stage::Demand.address(monday, Some(id)),
        },
    }
}

impl Reading {
    fn of(
        contact_type: &ContactType,
        interval: &PlannedInterval,
        zone: &TimeZone,
        visit: &Visit,
    ) -> Self {
        let assessment = &interval.assessment;
        let rules = &contact_type.rules;
        let local = zone.to_datetime(interval.start);
        let day = local.date();
        let overload = assessment.cover.is_some()
            && assessment.with_cover.is_none()
            && interval.load.contacts > 0.0;
        Self {
            title: format!(
                "{}, {} · {}",
                words::long_day(day),
                words::clock_time(local.time()),
                contact_type.name
            ),
            has_cover: assessment.cover.is_some(),
            rows: reading_rows(
                rules,
                assessment.cover,
                assessment.need,
                assessment.with_cover,
                assessment.with_need,
            ),
            need: assessment.need,
            note: overload.then(|| "With this cover the line would grow without limit.".to_owned()),
            verdict: assessment.verdict,
            try_address: format!("/trials?contact_type={}&day={day}#new", contact_type.id),
            why_address: format!(
                "/staffing/{}?day={day}&at={}#why",
                contact_type.id,
                interval.start.as_second()
            ),
            may_plan: visit.may(barometer_store::Role::Planner),
        }
    }
}

fn reading_rows(
    rules: &Rules,
    cover: Option<u32>,
    need: u32,
    with_cover: Option<Outcome>,
    with_need: Option<Outcome>,
) -> Vec<ReadingRow> {
    let figure = |outcome: Option<Outcome>, of: fn(&Outcome) -> f64| {
        outcome.map_or_else(|| words::NONE.to_owned(), |outcome| words::percent(of(&outcome)))
    };
    let ceiling = |ceiling: Option<f64>| {
        ceiling.map_or_else(
            || words::NONE.to_owned(),
            |most| format!("≤ {}", words::short_percent(most)),
        )
    };
    let row = |name: String, target, of: fn(&Outcome) -> f64| ReadingRow {
        name,
        target,
        with_cover: figure(with_cover, of),
        with_need: figure(with_need, of),
    };
    vec![
        ReadingRow {
            name: "People on the phones".to_owned(),
            with_cover: cover.map_or_else(|| words::NONE.to_owned(), |agents| agents.to_string()),
            target: words::NONE.to_owned(),
            with_need: need.to_string(),
        },
        row(
            format!("Service level, {} s", words::plain(rules.within_secs)),
            format!("≥ {}", words::short_percent(rules.service_level)),
            |outcome| outcome.service_level,
        ),
        row("Abandonment".to_owned(), ceiling(rules.abandonment), |outcome| outcome.abandonment),
        row("Occupancy".to_owned(), ceiling(rules.occupancy), |outcome| outcome.occupancy),
    ]
}

/// What the coming week brings: the largest changes against the same days a week before, and the
/// forecast's own record.
async fn facts(
    app: &App,
    weeks: &[TypeWeek],
    monday: Date,
    zone: &TimeZone,
) -> Result<Vec<Fact>, PageError> {
    let (from, to) = planning::span(monday.saturating_sub(Span::new().days(7)), 7, zone)?;
    let before = try_join_all(
        weeks.iter().map(|each| app.store.came_between(each.contact_type.id, from, to)),
    )
    .await?;
    let mut changes: Vec<(f64, &TypeWeek)> = weeks
        .iter()
        .zip(&before)
        .filter(|(each, before)| !each.plan.is_empty() && before.offered > 0)
        .map(|(each, before)| {
            let contacts: f64 = each.plan.iter().map(|interval| interval.load.contacts).sum();
            (contacts / before.offered as f64 - 1.0, each)
        })
        .collect();
    changes.sort_by(|(one, _), (other, _)| other.abs().total_cmp(&one.abs()));
    Ok(changes
        .into_iter()
        .take(4)
        .map(|(change, each)| Fact {
            when: words::change(change),
            what: format!("{} against the week before", each.contact_type.name),
            address: Stage::Demand.address(monday, Some(each.contact_type.id)),
        })
        .collect())
}
