//! What a trial came to part by part: queues and hunt groups, teams, agents, labels, ways, waits.

use barometer_simulate::{Estimate, Names, Summary, WaitSketch};
use barometer_store::Trial;
use serde::Serialize;

use crate::charts;
use crate::page_error::PageError;
use crate::words;

pub(super) struct PartsView {
    pub lines: Vec<LineRow>,
    pub teams: Vec<TeamRow>,
    pub campaigns: Vec<CampaignRow>,
    pub agents: Vec<AgentRow>,
    pub labels: Vec<LabelRow>,
    pub flows: Vec<FlowRow>,
    pub waits: Vec<WaitRow>,
    pub wait_chart: String,
    pub wait_answer: String,
}

pub(super) struct LineRow {
    pub name: String,
    /// Where it is told what happened there.
    pub address: Option<String>,
    pub entered: String,
    pub answered: String,
    pub level: String,
    pub abandonment: String,
    pub full: String,
    pub too_long: String,
    pub no_staff: String,
    pub no_answer: String,
    pub callbacks: String,
    pub wait: String,
    pub length: String,
}

pub(super) struct TeamRow {
    pub name: String,
    pub hours: String,
    pub answered: String,
    pub occupancy: String,
    pub ringing: String,
}

pub(super) struct AgentRow {
    pub team: String,
    pub name: String,
    pub hours: String,
    pub answered: String,
    pub offers: String,
    pub occupancy: String,
}

pub(super) struct LabelRow {
    pub name: String,
    pub contacts: String,
    pub level: String,
    pub abandonment: String,
    pub answer: String,
}

pub(super) struct FlowRow {
    pub from: String,
    /// Where it is told what happened there.
    pub address: Option<String>,
    pub why: String,
    pub to: String,
    pub contacts: String,
    /// Share of the offered, in per cent, for a bar.
    pub share: f64,
}

pub(super) struct WaitRow {
    pub share: String,
    pub answered: String,
    pub abandoned: String,
}

/// Shares of contacts that waited at most so long: a curve for those answered, one for those lost.
#[derive(Serialize)]
struct WaitChart {
    answered: Vec<(f64, f64)>,
    abandoned: Vec<(f64, f64)>,
    within: f64,
}

impl PartsView {
    /// The parts, with the waits of the contact type at this place.
    pub fn of(trial: &Trial, summary: &Summary, kind: usize) -> Result<Self, PageError> {
        let experiment =
            trial.inputs.experiment().map_err(|error| PageError::Internal(Box::new(error)))?;
        let names = experiment.names();
        let (answered, abandoned) =
            (waits_of(summary.answer_waits(), kind), waits_of(summary.abandon_waits(), kind));
        let within = trial.inputs.types.get(kind).map_or(0.0, |each| each.rules.within_secs);
        let chart = WaitChart { answered: curve(&answered), abandoned: curve(&abandoned), within };
        Ok(Self {
            lines: line_rows(trial, names, summary),
            teams: team_rows(names, summary),
            campaigns: campaign_rows(names, summary),
            agents: agent_rows(names, summary),
            labels: label_rows(names, summary),
            flows: flow_rows(trial, names, summary),
            waits: wait_rows(&answered, &abandoned),
            wait_answer: wait_answer(&answered),
            wait_chart: charts::embedded(&chart)?,
        })
    }
}

/// Where a trial tells what happened at the step of this name; `None` where it has none.
fn address_of(trial: &Trial, name: &str) -> Option<String> {
    let step = trial.inputs.strategy.steps.iter().find(|step| step.name == name)?;
    Some(format!("/trials/{}/steps/{}", trial.id, step.id))
}

fn line_rows(trial: &Trial, names: &Names, summary: &Summary) -> Vec<LineRow> {
    let row = |(at, name): (usize, &String)| {
        let line = summary.of_service_point(at);
        let share = |share: Option<Estimate>| match share {
            Some(share) if share.mean > 0.0 => words::estimated_percent(Some(share)),
            _ => words::NONE.to_owned(),
        };
        LineRow {
            address: address_of(trial, name),
            name: name.clone(),
            entered: words::estimated_count(line.entered),
            answered: words::estimated_count(line.answered),
            level: words::estimated_percent(line.service_level),
            abandonment: words::estimated_percent(line.abandonment),
            full: share(line.full),
            too_long: share(line.too_long),
            no_staff: share(line.no_staff),
            no_answer: share(line.no_answer),
            callbacks: share(line.callbacks),
            wait: words::estimated_secs(line.wait_secs),
            length: format!("{:.2}", line.length.mean),
        }
    };
    names.service_points.iter().enumerate().map(row).collect()
}

