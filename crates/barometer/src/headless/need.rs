//! `barometer need`: a forecast in, people per interval out.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use barometer_plan::{ExactDay, IntervalLoad, Model, NeedSearch, Rules, Target, normal_quantile};
use barometer_queueing::{Outcome, Traffic};
use clap::Args;
use jiff::civil::DateTime;

use super::csv_file;

#[derive(Args)]
pub struct Options {
    /// The forecast as CSV: interval_start and mean (or contacts), and where known series,
    /// handle_secs and the bands p10 and p90. What `barometer forecast` writes will do.
    #[arg(long)]
    forecast: PathBuf,
    /// The targets as TOML: keys of docs/need-toml.md, with a table for each series that differs.
    #[arg(long)]
    targets: PathBuf,
    /// Where the needs go.
    #[arg(long)]
    out: PathBuf,
    /// Also works out the plan that holds every target in every interval of a day that never
    /// settles, day by day.
    #[arg(long)]
    every_interval: bool,
    /// Also works out the need of the load that is not exceeded with this chance (0.5 to 0.99), from
    /// the bands of the forecast.
    #[arg(long)]
    chance: Option<f64>,
}

/// One row of the forecast.
struct Row {
    series: String,
    start: String,
    day: String,
    /// Minutes since some midnight, to find the interval's length.
    minute: i64,
    load: IntervalLoad,
    band: Option<(f64, f64)>,
}

/// Runs the command.
pub async fn run(options: Options) -> Result<()> {
    if let Some(chance) = options.chance
        && !(0.5..=0.99).contains(&chance)
    {
        bail!("--chance must be 0.5 to 0.99, got {chance}");
    }
    let targets = Targets::read(&options.targets)?;
    let rows = read(&options.forecast, &targets).await?;
    let mut by_series: BTreeMap<&str, Vec<&Row>> = BTreeMap::new();
    rows.iter().for_each(|row| by_series.entry(&row.series).or_default().push(row));
    let mut lines = Vec::new();
    for (series, rows) in by_series {
        let rules = targets.of(series);
        let made = needs(&rows, rules, &options).with_context(|| {
            if series.is_empty() { "the forecast".into() } else { series.to_owned() }
        })?;
        lines.extend(made);
    }
    csv_file::write(&options.out, COLUMNS, lines).await
}

const COLUMNS: [&str; 15] = [
    "series",
    "interval_start",
    "contacts",
    "handle_secs",
    "offered_erlangs",
    "need_agents",
    "rostered_agents",
    "service_level_share",
    "abandonment_share",
    "answer_secs",
    "occupancy_share",
    "binding_target",
    "every_interval_agents",
    "every_interval_service_level_share",
    "need_at_chance_agents",
];

fn needs(rows: &[&Row], rules: &Rules, options: &Options) -> Result<Vec<Vec<String>>> {
    let secs = interval_secs(rows)?;
    let model = Model::for_rules(rules);
    if model == Model::Deadline {
        bail!("work with a deadline is worked out by `barometer queueing deadline`");
    }
    let mut search = NeedSearch::new(secs, rules, model)?;
    let mut sure = NeedSearch::new(secs, rules, model)?;
    let held = if options.every_interval { every_interval(rows, secs, rules)? } else { Vec::new() };
    rows.iter()
        .enumerate()
        .map(|(at, row)| {
            let said = || format!("interval {}", row.start);
            let agents = search.agents(row.load).with_context(said)?;
            let traffic = Traffic::per_interval(row.load.contacts, secs, row.load.handle_secs)?;
            let outcome = match agents {
                0 => None,
                agents => model.outcome(traffic, agents, rules)?,
            };
            let share = |of: fn(&Outcome) -> f64| {
                outcome.as_ref().map_or_else(String::new, |outcome| format!("{:.10}", of(outcome)))
            };
            let at_chance = match (options.chance, row.band) {
                (Some(chance), Some((p10, p90))) => {
                    let contacts = at_quantile(row.load.contacts, p10, p90, chance);
                    sure.agents(IntervalLoad { contacts, ..row.load })
                        .with_context(said)?
                        .to_string()
                }
                _ => String::new(),
            };
            let held = held.get(at);
            Ok(vec![
                row.series.clone(),
                row.start.clone(),
                row.load.contacts.to_string(),
                row.load.handle_secs.to_string(),
                format!("{:.10}", traffic.offered_erlangs()),
                agents.to_string(),
                rules.rostered(agents).to_string(),
                share(|outcome| outcome.service_level),
                share(|outcome| outcome.abandonment),
                share(|outcome| outcome.answer_secs),
                share(|outcome| outcome.occupancy),
                binding(traffic, agents, rules, model)?.to_owned(),
                held.map_or_else(String::new, |(agents, _)| agents.to_string()),
                held.map_or_else(String::new, |(_, level)| format!("{level:.10}")),
                at_chance,
            ])
        })
        .collect()
}

