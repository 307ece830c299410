//! Alarms: which there are, which ring, and what a new one would have done.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::live::{tried_on_the_past, value};
use barometer_plan::{AlarmHours, AlarmMeasure, AlarmRule, Escalation, Recipient, Severity};
use barometer_store::{Alarm, Edited, Ring, StoreError};
use jiff::ToSpan;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path, Query};
use crate::forms::{ActForm, FormErrors};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

/// Rings that are listed.
const LISTED: i64 = 30;
/// Days on which a new alarm is tried.
const TRIED_DAYS: i64 = 28;

#[derive(Template)]
#[template(path = "watch/alarms.html")]
struct AlarmsPage {
    frame: Frame,
    tab: &'static str,
    answer: String,
    alarms: Vec<AlarmRow>,
    rings: Vec<RingRow>,
    typed: AlarmForm,
    wrong: FormErrors,
    tried: Option<String>,
    measures: Vec<(&'static str, String, bool)>,
    types: Vec<(String, bool)>,
    severities: Vec<(&'static str, bool)>,
}

struct AlarmRow {
    id: Uuid,
    words: String,
    severity: &'static str,
    is_on: bool,
    now: String,
    rings: bool,
    tells: String,
}

/// A time at which an alarm rang, as the board and the list show it.
pub(super) struct RingRow {
    pub id: Uuid,
    pub words: String,
    pub severity: &'static str,
    pub is_urgent: bool,
    pub rang_at: String,
    pub value: String,
    pub cleared_at: Option<String>,
    pub seen_by: Option<String>,
    pub escalated_at: Option<String>,
}

/// What is typed for a new alarm.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct AlarmForm {
    #[serde(default)]
    measure: String,
    #[serde(default)]
    contact_type: String,
    #[serde(default)]
    threshold: String,
    #[serde(default)]
    clears_at: String,
    #[serde(default)]
    minutes: String,
    #[serde(default)]
    every_minutes: String,
    #[serde(default)]
    severity: String,
    #[serde(default)]
    hours: String,
    #[serde(default)]
    tells: String,
    #[serde(default)]
    escalation_minutes: String,
    #[serde(default)]
    escalation_tells: String,
    /// The alarm that is changed; empty for a new one.
    #[serde(default)]
    alarm: String,
    /// The version of that alarm that the form shows.
    #[serde(default)]
    based_on: String,
    #[serde(default)]
    act: String,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    /// The alarm that is to be changed.
    edit: Option<Uuid>,
}

/// Rings with the words of their alarms as they were then.
pub(super) fn ring_rows(rings: Vec<Ring>, zone: &jiff::tz::TimeZone) -> Vec<RingRow> {
    let row = |ring: Ring| {
        let rule = &ring.rule;
        RingRow {
            id: ring.id,
            words: rule.sentence(),
            severity: rule.severity.word(),
            is_urgent: rule.severity == Severity::Urgent,
            rang_at: words::day_clock(ring.rang_at, zone),
            value: rule.measure.said(ring.value),
            cleared_at: ring.cleared_at.map(|at| words::day_clock(at, zone)),
            seen_by: ring.seen_by,
            escalated_at: ring.escalated_at.map(|at| words::day_clock(at, zone)),
        }
    };
    rings.into_iter().map(row).collect()
}

/// `GET /watch/alarms`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    if let Some(id) = query.edit.filter(|_| context.may_plan()) {
        let (_, typed) = kept(&app, &context, id).await?;
        return page(&shown(&app, &context, typed, FormErrors::default(), None).await?);
    }
    let typed = AlarmForm {
        minutes: "2".to_owned(),
        severity: Severity::Warning.word().to_owned(),
        measure: AlarmMeasure::LastLevel.key().to_owned(),
        ..AlarmForm::default()
    };
    page(&shown(&app, &context, typed, FormErrors::default(), None).await?)
}

/// An alarm as it is kept, and the form that shows it.
async fn kept(
    app: &App,
    context: &RequestContext,
    id: Uuid,
) -> Result<(Alarm, AlarmForm), PageError> {
    let based_on = app.store.version_of(Edited::Alarm(id)).await?.to_string();
    let alarms = app.store.alarms(context.centre.id).await?;
    let alarm = alarms.into_iter().find(|alarm| alarm.id == id).ok_or(PageError::NotFound)?;
    let form = AlarmForm { based_on, ..AlarmForm::of(&alarm) };
    Ok((alarm, form))
}

