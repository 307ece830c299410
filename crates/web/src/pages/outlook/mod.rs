//! The home page: will the week hold? The pressure strip, what breaks, and the way to each stage.

mod answer;
mod days;
mod reading;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{PlannedInterval, Verdict, worst};
use barometer_store::{ContactType, RunState};
use futures_util::future::try_join_all;
use jiff::Span;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::App;
use crate::access::RequestContext;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::trials::{TrialRow, trial_rows};
use crate::strip::{Cell, Hours, cells, is_uncovered};
use crate::words;
use barometer_app::planning;

use answer::Answer;
pub(crate) use days::days;
use reading::Reading;
pub(crate) use reading::reading;

#[derive(Template)]
#[template(path = "outlook.html")]
struct OutlookPage {
    frame: Frame,
    question: String,
    answer: Answer,
    days: Vec<DayHead>,
    rows: Vec<StripRow>,
    /// Whether contacts are expected anywhere for which nobody is planned.
    has_uncovered: bool,
    hours: String,
    /// Where the week's days are asked for that are simulated; none where the week is over or nothing is planned.
    sure: Option<String>,
    reading: Option<Reading>,
    facts: Vec<Fact>,
    trials: Vec<TrialRow>,
    /// The day whose cheapest design can be searched, and its name: that of the most pressed interval.
    searched: Option<(String, String)>,
}

struct DayHead {
    name: String,
    address: String,
}

struct Fact {
    when: String,
    what: String,
    address: String,
}

/// One contact type in the strip.
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

/// A week of one contact type.
struct TypeWeek {
    contact_type: ContactType,
    plan: Vec<PlannedInterval>,
    first_forecast_day: Option<Date>,
}

/// `GET /`: the week's outlook.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    let zone = context.centre.zone.clone();
    let monday = context.monday();
    let types = app.store.contact_types(context.centre.id).await?;
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
    let chosen = most_pressed(&weeks);
    let hours = Hours::of(weeks.iter().flat_map(|each| &each.plan), &zone);
    let template = OutlookPage {
        frame: Frame::of(&context, Stage::Outlook, None),
        question: question(monday, context.today),
        answer: Answer::of(&weeks, &zone),
        days: (0..7).map(|ahead| day_head(monday, ahead)).collect(),
        rows: weeks.iter().map(|each| row(each, monday, hours, chosen, &zone)).collect(),
        has_uncovered: weeks.iter().flat_map(|each| &each.plan).any(is_uncovered),
        hours: hours.words(),
        sure: is_worth_simulating(&weeks, monday, context.today)
            .then(|| format!("/outlook/days?day={monday}")),
        reading: chosen
            .map(|(each, interval)| Reading::of(&each.contact_type, interval, &zone, &context)),
        facts: facts(&app, &weeks, monday, &zone).await?,
        searched: chosen.map(|(_, interval)| {
            let day = interval.start.to_zoned(zone.clone()).date();
            (day.to_string(), words::long_day(day))
        }),
        trials: trial_rows(
            trials.iter().filter(|trial| trial.run.state != RunState::Cancelled),
            &context,
        ),
    };
    page(&template)
}

/// Whether the week has a day from today on, and people who are planned.
fn is_worth_simulating(weeks: &[TypeWeek], monday: Date, today: Date) -> bool {
    let sunday = monday.saturating_add(Span::new().days(6));
    let mut planned = weeks.iter().flat_map(|each| &each.plan);
    sunday >= today && planned.any(|interval| interval.assessment.cover.is_some())
}

fn question(monday: Date, today: Date) -> String {
    let this_monday = planning::monday_of(today);
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

/// The interval that deserves a look first.
fn most_pressed(weeks: &[TypeWeek]) -> Option<(&TypeWeek, &PlannedInterval)> {
    weeks
        .iter()
        .flat_map(|each| each.plan.iter().map(move |interval| (each, interval)))
        .max_by(|(_, one), (_, other)| rank(one).total_cmp(&rank(other)))
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
            let last = planning::last_forecast_day(first);
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

fn row(
    each: &TypeWeek,
    monday: Date,
    hours: Hours,
    chosen: Option<(&TypeWeek, &PlannedInterval)>,
    zone: &TimeZone,
) -> StripRow {
    let contact_type = &each.contact_type;
    let contacts: f64 = each.plan.iter().map(|interval| interval.load.contacts).sum();
    let chosen = chosen
        .filter(|(owner, _)| owner.contact_type.id == contact_type.id)
        .map(|(_, interval)| interval.start);
    let local_day = |interval: &PlannedInterval| zone.to_datetime(interval.start).date();
    let day_cells = |day: Date| {
        let of_day: Vec<_> =
            each.plan.iter().filter(|interval| local_day(interval) == day).copied().collect();
        cells(contact_type, &of_day, hours, chosen, zone, |at| {
            format!("/reading?contact_type={}&at={at}", contact_type.id)
        })
    };
    StripRow {
        name: contact_type.name.clone(),
        verdict: worst(&each.plan),
        volume: format!("{}/day", words::thousands(contacts / 7.0)),
        address: Stage::Staffing.address(monday, Some(contact_type.id)),
        days: (0..7)
            .map(|ahead| day_cells(monday.saturating_add(Span::new().days(ahead))))
            .collect(),
        missing: each.plan.is_empty().then(|| missing(each, monday)),
    }
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
