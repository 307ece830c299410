//! Does the long work from the queue: plays trials, makes forecasts.

use std::sync::Arc;
use std::time::{Duration, Instant};

use anyhow::Result;
use apalis::layers::WorkerBuilderExt;
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerError};
use barometer_plan::fit_shifts;
use barometer_store::{Job, RunState, SearchState, Store, StoreError, Trial};
use barometer_web::refresh_forecast;
use clap::Args;
use futures_util::stream::{self, StreamExt};
use tokio::sync::watch;
use uuid::Uuid;

/// Jobs that a worker does side by side: long searches leave room for trials, and a cancelled trial
/// has few parts under way.
const AT_ONCE: usize = 4;
/// Between two looks whether a part that is being played is still wanted.
const ASK_EVERY: Duration = Duration::from_secs(1);
/// How long a job waits for a database that is away.
const GIVE_UP_AFTER: Duration = Duration::from_secs(3600);
/// Forecasts that are made side by side.
const FORECASTS_AT_ONCE: usize = 3;

/// WorkerOptions of whatever plays trials.
#[derive(Args, Clone, Copy)]
pub struct WorkerOptions {
    /// Seconds between two signs of life; after three without one a worker is taken for dead, and
    /// its trial is taken up by another.
    #[arg(long, default_value_t = 10, value_parser = clap::value_parser!(u64).range(1..=3600))]
    heartbeat_secs: u64,
    /// Cores on which trials are played; all of them unless said.
    #[arg(long, value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
}

/// Plays trials until Ctrl-C or a termination signal.
pub async fn run_until_stopped(store: Store, options: WorkerOptions) -> Result<()> {
    store.migrate().await?;
    let (stop, stopped) = watch::channel(false);
    let work = tokio::spawn(run(store, options, stopped));
    stop_signal().await;
    stop.send_replace(true);
    work.await?
}

/// How long a worker that lost the database waits before it tries again.
const TRY_AGAIN_AFTER: Duration = Duration::from_secs(3);

/// Plays trials until told to stop. A worker that fails (the database was away) is replaced.
pub async fn run(
    store: Store,
    options: WorkerOptions,
    stopped: watch::Receiver<bool>,
) -> Result<()> {
    if let Some(threads) = options.threads {
        rayon::ThreadPoolBuilder::new().num_threads(threads.into()).build_global()?;
    }
    while !*stopped.borrow() {
        let mut stop = stopped.clone();
        let stopping = async move {
            // An error means that the sender is gone, which is a stop too.
            drop(stop.wait_for(|stopped| *stopped).await);
            Ok::<(), WorkerError>(())
        };
        // A name of its own: two workers on one database must not take each other for dead.
        let name = format!("trials-{}", Uuid::new_v4());
        let worker = WorkerBuilder::new(name.as_str())
            .backend(store.job_queue(Duration::from_secs(options.heartbeat_secs)))
            .data(store.clone())
            .concurrency(AT_ONCE)
            .build(work);
        let ended = worker.run_until(stopping).await;
        if *stopped.borrow() {
            break;
        }
        tracing::warn!(?ended, "the worker stopped; another one begins");
        tokio::time::sleep(TRY_AGAIN_AFTER).await;
    }
    Ok(())
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
        let done = match job {
            Job::Trial { trial, part } => play_trial(&store, trial, part).await,
            Job::Comparison { comparison, part } => play_comparison(&store, comparison, part).await,
            Job::Forecasts { forecast_run } => make_forecasts(&store, forecast_run).await,
            Job::Shifts { shift_search } => look_for_shifts(&store, shift_search).await,
        };
        let Err(error) = done else { return Ok(()) };
        let is_away = error.downcast_ref::<StoreError>().is_some_and(StoreError::is_away);
        if !is_away || begun.elapsed() > GIVE_UP_AFTER {
            return Err(error);
        }
        tracing::warn!(%error, "the database is away; the job is done again");
        tokio::time::sleep(TRY_AGAIN_AFTER).await;
    }
}

/// Makes all forecasts of a run, a few side by side. A worker that dies leaves the run to the
/// next one, which begins anew: a forecast made twice is the same forecast.
async fn make_forecasts(store: &Store, run: Uuid) -> Result<(), BoxDynError> {
    let seen = match store.forecast_run(run).await {
        Err(StoreError::NotFound) => return Ok(()),
        other => other?,
    };
    let Some(centre) = store.centre().await?.filter(|centre| centre.id == seen.centre_id) else {
        return Ok(());
    };
    let types = store.contact_types(centre.id).await?;
    let count = types.len();
    let mut made = stream::iter(types)
        .map(|contact_type| {
            let (store, zone) = (store.clone(), centre.zone.clone());
            async move { refresh_forecast(&store, &contact_type, &zone).await }
        })
        .buffer_unordered(FORECASTS_AT_ONCE);
    for done in 0..count {
        if !store.report_forecasts(run, done).await? {
            return Ok(());
        }
        if let Some(Err(error)) = made.next().await {
            store.end_forecast_run(run, RunState::Failed).await?;
            return Err(error.into());
        }
    }
    Ok(store.end_forecast_run(run, RunState::Done).await?)
}

