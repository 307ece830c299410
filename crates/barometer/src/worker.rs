//! Does the long work from the queue; what a job is stands in `barometer_app::runs`.

use std::sync::Arc;
use std::time::{Duration, Instant};

use anyhow::Result;
use apalis::layers::WorkerBuilderExt;
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerError};
use barometer_app::computing::{begin_workers, begin_workers_thread};
use barometer_store::{Job, Lane, Store};
use clap::Args;
use tokio::sync::{oneshot, watch};
use uuid::Uuid;

use crate::database::DatabaseOptions;

/// Jobs that a lane's worker does side by side: long searches leave room for trials, and a cancelled trial
/// has few parts under way.
const AT_ONCE: usize = 4;
/// How long a job waits for a database that is away.
const GIVE_UP_AFTER: Duration = Duration::from_secs(3600);
/// Between two looks for runs that nobody works on any more.
const LOOK_AFTER_EVERY: Duration = Duration::from_secs(30);

/// How long a worker that is told to stop finishes what it does; another takes up what is left.
const LAST_WORK: Duration = Duration::from_secs(8);

/// Options of a worker.
#[derive(Args, Clone, Copy)]
pub struct WorkerOptions {
    /// Seconds between two signs of life; after three without one a worker is taken for dead, and
    /// its trial is taken up by another.
    #[arg(long, default_value_t = 10, value_parser = clap::value_parser!(u64).range(1..=3600))]
    heartbeat_secs: u64,
    /// Cores that trials and forecasts take; all of them unless said.
    #[arg(long, value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
    /// How far the trials of a server give way to its pages and to other programs: 0 not at all, 19 the most; forecasts,
    /// which somebody waits for, give way by half of it.
    #[arg(long, env = "BAROMETER_WORKER_NICENESS", default_value_t = 10,
        value_parser = clap::value_parser!(i32).range(0..=19))]
    worker_niceness: i32,
}

/// Does the long work until Ctrl-C or a termination signal, as a process of its own.
pub async fn run_until_stopped(
    store: Store,
    database: DatabaseOptions,
    options: WorkerOptions,
) -> Result<()> {
    store.migrate().await?;
    let (stop, stopped) = watch::channel(false);
    // No pages to give way to.
    let options = WorkerOptions { worker_niceness: 0, ..options };
    let work = begin(database, options, &stopped)?;
    tokio::pin!(work);
    tokio::select! {
        ended = &mut work => return ended,
        () = stop_signal() => {}
    }
    stop.send_replace(true);
    work.await
}

/// Begins a worker for each lane, on threads and with connections of its own: neither pages nor what somebody waits
/// for stand behind what takes long. Gives the end of them, which comes once they are told to stop.
pub fn begin(
    database: DatabaseOptions,
    options: WorkerOptions,
    stopped: &watch::Receiver<bool>,
) -> Result<impl Future<Output = Result<()>> + use<>> {
    let database = Arc::new(database);
    let lanes = Lane::ALL.map(|lane| begin_lane(lane, database.clone(), options, stopped.clone()));
    let ends = lanes.into_iter().collect::<Result<Vec<_>>>()?;
    Ok(async move {
        for end in ends {
            end.await??;
        }
        Ok(())
    })
}

fn begin_lane(
    lane: Lane,
    database: Arc<DatabaseOptions>,
    options: WorkerOptions,
    stopped: watch::Receiver<bool>,
) -> Result<oneshot::Receiver<Result<()>>> {
    let niceness = match lane {
        Lane::Quick => options.worker_niceness / 2,
        Lane::Long => options.worker_niceness,
    };
    begin_workers(lane, options.threads.map(usize::from), AT_ONCE, niceness)?;
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .thread_name(lane.name())
        .on_thread_start(move || begin_workers_thread(lane, niceness))
        .enable_all()
        .build()?;
    let (ended, end) = oneshot::channel();
    std::thread::Builder::new().name(lane.name().to_owned()).spawn(move || {
        begin_workers_thread(lane, niceness);
        let done = runtime.block_on(async {
            let store = database.connect(true).await?;
            if lane == Lane::Long {
                tokio::spawn(look_after_abandoned(store.clone(), stopped.clone()));
            }
            run(lane, store, options, stopped).await
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

/// Does a lane's jobs until told to stop. A worker that fails (the database was away) is replaced.
async fn run(
    lane: Lane,
    store: Store,
    options: WorkerOptions,
    stopped: watch::Receiver<bool>,
) -> Result<()> {
    while !*stopped.borrow() {
        let stop = stopped.clone();
        let stopping = async {
            told_to_stop(stop).await;
            Ok::<(), WorkerError>(())
        };
        // A name of its own: two workers on one database must not take each other for dead.
        let name = format!("{}-{}", lane.name(), Uuid::new_v4());
        let worker = WorkerBuilder::new(name.as_str())
            .backend(store.job_queue(lane, Duration::from_secs(options.heartbeat_secs)))
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
