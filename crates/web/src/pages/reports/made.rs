//! When a report is made by itself and for whom, and what was made.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::clock;
use barometer_report::Format;
use barometer_store::{EditionLine, NewEdition, NewSchedule, Role, RunState, Schedule};
use uuid::Uuid;

use super::schedule_form::ScheduleForm;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path};
use crate::forms::{ActForm, FormErrors};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::state_word;
use crate::pages::{page, refused};
use crate::words;

/// Made reports that are listed.
const LISTED: i64 = 60;
const WEEKDAYS: [&str; 7] = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

#[derive(Template)]
#[template(path = "reports/made.html")]
struct MadePage {
    frame: Frame,
    tab: &'static str,
    id: Uuid,
    title: String,
    answer: String,
    schedules: Vec<ScheduleRow>,
    editions: Vec<EditionRow>,
    /// Whether something is being made: the page looks again.
    is_busy: bool,
    form: ScheduleForm,
    weekdays: Vec<(usize, &'static str, bool)>,
    roles: Vec<(&'static str, bool)>,
    formats: Vec<(&'static str, &'static str, bool)>,
    zone: String,
    wrong: FormErrors,
}

struct ScheduleRow {
    id: Uuid,
    when: String,
    next: String,
    to: String,
    how: String,
    is_on: bool,
}

struct EditionRow {
    id: Uuid,
    at: String,
    by: String,
    answer: String,
    outcome: String,
    is_bad: bool,
}

/// `GET /reports/{report}/made`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    page(&view(&app, &context, id, ScheduleForm::usual(), FormErrors::default()).await?)
}

async fn view(
    app: &App,
    context: &RequestContext,
    id: Uuid,
    form: ScheduleForm,
    wrong: FormErrors,
) -> Result<MadePage, PageError> {
    let report = app.store.report(context.centre.id, id).await?;
    let (schedules, editions) =
        tokio::try_join!(app.store.report_schedules(id), app.store.editions(id, LISTED))?;
    Ok(MadePage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "reports",
        id,
        title: report.definition.title,
        answer: answer(&schedules, &editions, context),
        is_busy: editions.iter().any(|edition| !edition.run.state.is_over()),
        schedules: schedules.iter().map(|schedule| schedule_row(schedule, context)).collect(),
        editions: editions.into_iter().map(|edition| edition_row(edition, context)).collect(),
        weekdays: WEEKDAYS
            .into_iter()
            .enumerate()
            .map(|(nth, name)| (nth, name, form.weekday.contains(&nth)))
            .collect(),
        roles: Role::ALL
            .into_iter()
            .map(|role| (role.word(), form.role.iter().any(|chosen| chosen == role.word())))
            .collect(),
        formats: Format::ALL
            .into_iter()
            .map(|format| {
                let is_chosen = form.format.iter().any(|chosen| chosen == format.key());
                (format.key(), format.words(), is_chosen)
            })
            .collect(),
        zone: context.centre.zone.iana_name().unwrap_or("UTC").to_owned(),
        form,
        wrong,
    })
}

fn answer(schedules: &[Schedule], editions: &[EditionLine], context: &RequestContext) -> String {
    let next =
        schedules.iter().filter(|schedule| schedule.is_on).filter_map(|each| each.next_at).min();
    let next = next.map_or_else(
        || "It is not made by itself.".to_owned(),
        |at| format!("It is made next on {}.", words::moment(at, &context.centre.zone)),
    );
    let last = match editions.first() {
        None => "It has not been made yet.".to_owned(),
        Some(edition) => {
            let at = words::moment(edition.due_at, &context.centre.zone);
            match edition.run.state {
                RunState::Done => format!(
                    "The latest is of {at}: {}.",
                    edition.outcome.as_deref().unwrap_or("made")
                ),
                state => format!("The latest, of {at}, is {}.", state_word(state)),
            }
        }
    };
    format!("{next} {last}")
}

fn schedule_row(schedule: &Schedule, context: &RequestContext) -> ScheduleRow {
    let sending = &schedule.sending;
    let formats: Vec<String> =
        sending.formats.iter().map(|format| format.words().to_owned()).collect();
    let how = match sending.link_days {
        Some(days) => format!("link for {days} days"),
        None => words::listing(&formats),
    };
    let only = if sending.only_if_missed { ", only if a target is missed" } else { "" };
    ScheduleRow {
        id: schedule.id,
        when: words::capitalised(&schedule.timing.words()),
        next: match (schedule.is_on, schedule.next_at) {
            (true, Some(at)) => words::moment(at, &context.centre.zone),
            _ => "off".to_owned(),
        },
        to: words::listing(&sending.recipients()),
        how: format!("{how}{only}"),
        is_on: schedule.is_on,
    }
}

fn edition_row(edition: EditionLine, context: &RequestContext) -> EditionRow {
    let run = &edition.run;
    EditionRow {
        id: edition.id,
        at: words::moment(edition.due_at, &context.centre.zone),
        by: if edition.is_scheduled {
            "schedule".to_owned()
        } else {
            run.created_by.clone().unwrap_or_else(|| words::NONE.to_owned())
        },
        answer: edition.answer.unwrap_or_default(),
        is_bad: run.state == RunState::Failed,
        outcome: match (run.state, &run.failure, edition.outcome) {
            (RunState::Done, _, Some(outcome)) => outcome,
            (RunState::Failed, Some(failure), _) => format!("failed: {failure}"),
            (state, ..) => state_word(state).to_owned(),
        },
    }
}

/// `POST /reports/{report}/made`: makes it now and keeps it.
pub(crate) async fn make(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let report = app.store.report(context.centre.id, id).await?;
    let new = NewEdition {
        centre: context.centre.id,
        report: id,
        definition: &report.definition,
        due_at: clock::now(),
        by: Some(context.user.id),
    };
    let edition = app.store.queue_edition(&new).await?;
    Ok(Redirect::to(&format!("/reports/editions/{edition}")).into_response())
}

/// `POST /reports/{report}/schedules`
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<ScheduleForm>,
) -> Result<Response, PageError> {
    app.store.report(context.centre.id, id).await?;
    let (timing, sending) = match form.read() {
        Ok(read) => read,
        Err(wrong) => return refused(&view(&app, &context, id, form, wrong).await?),
    };
    let new = NewSchedule {
        report: id,
        next_at: timing.next(clock::now(), &context.centre.zone),
        timing: &timing,
        sending: &sending,
        by: context.user.id,
    };
    app.store.add_report_schedule(&new).await?;
    Ok(Redirect::to(&format!("/reports/{id}/made")).into_response())
}

/// `POST /reports/{report}/schedules/{schedule}`: on, off, now, removed.
pub(crate) async fn act(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, schedule)): Path<(Uuid, Uuid)>,
    Form(form): Form<ActForm>,
) -> Result<Response, PageError> {
    app.store.report(context.centre.id, id).await?;
    let schedules = app.store.report_schedules(id).await?;
    let chosen = schedules.iter().find(|each| each.id == schedule).ok_or(PageError::NotFound)?;
    let now = clock::now();
    match form.act.as_str() {
        "on" => {
            let next = chosen.timing.next(now, &context.centre.zone);
            app.store.switch_report_schedule(id, schedule, next).await?;
        }
        "off" => app.store.switch_report_schedule(id, schedule, None).await?,
        // It is due at once; its next time follows from that.
        "now" => app.store.switch_report_schedule(id, schedule, Some(now)).await?,
        "remove" => app.store.remove_report_schedule(id, schedule).await?,
        _ => return Err(PageError::NotFound),
    }
    Ok(Redirect::to(&format!("/reports/{id}/made")).into_response())
}
