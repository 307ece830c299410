//! `barometer search`: the cheapest people with which every target holds, from files into files.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use barometer_plan::{Rules, Searchable, TrialInputs, TrialTeam, TrialType};
use barometer_search::{
    Answer, Claim, DayKind, Prices, Promise, Question, SettingKnob, TeamKnob, search,
};
use barometer_simulate::{Cover, Demand, People, TypeDemand};
use barometer_strategy::Strategy;
use clap::Args;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::{csv_file, need, strategy_file, trial};

#[derive(Args)]
pub struct Options {
    /// The strategy as JSON, as the application exports it.
    #[arg(long)]
    strategy: PathBuf,
    /// The forecast as CSV, as `barometer trial` reads it.
    #[arg(long)]
    forecast: PathBuf,
    /// The people from which it begins, as CSV: interval_start, agents and team.
    #[arg(long)]
    cover: PathBuf,
    /// What the contacts of each type are like, as JSON.
    #[arg(long)]
    customers: Option<PathBuf>,
    /// What may change and what must hold, as TOML; without it every team may change, and every
    /// target holds on average.
    #[arg(long)]
    question: Option<PathBuf>,
    /// Zone of times without an offset, and of hours gates that name none.
    #[arg(long, default_value = "UTC")]
    zone: String,
    /// Folder for the results; made where it is missing.
    #[arg(long)]
    out: PathBuf,
}

