//! One simulated day of a trial, event by event: a timeline, and a replay that can be stepped.

mod pacing;

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::TrialInputs;
use barometer_simulate::{End, EventLog, LoggedEvent, Names, PacingLog, What};
use jiff::SignedDuration;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::only_type;
use crate::App;
use crate::access::RequestContext;
use crate::charts;
use crate::exports;
use crate::extract::{Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use pacing::PacingData;
pub(crate) use pacing::pacing_csv;

/// More happens on larger days than a page can hold.
const MOST_EVENTS: usize = 200_000;

#[derive(Template)]
#[template(path = "trials/replay.html")]
struct ReplayPage {
    frame: Frame,
    question: String,
    answer: String,
    trial: String,
    address: String,
    replication: u32,
    replications: u32,
    /// The dates of the trial to choose from; empty where it has one.
    dates: Vec<DateOption>,
    secs: f64,
    data: String,
    /// Campaigns that dial, by name.
    campaigns: Vec<String>,
    csv: String,
    pacing_csv: String,
}

struct DateOption {
    nth: usize,
    name: String,
    is_chosen: bool,
}

#[derive(Deserialize)]
pub(crate) struct ReplayQuery {
    /// Counted from 1, as it is shown.
    #[serde(default)]
    replication: u32,
    /// Which of the trial's dates, from 0 on.
    #[serde(default)]
    date: usize,
}

impl ReplayQuery {
    /// The replication that is asked for, counted from 0.
    fn place(&self, inputs: &TrialInputs) -> u32 {
        self.replication.clamp(1, inputs.replications.max(1)) - 1
    }
}

/// What the replay is drawn from.
#[derive(Serialize)]
struct ReplayData<'a> {
    agents: Vec<&'a str>,
    lines: &'a [String],
    ends: [&'static str; 9],
    opens_minutes: i64,
    secs: f64,
    /// Threshold of the service level, by contact type.
    within_secs: Vec<f64>,
    /// When most contacts waited.
    busiest_secs: f64,
    /// Seconds, what, contact, and the agent, line or end that it is about.
    events: Vec<(f64, u8, u32, u32)>,
    /// How each campaign paces itself.
    pacing: Vec<PacingData<'a>>,
}

const ENDS: [&str; 9] = [
    "gives up",
    "is released",
    "gets the busy tone",
    "leaves a message",
    "is handed to an outside number",
    "is settled by the assistant",
    "cannot be called back",
    "is cut off",
    "answers, and no agent is free in time",
];

/// `GET /trials/{trial}/day?replication=…`: a simulated day from beginning to end.
pub(crate) async fn replay(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<ReplayQuery>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let context = RequestContext { day: trial.subject.day, ..context };
    let replication = query.place(&trial.inputs);
    let (names, log, decided) = tell(trial.inputs.clone(), replication).await?;
    let zone = &context.centre.zone;
    let dates = dates_of(&trial.inputs, zone);
    let chosen = query.date.min(dates.len().saturating_sub(1));
    let stretch = dates.get(chosen).cloned().ok_or(PageError::NotFound)?;
    let ends = dates.get(chosen + 1).map_or(f64::INFINITY, |next| next.from_secs);
    let log = clipped(&log, stretch.from_secs, ends);
    let opens = trial.inputs.start + SignedDuration::from_secs_f64(stretch.from_secs);
    let opens_local = opens.to_zoned(zone.clone());
    let secs = stretch.until_secs - stretch.from_secs;
    let (busiest_secs, most) = busiest(&log);
    let campaigns = trial.inputs.strategy.campaigns.iter().map(|each| each.connect_within_secs);
    let within = trial.inputs.types.iter().map(|each| each.rules.within_secs).chain(campaigns);
    let data = ReplayData {
        agents: names.agents.iter().map(|(_, name)| name.as_str()).collect(),
        lines: &names.service_points,
        ends: ENDS,
        opens_minutes: i64::from(opens_local.hour()) * 60 + i64::from(opens_local.minute()),
        secs,
        within_secs: within.collect(),
        busiest_secs,
        events: log.iter().filter_map(event).take(MOST_EVENTS).collect(),
        pacing: pacing::pacing_data(&trial.inputs, &decided, (stretch.from_secs, ends)),
    };
    let came = log.iter().filter(|each| each.what == What::Arrived).count();
    let at = opens + SignedDuration::from_secs_f64(busiest_secs);
    let day = match dates.len() {
        1 => format!("day {} of the trial", replication + 1),
        _ => format!("{} of replication {}", stretch.name, replication + 1),
    };
    let cut = match log.len() {
        more if more > MOST_EVENTS => " It is too full to be shown to its end.",
        _ => "",
    };
    page(&ReplayPage {
        frame: Frame::of(&context, Stage::Trials, only_type(&trial.subject.contact_types)),
        question: format!("How does {day} go?"),
        answer: match most {
            0 => format!("{} contacts arrive, and nobody waits.", words::thousands(came as f64)),
            most => format!(
                "{} contacts arrive; the most wait at {}: {most} at once.{cut}",
                words::thousands(came as f64),
                words::clock(at, zone)
            ),
        },
        trial: format!("/trials/{id}?day={}", trial.subject.day),
        address: format!("/trials/{id}/day"),
        replication: replication + 1,
        replications: trial.inputs.replications,
        dates: match dates.len() {
            1 => Vec::new(),
            _ => dates
                .into_iter()
                .enumerate()
                .map(|(nth, date)| DateOption { nth, name: date.name, is_chosen: nth == chosen })
                .collect(),
        },
        secs,
        campaigns: data.pacing.iter().map(PacingData::heading).collect(),
        data: charts::embedded(&data)?,
        pacing_csv: format!("/trials/{id}/pacing.csv?replication={}", replication + 1),
        csv: format!("/trials/{id}/day.csv?replication={}", replication + 1),
    })
}

/// When a date of a trial is open.
#[derive(Clone)]
struct OpenDate {
    name: String,
    from_secs: f64,
    until_secs: f64,
}

/// The dates of a trial on which anybody comes or is at work, in order.
fn dates_of(inputs: &TrialInputs, zone: &TimeZone) -> Vec<OpenDate> {
    let people = inputs.people();
    let mut dates: Vec<(Date, OpenDate)> = Vec::new();
    for (nth, start) in inputs.starts().enumerate() {
        let comes = inputs.types.iter().any(|each| each.intervals[nth].contacts > 0.0);
        if !comes && people[nth] == 0 {
            continue;
        }
        let date = start.to_zoned(zone.clone()).date();
        let from_secs = nth as f64 * inputs.interval_secs;
        let until_secs = from_secs + inputs.interval_secs;
        match dates.last_mut().filter(|(last, _)| *last == date) {
            Some((_, open)) => open.until_secs = until_secs,
            None => {
                let name = words::long_day(date);
                dates.push((date, OpenDate { name, from_secs, until_secs }));
            }
        }
    }
    dates.into_iter().map(|(_, open)| open).collect()
}

/// What happens from one time until another, counted from then on, after whatever makes up the state
/// in which it begins: who is at work, and who waits or talks.
fn clipped(log: &EventLog, from: f64, until: f64) -> Vec<LoggedEvent> {
    let mut here: BTreeMap<u32, LoggedEvent> = BTreeMap::new();
    let mut open: BTreeMap<u32, LoggedEvent> = BTreeMap::new();
    let mut clipped = Vec::new();
    for event in &log.events {
        if event.at_secs >= until {
            break;
        }
        if event.at_secs >= from {
            clipped.push(LoggedEvent { at_secs: event.at_secs - from, ..*event });
            continue;
        }
        let begins = LoggedEvent { at_secs: 0.0, ..*event };
        match event.what {
            What::AgentSignedIn { agent } => {
                here.insert(agent, begins);
            }
            What::AgentSignedOut { agent } => {
                here.remove(&agent);
            }
            What::Joined { .. } | What::Answered { .. } => {
                open.insert(event.contact, begins);
            }
            What::Done { .. } | What::Ended { .. } => {
                open.remove(&event.contact);
            }
            _ => {}
        }
    }
    here.into_values().chain(open.into_values()).chain(clipped).collect()
}

/// `GET /trials/{trial}/day.csv?replication=…`: all that happens on a simulated day.
pub(crate) async fn replay_csv(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<ReplayQuery>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let replication = query.place(&trial.inputs);
    let (names, log, _) = tell(trial.inputs.clone(), replication).await?;
    let row = |event: &LoggedEvent| {
        let (what, of) = said(event.what, &names);
        vec![format!("{:.3}", event.at_secs), event.contact.to_string(), what.to_owned(), of]
    };
    let rows = log.events.iter().map(row).collect();
    let heading = ["at_secs", "contact", "what", "where_or_who"];
    exports::csv(&format!("trial-day-{}.csv", replication + 1), &heading, rows).await
}

pub(super) async fn tell(
    inputs: TrialInputs,
    replication: u32,
) -> Result<(Names, EventLog, PacingLog), PageError> {
    let told = barometer_app::computing::computed(move || {
        let experiment = inputs.experiment().map_err(|error| error.to_string())?;
        let (log, pacing) = experiment.replay(replication).map_err(|error| error.to_string())?;
        Ok::<_, String>((experiment.names().clone(), log, pacing))
    });
    told.await
        .map_err(|error| PageError::Internal(Box::new(error)))?
        .map_err(|reason| PageError::Refused(format!("This day cannot be played: {reason}.")))
}

fn event(event: &LoggedEvent) -> Option<(f64, u8, u32, u32)> {
    let (code, of) = match event.what {
        What::Arrived => (0, u32::from(event.kind)),
        What::Joined { service_point } => (1, u32::from(service_point)),
        What::RingsAt { agent } => (2, agent),
        What::NotAnswered => (3, 0),
        What::Answered { agent } => (4, agent),
        What::Done { agent } => (5, agent),
        What::Ended { how } => (6, place_of(how)),
        What::AgentSignedIn { agent } => (7, agent),
        What::AgentSignedOut { agent } => (8, agent),
        What::Reached { .. } | What::CallbackPromised => return None,
    };
    Some((charts::tenth(event.at_secs), code, event.contact, of))
}

/// What has become of a contact that ended without an agent.
pub(super) const fn end_words(how: End) -> &'static str {
    ENDS[place_of(how) as usize]
}

