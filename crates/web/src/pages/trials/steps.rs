//! One step in a finished trial: how often it decided what, and contacts of a simulated day that came by it.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{Followed, FollowedEnd, followed};
use barometer_simulate::{Estimate, Summary};
use barometer_store::Trial;
use jiff::SignedDuration;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use super::only_type;
use super::replay::{end_words, tell};
use crate::App;
use crate::access::RequestContext;
use crate::extract::{Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

/// Contacts that are shown.
const EXAMPLES: usize = 10;

#[derive(Template)]
#[template(path = "trials/step.html")]
struct StepPage {
    frame: Frame,
    question: String,
    answer: String,
    span: &'static str,
    ways: Vec<WayRow>,
    examples: Vec<ExampleRow>,
    replication: u32,
    replications: u32,
    trial: String,
    map: String,
}

/// A way that leads on from the step.
struct WayRow {
    why: String,
    to: String,
    contacts: String,
    share: String,
}

/// A contact that came by.
struct ExampleRow {
    at: String,
    contact_type: String,
    way: String,
    waited: String,
    became: String,
    walk: String,
}

#[derive(Deserialize)]
pub(crate) struct StepQuery {
    /// Which simulated day the contacts are of, counted from 1.
    #[serde(default)]
    replication: u32,
}

/// `GET /trials/{trial}/steps/{step}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path((id, step)): Path<(Uuid, String)>,
    Query(query): Query<StepQuery>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let context = RequestContext { day: trial.subject.day, ..context };
    let strategy = &trial.inputs.strategy;
    let place =
        strategy.steps.iter().position(|each| each.id == step).ok_or(PageError::NotFound)?;
    // A trial that is not finished, or was kept without its sums, has nothing to tell.
    let summary = app.store.trial_summary(id).await?.ok_or(PageError::NotFound)?;
    let replications = trial.inputs.replications;
    let replication = query.replication.clamp(1, replications.max(1));
    let (names, log, _) = tell(trial.inputs.clone(), replication - 1).await?;
    let contacts = followed(strategy, &names, &log, place, EXAMPLES);
    let name = &strategy.steps[place].name;
    let ways = ways(name, &names.flows, &summary);
    let span = match trial.subject.days {
        1 => "day",
        7 => "week",
        _ => "row of days",
    };
    let zone = &context.centre.zone;
    page(&StepPage {
        frame: Frame::of(&context, Stage::Trials, only_type(&trial.subject.contact_types)),
        question: format!("What happened at {name}?"),
        answer: answer(&ways, span),
        span,
        ways: rows(&ways),
        examples: contacts.iter().map(|each| example(&trial, each, zone)).collect(),
        replication,
        replications,
        trial: format!("/trials/{id}?day={}", context.day),
        map: format!(
            "/strategy?day={}&version={}&trial={id}&part=step.{step}",
            context.day, trial.version
        ),
    })
}

/// A way with its contacts per replication.
struct Way<'a> {
    why: &'a str,
    to: &'a str,
    contacts: Estimate,
}

/// The ways that lead on from a step, the one that most take first.
fn ways<'a>(
    step: &str,
    flows: &'a [barometer_simulate::FlowName],
    summary: &Summary,
) -> Vec<Way<'a>> {
    let mut ways: Vec<Way<'a>> = flows
        .iter()
        .zip(summary.flows())
        .filter(|(flow, contacts)| flow.from == step && contacts.mean > 0.0)
        .map(|(flow, contacts)| Way { why: &flow.why, to: &flow.to, contacts })
        .collect();
    ways.sort_by(|one, other| other.contacts.mean.total_cmp(&one.contacts.mean));
    ways
}

fn total(ways: &[Way<'_>]) -> f64 {
    ways.iter().map(|way| way.contacts.mean).sum()
}

fn answer(ways: &[Way<'_>], span: &str) -> String {
    let Some(first) = ways.first() else {
        return "No contact reached this step on any simulated day.".to_owned();
    };
    let all = total(ways);
    format!(
        "{} contacts a {span} reached it. Most of them, {}, went on by “{}” to {}.",
        words::thousands(all),
        words::percent(first.contacts.mean / all),
        first.why,
        first.to
    )
}

fn rows(ways: &[Way<'_>]) -> Vec<WayRow> {
    let all = total(ways);
    let row = |way: &Way<'_>| WayRow {
        why: way.why.to_owned(),
        to: way.to.to_owned(),
        contacts: words::estimated_count(way.contacts),
        share: words::percent(way.contacts.mean / all),
    };
    ways.iter().map(row).collect()
}

fn example(trial: &Trial, contact: &Followed, zone: &TimeZone) -> ExampleRow {
    let inputs = &trial.inputs;
    let name_of = |place: &usize| {
        inputs.strategy.steps.get(*place).map_or_else(String::new, |step| step.name.clone())
    };
    let way: Vec<String> = contact.way.iter().map(name_of).collect();
    let contact_type =
        inputs.types.get(contact.contact_type).map_or_else(String::new, |each| each.name.clone());
    let at = inputs.start + SignedDuration::from_secs_f64(contact.arrived_secs);
    ExampleRow {
        at: at.to_zoned(zone.clone()).strftime("%a %H:%M:%S").to_string(),
        way: way.join(" → "),
        waited: words::secs(contact.wait_secs),
        became: match contact.end {
            FollowedEnd::Answered => "answered".to_owned(),
            FollowedEnd::Ended(how) => end_words(how).to_owned(),
            FollowedEnd::StillThere => "still there at the end".to_owned(),
        },
        walk: walk(trial, contact, &contact_type, zone),
        contact_type,
    }
}

/// Where the same contact is walked through: with the people who were there.
fn walk(trial: &Trial, contact: &Followed, contact_type: &str, zone: &TimeZone) -> String {
    let at = trial.inputs.start + SignedDuration::from_secs_f64(contact.arrived_secs);
    let local = at.to_zoned(zone.clone());
    let mut fields = vec![
        ("day".to_owned(), local.date().to_string()),
        ("version".to_owned(), trial.version.to_string()),
        ("at".to_owned(), local.strftime("%H:%M").to_string()),
        ("contact_type".to_owned(), contact_type.to_owned()),
        ("keys".to_owned(), contact.keys.join("; ")),
        ("ahead".to_owned(), contact.ahead.to_string()),
    ];
    // Of those who were answered nobody knows how long they would have waited.
    let patience = match contact.end {
        FollowedEnd::Ended(barometer_simulate::End::Abandoned) => {
            words::plain_number(contact.wait_secs.round())
        }
        _ => String::new(),
    };
    fields.push(("patience".to_owned(), patience));
    if let Some(secs) = contact.handle_secs {
        fields.push(("handle_secs".to_owned(), words::plain_number(secs.round())));
    }
    for (team, (on_shift, busy)) in trial.inputs.strategy.teams.iter().zip(&contact.people) {
        if *on_shift > 0 {
            fields.push((format!("people.{}", team.id), on_shift.to_string()));
            fields.push((format!("busy.{}", team.id), busy.min(on_shift).to_string()));
        }
    }
    let fields: Vec<String> =
        fields.iter().map(|(name, value)| format!("{name}={}", words::in_address(value))).collect();
    format!("/strategy/walk?{}", fields.join("&"))
}
