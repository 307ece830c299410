//! Does the long work from the queue; what a job is stands in `barometer_app::runs`.

use std::collections::BTreeMap;
use std::time::{Duration, Instant};

use anyhow::Result;
use apalis::layers::WorkerBuilderExt;
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerError};
use barometer_app::clock::now;
use barometer_app::computing::{begin_workers, begin_workers_thread};
use barometer_app::release::publish_due;
use barometer_store::{Job, Store};
use clap::Args;
use tokio::sync::{oneshot, watch};
use uuid::Uuid;

use crate::database::DatabaseOptions;

/// Jobs that a worker does side by side: long searches leave room for trials, and a cancelled trial
/// has few parts under way.
const AT_ONCE: usize = 4;
/// How long a job waits for a database that is away.
const GIVE_UP_AFTER: Duration = Duration::from_secs(3600);
/// Between two looks for runs that nobody works on any more.
const LOOK_AFTER_EVERY: Duration = Duration::from_secs(30);

/// How long a worker that is told to stop finishes what it does; another takes up what is left.
const LAST_WORK: Duration = Duration::from_secs(8);

/// Between two looks for change sheets whose time has come.
const PUBLISH_EVERY: Duration = Duration::from_secs(10);

/// Options of a worker.
#[derive(Args, Clone, Copy)]
pub struct WorkerOptions {
    /// Seconds between two signs of life; after three without one a worker is taken for dead, and
    /// its trial is taken up by another.
    #[arg(long, default_value_t = 10, value_parser = clap::value_parser!(u64).range(1..=3600))]
    heartbeat_secs: u64,
    /// Cores on which trials are played; all of them unless said.
    #[arg(long, value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
    /// How far the workers of a server give way to its pages and to other programs: 0 not at all, 19 the most.
    #[arg(long, env = "BAROMETER_WORKER_NICENESS", default_value_t = 10,
        value_parser = clap::value_parser!(i32).range(0..=19))]
    worker_niceness: i32,
}

/// Plays trials until Ctrl-C or a termination signal.
pub async fn run_until_stopped(store: Store, options: WorkerOptions) -> Result<()> {
    store.migrate().await?;
    if let Some(threads) = options.threads {
        rayon::ThreadPoolBuilder::new().num_threads(threads.into()).build_global()?;
    }
    let (stop, stopped) = watch::channel(false);
    let work = tokio::spawn(run(store, options, stopped));
    stop_signal().await;
    stop.send_replace(true);
    work.await?
}

/// Works beside a server, in the same process: on threads and with connections of its own, which give way to pages.
/// Gives the end of it, which comes once it is told to stop.
pub fn run_beside(
    database: DatabaseOptions,
    options: WorkerOptions,
    stopped: watch::Receiver<bool>,
) -> Result<oneshot::Receiver<Result<()>>> {
    begin_workers(options.threads.map(usize::from), AT_ONCE, options.worker_niceness)?;
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .thread_name("worker")
        .on_thread_start(begin_workers_thread)
        .enable_all()
        .build()?;
    let (ended, end) = oneshot::channel();
    std::thread::Builder::new().name("worker".to_owned()).spawn(move || {
        begin_workers_thread();
        let done = runtime.block_on(async {
            let store = database.connect(true).await?;
            run(store, options, stopped).await
        });
        // What it computes in the middle of a job is left: another worker takes it up.
        runtime.shutdown_background();
        // The server may have ended before.
        drop(ended.send(done));
    })?;
    Ok(end)
}

/// How long a worker that lost the database waits before it tries again.
const TRY_AGAIN_AFTER: Duration = Duration::from_secs(3);

