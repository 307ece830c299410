//! The roster editor: a day's people as bars that are dragged or moved by keys, with service, cost and limits of working
//! time as they change.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_app::computing::computed;
use barometer_app::staffing::day_roster::{PersonDay, RosterDay, RosterFigures};
use barometer_plan::{NeedError, PlannedInterval, Verdict, WorkingTimeFault};
use barometer_store::{ContactType, Deed, Edited, Noted, StoreError};
use jiff::Span;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::head::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::charts;
use crate::edited;
use crate::exports;
use crate::extract::{Form, Path, Query};
use crate::forms;
use crate::page_error::PageError;
use crate::pages::{Choice, page, refused, trail};
use crate::pressure_scale;
use crate::strip::Hours;
use crate::words;
use barometer_app::planning;
use barometer_app::staffing::roster_file;

/// Weeks of a person's shifts that a calendar gets.
const CALENDAR_WEEKS: i64 = 8;

#[derive(Template)]
#[template(path = "staffing/day_roster.html")]
struct DayRosterPage {
    head: Head,
    id: Uuid,
    title: String,
    day: String,
    days: Vec<Choice>,
    earlier_day: String,
    later_day: String,
    is_empty: bool,
    roster: String,
    figures: String,
    based_on: String,
    wrong: Option<String>,
    saved: bool,
}

/// What the script draws and changes.
#[derive(Serialize)]
struct Roster {
    id: Uuid,
    day: String,
    /// Minutes of the clock that are drawn.
    from: u32,
    to: u32,
    /// Minutes by which bars move.
    step: u32,
    may_plan: bool,
    people: Vec<Person>,
    days: Vec<PersonDay>,
}

#[derive(Serialize)]
struct Person {
    agent: Uuid,
    name: String,
    team: String,
    /// Why the person is away; empty where that is only marked here.
    away: String,
    /// Whether that can be changed here: leave of several days cannot.
    may_return: bool,
    elsewhere: Vec<(u32, u32)>,
}

#[derive(Template)]
#[template(path = "staffing/day_figures.html")]
struct DayFigures {
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

#[derive(Deserialize)]
pub(crate) struct SavedQuery {
    saved: Option<String>,
}

/// A day's roster as the script sends it.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct RosterForm {
    day: String,
    /// The people's days as JSON.
    roster: String,
    based_on: String,
}

impl RosterForm {
    fn days(&self, roster: &RosterDay) -> Result<Vec<PersonDay>, String> {
        let days = serde_json::from_str(&self.roster)
            .map_err(|_| "The roster cannot be read. Reload the page.".to_owned())?;
        roster.checked(days)
    }
}

/// `GET /staffing/{contact_type}/roster/day`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<SavedQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let roster = RosterDay::read(&app.store, &context.centre, &contact_type, context.day).await?;
    let days = roster.saved();
    let mut template = shown(&app, &context, &contact_type, roster, days).await?;
    template.saved = query.saved.is_some();
    page(&template)
}

/// `POST /staffing/{contact_type}/roster/day/try`: what a roster that is not saved comes to.
pub(crate) async fn try_out(
    State(app): State<App>,
    mut context: RequestContext,
    Path(id): Path<Uuid>,
    Form(typed): Form<RosterForm>,
) -> Result<Response, PageError> {
    context.day = forms::day(&typed.day).unwrap_or(context.day);
    let contact_type = app.store.contact_type(id).await?;
    let roster = RosterDay::read(&app.store, &context.centre, &contact_type, context.day).await?;
    match typed.days(&roster) {
        Ok(days) => page(&Compared::of(roster, days).await?.shown(&context)?),
        Err(wrong) => Err(PageError::Refused(wrong)),
    }
}

