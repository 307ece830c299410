//! The cover: people planned by hand, as many as are needed, from a roster, or by fitted shifts.

use askama::Template;
use axum::extract::State;
use axum::extract::multipart::MultipartError;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_app::staffing::roster;
use barometer_plan::{CoverInterval, PlannedInterval, ScheduleHours, Verdict, worst};
use barometer_store::{AgentStretch, ContactType, Deed, Edited, Noted, StoreError};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::agents::{AgentRow, TimeOffRow, agent_rows, time_off_rows};
use super::day_need;
use super::head::{Head, Tab};
use super::period::period_of;
use super::searches::{SearchPanel, panel};
use super::shapes::ShapesForm;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::charts;
use crate::edited;
use crate::exports::{self, Cell};
use crate::extract::{Form, Multipart, Path, Query};
use crate::page_error::PageError;
use crate::pages::{Choice, page, refused, trail};
use crate::words;
use barometer_app::planning;
use barometer_app::staffing::Source;
use barometer_app::staffing::roster_file;

/// More people than a form may plan for one interval.
const MOST_PEOPLE: u32 = 100_000;

/// The largest roster that is read, in bytes.
const MOST_FILE_BYTES: usize = 8 * 1024 * 1024;

/// Refused rows that are shown.
const SHOWN_REFUSALS: usize = 12;

/// Cover as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct CoverForm {
    pub how: String,
    pub from: String,
    pub to: String,
    pub people: String,
    pub day: String,
    /// The version of the cover that the page shows.
    pub based_on: String,
    #[serde(skip)]
    pub wrong: Option<String>,
}

#[derive(Template)]
#[template(path = "staffing/cover.html")]
pub(super) struct CoverPage {
    head: Head,
    id: Uuid,
    day: String,
    days: Vec<Choice>,
    answer: String,
    chart: Option<String>,
    totals: Vec<DayTotal>,
    cover: CoverForm,
    refusals: Vec<String>,
    more_refusals: usize,
    pub shapes: ShapesForm,
    search: Option<SearchPanel>,
    agents: Vec<AgentRow>,
    time_off: Vec<TimeOffRow>,
    pub agent_wrong: Option<String>,
    has_shifts: bool,
    saved: Option<&'static str>,
}

/// One day of the week in a line.
struct DayTotal {
    day: String,
    need: String,
    cover: String,
    over: String,
    under: String,
    verdict: Option<Verdict>,
}

#[derive(Serialize)]
struct CoverChart {
    labels: Vec<String>,
    need: Vec<u32>,
    cover: Vec<Option<u32>>,
    over: Vec<Option<i64>>,
}

/// Which message stands on top after a change.
#[derive(Deserialize)]
pub(crate) struct CoverQuery {
    saved: Option<String>,
}

/// `GET /staffing/{contact_type}/roster`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<CoverQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let mut template = CoverPage::new(&app, &context, &contact_type).await?;
    template.saved = match query.saved.as_deref() {
        Some("roster") => Some("The roster is the cover now."),
        Some("shifts") => Some("The shifts are the cover now."),
        Some(_) => Some("Saved."),
        None => None,
    };
    page(&template)
}