const fn place_of(how: End) -> u32 {
    match how {
        End::Abandoned => 0,
        End::Released => 1,
        End::Blocked => 2,
        End::Voicemail => 3,
        End::Outside => 4,
        End::Contained => 5,
        End::CallbackFailed => 6,
        End::CutOff => 7,
        End::NotConnected => 8,
    }
}

fn said(what: What, names: &Names) -> (&'static str, String) {
    let agent = |agent: u32| names.agents[agent as usize].1.clone();
    match what {
        What::Arrived => ("arrived", String::new()),
        What::Reached { step } => ("reached step", (step + 1).to_string()),
        What::Joined { service_point } => {
            ("joined", names.service_points[usize::from(service_point)].clone())
        }
        What::RingsAt { agent: at } => ("rings at", agent(at)),
        What::NotAnswered => ("not answered", String::new()),
        What::Answered { agent: by } => ("answered", agent(by)),
        What::Done { agent: by } => ("done", agent(by)),
        What::Ended { how } => ("ended", end_words(how).to_owned()),
        What::CallbackPromised => ("callback promised", String::new()),
        What::AgentSignedIn { agent: who } => ("agent signed in", agent(who)),
        What::AgentSignedOut { agent: who } => ("agent signed out", agent(who)),
    }
}

/// When most contacts waited, and how many.
fn busiest(log: &[LoggedEvent]) -> (f64, usize) {
    let (mut waiting, mut most) = (std::collections::HashSet::new(), (0.0, 0));
    for event in log {
        match event.what {
            What::Joined { .. } => {
                waiting.insert(event.contact);
            }
            What::Answered { .. } | What::Ended { .. } => {
                // Whoever is answered at once has never waited: looked at before the next one comes.
                waiting.remove(&event.contact);
                continue;
            }
            _ => continue,
        }
        if waiting.len() > most.1 + 1 {
            most = (event.at_secs, waiting.len() - 1);
        }
    }
    most
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(at_secs: f64, contact: u32, what: What) -> LoggedEvent {
        LoggedEvent { at_secs, contact, kind: 0, what }
    }

    /// An agent who stays the night, one who goes home, a contact who waits through it and one who is
    /// done before.
    fn night() -> EventLog {
        let events = vec![
            at(0.0, 0, What::AgentSignedIn { agent: 3 }),
            at(0.0, 0, What::AgentSignedIn { agent: 4 }),
            at(10.0, 1, What::Arrived),
            at(10.0, 1, What::Joined { service_point: 2 }),
            at(20.0, 2, What::Arrived),
            at(20.0, 2, What::Joined { service_point: 2 }),
            at(25.0, 2, What::Answered { agent: 4 }),
            at(80.0, 2, What::Done { agent: 4 }),
            at(90.0, 0, What::AgentSignedOut { agent: 4 }),
            at(130.0, 1, What::Answered { agent: 3 }),
            at(250.0, 3, What::Arrived),
        ];
        EventLog { events }
    }

    #[test]
    fn a_date_begins_with_who_is_there_and_who_waits_and_ends_where_the_next_begins() {
        let clipped = clipped(&night(), 100.0, 200.0);
        let expected = [
            at(0.0, 0, What::AgentSignedIn { agent: 3 }),
            at(0.0, 1, What::Joined { service_point: 2 }),
            at(30.0, 1, What::Answered { agent: 3 }),
        ];
        assert_eq!(clipped, expected);
    }

    #[test]
    fn the_first_date_is_told_from_its_beginning() {
        let log = night();
        assert_eq!(clipped(&log, 0.0, f64::INFINITY), log.events);
        assert_eq!(busiest(&clipped(&log, 0.0, 100.0)), (20.0, 1));
    }

    #[test]
    fn only_what_the_picture_shows_is_sent_to_it() {
        let sent: Vec<_> = night().events.iter().filter_map(event).collect();
        assert_eq!(sent.len(), night().events.len());
        assert_eq!(sent[3], (10.0, 1, 1, 2));
        assert_eq!(event(&at(5.0, 1, What::CallbackPromised)), None);
    }
}