async fn shown(
    app: &App,
    context: &RequestContext,
    typed: AlarmForm,
    wrong: FormErrors,
    tried: Option<String>,
) -> Result<AlarmsPage, PageError> {
    let (alarms, rings, types) = tokio::try_join!(
        app.store.alarms(context.centre.id),
        app.store.rings(context.centre.id, LISTED),
        app.store.contact_types(context.centre.id),
    )?;
    let view = app.live.view().borrow().clone();
    let ringing: Vec<Uuid> =
        rings.iter().filter(|ring| ring.cleared_at.is_none()).map(|ring| ring.alarm).collect();
    let row = |alarm: &Alarm| AlarmRow {
        id: alarm.id,
        words: alarm.rule.sentence(),
        severity: alarm.rule.severity.word(),
        is_on: alarm.is_on,
        now: value(&alarm.rule, &view, None)
            .map_or_else(|| words::NONE.to_owned(), |value| alarm.rule.measure.said(value)),
        rings: ringing.contains(&alarm.id),
        tells: alarm.rule.recipients(),
    };
    let measure = |measure: AlarmMeasure| {
        let name = words::capitalised(measure.words());
        (measure.key(), format!("{name}, {}", measure.unit()), typed.measure == measure.key())
    };
    Ok(AlarmsPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "alarms",
        answer: answer(&alarms, ringing.len()),
        measures: AlarmMeasure::ALL.into_iter().map(measure).collect(),
        types: types
            .into_iter()
            .map(|each| {
                let is_chosen = each.name == typed.contact_type;
                (each.name, is_chosen)
            })
            .collect(),
        severities: Severity::ALL
            .into_iter()
            .map(|severity| (severity.word(), typed.severity == severity.word()))
            .collect(),
        alarms: alarms.iter().map(row).collect(),
        rings: ring_rows(rings, &context.centre.zone),
        typed,
        wrong,
        tried,
    })
}

fn answer(alarms: &[Alarm], ringing: usize) -> String {
    let on = alarms.iter().filter(|alarm| alarm.is_on).count();
    let rings = match ringing {
        0 => "None rings now.".to_owned(),
        1 => "One rings now.".to_owned(),
        n => format!("{} ring now.", words::capitalised(&words::count_word(n))),
    };
    match on {
        0 => "No alarm is switched on. Add one below; it can be tried on what came before."
            .to_owned(),
        1 => format!("One alarm is switched on. {rings}"),
        n => {
            format!("{} alarms are switched on. {rings}", words::capitalised(&words::count_word(n)))
        }
    }
}

impl AlarmForm {
    /// An alarm as it would be typed.
    fn of(alarm: &Alarm) -> Self {
        let rule = &alarm.rule;
        let scale = if rule.measure.is_share() { 100.0 } else { 1.0 };
        let names = |list: &[Recipient]| {
            list.iter().map(Recipient::to_string).collect::<Vec<_>>().join(", ")
        };
        let escalation = rule.escalation.as_ref();
        Self {
            measure: rule.measure.key().to_owned(),
            contact_type: rule.contact_type.clone().unwrap_or_default(),
            threshold: words::plain_number(scale * rule.threshold),
            clears_at: words::plain_number(scale * rule.clears_at),
            minutes: words::plain_number(rule.minutes),
            every_minutes: match rule.every_minutes {
                every if every > 0.0 => words::plain_number(every),
                _ => String::new(),
            },
            severity: rule.severity.word().to_owned(),
            hours: rule.hours.map_or_else(String::new, |hours| hours.to_string()),
            tells: names(&rule.tells),
            escalation_minutes: escalation
                .map_or_else(String::new, |each| words::plain_number(each.after_minutes)),
            escalation_tells: escalation.map_or_else(String::new, |each| names(&each.tells)),
            alarm: alarm.id.to_string(),
            based_on: String::new(),
            act: String::new(),
        }
    }

    /// The rule that is typed, or what is wrong with it.
    fn rule(&self) -> Result<AlarmRule, FormErrors> {
        let mut wrong = FormErrors::default();
        let Some(measure) = AlarmMeasure::of_key(&self.measure) else {
            return Err(FormErrors::of("measure", "Choose what the alarm looks at."));
        };
        let scale = if measure.is_share() { 0.01 } else { 1.0 };
        let mut number = |field: &'static str, typed: &str| {
            let number = wrong.number(field, typed);
            if number.is_none() {
                wrong.note(field, "Must be a number.");
            }
            number.unwrap_or_default()
        };
        let threshold = scale * number("threshold", &self.threshold);
        let clears_at = if self.clears_at.trim().is_empty() {
            threshold
        } else {
            scale * number("clears_at", &self.clears_at)
        };
        let minutes = number("minutes", &self.minutes);
        let every_minutes = match self.every_minutes.trim() {
            "" => 0.0,
            typed => number("every_minutes", typed),
        };
        let named = !self.contact_type.is_empty() && measure.is_of_type();
        let escalates = !self.escalation_minutes.trim().is_empty();
        let after_minutes =
            if escalates { number("escalation_minutes", &self.escalation_minutes) } else { 0.0 };
        let mut recipients = |field: &'static str, typed: &str| {
            Recipient::list(typed).unwrap_or_else(|error| {
                wrong.note(field, format!("{error}."));
                Vec::new()
            })
        };
        let tells = recipients("tells", &self.tells);
        let escalation_tells = recipients("escalation_tells", &self.escalation_tells);
        let hours = match self.hours.trim() {
            "" => None,
            typed => typed.parse::<AlarmHours>().map(Some).unwrap_or_else(|()| {
                wrong.note("hours", "Must be two times, as 08:00-20:00.");
                None
            }),
        };
        if !escalates && !escalation_tells.is_empty() {
            wrong.note("escalation_minutes", "Say after how many minutes they are told.");
        }
        let rule = AlarmRule {
            measure,
            contact_type: named.then(|| self.contact_type.clone()),
            threshold,
            clears_at,
            minutes,
            every_minutes,
            severity: Severity::of_word(&self.severity).unwrap_or(Severity::Warning),
            hours,
            tells,
            escalation: escalates.then_some(Escalation { after_minutes, tells: escalation_tells }),
        };
        for fault in
            rule.faults().iter().filter(|fault| wrong.at(fault.field).is_none()).collect::<Vec<_>>()
        {
            wrong.note(fault.field, format!("{}.", words::capitalised(fault.message)));
        }
        if wrong.is_empty() { Ok(rule) } else { Err(wrong) }
    }
}

