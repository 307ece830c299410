//! The results of a trial as files: one row per figure, with its standard error.

use std::borrow::Cow;
use std::path::Path;

use anyhow::{Context, Result};
use barometer_simulate::{
    Demand, Estimate, EventLog, Experiment, LoggedEvent, Measures, Summary, What,
};
use barometer_strategy::Strategy;
use jiff::{SignedDuration, Timestamp};
use serde_json::Value;

use crate::headless::csv_file;

/// Everything that is written.
pub(super) struct Told<'a> {
    pub experiment: &'a Experiment,
    pub summary: &'a Summary,
    /// The same replications judged by further thresholds of the service level, in seconds.
    pub further: &'a [(f64, Summary)],
    pub demand: &'a Demand,
    pub warm_up_intervals: usize,
}

type Named = Vec<(Cow<'static, str>, Option<Estimate>)>;

const COLUMNS: [&str; 8] = [
    "part",
    "name",
    "interval_start",
    "measure",
    "mean",
    "standard_error",
    "half_width_95",
    "replications",
];

/// The share answered within a further threshold, named by it.
fn level_within(within_secs: f64, measures: Measures) -> Named {
    vec![(format!("service_level_within_{within_secs}_share").into(), measures.service_level)]
}

/// Measures under their own names.
fn own_names(named: Vec<(&'static str, Option<Estimate>)>) -> Named {
    named.into_iter().map(|(name, estimate)| (name.into(), estimate)).collect()
}

impl Told<'_> {
    /// Writes day.csv, intervals.csv, waits.csv and trial.json.
    pub async fn write(&self, folder: &Path, about: &Value) -> Result<()> {
        let day = self.day();
        csv_file::write(&folder.join("day.csv"), COLUMNS, day.clone()).await?;
        csv_file::write(&folder.join("intervals.csv"), COLUMNS, self.intervals()).await?;
        let waits = ["contact_type", "outcome", "at_most_secs", "contacts"];
        csv_file::write(&folder.join("waits.csv"), waits, self.waits()).await?;
        let figures = day.iter().map(|row| {
            let cells = COLUMNS.iter().zip(row).filter(|(_, cell)| !cell.is_empty());
            let value = |(column, cell): (&&str, &String)| {
                let number =
                    cell.parse::<f64>().ok().filter(|_| !matches!(*column, "part" | "name"));
                (
                    (*column).to_owned(),
                    number.map_or_else(|| Value::from(cell.as_str()), Value::from),
                )
            };
            cells.map(value).collect::<Value>()
        });
        let mut whole = about.clone();
        whole["figures"] = figures.collect();
        let path = folder.join("trial.json");
        std::fs::write(&path, serde_json::to_string_pretty(&whole)?)
            .with_context(|| format!("writing {}", path.display()))
    }

    /// Writes agents.csv: every agent, interval by interval.
    pub async fn write_agents(&self, folder: &Path) -> Result<()> {
        let mut rows = Vec::new();
        for (at, (_, name)) in self.experiment.names().agents.iter().enumerate() {
            for (interval, agent) in self.summary.agent_intervals(at).into_iter().enumerate() {
                self.push(&mut rows, ("agent", name), Some(interval), own_names(agent.named()));
            }
        }
        csv_file::write(&folder.join("agents.csv"), COLUMNS, rows).await
    }

    fn day(&self) -> Vec<Vec<String>> {
        let names = self.experiment.names();
        let summary = self.summary;
        let mut rows = Vec::new();
        self.push(&mut rows, ("all", ""), None, own_names(summary.day().named()));
        for (at, name) in names.types.iter().enumerate() {
            self.push(
                &mut rows,
                ("contact_type", name),
                None,
                own_names(summary.of_type(at).named()),
            );
        }
        for (within_secs, summary) in self.further {
            let level = |measures: Measures| level_within(*within_secs, measures);
            self.push(&mut rows, ("all", ""), None, level(summary.day()));
            for (at, name) in names.types.iter().enumerate() {
                self.push(&mut rows, ("contact_type", name), None, level(summary.of_type(at)));
            }
        }
        for (at, name) in names.service_points.iter().enumerate() {
            self.push(
                &mut rows,
                ("service_point", name),
                None,
                own_names(summary.of_service_point(at).named()),
            );
        }
        for (at, name) in names.teams.iter().enumerate() {
            self.push(&mut rows, ("team", name), None, own_names(summary.of_team(at).named()));
        }
        for (at, name) in names.campaigns.iter().enumerate() {
            let campaign = summary.of_campaign(at);
            self.push(&mut rows, ("campaign", name), None, own_names(campaign.named()));
        }
        for ((_, name), agent) in names.agents.iter().zip(summary.agents()) {
            self.push(&mut rows, ("agent", name), None, own_names(agent.named()));
        }
        for (name, label) in names.labels.iter().zip(summary.labels()) {
            self.push(&mut rows, ("label", name), None, own_names(label.named()));
        }
        for (flow, contacts) in names.flows.iter().zip(summary.flows()) {
            let name = format!("{} > {} > {}", flow.from, flow.why, flow.to);
            self.push(&mut rows, ("flow", &name), None, vec![("contacts".into(), Some(contacts))]);
        }
        rows
    }

    fn intervals(&self) -> Vec<Vec<String>> {
        let names = self.experiment.names();
        let summary = self.summary;
        let mut rows = Vec::new();
        let mut part = |part: (&str, &str), intervals: Vec<Named>| {
            for (interval, named) in intervals.into_iter().enumerate() {
                self.push(&mut rows, part, Some(interval), named);
            }
        };
        let of = |measures: Vec<barometer_simulate::Measures>| -> Vec<Named> {
            measures.iter().map(|each| own_names(each.named())).collect()
        };
        part(("all", ""), of(summary.intervals()));
        for (at, name) in names.types.iter().enumerate() {
            part(("contact_type", name), of(summary.type_intervals(at)));
        }
        for (within_secs, summary) in self.further {
            let levels = |measures: Vec<Measures>| -> Vec<Named> {
                measures.into_iter().map(|each| level_within(*within_secs, each)).collect()
            };
            part(("all", ""), levels(summary.intervals()));
            for (at, name) in names.types.iter().enumerate() {
                part(("contact_type", name), levels(summary.type_intervals(at)));
            }
        }
        for (at, name) in names.service_points.iter().enumerate() {
            let lines = summary.service_point_intervals(at);
            part(
                ("service_point", name),
                lines.iter().map(|line| own_names(line.named())).collect(),
            );
        }
        for (at, name) in names.teams.iter().enumerate() {
            let teams = summary.team_intervals(at);
            part(("team", name), teams.iter().map(|team| own_names(team.named())).collect());
        }
        for (at, name) in names.campaigns.iter().enumerate() {
            let campaigns = summary.campaign_intervals(at);
            part(
                ("campaign", name),
                campaigns.iter().map(|campaign| own_names(campaign.named())).collect(),
            );
        }
        rows
    }

    fn push(
        &self,
        rows: &mut Vec<Vec<String>>,
        (part, name): (&str, &str),
        interval: Option<usize>,
        named: Named,
    ) {
        let start = interval.map_or_else(String::new, |interval| self.start(interval));
        for (measure, estimate) in named {
            let Some(Estimate { mean, half_width, error }) = estimate else { continue };
            // Nothing is lost: the shortest text that reads back as the same number.
            let figure = |figure: Option<f64>| figure.map_or_else(String::new, |f| f.to_string());
            rows.push(vec![
                part.to_owned(),
                name.to_owned(),
                start.clone(),
                measure.into_owned(),
                mean.to_string(),
                figure(error),
                figure(half_width),
                self.summary.replications().to_string(),
            ]);
        }
    }

    fn start(&self, interval: usize) -> String {
        let interval = (self.warm_up_intervals + interval) as f64;
        let after = SignedDuration::from_secs_f64(interval * self.demand.interval_secs);
        let start: Timestamp = self.demand.start + after;
        start.to_zoned(self.demand.zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string()
    }

    fn waits(&self) -> Vec<Vec<String>> {
        let names = &self.experiment.names().types;
        let kinds = [
            ("answered", self.summary.answer_waits()),
            ("abandoned", self.summary.abandon_waits()),
        ];
        let mut rows = Vec::new();
        for (outcome, sketches) in kinds {
            for (name, sketch) in names.iter().zip(sketches) {
                for (secs, contacts) in sketch.bins() {
                    rows.push(vec![
                        name.clone(),
                        outcome.to_owned(),
                        secs.to_string(),
                        contacts.to_string(),
                    ]);
                }
            }
        }
        rows
    }
}

/// Writes everything that happened in one replication as log-<replication>.csv.
pub(super) async fn write_event_log(
    folder: &Path,
    replication: u32,
    log: &EventLog,
    strategy: &Strategy,
    experiment: &Experiment,
) -> Result<()> {
    let names = experiment.names();
    let agent = |agent: u32| names.agents[agent as usize].1.clone();
    let row = |event: &LoggedEvent| {
        let (what, where_or_who) = match event.what {
            What::Arrived => ("arrived", String::new()),
            What::Reached { step } => ("reached", strategy.steps[usize::from(step)].name.clone()),
            What::Joined { service_point } => {
                ("joined", names.service_points[usize::from(service_point)].clone())
            }
            What::RingsAt { agent: at } => ("rings at", agent(at)),
            What::NotAnswered => ("not answered", String::new()),
            What::Answered { agent: by } => ("answered", agent(by)),
            What::Done { agent: by } => ("done", agent(by)),
            What::Ended { how } => ("ended", format!("{how:?}").to_lowercase()),
            What::CallbackPromised => ("callback promised", String::new()),
            What::AgentSignedIn { agent: who } => ("agent signed in", agent(who)),
            What::AgentSignedOut { agent: who } => ("agent signed out", agent(who)),
        };
        let is_contact =
            !matches!(event.what, What::AgentSignedIn { .. } | What::AgentSignedOut { .. });
        let contact = if is_contact { event.contact.to_string() } else { String::new() };
        let kind = if is_contact { names.of_kind(event.kind).to_owned() } else { String::new() };
        vec![event.at_secs.to_string(), contact, kind, what.to_owned(), where_or_who]
    };
    let columns = ["at_secs", "contact", "contact_type", "what", "where_or_who"];
    let rows = log.events.iter().map(row).collect();
    csv_file::write(&folder.join(format!("log-{replication}.csv")), columns, rows).await
}
