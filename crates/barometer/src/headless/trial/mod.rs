//! `barometer trial`: a strategy, a forecast and a cover in, what happens out. The files are described
//! in docs/trial-files.md.

mod columns;
mod cover;
mod forecast;
mod lists;
mod results;

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use barometer_simulate::{Counting, Cover, Demand, Experiment, Summary};
use barometer_strategy::{CustomersFile, Strategy};
use clap::Args;
use jiff::tz::TimeZone;

#[derive(Args)]
pub struct Options {
    /// The strategy as JSON, as the application exports it (`barometer schema` describes it).
    #[arg(long)]
    strategy: PathBuf,
    /// The forecast as CSV: interval_start and contacts (or mean), and where known contact_type (or
    /// series), handle_secs, patience_secs, and the bands p10 and p90.
    #[arg(long)]
    forecast: PathBuf,
    /// Who is on shift as CSV: interval_start, agents and team; or agent, from, until and team.
    #[arg(long)]
    cover: PathBuf,
    /// What the contacts of each type are like, as JSON (`barometer schema customers` describes it).
    #[arg(long)]
    customers: Option<PathBuf>,
    /// Whom a campaign calls, as CSV: number, and where known zone, country, priority, hours and attempts.
    /// Write CAMPAIGN=FILE where the strategy has several.
    #[arg(long)]
    lists: Vec<String>,
    /// Numbers that no campaign calls, as CSV: number.
    #[arg(long, requires = "lists")]
    do_not_call: Option<PathBuf>,
    /// Country, as two letters, of the lists' numbers that have no country code.
    #[arg(long, default_value = "", requires = "lists")]
    country: String,
    /// Days, or as many intervals as the forecast has, that are played.
    #[arg(long, default_value_t = 200)]
    replications: u32,
    /// Seed of all randomness: the same one gives the same bytes.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Thresholds of the service level in seconds, the first of which is the target's.
    #[arg(
        long,
        value_delimiter = ',',
        default_values_t = [20.0],
        allow_negative_numbers = true
    )]
    within_secs: Vec<f64>,
    /// Seconds at the beginning that are played and left out of all figures: whole intervals.
    #[arg(long, default_value_t = 0.0, allow_negative_numbers = true)]
    warm_up_secs: f64,
    /// Writes agents.csv: every agent, interval by interval.
    #[arg(long)]
    agents_by_interval: bool,
    /// Zone of times without an offset, and of hours gates that name none.
    #[arg(long, default_value = "UTC")]
    zone: String,
    /// Half-width of the service level's 95% confidence interval, as a share, at which to stop.
    #[arg(long)]
    precision: Option<f64>,
    /// Replications of which everything that happens is written, event by event: 0 is the first.
    #[arg(long, value_delimiter = ',')]
    log: Vec<u32>,
    /// Folder for the results; made where it is missing.
    #[arg(long)]
    out: PathBuf,
}

/// Replications between two looks at the precision. The sums do not depend on it.
const AT_A_TIME: u32 = 100;

/// Runs the command.
pub async fn run(options: Options) -> Result<()> {
    let zone = TimeZone::get(&options.zone)
        .with_context(|| format!("--zone {}: no such time zone", options.zone))?;
    let mut strategy = super::strategy_file::read(&options.strategy)?;
    let files = lists::ListFiles {
        lists: &options.lists,
        do_not_call: options.do_not_call.as_deref(),
        country: &options.country,
    };
    let list_notes = lists::give(&files, &mut strategy).await?;
    let customers = options.customers.as_deref().map(read_customers).transpose()?;
    let mut forecast = forecast::read(&options.forecast, customers.as_ref(), &zone).await?;
    let warm_up_intervals = checked(&options, &forecast.demand)?;
    set_threshold(&mut forecast.demand, options.within_secs[0]);
    let cover = cover::read(&options.cover, &strategy, &forecast.demand, &zone).await?;
    if let Some(wrong) = options.precision.filter(|wanted| !(1e-6..=0.5).contains(wanted)) {
        bail!("--precision must be a share from 0.000001 to 0.5, got {wrong}");
    }
    if let Some(beyond) = options.log.iter().find(|&&each| each >= options.replications) {
        bail!(
            "--log {beyond}: the replications are 0 to {}",
            options.replications.saturating_sub(1)
        );
    }
    let counting = Counting { warm_up_intervals, agents_by_interval: options.agents_by_interval };
    let prepare = |demand: &Demand, replications: u32| {
        Experiment::new(&strategy, demand, &cover.cover, replications, options.seed)?
            .counting(counting)
    };
    let experiment = prepare(&forecast.demand, options.replications)?;
    let summary = play(&experiment, options.precision)?;
    // The same customers again for each further threshold: only who is in time differs.
    let mut further = Vec::new();
    for &within_secs in &options.within_secs[1..] {
        let mut demand = forecast.demand.clone();
        set_threshold(&mut demand, within_secs);
        let experiment = prepare(&demand, summary.replications())?;
        further.push((within_secs, play(&experiment, None)?));
    }
    std::fs::create_dir_all(&options.out)
        .with_context(|| format!("making the folder {}", options.out.display()))?;
    let notes: Vec<String> =
        list_notes.into_iter().chain(forecast.notes).chain(cover.notes).collect();
    for note in &notes {
        eprintln!("note: {note}");
    }
    let told = results::Told {
        experiment: &experiment,
        summary: &summary,
        further: &further,
        demand: &forecast.demand,
        warm_up_intervals,
    };
    told.write(&options.out, &about(&options, &strategy, &forecast.demand, &summary, &notes))
        .await?;
    if options.agents_by_interval {
        told.write_agents(&options.out).await?;
    }
    for &replication in &options.log {
        let (_, log) = experiment.log(replication)?;
        results::write_event_log(&options.out, replication, &log, &strategy, &experiment).await?;
    }
    Ok(())
}