/// Plays trials until told to stop. A worker that fails (the database was away) is replaced.
pub async fn run(
    store: Store,
    options: WorkerOptions,
    stopped: watch::Receiver<bool>,
) -> Result<()> {
    tokio::spawn(look_after_abandoned(store.clone(), stopped.clone()));
    tokio::spawn(publish_in_time(store.clone(), stopped.clone()));
    while !*stopped.borrow() {
        let stop = stopped.clone();
        let stopping = async {
            told_to_stop(stop).await;
            Ok::<(), WorkerError>(())
        };
        // A name of its own: two workers on one database must not take each other for dead.
        let name = format!("trials-{}", Uuid::new_v4());
        let worker = WorkerBuilder::new(name.as_str())
            .backend(store.job_queue(Duration::from_secs(options.heartbeat_secs)))
            .data(store.clone())
            .concurrency(AT_ONCE)
            .build(work);
        let ended = tokio::select! {
            ended = worker.run_until(stopping) => ended,
            () = last_work_is_over(stopped.clone()) => {
                tracing::warn!("stopped in the middle of a job: another worker takes it up");
                break;
            }
        };
        if *stopped.borrow() {
            break;
        }
        tracing::warn!(?ended, "the worker stopped; another one begins");
        tokio::time::sleep(TRY_AGAIN_AFTER).await;
    }
    Ok(())
}

async fn told_to_stop(mut stopped: watch::Receiver<bool>) {
    // An error means that the sender is gone, which is a stop too.
    drop(stopped.wait_for(|stopped| *stopped).await);
}

async fn last_work_is_over(stopped: watch::Receiver<bool>) {
    told_to_stop(stopped).await;
    tokio::time::sleep(LAST_WORK).await;
}

/// Ctrl-C, or the signal with which services are stopped.
pub async fn stop_signal() {
    use tokio::signal::unix::{SignalKind, signal};
    let Ok(mut terminate) = signal(SignalKind::terminate()) else {
        drop(tokio::signal::ctrl_c().await);
        return;
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = terminate.recv() => {}
    }
}

/// Does a job. Where the database goes away in the middle, it is done again once it is back: the queue
/// could not be told of a failure either, and would take the job for one that is still being done.
async fn work(job: Job, store: Data<Store>) -> Result<(), BoxDynError> {
    let begun = Instant::now();
    loop {
        let Err(error) = barometer_app::runs::work(&store, job).await else { return Ok(()) };
        if begun.elapsed() > GIVE_UP_AFTER {
            return Err(error.into());
        }
        tracing::warn!(%error, "the database is away; the job is done again");
        tokio::time::sleep(TRY_AGAIN_AFTER).await;
    }
}

/// Now and then fails the runs that nobody works on any more, until told to stop.
async fn look_after_abandoned(store: Store, mut stopped: watch::Receiver<bool>) {
    loop {
        tokio::select! {
            _ = stopped.wait_for(|stopped| *stopped) => return,
            () = tokio::time::sleep(LOOK_AFTER_EVERY) => {}
        }
        match store.fail_abandoned_runs().await {
            Ok(0) => {}
            Ok(failed) => tracing::error!(failed, "runs failed: nobody finished them"),
            Err(error) => tracing::warn!(%error, "abandoned runs could not be looked for"),
        }
    }
}

/// Publishes change sheets when the time comes that they set, until told to stop. Of several workers one
/// publishes: the others find that it was done.
async fn publish_in_time(store: Store, mut stopped: watch::Receiver<bool>) {
    // What keeps a sheet from going live is told once, and again where it is something else.
    let mut told = BTreeMap::new();
    loop {
        tokio::select! {
            _ = stopped.wait_for(|stopped| *stopped) => return,
            () = tokio::time::sleep(PUBLISH_EVERY) => {}
        }
        match publish_due(&store, now()).await {
            Ok(done) => {
                for (number, outcome) in done {
                    match outcome {
                        Ok(()) => tracing::info!(number, "a change sheet went live in time"),
                        Err(why) if told.get(&number) == Some(&why) => {}
                        Err(why) => {
                            tracing::warn!(number, why, "a change sheet cannot go live");
                            told.insert(number, why);
                        }
                    }
                }
            }
            Err(error) => tracing::warn!(%error, "change sheets could not be looked through"),
        }
    }
}
