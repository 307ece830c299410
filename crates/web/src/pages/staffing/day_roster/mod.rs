//! The roster editor: a day's people as bars that are dragged or moved by keys, with service, cost and limits of working
//! time as they change.

mod figures;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_app::staffing::day_roster::{PersonDay, RosterDay};
use barometer_store::{ContactType, Deed, Edited, Noted, StoreError};
use jiff::Span;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use figures::{Compared, drawn_hours};

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
        away: person.away.as_ref().map_or_else(String::new, |away| away.why.clone()),
        may_return: person.away.as_ref().is_none_or(|away| away.is_this_day_alone),
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