impl CoverPage {
    pub async fn new(
        app: &App,
        context: &RequestContext,
        contact_type: &ContactType,
    ) -> Result<Self, PageError> {
        let id = contact_type.id;
        let zone = &context.centre.zone;
        let monday = context.monday();
        let week = period_of(context, "week");
        let (from, to) = planning::span(monday, 7, zone)?;
        let centre = context.centre.id;
        let based_on = app.store.version_of(Edited::Cover(id)).await?.to_string();
        let (types, source, shapes, search, agents, stretches, away) = tokio::try_join!(
            async { Ok::<_, PageError>(app.store.contact_types(centre).await?) },
            async { Ok(Source::read(&app.store, contact_type, None, week, zone).await?) },
            async { Ok(app.store.shift_shapes(id).await?) },
            async { Ok(app.store.newest_shift_search(id, monday).await?) },
            async { Ok(app.store.agents(centre).await?) },
            async { Ok(app.store.stretches_between(id, from, to).await?) },
            async { Ok(app.store.time_off(centre, monday).await?) },
        )?;
        let plan = source.plan(contact_type.rules).await?;
        let secs = source.interval_secs();
        let days = (0..7).map(|ahead| monday.saturating_add(Span::new().days(ahead)));
        Ok(Self {
            head: Head::new(context, &types, contact_type, Tab::Cover),
            id,
            day: context.day.to_string(),
            days: days
                .map(|day| Choice {
                    name: day.strftime("%a %-d").to_string(),
                    address: Tab::Cover.address(id, day),
                    is_current: day == context.day,
                })
                .collect(),
            answer: answer(contact_type, &plan, monday, secs),
            chart: if plan.is_empty() {
                None
            } else {
                Some(charts::embedded(&chart(&plan, zone))?)
            },
            totals: totals(&plan, zone, secs),
            search: search.map(|search| panel(&search, contact_type, based_on.clone())),
            cover: CoverForm { day: context.day.to_string(), based_on, ..CoverForm::default() },
            refusals: Vec::new(),
            more_refusals: 0,
            shapes: ShapesForm::of(&shapes, contact_type),
            has_shifts: !stretches.is_empty(),
            agents: agent_rows(&agents, &stretches, &away),
            time_off: time_off_rows(&agents, &away),
            agent_wrong: None,
            saved: None,
        })
    }
}

fn answer(contact_type: &ContactType, plan: &[PlannedInterval], monday: Date, secs: f64) -> String {
    let week = words::week_span(monday);
    if plan.is_empty() {
        return format!("{} has nothing forecast in the week {week}.", contact_type.name);
    }
    let hours = ScheduleHours::of(plan, secs);
    let lead = format!(
        "{} needs {} agent-hours on the phones in the week {week}",
        contact_type.name,
        words::thousands(hours.need)
    );
    if plan.iter().all(|interval| interval.assessment.cover.is_none()) {
        return format!("{lead}, and no cover is planned.");
    }
    format!(
        "{lead} and has {}: {} more than needed where it is over, {} missing where it is short.",
        words::thousands(hours.cover),
        words::thousands(hours.over),
        words::thousands(hours.under)
    )
}

fn chart(plan: &[PlannedInterval], zone: &TimeZone) -> CoverChart {
    CoverChart {
        labels: plan.iter().map(|interval| words::day_clock(interval.start, zone)).collect(),
        need: plan.iter().map(|interval| interval.assessment.need).collect(),
        cover: plan.iter().map(|interval| interval.assessment.cover).collect(),
        over: plan
            .iter()
            .map(|interval| {
                let cover = interval.assessment.cover?;
                Some(i64::from(cover) - i64::from(interval.assessment.need))
            })
            .collect(),
    }
}

fn totals(plan: &[PlannedInterval], zone: &TimeZone, secs: f64) -> Vec<DayTotal> {
    plan.chunk_by(|a, b| zone.to_datetime(a.start).date() == zone.to_datetime(b.start).date())
        .map(|day| {
            let hours = ScheduleHours::of(day, secs);
            DayTotal {
                day: words::short_day(zone.to_datetime(day[0].start).date()),
                need: words::thousands(hours.need),
                cover: words::thousands(hours.cover),
                over: words::thousands(hours.over),
                under: words::thousands(hours.under),
                verdict: worst(day),
            }
        })
        .collect()
}