/// `POST /staffing/{contact_type}/roster/day`
pub(crate) async fn save(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<RosterForm>,
) -> Result<Response, PageError> {
    context.day = forms::day(&typed.day).unwrap_or(context.day);
    let contact_type = app.store.contact_type(id).await?;
    let centre = context.centre.clone();
    let roster = RosterDay::read(&app.store, &centre, &contact_type, context.day).await?;
    let days = match typed.days(&roster) {
        Ok(days) => days,
        Err(wrong) => {
            let saved = roster.saved();
            let mut template = shown(&app, &context, &contact_type, roster, saved).await?;
            template.wrong = Some(wrong);
            return refused(&template);
        }
    };
    let change = changed(&contact_type, &roster, &days);
    let save = edited::save(&context, &typed.based_on);
    match roster.save(&app.store, &centre, &contact_type, &days, save).await {
        Ok(()) => {
            trail::note(&app, &context, Deed::CoverChanged, change).await;
            let address = address(id, context.day);
            Ok(Redirect::to(&format!("{address}&saved=roster")).into_response())
        }
        Err(AppError::Store(StoreError::SavedMeanwhile(first))) => {
            let wrong = edited::meanwhile(&first, &context, &[]);
            let mut template = shown(&app, &context, &contact_type, roster, days).await?;
            template.wrong = Some(wrong);
            refused(&template)
        }
        Err(error) => Err(error.into()),
    }
}

/// `GET /staffing/people/{agent}/shifts.ics`: a person's shifts, for any contact type, from the week of the period on.
pub(crate) async fn calendar(
    State(app): State<App>,
    context: RequestContext,
    Path(agent): Path<Uuid>,
) -> Result<Response, PageError> {
    let centre = &context.centre;
    let agents = app.store.agents(centre.id).await?;
    let person = agents.iter().find(|each| each.id == agent).ok_or(PageError::NotFound)?;
    let (from, to) = planning::span(context.monday(), 7 * CALENDAR_WEEKS, &centre.zone)?;
    let (stretches, types) = tokio::try_join!(
        app.store.all_stretches_between(centre.id, from, to),
        app.store.contact_types(centre.id),
    )?;
    let name = |id: Uuid| {
        types.iter().find(|each| each.id == id).map_or(String::new(), |each| each.name.clone())
    };
    let events: Vec<_> = stretches
        .iter()
        .filter(|(_, stretch)| stretch.agent == agent)
        .map(|(of, stretch)| (name(*of), stretch.start, stretch.end))
        .collect();
    let file =
        format!("shifts-{}-{}.ics", person.name.to_lowercase().replace(' ', "-"), context.monday());
    Ok(exports::calendar(&file, roster_file::calendar(&person.name, &events)))
}

pub(super) fn address(id: Uuid, day: Date) -> String {
    format!("/staffing/{id}/roster/day?day={day}")
}

async fn shown(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    roster: RosterDay,
    days: Vec<PersonDay>,
) -> Result<DayRosterPage, PageError> {
    let id = contact_type.id;
    let types = app.store.contact_types(context.centre.id).await?;
    let based_on = app.store.version_of(Edited::Cover(id)).await?.to_string();
    let compared = Compared::of(roster, days).await?;
    let figures = compared.shown(context)?;
    let hours = drawn_hours(&compared, context);
    let Compared { roster, days, .. } = compared;
    let people = roster.people.iter().map(|person| Person {
        agent: person.agent.id,
        name: person.agent.name.clone(),
        team: person.agent.team.clone(),
        away: person.away.as_ref().map_or_else(String::new, |(why, _)| why.clone()),
        may_return: person.away.as_ref().is_none_or(|(_, is_one_day)| *is_one_day),
        elsewhere: person.elsewhere.clone(),
    });
    let drawn = Roster {
        id,
        day: context.day.to_string(),
        from: hours.0,
        to: hours.1,
        step: 15,
        may_plan: context.may_plan(),
        people: people.collect(),
        days,
    };
    let step = |days: i64| address(id, context.day.saturating_add(Span::new().days(days)));
    let monday = context.monday();
    let week = (0..7).map(|ahead| monday.saturating_add(Span::new().days(ahead)));
    Ok(DayRosterPage {
        head: Head::new(context, &types, contact_type, Tab::Cover),
        id,
        title: format!("Who works when on {}?", words::long_day(context.day)),
        day: context.day.to_string(),
        days: week
            .map(|day| Choice {
                name: day.strftime("%a %-d").to_string(),
                address: address(id, day),
                is_current: day == context.day,
            })
            .collect(),
        earlier_day: step(-1),
        later_day: step(1),
        is_empty: roster.people.is_empty(),
        roster: charts::embedded(&drawn)?,
        figures: figures.render().map_err(|error| PageError::Internal(Box::new(error)))?,
        based_on,
        wrong: None,
        saved: false,
    })
}