/// The target that one person fewer would miss, by name.
fn binding(traffic: Traffic, agents: u32, rules: &Rules, model: Model) -> Result<&'static str> {
    if agents == 0 {
        return Ok("");
    }
    let fewer = match agents - 1 {
        0 => None,
        fewer => model.outcome(traffic, fewer, rules)?,
    };
    let missed = fewer.and_then(|outcome| {
        rules.checks(&outcome).into_iter().find(|check| !check.is_met()).map(|check| check.target)
    });
    Ok(missed.map_or("stability", |target| match target {
        Target::ServiceLevel => "service_level",
        Target::AnswerSpeed => "answer_secs",
        Target::Abandonment => "abandonment",
        Target::Occupancy => "occupancy",
    }))
}

/// Day by day, the plan that holds in every interval: people and service level.
fn every_interval(rows: &[&Row], secs: f64, rules: &Rules) -> Result<Vec<(u32, f64)>> {
    let mut held = Vec::with_capacity(rows.len());
    for day in rows.chunk_by(|a, b| a.day == b.day) {
        let minutes = secs / 60.0;
        if let Some(gap) =
            day.windows(2).find(|pair| (pair[1].minute - pair[0].minute) as f64 != minutes)
        {
            bail!(
                "a plan that holds every interval needs days without gaps; there is one after {}",
                gap[0].start
            );
        }
        let loads: Vec<IntervalLoad> = day.iter().map(|row| row.load).collect();
        let exact = ExactDay::new(&loads, secs, rules).context(
            "a plan that holds every interval is known for Erlang A and C, and a service level of the offered",
        )?;
        let plan = exact.hold_every_interval(&mut |_| true)?.context("the search was stopped")?;
        let levels = plan.figures.iter().map(|figures| figures.service_level);
        held.extend(plan.agents.iter().copied().zip(levels));
    }
    Ok(held)
}

/// The quantile of a load whose logarithm is normal on either side of its middle.
fn at_quantile(mean: f64, p10: f64, p90: f64, chance: f64) -> f64 {
    const P90: f64 = 1.281_551_565_544_600_5;
    let score = normal_quantile(chance);
    if p90 <= 0.0 || p10 < 0.0 || mean <= 0.0 {
        return p90.max(mean);
    }
    let above = (p90 / mean).max(1.0).ln() / P90;
    mean * (above * score).exp()
}

fn interval_secs(rows: &[&Row]) -> Result<f64> {
    let step =
        rows.windows(2).map(|pair| pair[1].minute - pair[0].minute).filter(|step| *step > 0).min();
    match step {
        Some(minutes) if (1..=1440).contains(&minutes) => Ok(minutes as f64 * 60.0),
        _ => bail!(
            "the length of an interval cannot be seen: it takes two intervals in order of time"
        ),
    }
}

async fn read(path: &Path, targets: &Targets) -> Result<Vec<Row>> {
    let (heading, records) = csv_file::read(path).await?;
    let column = |name: &str| heading.iter().position(|each| each.trim() == name);
    let wanted = |name: &str| {
        column(name).with_context(|| format!("{} has no column {name}", path.display()))
    };
    let start_at = wanted("interval_start")?;
    let contacts_at = column("mean")
        .or(column("contacts"))
        .with_context(|| format!("{} has no column mean, nor contacts", path.display()))?;
    let (series_at, handle_at) =
        (column("series").or(column("contact_type")), column("handle_secs"));
    let (p10_at, p90_at) = (column("p10"), column("p90"));
    let mut rows = Vec::new();
    for record in &records {
        let line = rows.len() + 2;
        let cell = |at: Option<usize>| at.and_then(|at| record.get(at)).unwrap_or("").trim();
        let number = |at: Option<usize>, name: &str| -> Result<Option<f64>> {
            let text = cell(at);
            if text.is_empty() {
                return Ok(None);
            }
            let number =
                text.parse::<f64>().ok().filter(|number| number.is_finite() && *number >= 0.0);
            let number = number.with_context(|| {
                format!("row {line}, column {name}: “{text}” is no number from zero up")
            })?;
            Ok(Some(number))
        };
        let series = cell(series_at).to_owned();
        let start = cell(Some(start_at)).to_owned();
        let (day, minute) = place(&start).with_context(|| {
            format!("row {line}, column interval_start: “{start}” is no time such as 2026-11-26T09:30:00")
        })?;
        let contacts = number(Some(contacts_at), "mean")?
            .with_context(|| format!("row {line}, column mean: is empty; it needs the contacts"))?;
        let handle_secs = number(handle_at, "handle_secs")?
            .or(targets.handle_secs)
            .filter(|secs| *secs > 0.0)
            .with_context(|| {
                format!(
                    "row {line}, column handle_secs: needs a handle time above zero; give one here, or handle_secs in the targets"
                )
            })?;
        let band = number(p10_at, "p10")?.zip(number(p90_at, "p90")?);
        let load = targets.of(&series).load(IntervalLoad { contacts, handle_secs });
        rows.push(Row { series, start, day, minute, load, band });
    }
    if rows.is_empty() {
        bail!("{} has no intervals", path.display());
    }
    Ok(rows)
}

