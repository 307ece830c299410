//! Named people: who they are, what they can, when they are away.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Agent, AgentStretch, NamedAgent, TimeOff};
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use super::cover::CoverPage;
use super::head::Tab;
use crate::App;
use crate::access::Planner;
use crate::extract::{Form, Path};
use crate::forms;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::words;

/// A person in the list.
pub(super) struct AgentRow {
    pub id: Uuid,
    pub name: String,
    pub team: String,
    pub skills: String,
    pub contract: String,
    pub hours: String,
    pub away: String,
}

/// Days away in the list.
pub(super) struct TimeOffRow {
    pub id: Uuid,
    pub name: String,
    pub days: String,
    pub why: String,
}

pub(super) fn agent_rows(
    agents: &[Agent],
    stretches: &[AgentStretch],
    away: &[TimeOff],
) -> Vec<AgentRow> {
    agents
        .iter()
        .map(|agent| {
            let own = stretches.iter().filter(|stretch| stretch.agent == agent.id);
            let secs: i64 = own.map(|each| each.end.as_second() - each.start.as_second()).sum();
            let off: Vec<String> = away
                .iter()
                .filter(|off| off.agent == agent.id)
                .map(|off| span_words(off.first_day, off.last_day))
                .collect();
            AgentRow {
                id: agent.id,
                name: agent.name.clone(),
                team: agent.team.clone(),
                skills: agent.skills.join(", "),
                contract: words::plain(agent.contract_hours),
                hours: format!("{:.1}", secs as f64 / 3600.0),
                away: off.join(", "),
            }
        })
        .collect()
}

pub(super) fn time_off_rows(agents: &[Agent], away: &[TimeOff]) -> Vec<TimeOffRow> {
    let name =
        |id: Uuid| agents.iter().find(|agent| agent.id == id).map(|agent| agent.name.clone());
    away.iter()
        .filter_map(|off| {
            Some(TimeOffRow {
                id: off.id,
                name: name(off.agent)?,
                days: span_words(off.first_day, off.last_day),
                why: off.why.clone(),
            })
        })
        .collect()
}

fn span_words(first: Date, last: Date) -> String {
    if first == last {
        words::full_date(first)
    } else {
        format!("{} – {}", words::full_date(first), words::full_date(last))
    }
}

/// A person as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct AgentForm {
    name: String,
    team: String,
    skills: String,
    contract_hours: String,
    day: String,
}

/// `POST /staffing/{contact_type}/agents`: adds a person, or changes the one of this name.
pub(crate) async fn add_agent(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<AgentForm>,
) -> Result<Response, PageError> {
    context.day = forms::day(&typed.day).unwrap_or(context.day);
    match typed.agent() {
        Ok(agent) => {
            app.store.save_agent(context.centre.id, &agent).await?;
            Ok(to_cover(id, context.day))
        }
        Err(wrong) => {
            let contact_type = app.store.contact_type(id).await?;
            let mut template = CoverPage::new(&app, &context, &contact_type).await?;
            template.agent_wrong = Some(wrong);
            refused(&template)
        }
    }
}

impl AgentForm {
    fn agent(&self) -> Result<NamedAgent, String> {
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > 80 {
            return Err("A name has 1 to 80 characters.".to_owned());
        }
        let contract_hours = match self.contract_hours.trim() {
            "" => None,
            text => {
                let hours = text.replace(',', ".").parse::<f64>().ok();
                let hours = hours.filter(|hours| *hours > 0.0 && *hours <= 80.0);
                Some(hours.ok_or("Contract hours are above 0 and at most 80 a week.")?)
            }
        };
        let team = self.team.trim();
        let skills = self.skills.split([',', ';']).map(str::trim).filter(|skill| !skill.is_empty());
        Ok(NamedAgent {
            name: name.to_owned(),
            team: (!team.is_empty()).then(|| team.chars().take(80).collect()),
            skills: skills.map(|skill| skill.chars().take(80).collect()).collect(),
            contract_hours,
            stretches: Vec::new(),
        })
    }
}

fn to_cover(contact_type: Uuid, day: Date) -> Response {
    Redirect::to(&format!("{}&saved=agents", Tab::Cover.address(contact_type, day))).into_response()
}

/// Where to go back to.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct BackForm {
    day: String,
}

/// `POST /staffing/{contact_type}/agents/{agent}/remove`
pub(crate) async fn remove_agent(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, agent)): Path<(Uuid, Uuid)>,
    Form(back): Form<BackForm>,
) -> Result<Response, PageError> {
    app.store.remove_agent(context.centre.id, agent).await?;
    Ok(to_cover(id, forms::day(&back.day).unwrap_or(context.day)))
}

/// Days away as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct TimeOffForm {
    agent: String,
    first_day: String,
    last_day: String,
    why: String,
    day: String,
}

/// `POST /staffing/{contact_type}/time-off`
pub(crate) async fn add_time_off(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<TimeOffForm>,
) -> Result<Response, PageError> {
    context.day = forms::day(&typed.day).unwrap_or(context.day);
    let read = || -> Result<(Uuid, Date, Date), &'static str> {
        let agent = typed.agent.parse().map_err(|_| "Choose who is away.")?;
        let first = forms::day(&typed.first_day).ok_or("Say on which day they are first away.")?;
        let last = match typed.last_day.trim() {
            "" => first,
            text => forms::day(text).ok_or("The last day must be a day.")?,
        };
        if last < first {
            return Err("The last day must not be before the first.");
        }
        Ok((agent, first, last))
    };
    match read() {
        Ok((agent, first, last)) => {
            let why: String = typed.why.trim().chars().take(80).collect();
            app.store.add_time_off(context.centre.id, agent, first, last, &why).await?;
            Ok(to_cover(id, context.day))
        }
        Err(wrong) => {
            let contact_type = app.store.contact_type(id).await?;
            let mut template = CoverPage::new(&app, &context, &contact_type).await?;
            template.agent_wrong = Some(wrong.to_owned());
            refused(&template)
        }
    }
}

/// `POST /staffing/{contact_type}/time-off/{entry}/remove`
pub(crate) async fn remove_time_off(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, entry)): Path<(Uuid, Uuid)>,
    Form(back): Form<BackForm>,
) -> Result<Response, PageError> {
    app.store.remove_time_off(context.centre.id, entry).await?;
    Ok(to_cover(id, forms::day(&back.day).unwrap_or(context.day)))
}
