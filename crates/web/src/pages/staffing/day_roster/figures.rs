//! What a day's roster comes to beside the one that is saved: the strip, the figures, the limits of working time.

use askama::Template;
use barometer_app::staffing::day_roster::{LIMITS, PersonDay, RosterDay, RosterFigures};
use barometer_plan::{PlannedInterval, Verdict, WorkingTimeFault, WorkingTimeRules};
use uuid::Uuid;

use super::super::in_background;
use crate::access::RequestContext;
use crate::charts;
use crate::page_error::PageError;
use crate::pressure_scale;
use crate::strip::Hours;
use crate::words;

#[derive(Template)]
#[template(path = "staffing/day_figures.html")]
pub(super) struct DayFigures {
    answer: String,
    verdict: Option<Verdict>,
    rows: Vec<FigureRow>,
    strip: Vec<StripBar>,
    /// The cover as a step line over the strip.
    cover_path: String,
    most: u32,
    /// Where full hours lie, in per cent, and their names.
    hours: Vec<(f64, String)>,
    /// The minute of the day at which most is missing.
    worst: Option<f64>,
    faults: Vec<FaultRow>,
    /// The limits, as they stand where none is broken.
    limits: String,
    /// By person, for the script.
    faults_by_person: String,
}

struct FigureRow {
    name: &'static str,
    saved: String,
    now: String,
}

/// An interval of the strip, in minutes of the day and parts of the tallest.
struct StripBar {
    x: f64,
    width: f64,
    need: f64,
    colour: String,
    title: String,
}

struct FaultRow {
    name: String,
    words: String,
}

/// A day's roster on the screen beside the one that is saved.
pub(super) struct Compared {
    pub roster: RosterDay,
    pub days: Vec<PersonDay>,
    now: RosterFigures,
    saved: RosterFigures,
}

impl Compared {
    pub async fn of(roster: RosterDay, days: Vec<PersonDay>) -> Result<Self, PageError> {
        in_background(move || {
            let now = roster.figures(&days)?;
            let saved = roster.figures(&roster.saved())?;
            Ok(Self { roster, days, now, saved })
        })
        .await
    }

    pub fn shown(&self, context: &RequestContext) -> Result<DayFigures, PageError> {
        let (from, to) = drawn_hours(self, context);
        let most = self
            .now
            .plan
            .iter()
            .map(|each| each.assessment.need.max(each.assessment.cover.unwrap_or(0)));
        let most = most.max().unwrap_or(0).max(1);
        let names = |agent: Uuid| {
            let person = self.roster.people.iter().find(|each| each.agent.id == agent);
            person.map_or_else(String::new, |person| person.agent.name.clone())
        };
        let faults = || {
            let people = self.now.faults.iter();
            people
                .flat_map(|(agent, faults)| faults.iter().map(|fault| (*agent, fault_words(fault))))
        };
        Ok(DayFigures {
            answer: answer(&self.now, context),
            verdict: self.now.verdict,
            rows: rows(&self.saved, &self.now),
            strip: strip(&self.now, (from, to), most, context),
            cover_path: cover_path(&self.now, (from, to), most, context),
            most,
            hours: hours((from, to)),
            worst: worst(&self.now).map(|worst| minute(worst, context)),
            limits: limits_words(),
            faults_by_person: charts::embedded(&faults().collect::<Vec<_>>())?,
            faults: faults().map(|(agent, words)| FaultRow { name: names(agent), words }).collect(),
        })
    }
}

/// The hours that bars and strip are drawn over: those of the forecast and of all shifts, in minutes.
pub(super) fn drawn_hours(compared: &Compared, context: &RequestContext) -> (u32, u32) {
    let open = Hours::of(compared.now.plan.iter(), &context.centre.zone).minutes();
    let people = compared.roster.people.iter();
    let pieces = people.flat_map(|each| each.saved.pieces.iter().chain(&each.elsewhere).copied());
    pieces.fold(open, |(from, to), piece| {
        (from.min(piece.0 / 60 * 60), to.max(piece.1.div_ceil(60) * 60))
    })
}

fn answer(now: &RosterFigures, context: &RequestContext) -> String {
    if now.plan.is_empty() {
        return "Nothing is forecast on this day, so nobody is needed.".to_owned();
    }
    let zone = &context.centre.zone;
    match worst(now) {
        None => "The roster covers the need all day.".to_owned(),
        Some(worst) => format!(
            "{} agent-hours are missing, most at {}: {} short.",
            words::one_decimal(now.hours.under),
            words::clock(worst.start, zone),
            words::people(worst.assessment.shortfall())
        ),
    }
}

/// The interval with most people missing.
fn worst(now: &RosterFigures) -> Option<&PlannedInterval> {
    let short = |each: &&PlannedInterval| each.assessment.shortfall() > 0;
    now.plan.iter().filter(short).max_by_key(|each| each.assessment.shortfall())
}

/// Every second full hour between two minutes, where it lies in per cent, and its name.
fn hours((from, to): (u32, u32)) -> Vec<(f64, String)> {
    let named = (from.div_ceil(60)..=to / 60).step_by(2);
    let width = f64::from((to - from).max(1));
    let place = |hour: u32| 100.0 * f64::from(hour * 60 - from) / width;
    named.map(|hour| (place(hour), format!("{:02}:00", hour % 24))).collect()
}