/// `POST /watch/alarms`: one is tried on the past, added, or changed.
pub(crate) async fn add(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<AlarmForm>,
) -> Result<Response, PageError> {
    let rule = match form.rule() {
        Ok(rule) => rule,
        Err(wrong) => return refused(&shown(&app, &context, form, wrong, None).await?),
    };
    if form.act == "try" {
        let tried = try_out(&app, &context, &rule).await?;
        let none = FormErrors::default();
        return page(&shown(&app, &context, form, none, Some(tried)).await?);
    }
    let centre = context.centre.id;
    match form.alarm.as_str() {
        "" => app.store.add_alarm(centre, &rule, Some(context.user.id)).await?,
        alarm => {
            let alarm = alarm.parse().map_err(|_| PageError::NotFound)?;
            let save = edited::save(&context, &form.based_on);
            match app.store.change_alarm((centre, alarm), &rule, app.live.now(), save).await {
                Ok(()) => {}
                Err(StoreError::SavedMeanwhile(first)) => {
                    let (saved, now) = kept(&app, &context, alarm).await?;
                    let differs = [format!("{} → {}", saved.rule.sentence(), rule.sentence())];
                    let message = edited::meanwhile(&first, &context, &differs);
                    let form = AlarmForm { based_on: now.based_on, ..form };
                    let wrong = FormErrors::of("based_on", message);
                    return refused(&shown(&app, &context, form, wrong, None).await?);
                }
                Err(error) => return Err(error.into()),
            }
        }
    }
    Ok(Redirect::to("/watch/alarms").into_response())
}

async fn try_out(
    app: &App,
    context: &RequestContext,
    rule: &AlarmRule,
) -> Result<String, PageError> {
    let now = app.live.now();
    let from = now.checked_sub((24 * TRIED_DAYS).hours()).unwrap_or(now);
    let rows = app.store.switch_rows(context.centre.id, from, now).await?;
    let zone = &context.centre.zone;
    let words = rule.sentence();
    Ok(match tried_on_the_past(rule, &rows) {
        None => format!(
            "{words}: this cannot be tried on the past, because the switch tells intervals and not every moment."
        ),
        Some(_) if rows.is_empty() => {
            format!("{words}: the switch has told no interval of the last four weeks yet.")
        }
        Some(rang) => {
            let first = rows.iter().map(|row| row.start).min().unwrap_or(now);
            let at: Vec<String> =
                rang.iter().take(6).map(|at| words::day_clock(*at, zone)).collect();
            let more = if rang.len() > at.len() { " …" } else { "" };
            let at =
                if at.is_empty() { String::new() } else { format!(" ({}{more})", at.join(", ")) };
            format!(
                "{words}: since {} it would have rung {}{at}.",
                words::day_clock(first, zone),
                match rang.len() {
                    0 => "not once".to_owned(),
                    1 => "once".to_owned(),
                    n => format!("{n} times"),
                }
            )
        }
    })
}

/// `POST /watch/alarms/{id}`
pub(crate) async fn act(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<ActForm>,
) -> Result<Response, PageError> {
    let centre = context.centre.id;
    match form.act.as_str() {
        "on" => app.store.switch_alarm(centre, id, true, app.live.now()).await?,
        "off" => app.store.switch_alarm(centre, id, false, app.live.now()).await?,
        "remove" => app.store.remove_alarm(centre, id).await?,
        "seen" => app.store.see_ring(centre, id, context.user.id).await?,
        _ => return Err(PageError::NotFound),
    }
    Ok(Redirect::to("/watch/alarms").into_response())
}