/// `POST /staffing/{contact_type}/cover`: plans people for a stretch of the day, or the need itself.
pub(crate) async fn save_cover(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<CoverForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    context.day = typed.day.parse().unwrap_or(context.day);
    let zone = &context.centre.zone;
    let span = if typed.how == "need-week" { "week" } else { "day" };
    let period = period_of(&context, span);
    let source = Source::read(&app.store, &contact_type, None, period, zone).await?;
    let plan = source.plan(contact_type.rules).await?;
    let planned = match typed.how.as_str() {
        "people" => people_between(&typed, &plan, zone),
        sure if sure.starts_with("sure-") => {
            day_need::cover_for(&app, &context, &contact_type, sure).await?
        }
        _ => Ok(need_as_cover(&plan)),
    };
    match planned {
        Ok(cover) => {
            let change = changed(&contact_type.name, &plan, &cover, zone);
            let save = edited::save(&context, &typed.based_on);
            match app.store.save_cover(id, &cover, save).await {
                Ok(()) => {}
                Err(StoreError::SavedMeanwhile(first)) => {
                    let mut template = CoverPage::new(&app, &context, &contact_type).await?;
                    let wrong = Some(edited::meanwhile(&first, &context, &[]));
                    let based_on = template.cover.based_on;
                    template.cover = CoverForm { wrong, based_on, ..typed };
                    return refused(&template);
                }
                Err(error) => return Err(error.into()),
            }
            trail::note(&app, &context, Deed::CoverChanged, change).await;
            Ok(Redirect::to(&format!("{}&saved=cover", Tab::Cover.address(id, context.day)))
                .into_response())
        }
        Err(wrong) => {
            let mut template = CoverPage::new(&app, &context, &contact_type).await?;
            let based_on = template.cover.based_on;
            template.cover = CoverForm { wrong: Some(wrong), based_on, ..typed };
            refused(&template)
        }
    }
}