/// The day of a time, and its minutes by the clock since some midnight.
fn place(start: &str) -> Option<(String, i64)> {
    let local: String = start.chars().take(19).collect();
    let at: DateTime = local.replace(' ', "T").parse().ok()?;
    let days = i64::from(at.date().day_of_year()) + 366 * i64::from(at.year());
    let minutes = days * 1440 + i64::from(at.hour()) * 60 + i64::from(at.minute());
    Some((at.date().to_string(), minutes))
}

/// Targets by series.
struct Targets {
    handle_secs: Option<f64>,
    all: Rules,
    series: BTreeMap<String, Rules>,
}

impl Targets {
    fn read(path: &Path) -> Result<Self> {
        let text =
            std::fs::read_to_string(path).with_context(|| format!("reading {}", path.display()))?;
        Self::parse(&text).with_context(|| format!("reading {}", path.display()))
    }

    fn of(&self, series: &str) -> &Rules {
        self.series.get(series).unwrap_or(&self.all)
    }

    fn parse(text: &str) -> Result<Self> {
        let mut table: toml::Table = text.parse().context("this is no TOML")?;
        let series = table.remove("series");
        let handle_secs = match table.remove("handle_secs") {
            None => None,
            Some(value) => Some(number(&value).context("handle_secs must be a number of seconds")?),
        };
        let all = rules(Rules::STARTING, &table)?;
        let mut by_series = BTreeMap::new();
        if let Some(series) = series {
            let series = series.as_table().context("series must be a table of tables")?;
            for (name, table) in series {
                let table =
                    table.as_table().with_context(|| format!("series.{name} must be a table"))?;
                let of = rules(all, table).with_context(|| format!("series.{name}"))?;
                by_series.insert(name.clone(), of);
            }
        }
        Ok(Self { handle_secs, all, series: by_series })
    }
}

fn number(value: &toml::Value) -> Option<f64> {
    value.as_float().or(value.as_integer().map(|whole| whole as f64))
}

/// The rules of `base` with what `table` changes. "none" takes a ceiling away.
pub(super) fn rules(base: Rules, table: &toml::Table) -> Result<Rules> {
    let mut json = serde_json::to_value(base)?;
    let known = json.as_object_mut().context("rules are an object")?;
    for (key, value) in table {
        let optional = matches!(
            key.as_str(),
            "abandonment"
                | "occupancy"
                | "occupancy_floor"
                | "answer_secs"
                | "patience_secs"
                | "model"
                | "cost_per_hour"
        );
        let is_none = optional && value.as_str() == Some("none");
        if !known.contains_key(key) {
            let keys: Vec<_> = known.keys().cloned().collect();
            bail!("{key} is no target; use {}", keys.join(", "));
        }
        let value = if is_none { serde_json::Value::Null } else { serde_json::to_value(value)? };
        known.insert(key.clone(), value);
    }
    let rules: Rules = serde_json::from_value(json).context("a value of the wrong kind")?;
    rules.check().map_err(|errors| {
        let said: Vec<_> = errors.iter().map(ToString::to_string).collect();
        anyhow::anyhow!("{}", said.join("; "))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn targets_are_what_the_file_says_and_the_rest_as_usual() {
        let targets = Targets::parse(
            "service_level = 0.9\nabandonment = \"none\"\n[series.Chat]\nconcurrency = 2\nwithin_secs = 45",
        )
        .unwrap();
        assert_eq!((targets.of("x").service_level, targets.of("x").abandonment), (0.9, None));
        assert_eq!((targets.of("Chat").concurrency, targets.of("Chat").service_level), (2, 0.9));
    }

    #[test]
    fn a_wrong_target_is_named() {
        let said = |text| format!("{:#}", Targets::parse(text).err().unwrap());
        assert!(said("servicelevel = 0.9").contains("servicelevel is no target; use"));
        assert!(said("service_level = 80").contains("service_level: must be above 0"));
        assert!(said("[series.A]\nshrinkage = 1.0").contains("series.A"));
    }

    #[test]
    fn the_ninetieth_percentile_of_a_band_is_its_edge() {
        assert!((at_quantile(100.0, 80.0, 125.0, 0.9) - 125.0).abs() < 1e-9);
        assert_eq!(at_quantile(100.0, 80.0, 125.0, 0.5), 100.0);
    }
}