fn team_rows(names: &Names, summary: &Summary) -> Vec<TeamRow> {
    let row = |(at, name): (usize, &String)| {
        let team = summary.of_team(at);
        TeamRow {
            name: name.clone(),
            hours: format!("{:.1}", team.staffed_hours.mean),
            answered: words::estimated_count(team.answered),
            occupancy: words::estimated_percent(team.occupancy),
            ringing: words::estimated_percent(team.ringing),
        }
    };
    names.teams.iter().enumerate().map(row).collect()
}

/// A campaign.
pub(super) struct CampaignRow {
    pub name: String,
    pub dials: String,
    pub conversations: String,
    pub abandoned: String,
    pub lost: String,
    pub days_over: String,
    pub busy: String,
    pub per_hour: String,
    pub lines: String,
    pub left: String,
}

fn campaign_rows(names: &Names, summary: &Summary) -> Vec<CampaignRow> {
    let row = |(at, name): (usize, &String)| {
        let campaign = summary.of_campaign(at);
        let decimal = |of: Option<Estimate>| {
            of.map_or_else(|| words::NONE.to_owned(), |of| words::one_decimal(of.mean))
        };
        let over = campaign.dates_over.map(|over| words::whole_percent(over.mean));
        CampaignRow {
            name: name.clone(),
            dials: words::estimated_count(campaign.dials),
            conversations: words::estimated_count(campaign.conversations),
            abandoned: words::estimated_percent(campaign.abandoned_share),
            lost: words::estimated_count(campaign.lost_to_detection),
            days_over: over.unwrap_or_else(|| words::NONE.to_owned()),
            busy: words::estimated_percent(campaign.utilisation),
            per_hour: decimal(campaign.per_agent_hour),
            lines: decimal(campaign.lines),
            left: words::thousands(campaign.left.mean),
        }
    };
    names.campaigns.iter().enumerate().map(row).collect()
}

fn agent_rows(names: &Names, summary: &Summary) -> Vec<AgentRow> {
    let agents = names.agents.iter().zip(summary.agents());
    agents
        .map(|((team, name), agent)| AgentRow {
            team: names.teams.get(usize::from(*team)).cloned().unwrap_or_default(),
            name: name.clone(),
            hours: format!("{:.1}", agent.staffed_hours.mean),
            answered: words::estimated_count(agent.answered),
            offers: words::estimated_count(agent.offers),
            occupancy: words::estimated_percent(agent.occupancy),
        })
        .collect()
}

fn label_rows(names: &Names, summary: &Summary) -> Vec<LabelRow> {
    let labels = names.labels.iter().zip(summary.labels());
    labels
        .map(|(name, label)| LabelRow {
            name: name.clone(),
            contacts: words::estimated_count(label.contacts),
            level: words::estimated_percent(label.service_level),
            abandonment: words::estimated_percent(label.abandonment),
            answer: words::estimated_secs(label.answer_secs),
        })
        .collect()
}

fn flow_rows(trial: &Trial, names: &Names, summary: &Summary) -> Vec<FlowRow> {
    let offered = summary.day().offered.mean.max(f64::MIN_POSITIVE);
    let flows = names.flows.iter().zip(summary.flows());
    flows
        .filter(|(_, contacts)| contacts.mean > 0.0)
        .map(|(name, contacts)| FlowRow {
            address: address_of(trial, &name.from),
            from: name.from.clone(),
            why: name.why.clone(),
            to: name.to.clone(),
            contacts: words::estimated_count(contacts),
            share: (contacts.mean / offered * 100.0).min(100.0),
        })
        .collect()
}

fn waits_of(waits: &[WaitSketch], kind: usize) -> WaitSketch {
    waits.get(kind).cloned().unwrap_or_default()
}

fn wait_rows(answered: &WaitSketch, abandoned: &WaitSketch) -> Vec<WaitRow> {
    let wait = |waits: &WaitSketch, share: f64| {
        waits.quantile(share).map_or_else(|| words::NONE.to_owned(), words::secs)
    };
    [("half", 0.5), ("80 %", 0.8), ("90 %", 0.9), ("95 %", 0.95), ("99 %", 0.99)]
        .into_iter()
        .map(|(name, share)| WaitRow {
            share: name.to_owned(),
            answered: wait(answered, share),
            abandoned: wait(abandoned, share),
        })
        .collect()
}

fn wait_answer(answered: &WaitSketch) -> String {
    match (answered.quantile(0.5), answered.quantile(0.9)) {
        (Some(half), Some(most)) => format!(
            "Half of those answered waited up to {}, nine in ten up to {}.",
            words::secs(half),
            words::secs(most)
        ),
        _ => "Nobody was answered.".to_owned(),
    }
}

/// Points of the curve "so many per cent waited at most so long".
fn curve(waits: &WaitSketch) -> Vec<(f64, f64)> {
    let all = waits.count() as f64;
    let mut sum = 0.0;
    waits
        .bins()
        .into_iter()
        .map(|(secs, count)| {
            sum += count as f64;
            (charts::tenth(secs), charts::tenth(sum / all * 100.0))
        })
        .collect()
}