/// People planned on average over the intervals that are saved, before and after.
fn changed(
    name: &str,
    plan: &[PlannedInterval],
    cover: &[CoverInterval],
    zone: &TimeZone,
) -> Noted {
    let told = |people: u64| {
        let mean = people as f64 / cover.len().max(1) as f64;
        format!("{mean:.1} people on average, intervals: {}", cover.len())
    };
    let is_saved = |each: &&PlannedInterval| cover.iter().any(|saved| saved.start == each.start);
    let was = plan.iter().filter(is_saved).filter_map(|each| each.assessment.cover);
    let days: Vec<Date> = [cover.first(), cover.last()]
        .into_iter()
        .flatten()
        .map(|each| zone.to_datetime(each.start).date())
        .collect();
    let days = match days.as_slice() {
        [first, last] if first != last => format!(", {first} to {last}"),
        [first, ..] => format!(", {first}"),
        [] => String::new(),
    };
    Noted::from_to(
        format!("{name}{days}"),
        told(was.map(u64::from).sum()),
        told(cover.iter().map(|each| u64::from(each.agents)).sum()),
    )
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

/// `POST /staffing/{contact_type}/roster`: a roster of named people becomes the cover of its days.
pub(crate) async fn import_roster(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Multipart(mut upload): Multipart,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = &context.centre.zone;
    let (mut bytes, mut based_on) = (None, String::new());
    let cut_off = |error: MultipartError| {
        PageError::Refused(format!("The upload broke off: {}", error.body_text()))
    };
    while let Some(field) = upload.next_field().await.map_err(cut_off)? {
        match field.name() {
            Some("file") => bytes = Some(field.bytes().await.map_err(cut_off)?.to_vec()),
            Some("based_on") => based_on = field.text().await.map_err(cut_off)?,
            _ => {}
        }
    }
    let read = match bytes {
        None => Err(vec!["Choose a roster: CSV, XLSX or iCalendar.".to_owned()]),
        Some(bytes) if bytes.is_empty() => Err(vec!["The file is empty.".to_owned()]),
        Some(bytes) if bytes.len() > MOST_FILE_BYTES => {
            Err(vec!["The file is larger than 8 MB; a roster is not.".to_owned()])
        }
        Some(bytes) => roster_file::read(bytes, zone).await,
    };
    match read {
        Ok(shifts) => {
            let save = edited::save(&context, &based_on);
            let why = match roster::import(&app.store, &context.centre, &contact_type, shifts, save)
                .await
            {
                Ok(Some(day)) => {
                    let address = Tab::Cover.address(id, day);
                    return Ok(Redirect::to(&format!("{address}&saved=roster")).into_response());
                }
                Ok(None) => "Everybody in this roster is on time off on its days.".to_owned(),
                Err(AppError::Store(StoreError::SavedMeanwhile(first))) => format!(
                    "{} saved another cover on {}, after you had opened this page. Look at it, then choose the file again.",
                    edited::who(&first),
                    words::moment(first.at, zone)
                ),
                Err(error) => return Err(error.into()),
            };
            let mut template = CoverPage::new(&app, &context, &contact_type).await?;
            template.refusals = vec![why];
            refused(&template)
        }
        Err(mut refusals) => {
            let mut template = CoverPage::new(&app, &context, &contact_type).await?;
            template.more_refusals = refusals.len().saturating_sub(SHOWN_REFUSALS);
            refusals.truncate(SHOWN_REFUSALS);
            template.refusals = refusals.iter().map(|each| words::capitalised(each)).collect();
            refused(&template)
        }
    }
}

/// `GET /staffing/{contact_type}/roster/{format}`: the named shifts of the week, as csv, xlsx or ics.
pub(crate) async fn export_roster(
    State(app): State<App>,
    context: RequestContext,
    Path((id, format)): Path<(Uuid, String)>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let zone = &context.centre.zone;
    let (from, to) = planning::span(context.monday(), 7, zone)?;
    let (agents, stretches) = tokio::try_join!(
        app.store.agents(context.centre.id),
        app.store.stretches_between(id, from, to),
    )?;
    let name = |stretch: &AgentStretch| {
        let agent = agents.iter().find(|agent| agent.id == stretch.agent);
        agent.map_or_else(String::new, |agent| agent.name.clone())
    };
    let file = format!("roster-{}-{}.{format}", contact_type.name, context.monday());
    let rows = || -> Vec<Vec<Cell>> {
        let written = |at: Timestamp| {
            Cell::Text(at.to_zoned(zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string())
        };
        let row = |stretch: &AgentStretch| {
            vec![Cell::Text(name(stretch)), written(stretch.start), written(stretch.end)]
        };
        stretches.iter().map(row).collect()
    };
    let heading = ["agent", "start", "end"];
    match format.as_str() {
        "csv" => exports::csv_of(&file, &heading, rows()).await,
        "xlsx" => exports::xlsx(&file, &heading, rows()),
        "ics" => {
            let events: Vec<_> =
                stretches.iter().map(|each| (name(each), each.start, each.end)).collect();
            let title = format!("{} from {}", contact_type.name, context.monday());
            Ok(exports::calendar(&file, roster_file::calendar(&title, &events)))
        }
        _ => Err(PageError::NotFound),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_noted_of_a_cover_names_the_days_of_the_centre() {
        let zone = TimeZone::get("Pacific/Auckland").unwrap();
        let day = jiff::civil::date(2026, 11, 24);
        let at = |hour| zone.to_timestamp(day.at(hour, 0, 0, 0)).unwrap();
        let cover =
            [(8, 4), (9, 7)].map(|(hour, agents)| CoverInterval { start: at(hour), agents });
        let noted = changed("Bookings", &[], &cover, &zone);
        assert_eq!(noted.about, "Bookings, 2026-11-24", "the day before, by UTC");
        assert_eq!(noted.became.as_deref(), Some("5.5 people on average, intervals: 2"));
        let night = CoverInterval { start: at(8) + Span::new().hours(24), agents: 0 };
        let noted = changed("Bookings", &[], &[cover[0], night], &zone);
        assert_eq!(noted.about, "Bookings, 2026-11-24 to 2026-11-25");
    }
}
