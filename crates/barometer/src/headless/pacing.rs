//! `barometer pacing`: how many lines a team may ring for each free agent, and what a goal needs.

use std::path::PathBuf;

use anyhow::{Context, Result, bail};
use barometer_dialling::chain::{SteadyFigures, SteadyTeam};
use barometer_dialling::need::{CallMix, Goal};
use barometer_strategy::{Campaign, Strategy};
use clap::Args;
use serde_json::{Value, json};

use super::strategy_file;

#[derive(Args)]
pub struct Options {
    /// A strategy as JSON, whose campaign says what calls are like.
    file: Option<PathBuf>,
    /// The campaign's id; its only one where none is said.
    #[arg(long, requires = "file")]
    campaign: Option<String>,
    /// Agents on shift who are free for the campaign.
    #[arg(long)]
    agents: u32,
    /// Share of calls for which an agent is needed, 0 to 1.
    #[arg(long, required_unless_present = "file")]
    answered: Option<f64>,
    /// Mean seconds until a line is answered or given up.
    #[arg(long, required_unless_present = "file")]
    ring_secs: Option<f64>,
    /// Mean seconds of a conversation, wrap-up included.
    #[arg(long, required_unless_present = "file")]
    handle_secs: Option<f64>,
    /// The most that may be abandoned of what is answered, 0 to 1; the campaign's own where it is not said.
    #[arg(long)]
    ceiling: Option<f64>,
    /// Lines for each free agent to look at, beside the most that are safe.
    #[arg(long)]
    lines: Option<f64>,
    /// Conversations to reach, for what a goal needs.
    #[arg(long, requires_all = ["file", "hours"])]
    conversations: Option<f64>,
    /// Hours of dialling until then.
    #[arg(long)]
    hours: Option<f64>,
    /// As JSON.
    #[arg(long)]
    json: bool,
}

/// Share of calls that may find no free line.
const BLOCKED_SHARE: f64 = 0.01;
/// The ceiling where neither the campaign nor anybody else says one.
const USUAL_CEILING: f64 = 0.03;

/// Runs the command.
pub fn run(options: &Options) -> Result<()> {
    let strategy = options.file.as_deref().map(strategy_file::read).transpose()?;
    let campaign = strategy.as_ref().map(|strategy| campaign_of(strategy, options)).transpose()?;
    let mix = campaign.map(|campaign| CallMix::of(campaign, None));
    let given = |own: Option<f64>, of_mix: fn(&CallMix) -> f64| {
        own.or_else(|| mix.as_ref().map(of_mix)).unwrap_or(0.0)
    };
    let team = SteadyTeam {
        agents: options.agents,
        lines_per_agent: options.lines.unwrap_or(1.0),
        answered_share: given(options.answered, |mix| mix.agent_share),
        ring_secs: given(options.ring_secs, |mix| mix.ring_secs),
        handle_secs: given(options.handle_secs, |mix| mix.agent_secs),
    };
    let of_campaign = campaign.map(|campaign| campaign.abandoned_ceiling);
    let ceiling = options.ceiling.or(of_campaign).unwrap_or(USUAL_CEILING);
    if !(0.0..=1.0).contains(&ceiling) {
        bail!("--ceiling must be a share from 0 to 1, got {ceiling}");
    }
    let safe = team.safe_lines(ceiling)?;
    let mut rows = vec![row("safe", safe, &team.at(safe).solve()?)];
    if let Some(lines) = options.lines {
        rows.push(row("asked", lines, &team.solve()?));
    }
    let goal = goal(options, campaign, &team.at(safe).solve()?)?;
    if options.json {
        println!(
            "{}",
            serde_json::to_string_pretty(
                &json!({ "ceiling": ceiling, "pacing": rows, "goal": goal })
            )?
        );
        return Ok(());
    }
    println!(
        "pacing,lines_per_free_agent,abandoned_share,utilisation_share,conversations_per_hour,dials_per_hour,mean_ringing"
    );
    for row in &rows {
        let fields = FIELDS.map(|field| row[field].to_string().replace('"', ""));
        println!("{}", fields.join(","));
    }
    if let Value::Object(goal) = goal {
        println!("goal,value");
        goal.iter().for_each(|(name, value)| println!("{name},{value}"));
    }
    Ok(())
}

const FIELDS: [&str; 7] = [
    "pacing",
    "lines_per_free_agent",
    "abandoned_share",
    "utilisation_share",
    "conversations_per_hour",
    "dials_per_hour",
    "mean_ringing",
];

fn row(pacing: &str, lines: f64, figures: &SteadyFigures) -> Value {
    json!({
        "pacing": pacing,
        "lines_per_free_agent": lines,
        "abandoned_share": figures.abandoned_share,
        "utilisation_share": figures.utilisation,
        "conversations_per_hour": figures.conversations_per_hour,
        "dials_per_hour": figures.dials_per_hour,
        "mean_ringing": figures.ringing,
    })
}

fn campaign_of<'a>(strategy: &'a Strategy, options: &Options) -> Result<&'a Campaign> {
    match (&options.campaign, strategy.campaigns.as_slice()) {
        (Some(id), _) => {
            strategy.campaign(id).with_context(|| format!("there is no campaign “{id}”"))
        }
        (None, [only]) => Ok(only),
        (None, []) => bail!("the strategy has no campaign"),
        (None, several) => {
            let ids: Vec<&str> = several.iter().map(|campaign| campaign.id.as_str()).collect();
            bail!("say which with --campaign: {}", ids.join(", "))
        }
    }
}

fn goal(options: &Options, campaign: Option<&Campaign>, pace: &SteadyFigures) -> Result<Value> {
    let (Some(conversations), Some(hours), Some(campaign)) =
        (options.conversations, options.hours, campaign)
    else {
        return Ok(Value::Null);
    };
    let goal =
        Goal { conversations, hours, utilisation: pace.utilisation, blocked_share: BLOCKED_SHARE };
    let need = goal.need(campaign)?;
    Ok(json!({
        "conversations": conversations,
        "hours": hours,
        "agents": need.agents,
        "dials": need.dials,
        "people": need.people,
        "line_erlangs": need.line_erlangs,
        "lines": need.lines,
        "blocked_share": BLOCKED_SHARE,
    }))
}
