//! Server, worker and database are killed at moments that chance chooses, while planners and scripts save. Then: is all that was
//! confirmed there, nothing twice, and every run at its end?

mod processes;
mod writers;

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use anyhow::{Result, bail};
use barometer_store::Store;
use clap::Args;
use rand::{RngExt, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::people::Server;
use processes::{Part, Processes};
use writers::Written;

/// Until runs that are under way at the end have to be over.
const PATIENCE: Duration = Duration::from_secs(300);

#[derive(Args)]
pub struct Options {
    #[command(flatten)]
    pub server: Server,
    /// The program that is started and killed.
    #[arg(long)]
    pub program: PathBuf,
    /// Where the server listens; the address of `--address`.
    #[arg(long, default_value = "127.0.0.1:4180")]
    pub listen: String,
    /// The database, with the demo.
    #[arg(long, env = "DATABASE_URL")]
    pub database_url: String,
    /// A shell command that starts PostgreSQL.
    #[arg(long)]
    pub start_database: String,
    /// PostgreSQL's `postmaster.pid`.
    #[arg(long)]
    pub database_pid: PathBuf,
    #[arg(long, default_value_t = 50)]
    kills: u32,
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

/// Kills, restarts, and looks.
pub async fn run(options: Options) -> Result<()> {
    let mut processes = Processes::start(&options).await?;
    let stop = Arc::new(AtomicBool::new(false));
    let store = Store::connect(&options.database_url, 4).await?;
    let writing = writers::begin(&options.server, &store, &stop).await?;
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(options.seed);
    let mut pause = async |least: u64, most: u64| {
        let millis = rng.random_range(least..most);
        tokio::time::sleep(Duration::from_millis(millis)).await;
        millis
    };
    let begun = Instant::now();
    let mut killed = [0; 3];
    for nth in 0..options.kills {
        let part = Part::ALL[pause(300, 3_000).await as usize % Part::ALL.len()];
        processes.kill(part).await?;
        killed[part as usize] += 1;
        println!("{nth}: {part:?} at {:.1} s", begun.elapsed().as_secs_f64());
        pause(0, 600).await;
        processes.start_again(part).await?;
    }
    stop.store(true, Ordering::Relaxed);
    let written = writing.finished().await?;
    println!(
        "killed: server {}, worker {}, database {} in {:.0} s",
        killed[0],
        killed[1],
        killed[2],
        begun.elapsed().as_secs_f64()
    );
    wait_for_runs(&store).await?;
    let faults = look(&store, &written).await?;
    processes.end().await;
    for fault in &faults {
        println!("FAULT {fault}");
    }
    if faults.is_empty() {
        Ok(())
    } else {
        bail!("{} things are not as they were confirmed", faults.len())
    }
}

async fn wait_for_runs(store: &Store) -> Result<()> {
    let begun = Instant::now();
    loop {
        let open = store.open_runs().await?;
        if open.is_empty() {
            return Ok(());
        }
        if begun.elapsed() > PATIENCE {
            bail!("{} runs are still not over", open.len());
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
}

/// What is not as it was confirmed.
async fn look(store: &Store, written: &Written) -> Result<Vec<String>> {
    let mut faults = written.faults.clone();
    let overlays = store.overlays(written.edited).await?;
    for (name, is_confirmed) in &written.overlays {
        let there = overlays.iter().filter(|overlay| overlay.name == *name).count();
        if there > 1 || (*is_confirmed && there == 0) {
            faults
                .push(format!("overlay {name} is there {there} times, confirmed: {is_confirmed}"));
        }
    }
    for (start, offered) in &written.intervals {
        let history = store.history_since(written.edited, *start).await?;
        let kept = history.first().filter(|interval| interval.start == *start);
        if kept.is_none_or(|interval| interval.offered != *offered) {
            faults.push(format!("the interval of {start} has {kept:?}, confirmed: {offered}"));
        }
    }
    let patience = store.contact_type(written.edited).await?.rules.patience_secs;
    if written.patience.iter().all(|possible| patience != Some(*possible)) {
        faults.push(format!(
            "patience is {patience:?}, confirmed or asked for last: {:?}",
            written.patience
        ));
    }
    let trials = store.latest_trials(None, 10_000).await?;
    for (seed, is_confirmed) in &written.trials {
        let mut ended = Vec::new();
        for line in trials.iter().filter(|line| line.run.work_total == writers::REPLICATIONS) {
            let trial = store.trial(line.id).await?;
            if trial.inputs.seed == *seed {
                ended.push((trial.run, store.trial_summary(line.id).await?));
            }
        }
        // Each seed is asked for twice, by two forms.
        if ended.len() > 2 || (*is_confirmed && ended.len() < 2) {
            faults.push(format!(
                "seed {seed} has {} trials, both confirmed: {is_confirmed}",
                ended.len()
            ));
        }
        for (run, summary) in &ended {
            if run.failure.is_some() || summary.is_none() {
                faults
                    .push(format!("a trial of seed {seed} is {:?}: {:?}", run.state, run.failure));
            }
        }
        if ended.windows(2).any(|pair| pair[0].1 != pair[1].1) {
            faults.push(format!("two trials of seed {seed} differ"));
        }
    }
    let failed = store.failed_runs(100).await?;
    faults
        .extend(failed.iter().map(|run| format!("a run failed: {:?} {:?}", run.kind, run.failure)));
    println!(
        "confirmed and looked at: {} overlays, {} intervals, {} saved targets, {} pairs of trials; {} answers were lost",
        written.overlays.values().filter(|is_confirmed| **is_confirmed).count(),
        written.intervals.len(),
        written.targets_saved,
        written.trials.values().filter(|is_confirmed| **is_confirmed).count(),
        written.answers_lost,
    );
    Ok(faults)
}
