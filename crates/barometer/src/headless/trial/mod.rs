//! `barometer trial`: a strategy, a forecast and a cover in, what happens out. The files are described
//! in docs/trial-files.md.

mod columns;
mod cover;
mod forecast;
mod results;

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use barometer_simulate::{Demand, Experiment, Summary};
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
    /// Who is at work as CSV: interval_start, agents and team; or agent, from, until and team.
    #[arg(long)]
    cover: PathBuf,
    /// What the contacts of each type are like, as JSON (`barometer schema customers` describes it).
    #[arg(long)]
    customers: Option<PathBuf>,
    /// Days, or as many intervals as the forecast has, that are played.
    #[arg(long, default_value_t = 200)]
    replications: u32,
    /// Seed of all randomness: the same one gives the same bytes.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Threshold of the service level in seconds.
    #[arg(long, default_value_t = 20.0)]
    within_secs: f64,
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
    let strategy = read_strategy(&options.strategy)?;
    let customers = options.customers.as_deref().map(read_customers).transpose()?;
    let mut forecast = forecast::read(&options.forecast, customers.as_ref(), &zone).await?;
    forecast.demand.types.iter_mut().for_each(|each| each.within_secs = options.within_secs);
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
    let experiment = Experiment::new(
        &strategy,
        &forecast.demand,
        &cover.cover,
        options.replications,
        options.seed,
    )?;
    let summary = play(&experiment, options.precision)?;
    std::fs::create_dir_all(&options.out)
        .with_context(|| format!("making the folder {}", options.out.display()))?;
    let notes: Vec<String> = forecast.notes.into_iter().chain(cover.notes).collect();
    for note in &notes {
        eprintln!("note: {note}");
    }
    let told =
        results::Told { experiment: &experiment, summary: &summary, demand: &forecast.demand };
    told.write(&options.out, &about(&options, &strategy, &forecast.demand, &summary, &notes))
        .await?;
    for &replication in &options.log {
        let (_, log) = experiment.log(replication)?;
        results::write_event_log(&options.out, replication, &log, &strategy, &experiment).await?;
    }
    Ok(())
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
        "replications": summary.replications(),
        "seed": options.seed,
        "notes": notes,
    })
}

fn read_strategy(path: &Path) -> Result<Strategy> {
    let text =
        std::fs::read_to_string(path).with_context(|| format!("reading {}", path.display()))?;
    Strategy::from_json(&text).with_context(|| path.display().to_string())
}

fn read_customers(path: &Path) -> Result<CustomersFile> {
    let text =
        std::fs::read_to_string(path).with_context(|| format!("reading {}", path.display()))?;
    CustomersFile::from_json(&text).map_err(|error| anyhow::anyhow!("{}: {error}", path.display()))
}