/// A question as it is written.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Written {
    /// Share of days on which all targets hold; on average without it.
    promise: Option<f64>,
    /// Every target in each interval of the day, on average over days.
    every_interval: bool,
    block_minutes: Option<f64>,
    days: Option<u32>,
    fresh_days: Option<u32>,
    most_days: Option<u64>,
    seed: Option<u64>,
    /// By contact type.
    targets: BTreeMap<String, toml::Table>,
    /// By team id; the people of other teams stay.
    teams: BTreeMap<String, WrittenTeam>,
    settings: Vec<WrittenSetting>,
    /// Other kinds of day on which the design must hold too.
    day_kinds: Vec<DayKind>,
    /// What contacts cost beside people.
    prices: Prices,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenTeam {
    #[serde(default)]
    least: u32,
    most: u32,
    #[serde(default = "one")]
    cost_per_hour: f64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenSetting {
    /// The key of a setting, as a refusal lists them.
    setting: String,
    /// Of a choice without any, all others are tried.
    #[serde(default)]
    values: Vec<WrittenValue>,
}

/// A number, or what an option is called.
#[derive(Debug, Deserialize)]
#[serde(untagged)]
enum WrittenValue {
    Number(f64),
    Named(String),
}

fn one() -> f64 {
    1.0
}

/// Runs the command.
pub async fn run(options: Options) -> Result<()> {
    let zone = TimeZone::get(&options.zone)
        .with_context(|| format!("--zone {}: no such time zone", options.zone))?;
    let strategy = strategy_file::read(&options.strategy)?;
    let customers = options.customers.as_deref();
    let read =
        trial::demand_and_cover(&strategy, &options.forecast, &options.cover, customers, &zone);
    let (demand, cover) = read.await?;
    let written = options.question.as_deref().map(written).transpose()?.unwrap_or_default();
    let base = inputs(strategy, &demand, &cover, &written, &options)?;
    let question = question(base, &written)?;
    let answer = search(&question, |_| None)?;
    write(&options.out, &question, &answer).await?;
    let claim = match answer.claim {
        Claim::Holds => match answer.proof {
            Some(_) => "holds on fresh days; nothing cheaper is sure to (proven on simulated days)",
            None => "holds on fresh days; the best found",
        },
        Claim::NotSure => "is the best found; fresh days do not confirm it",
        Claim::OutOfReach => "does not hold: nothing within the bounds does",
    };
    println!(
        "cost {:.2}{}, {:.1} agent-hours (from {:.2}, {:.1}): {claim}",
        answer.best.cost,
        match question.prices.are_any() {
            true => format!(" ({:.2} of it for contacts)", answer.best.priced),
            false => String::new(),
        },
        answer.best.hours,
        answer.start.cost,
        answer.start.hours
    );
    Ok(())
}

fn written(path: &Path) -> Result<Written> {
    let text =
        std::fs::read_to_string(path).with_context(|| format!("reading {}", path.display()))?;
    toml::from_str(&text).with_context(|| format!("reading {}", path.display()))
}

/// The trial that the search begins from.
fn inputs(
    strategy: Strategy,
    demand: &Demand,
    cover: &Cover,
    written: &Written,
    options: &Options,
) -> Result<TrialInputs> {
    let known = |name: &String| demand.types.iter().any(|each| each.name == *name);
    if let Some(unknown) = written.targets.keys().find(|name| !known(name)) {
        bail!("targets.{unknown}: the forecast has no such contact type");
    }
    let usual = Rules { occupancy: None, ..Rules::STARTING };
    let of_type = |each: &TypeDemand| {
        let rules = match written.targets.get(&each.name) {
            Some(table) => {
                need::rules(usual, table).with_context(|| format!("targets.{}", each.name))?
            }
            None => usual,
        };
        Ok(TrialType {
            name: each.name.clone(),
            rules,
            customers: each.customers.clone(),
            intervals: each.intervals.clone(),
            arrivals: each.arrivals,
            luck: each.luck.clone(),
        })
    };
    let types = demand.types.iter().map(of_type).collect::<Result<Vec<_>>>()?;
    let mut teams = Vec::new();
    for team in &cover.teams {
        let People::Counted(agents) = &team.people else {
            bail!(
                "{}: a search needs numbers of people: interval_start, agents and team instead of \
                 agent, from and until",
                options.cover.display()
            );
        };
        teams.push(TrialTeam { team: team.team.clone(), agents: agents.clone(), occupancy: None });
    }
    let mut inputs = TrialInputs {
        strategy,
        start: demand.start,
        zone: options.zone.clone(),
        interval_secs: demand.interval_secs,
        types,
        teams,
        precision: None,
        replications: 200,
        seed: written.seed.unwrap_or(1),
    };
    for kind in 0..inputs.types.len() {
        let Some(ceiling) = inputs.types[kind].rules.occupancy else { continue };
        let home = inputs.home_of(kind).map(|team| team.team.clone());
        if let Some(team) = inputs.teams.iter_mut().find(|team| Some(&team.team) == home.as_ref()) {
            team.occupancy = Some(team.occupancy.map_or(ceiling, |known| known.min(ceiling)));
        }
    }
    Ok(inputs)
}

fn question(base: TrialInputs, written: &Written) -> Result<Question> {
    let all = Searchable::all(&base.strategy);
    let mut settings = Vec::new();
    for each in &written.settings {
        let Some(found) = all.iter().find(|known| known.setting.key() == each.setting) else {
            let known: Vec<String> = all.iter().map(|known| known.setting.key()).collect();
            bail!("settings: “{}” is none of: {}", each.setting, known.join(", "));
        };
        let value = |value: &WrittenValue| match value {
            WrittenValue::Number(number) => Ok(*number),
            WrittenValue::Named(name) => found.setting.named_value(name),
        };
        let values = each.values.iter().map(value).collect::<Result<Vec<f64>, String>>();
        let values =
            values.map_err(|error| anyhow::anyhow!("settings, {}: {error}", each.setting))?;
        let values = if values.is_empty() { found.other_options() } else { values };
        settings.push(SettingKnob { setting: found.setting.clone(), values });
    }
    let secs = base.interval_secs;
    let mut question = Question::about(base);
    if let Some(minutes) = written.block_minutes {
        let intervals = minutes * 60.0 / secs;
        if intervals < 1.0 || intervals.fract() != 0.0 {
            bail!("block_minutes must be a multiple of {} minutes, got {minutes}", secs / 60.0);
        }
        question.block_intervals = intervals as usize;
    }
    if !written.teams.is_empty() {
        let knobs = written.teams.iter().map(|(team, each)| TeamKnob {
            team: team.clone(),
            least: each.least,
            most: each.most,
            cost_per_hour: each.cost_per_hour,
        });
        question.teams = knobs.collect();
    }
    (question.settings, question.prices) = (settings, written.prices);
    question.day_kinds.clone_from(&written.day_kinds);
    question.promise = match (written.promise, written.every_interval) {
        (Some(_), true) => {
            bail!("promise and every_interval: choose one; a share of days is about whole days")
        }
        (Some(share), false) => Promise::OnShareOfDays(share),
        (None, true) => Promise::InEveryInterval,
        (None, false) => Promise::OnAverage,
    };
    question.days = written.days.unwrap_or(question.days);
    question.fresh_days = written.fresh_days.unwrap_or(question.fresh_days);
    question.most_days = written.most_days.unwrap_or(question.most_days);
    question.check()?;
    Ok(question)
}

async fn write(folder: &Path, question: &Question, answer: &Answer) -> Result<()> {
    std::fs::create_dir_all(folder)
        .with_context(|| format!("making the folder {}", folder.display()))?;
    let text = serde_json::to_string_pretty(answer)?;
    let path = folder.join("answer.json");
    std::fs::write(&path, text).with_context(|| format!("writing {}", path.display()))?;
    let inputs = answer.best.design.inputs(question, &answer.blocks);
    let inputs = inputs.map_err(|error| anyhow::anyhow!("{error}"))?;
    let starts: Vec<String> = inputs.starts().map(|start| start.to_string()).collect();
    let people = inputs.teams.iter().flat_map(|team| {
        starts
            .iter()
            .zip(&team.agents)
            .map(|(start, agents)| vec![start.clone(), team.team.clone(), agents.to_string()])
    });
    let columns = ["interval_start", "team", "agents"];
    csv_file::write(&folder.join("people.csv"), columns, people.collect()).await?;
    let tried = answer.tried.iter().map(|tried| {
        vec![
            format!("{:?}", tried.what).to_lowercase(),
            tried.cost.to_string(),
            tried.worst.to_string(),
            tried.days.to_string(),
        ]
    });
    let columns = ["part", "cost", "worst_target_share", "days"];
    csv_file::write(&folder.join("tried.csv"), columns, tried.collect()).await?;
    let frontier = answer.frontier.iter().map(|point| {
        vec![
            point.cost.to_string(),
            point.hours.to_string(),
            point.worst.to_string(),
            point.service_level.to_string(),
            point.days_held.to_string(),
        ]
    });
    let columns =
        ["cost", "agent_hours", "worst_target_share", "service_level_share", "days_held_share"];
    csv_file::write(&folder.join("frontier.csv"), columns, frontier.collect()).await
}