/// A day's roster as it is on the screen beside the one that is saved.
struct Compared {
    roster: RosterDay,
    days: Vec<PersonDay>,
    now: RosterFigures,
    saved: RosterFigures,
}

impl Compared {
    async fn of(roster: RosterDay, days: Vec<PersonDay>) -> Result<Self, PageError> {
        let compared = computed(move || {
            let now = roster.figures(&days)?;
            let saved = roster.figures(&roster.saved())?;
            Ok::<_, NeedError>(Self { roster, days, now, saved })
        });
        compared
            .await
            .map_err(|error| PageError::Internal(Box::new(error)))?
            .map_err(|error| PageError::Internal(Box::new(error)))
    }

    fn shown(&self, context: &RequestContext) -> Result<DayFigures, PageError> {
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
            faults_by_person: charts::embedded(&faults().collect::<Vec<_>>())?,
            faults: faults().map(|(agent, words)| FaultRow { name: names(agent), words }).collect(),
        })
    }
}

/// The hours that bars and strip are drawn over: those of the forecast and of all shifts, in minutes.
fn drawn_hours(compared: &Compared, context: &RequestContext) -> (u32, u32) {
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
    let (under, _) = now.under_and_over;
    match worst(now) {
        None => "Yes: the roster covers the need all day.".to_owned(),
        Some(worst) => format!(
            "{} agent-hours are missing, most at {}: {} short.",
            words::one_decimal(under),
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
        row("Missing, agent-hours", &|of| hours(of.under_and_over.0)),
        row("Over the need, agent-hours", &|of| hours(of.under_and_over.1)),
        row("Cover, agent-hours", &|of| hours(of.cover_hours)),
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

fn fault_words(fault: &WorkingTimeFault) -> String {
    let hours = words::one_decimal;
    match *fault {
        WorkingTimeFault::Twice(_) => "is at work twice at the same time".to_owned(),
        WorkingTimeFault::Away(_) => "is away on this day".to_owned(),
        WorkingTimeFault::ShortRest { day, hours: rest } => {
            format!("rests {} h before {}: at least 11 h", hours(rest), words::short_day(day))
        }
        WorkingTimeFault::LongDay { hours: worked, .. } => {
            format!("works {} h: at most 10 h a day", hours(worked))
        }
        WorkingTimeFault::NoBreak { hours: worked, .. } => {
            format!("works {} h without a break: at most 6 h", hours(worked))
        }
        WorkingTimeFault::ManyDays(days) => format!("works on {days} days of the week: at most 6"),
        WorkingTimeFault::OverContract { hours: worked, contract } => {
            format!(
                "works {} h this week: the contract has {}",
                hours(worked),
                words::plain(contract)
            )
        }
    }
}

/// What is noted of a change: whose day differs, and how.
fn changed(contact_type: &ContactType, roster: &RosterDay, days: &[PersonDay]) -> Noted {
    let told = |day: &PersonDay| match (day.is_away, day.pieces.as_slice()) {
        (true, _) => "away".to_owned(),
        (false, []) => "free".to_owned(),
        (false, pieces) => {
            let clock = |minutes: u32| format!("{:02}:{:02}", minutes / 60 % 24, minutes % 60);
            let pieces = pieces.iter().map(|(from, to)| format!("{}–{}", clock(*from), clock(*to)));
            pieces.collect::<Vec<_>>().join(" ")
        }
    };
    let differ = || {
        days.iter().filter_map(|day| {
            let person = roster.people.iter().find(|each| each.agent.id == day.agent)?;
            (person.saved != *day).then_some((person, day))
        })
    };
    let was: Vec<String> = differ()
        .map(|(person, _)| format!("{} {}", person.agent.name, told(&person.saved)))
        .collect();
    let is: Vec<String> =
        differ().map(|(person, day)| format!("{} {}", person.agent.name, told(day))).collect();
    Noted::from_to(format!("{}, {}", contact_type.name, roster.date), was.join(", "), is.join(", "))
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
