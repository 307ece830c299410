//! One queue's contacts, and one team's agents.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_simulate::{PresentAt, PresentContact, PresentErrand, PresentWork};
use barometer_wire::SwitchState;

use super::board::for_secs;
use crate::App;
use crate::access::{RequestContext, SeesAgents};
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

#[derive(Template)]
#[template(path = "watch/queue.html")]
struct QueuePage {
    frame: Frame,
    tab: &'static str,
    name: String,
    answer: String,
    waiting: Vec<ContactRow>,
    with_agents: Vec<ContactRow>,
}

struct ContactRow {
    number: u32,
    contact_type: String,
    what: String,
    secs: String,
    in_all: String,
    labels: String,
    agent: String,
}

#[derive(Template)]
#[template(path = "watch/team.html")]
struct TeamPage {
    frame: Frame,
    tab: &'static str,
    name: String,
    answer: String,
    agents: Vec<AgentRow>,
}

struct AgentRow {
    name: String,
    doing: &'static str,
    secs: String,
    sort_secs: f64,
    with: String,
    answered: u32,
    against: String,
    is_outlier: bool,
}

fn state_of(app: &App) -> Result<std::sync::Arc<SwitchState>, PageError> {
    let state = app.live.view().borrow().state.clone();
    state.ok_or_else(|| {
        PageError::Refused("Nothing has been heard from the telephone switch yet.".to_owned())
    })
}

/// `GET /watch/queues/{step}`
pub(crate) async fn queue(
    State(app): State<App>,
    context: RequestContext,
    Path(step): Path<String>,
) -> Result<Response, PageError> {
    let state = state_of(&app)?;
    let queue = state.queues.iter().find(|queue| queue.step == step).ok_or(PageError::NotFound)?;
    let now = state.present.at_secs;
    let here = state.present.contacts.iter().filter(|contact| match &contact.at {
        PresentAt::Waiting { step: at, .. } => *at == step,
        PresentAt::WithAgent { step: at, .. } => at.as_deref() == Some(step.as_str()),
        _ => false,
    });
    let row = |contact| contact_row(contact, now, context.user.sees_agents);
    let (mut waiting, mut with_agents) = (Vec::new(), Vec::new());
    for contact in here {
        match contact.at {
            PresentAt::Waiting { .. } => waiting.push(row(contact)),
            _ => with_agents.push(row(contact)),
        }
    }
    let wait = queue.longest_wait_secs.map_or_else(String::new, |secs| {
        format!(", the one at the head of the line for {}", for_secs(secs))
    });
    let waits = waiting.len();
    page(&QueuePage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "queue",
        answer: format!(
            "At {} {} here{wait}; {} of {} members on shift are free.",
            words::clock(state.clock.now, &context.centre.zone),
            match waits {
                0 => "nobody waits".to_owned(),
                1 => "one contact waits".to_owned(),
                n => format!("{n} contacts wait"),
            },
            queue.free,
            queue.on_shift
        ),
        name: queue.name.clone(),
        waiting,
        with_agents,
    })
}

fn contact_row(contact: &PresentContact, now: f64, sees_agents: bool) -> ContactRow {
    let (what, since, agent) = match &contact.at {
        PresentAt::Waiting { since_secs, rings: true, .. } => ("rings", *since_secs, None),
        PresentAt::Waiting { since_secs, .. } => match contact.errand {
            PresentErrand::Callback { .. } => ("waits to be called back", *since_secs, None),
            PresentErrand::Work { .. } => ("message, waits to be worked on", *since_secs, None),
            _ => ("waits", *since_secs, None),
        },
        PresentAt::WithAgent { agent, since_secs, work, .. } => {
            let name = if sees_agents { agent.name.as_str() } else { "an agent" };
            (doing(*work), *since_secs, Some(name.to_owned()))
        }
        PresentAt::Step { .. } | PresentAt::Promised { .. } => ("", now, None),
    };
    ContactRow {
        number: contact.number,
        contact_type: contact.contact_type.clone(),
        what: what.to_owned(),
        secs: for_secs(now - since),
        in_all: contact
            .waiting_since_secs
            .map_or_else(|| words::NONE.to_owned(), |since| for_secs(now - since)),
        labels: contact.labels.join(", "),
        agent: agent.unwrap_or_default(),
    }
}

const fn doing(work: PresentWork) -> &'static str {
    match work {
        PresentWork::CallingBack => "calls back",
        PresentWork::Talking => "talks",
        PresentWork::WrappingUp => "writes up",
    }
}

/// An agent who has answered this share fewer or more than the team's mean is named.
const OUTLIER: f64 = 0.4;

/// `GET /watch/teams/{team}`: for those who may see single agents.
pub(crate) async fn team(
    State(app): State<App>,
    SeesAgents(context): SeesAgents,
    Path(id): Path<String>,
) -> Result<Response, PageError> {
    let state = state_of(&app)?;
    let team = state.teams.iter().find(|team| team.team == id).ok_or(PageError::NotFound)?;
    let now = state.present.at_secs;
    let of_team = state.present.agents.iter().filter(|agent| agent.agent.team == id);
    let agents: Vec<_> = of_team.collect();
    let answered: f64 = agents.iter().map(|agent| f64::from(agent.answered_today)).sum();
    let mean = answered / agents.len().max(1) as f64;
    let mut rows: Vec<AgentRow> = agents
        .into_iter()
        .map(|agent| {
            let held = state.present.contacts.iter().filter_map(|contact| match &contact.at {
                PresentAt::WithAgent { agent: with, since_secs, work, .. }
                    if *with == agent.agent =>
                {
                    Some((contact, *since_secs, *work))
                }
                _ => None,
            });
            let held: Vec<_> = held.collect();
            let first = held.iter().min_by(|one, other| one.1.total_cmp(&other.1));
            let (what, since) = match first {
                Some((_, since, work)) => (doing(*work), *since),
                None => ("free", agent.idle_since_secs),
            };
            let with: Vec<String> =
                held.iter().map(|(contact, ..)| contact.contact_type.clone()).collect();
            let off = if mean > 0.0 { f64::from(agent.answered_today) / mean - 1.0 } else { 0.0 };
            AgentRow {
                name: agent.agent.name.clone(),
                doing: what,
                secs: for_secs(now - since),
                sort_secs: now - since,
                with: with.join(", "),
                answered: agent.answered_today,
                against: words::change(off),
                is_outlier: off.abs() > OUTLIER && mean >= 5.0,
            }
        })
        .collect();
    rows.sort_by(|one, other| other.sort_secs.total_cmp(&one.sort_secs));
    let outliers = rows.iter().filter(|row| row.is_outlier).count();
    page(&TeamPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "team",
        answer: format!(
            "At {} {} of {} planned are on shift: {} free, {} talking, {} writing up. {}",
            words::clock(state.clock.now, &context.centre.zone),
            team.on_shift,
            team.planned,
            team.free,
            team.talking,
            team.wrapping_up,
            match outliers {
                0 => "Nobody has answered far more or fewer than the others.".to_owned(),
                1 => "One person has answered far more or fewer than the others.".to_owned(),
                n => format!(
                    "{} people have answered far more or fewer than the others.",
                    words::capitalised(&words::count_word(n))
                ),
            }
        ),
        name: team.name.clone(),
        agents: rows,
    })
}