fn rows(saved: &RosterFigures, now: &RosterFigures) -> Vec<FigureRow> {
    let row = |name, of: &dyn Fn(&RosterFigures) -> Option<String>| {
        let (saved, now) = (of(saved)?, of(now)?);
        Some(FigureRow { name, saved, now })
    };
    let hours = |hours: f64| Some(words::one_decimal(hours));
    let rows = [
        row("Missing, agent-hours", &|of| hours(of.hours.under)),
        row("Over the need, agent-hours", &|of| hours(of.hours.over)),
        row("Cover, agent-hours", &|of| hours(of.hours.cover)),
        row("Of people by name, hours", &|of| hours(of.named_hours)),
        row("Service level of the day", &|of| Some(words::percent(of.service?.service_level))),
        row("Abandonment", &|of| Some(words::percent(of.service?.abandonment))),
        row("Occupancy", &|of| Some(words::percent(of.service?.occupancy))),
        row("Cost with shrinkage", &|of| Some(words::thousands(of.cost?))),
    ];
    rows.into_iter().flatten().collect()
}

/// The minute of the day at which an interval begins.
fn minute(each: &PlannedInterval, context: &RequestContext) -> f64 {
    let local = context.centre.zone.to_datetime(each.start);
    f64::from(i32::from(local.hour()) * 60 + i32::from(local.minute()))
}

fn strip(
    now: &RosterFigures,
    (from, to): (u32, u32),
    most: u32,
    context: &RequestContext,
) -> Vec<StripBar> {
    let percent = |minutes: f64| 100.0 * minutes / f64::from((to - from).max(1));
    let bar = |each: &PlannedInterval| {
        let assessment = &each.assessment;
        let pressure = assessment.pressure;
        StripBar {
            x: percent(minute(each, context) - f64::from(from)),
            width: percent(now.interval_secs / 60.0),
            need: 100.0 * f64::from(assessment.need) / f64::from(most),
            colour: pressure.map_or_else(|| "var(--hairline)".to_owned(), pressure_scale::colour),
            title: format!(
                "{}: need {}, cover {}, pressure {}",
                words::clock(each.start, &context.centre.zone),
                assessment.need,
                assessment.cover.unwrap_or(0),
                pressure.map_or_else(|| words::NONE.to_owned(), words::pressure)
            ),
        }
    };
    now.plan.iter().map(bar).collect()
}

/// The cover as a path through the strip, of 100 by 100.
fn cover_path(
    now: &RosterFigures,
    (from, to): (u32, u32),
    most: u32,
    context: &RequestContext,
) -> String {
    let percent =
        |minutes: f64| 100.0 * (minutes - f64::from(from)) / f64::from((to - from).max(1));
    let mut path = String::new();
    for (nth, each) in now.plan.iter().enumerate() {
        let begin = minute(each, context);
        let y = 100.0 - 100.0 * f64::from(each.assessment.cover.unwrap_or(0)) / f64::from(most);
        let command = if nth == 0 { 'M' } else { 'L' };
        path += &format!(
            "{command}{:.2} {y:.2}L{:.2} {y:.2}",
            percent(begin),
            percent(begin + now.interval_secs / 60.0)
        );
    }
    path
}

/// "11 h of rest, 10 h a day, 6 h without a break, 6 days a week, the contract’s hours".
fn limits_words() -> String {
    let WorkingTimeRules { rest_hours, day_hours, unbroken_hours, days } = LIMITS;
    format!(
        "{} h of rest, {} h a day, {} h without a break, {days} days a week, the contract’s hours",
        words::plain(rest_hours),
        words::plain(day_hours),
        words::plain(unbroken_hours)
    )
}

fn fault_words(fault: &WorkingTimeFault) -> String {
    let (hours, limit) = (words::one_decimal, words::plain);
    match *fault {
        WorkingTimeFault::Twice(_) => "is at work twice at the same time".to_owned(),
        WorkingTimeFault::Away(_) => "is away on this day".to_owned(),
        WorkingTimeFault::ShortRest { day, hours: rest } => {
            let (rest, least) = (hours(rest), limit(LIMITS.rest_hours));
            format!("rests {rest} h before {}: at least {least} h", words::short_day(day))
        }
        WorkingTimeFault::LongDay { hours: worked, .. } => {
            format!("works {} h: at most {} h a day", hours(worked), limit(LIMITS.day_hours))
        }
        WorkingTimeFault::NoBreak { hours: worked, .. } => {
            let most = limit(LIMITS.unbroken_hours);
            format!("works {} h without a break: at most {most} h", hours(worked))
        }
        WorkingTimeFault::ManyDays(days) => {
            format!("works on {days} days of the week: at most {}", LIMITS.days)
        }
        WorkingTimeFault::OverContract { hours: worked, contract } => {
            format!(
                "works {} h this week: the contract has {}",
                hours(worked),
                words::plain(contract)
            )
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn limits_are_said_with_what_is_allowed() {
        let day = date(2026, 11, 28);
        let said = [
            WorkingTimeFault::ShortRest { day, hours: 9.5 },
            WorkingTimeFault::NoBreak { day, hours: 6.25 },
            WorkingTimeFault::OverContract { hours: 40.0, contract: 37.5 },
        ]
        .map(|fault| fault_words(&fault));
        insta::assert_debug_snapshot!(said, @r#"
        [
            "rests 9.5 h before Sat 28 Nov: at least 11 h",
            "works 6.3 h without a break: at most 6 h",
            "works 40.0 h this week: the contract has 37.5",
        ]
        "#);
    }
}