/// Looks for shifts until the search's limit, or until somebody has seen enough. A worker that dies
/// leaves the search to the next one, which begins anew.
async fn look_for_shifts(store: &Store, id: Uuid) -> Result<(), BoxDynError> {
    let search = match store.shift_search(id).await {
        Err(StoreError::NotFound) => return Ok(()),
        other => other?,
    };
    if matches!(search.state, SearchState::Found | SearchState::Failed) {
        return Ok(());
    }
    let (limit, problem) = (Duration::from_secs(search.limit_secs.into()), search.problem);
    let (reporting, here) = (store.clone(), tokio::runtime::Handle::current());
    let fitted = tokio::task::spawn_blocking(move || {
        fit_shifts(&problem, limit, |progress| {
            // Where the database is away, the search goes on and says so later.
            here.block_on(reporting.report_shift_search(id, progress)).unwrap_or(true)
        })
    });
    match fitted.await? {
        Ok(roster) => store.end_shift_search(id, Ok(&roster)).await?,
        Err(error) => store.end_shift_search(id, Err(&error.to_string())).await?,
    }
    Ok(())
}

/// Plays a part of a comparison, or all of it, and ends the comparison once all parts are there.
async fn play_comparison(store: &Store, id: Uuid, part: Option<u32>) -> Result<(), BoxDynError> {
    let comparison = match store.comparison(id).await {
        Err(StoreError::NotFound) => return Ok(()),
        other => other?,
    };
    if comparison.state.is_over() {
        return Ok(());
    }
    let inputs = Arc::new(comparison.inputs);
    let parts = inputs.parts();
    let wanted = (0u32..).zip(&parts).filter(|(nth, _)| part.is_none_or(|part| part == *nth));
    for (nth, work) in wanted {
        if !store.begin_comparison(id).await? {
            return Ok(store.end_comparison(id, Ok(None)).await?);
        }
        if !store.has_comparison_part(id, nth).await? {
            let goes_on =
                asking(store.clone(), move |store| async move { store.begin_comparison(id).await });
            let (playing, work) = (inputs.clone(), work.clone());
            let played =
                tokio::task::spawn_blocking(move || playing.play_part(&work, goes_on)).await?;
            match played {
                Ok(Some(played)) => {
                    store.keep_comparison_part(id, (nth, parts.len()), &played).await?;
                }
                Ok(None) => return Ok(store.end_comparison(id, Ok(None)).await?),
                Err(error) => {
                    return Ok(store.end_comparison(id, Err(&error.to_string())).await?);
                }
            }
        }
        if store.count_comparison_parts(id).await? == parts.len() {
            let result = inputs.result_of(store.comparison_parts(id).await?);
            store.end_comparison(id, Ok(result.as_ref())).await?;
        }
    }
    Ok(())
}

/// Plays a part of a trial, or all of it, and ends the trial with what is there if that is enough.
async fn play_trial(store: &Store, id: Uuid, part: Option<u32>) -> Result<(), BoxDynError> {
    let trial = match store.trial(id).await {
        // Its contact type was deleted while it waited: nothing is left to do.
        Err(StoreError::NotFound) => return Ok(()),
        other => other?,
    };
    if trial.state.is_over() {
        return Ok(());
    }
    let experiment = match trial.inputs.experiment() {
        Ok(experiment) => Arc::new(experiment),
        Err(error) => return Ok(store.stop_trial(id, Some(&error.to_string())).await?),
    };
    let parts = trial.inputs.parts();
    for (nth, range) in (0u32..).zip(&parts).filter(|(nth, _)| part.is_none_or(|part| part == *nth))
    {
        if !store.begin_trial(id).await? {
            return Ok(store.stop_trial(id, None).await?);
        }
        if !store.has_part(id, nth).await? {
            let goes_on =
                asking(store.clone(), move |store| async move { store.begin_trial(id).await });
            let (playing, range) = (experiment.clone(), range.clone());
            let played =
                tokio::task::spawn_blocking(move || playing.play_part_while(range, goes_on));
            match played.await? {
                Ok(Some(summary)) => store.keep_part(id, nth, &summary).await?,
                Ok(None) => return Ok(store.stop_trial(id, None).await?),
                Err(error) => return Ok(store.stop_trial(id, Some(&error.to_string())).await?),
            }
        }
        finish_if_enough(store, &trial, parts.len()).await?;
    }
    Ok(())
}

/// Whether something that is being played is still wanted: asks the store about once a second. Where
/// the database is away it goes on; whether it is wanted shows when it is kept.
fn asking<A>(store: Store, ask: impl Fn(Store) -> A) -> impl FnMut() -> bool
where
    A: Future<Output = Result<bool, StoreError>>,
{
    let (here, mut asked) = (tokio::runtime::Handle::current(), Instant::now());
    move || {
        if asked.elapsed() < ASK_EVERY {
            return true;
        }
        asked = Instant::now();
        here.block_on(ask(store.clone())).unwrap_or(true)
    }
}

/// Merges the parts, always in the same order, once those that are needed are there.
async fn finish_if_enough(store: &Store, trial: &Trial, parts: usize) -> Result<(), BoxDynError> {
    if !store.begin_trial(trial.id).await? {
        return Ok(store.stop_trial(trial.id, None).await?);
    }
    let may_stop_early = trial.inputs.precision.is_some();
    if store.count_parts(trial.id).await? < parts && !may_stop_early {
        return Ok(());
    }
    if let Some(merged) = trial.inputs.merged(&store.parts_in_order(trial.id).await?) {
        store.finish_trial(trial.id, &merged).await?;
    }
    Ok(())
}