/// The premises that files of a forecast, a cover and customers make for a strategy.
pub(super) async fn premises(
    strategy: &Strategy,
    forecast: &Path,
    cover: &Path,
    customers: Option<&Path>,
    zone: &TimeZone,
) -> Result<barometer_preflight::Premises> {
    let (demand, cover) = demand_and_cover(strategy, forecast, cover, customers, zone).await?;
    Ok(barometer_plan::premises_of(&demand, &cover))
}

/// The demand and the cover in files; what was taken for granted in reading them goes to standard error.
pub(super) async fn demand_and_cover(
    strategy: &Strategy,
    forecast: &Path,
    cover: &Path,
    customers: Option<&Path>,
    zone: &TimeZone,
) -> Result<(Demand, Cover)> {
    let customers = customers.map(read_customers).transpose()?;
    let forecast = forecast::read(forecast, customers.as_ref(), zone).await?;
    let cover = cover::read(cover, strategy, &forecast.demand, zone).await?;
    for note in forecast.notes.iter().chain(&cover.notes) {
        eprintln!("note: {note}");
    }
    Ok((forecast.demand, cover.cover))
}

fn set_threshold(demand: &mut Demand, within_secs: f64) {
    demand.types.iter_mut().for_each(|each| each.within_secs = within_secs);
}

/// Checks thresholds and warm-up; gives the intervals of the latter.
fn checked(options: &Options, demand: &Demand) -> Result<usize> {
    let is_threshold = |secs: &f64| secs.is_finite() && *secs >= 0.0;
    if let Some(wrong) = options.within_secs.iter().find(|secs| !is_threshold(secs)) {
        bail!("--within-secs must be zero or more seconds, got {wrong}");
    }
    let intervals = options.warm_up_secs / demand.interval_secs;
    let is_whole = intervals.fract() == 0.0 && intervals >= 0.0;
    if !is_whole || intervals >= demand.len() as f64 {
        bail!(
            "--warm-up-secs must be whole intervals of {} s, fewer than the {} of the forecast, got {} s",
            demand.interval_secs,
            demand.len(),
            options.warm_up_secs
        );
    }
    Ok(intervals as usize)
}

/// Plays until the wanted precision, or all.
fn play(experiment: &Experiment, precision: Option<f64>) -> Result<Summary> {
    let mut summary = experiment.summary();
    let mut from = 0;
    while from < experiment.replications() {
        let until = (from + AT_A_TIME).min(experiment.replications());
        experiment.add_to(&mut summary, from..until)?;
        from = until;
        let half_width = summary.day().service_level.and_then(|level| level.half_width);
        if precision.zip(half_width).is_some_and(|(wanted, half_width)| half_width <= wanted) {
            break;
        }
    }
    Ok(summary)
}

/// What the results rest on.
fn about(
    options: &Options,
    strategy: &Strategy,
    demand: &Demand,
    summary: &Summary,
    notes: &[String],
) -> serde_json::Value {
    serde_json::json!({
        "strategy": strategy,
        "start": demand.start,
        "zone": options.zone,
        "interval_secs": demand.interval_secs,
        "intervals": demand.len(),
        "within_secs": options.within_secs,
        "warm_up_secs": options.warm_up_secs,
        "replications": summary.replications(),
        "seed": options.seed,
        "notes": notes,
    })
}

fn read_customers(path: &Path) -> Result<CustomersFile> {
    let text =
        std::fs::read_to_string(path).with_context(|| format!("reading {}", path.display()))?;
    CustomersFile::from_json(&text).map_err(|error| anyhow::anyhow!("{}: {error}", path.display()))
}
