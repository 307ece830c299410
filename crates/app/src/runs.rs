//! Long work: what a worker does with a job, and how every run ends.
//!
//! Whatever happens, a run ends: done with a result; cancelled, which wins over a result that comes
//! late; or failed with a reason, also where the core panics or where nobody finishes the job. Only a
//! database that is away leaves a run open: the job is then done again once it is back.

use std::sync::Arc;
use std::time::{Duration, Instant};

use barometer_plan::{ACCOUNT_DAYS, fit_shifts};
use barometer_search::{SearchError, search};
use barometer_store::{Job, Run, RunKind, Store, StoreError, Trial};
use futures_util::stream::{self, StreamExt};
use uuid::Uuid;

use crate::computing::{Panicked, computed};
use crate::demand::refresh_forecast;
use crate::{AppError, reports};

/// Between two looks whether a part that is being played is still wanted.
const ASK_EVERY: Duration = Duration::from_secs(1);
/// Between two reports of a search.
const REPORT_EVERY: Duration = Duration::from_millis(300);
/// Forecasts that are made side by side.
const FORECASTS_AT_ONCE: usize = 3;

/// Does a job. What fails for good is kept as the run's failure, and is no error here.
///
/// # Errors
///
/// [`StoreError`] when the database could not be asked: the job is to be done again.
pub async fn work(store: &Store, job: Job) -> Result<(), StoreError> {
    let own = store.clone();
    end_whatever_comes(store, job.run, async move { work_off(&own, job).await }).await
}

/// Lets a job be done, and fails its run where that ends with an error or a panic.
async fn end_whatever_comes(
    store: &Store,
    id: Uuid,
    job: impl Future<Output = Result<(), AppError>> + Send + 'static,
) -> Result<(), StoreError> {
    // In a task of its own, so that a panic is told like any other failure.
    let why = match tokio::spawn(job).await {
        Ok(Ok(())) => return Ok(()),
        // It was deleted while it waited: nothing is left to do.
        Ok(Err(AppError::Store(StoreError::NotFound))) => return Ok(()),
        Ok(Err(AppError::Store(error))) if error.is_away() => return Err(error),
        Ok(Err(error)) => reason(&error),
        Err(panic) => format!("an error in Barometer stopped it: {}", panic_message(panic)),
    };
    tracing::error!(run = %id, why, "a run failed");
    store.fail_run(id, &why).await
}

/// Does all jobs of all open runs in turn, as a single worker would.
///
/// # Errors
///
/// [`StoreError`] when the database fails.
pub async fn work_off_open(store: &Store) -> Result<(), StoreError> {
    for run in store.open_runs().await? {
        work(store, Job { run, part: None }).await?;
    }
    Ok(())
}

fn reason(error: &AppError) -> String {
    let mut said = error.to_string();
    let mut source = std::error::Error::source(error);
    while let Some(cause) = source {
        said = format!("{said}: {cause}");
        source = cause.source();
    }
    said
}

fn panic_message(error: tokio::task::JoinError) -> String {
    match error.try_into_panic() {
        Ok(panic) => panic
            .downcast_ref::<&str>()
            .map(|text| (*text).to_owned())
            .or_else(|| panic.downcast_ref::<String>().cloned())
            .unwrap_or_else(|| "it did not say why".to_owned()),
        Err(error) => error.to_string(),
    }
}

async fn work_off(store: &Store, job: Job) -> Result<(), AppError> {
    let run = store.run(job.run).await?;
    if run.state.is_over() {
        return Ok(());
    }
    if !store.begin_run(run.id).await? {
        return Ok(store.stop_run(run.id).await?);
    }
    match run.kind {
        RunKind::Trial => play_trial(store, run.id, job.part).await,
        RunKind::Comparison => play_comparison(store, run.id, job.part).await,
        RunKind::Forecasts => make_forecasts(store, &run).await,
        RunKind::Shifts => look_for_shifts(store, run.id).await,
        RunKind::Account => account_for_day(store, run.id).await,
        RunKind::Search => search_design(store, run.id).await,
        RunKind::Report => reports::make_edition(store, run.id).await,
        RunKind::Answer => answer_question(store, run.id).await,
        RunKind::Drawing => draw(store, run.id).await,
    }
}

/// Makes the forecasts of a run, a few side by side. A worker that dies leaves the run to the next one,
/// which begins again: a forecast made twice is the same forecast.
async fn make_forecasts(store: &Store, run: &Run) -> Result<(), AppError> {
    let Some(centre) = store.centre().await?.filter(|centre| centre.id == run.centre) else {
        return Ok(store.fail_run(run.id, "its contact centre is not there any more").await?);
    };
    let wanted = store.forecast_run_types(run.id).await?;
    let mut types = store.contact_types(centre.id).await?;
    types.retain(|each| wanted.as_ref().is_none_or(|wanted| wanted.contains(&each.id)));
    let count = types.len() as u32;
    let mut made = stream::iter(types)
        .map(|contact_type| {
            let (store, zone) = (store.clone(), centre.zone.clone());
            async move { refresh_forecast(&store, &contact_type, &zone).await }
        })
        .buffer_unordered(FORECASTS_AT_ONCE);
    for done in 0..count {
        if !store.report_run(run.id, done).await? {
            return Ok(store.stop_run(run.id).await?);
        }
        if let Some(made) = made.next().await {
            made?;
        }
    }
    Ok(store.end_forecast_run(run.id).await?)
}

/// Looks for shifts until the search's limit, or until somebody has seen enough. A worker that dies
/// leaves the search to the next one, which begins again.
async fn look_for_shifts(store: &Store, id: Uuid) -> Result<(), AppError> {
    let search = store.shift_search(id).await?;
    let (limit, begun) = (Duration::from_secs(search.run.work_total.into()), Instant::now());
    let (reporting, here) = (store.clone(), tokio::runtime::Handle::current());
    let fitted = computed(move || {
        fit_shifts(&search.problem, &|| limit.saturating_sub(begun.elapsed()), |progress| {
            // Where the database is away, the search goes on and says so later.
            let report = reporting.report_shift_search(id, begun.elapsed(), progress);
            here.block_on(report).unwrap_or(true)
        })
    });
    match in_task(fitted.await) {
        Ok(roster) => store.end_shift_search(id, &roster).await?,
        Err(error) => store.fail_run(id, &error.to_string()).await?,
    }
    Ok(())
}

/// Searches for the cheapest design. A worker that dies leaves it to the next one, which begins again and
/// comes to the same answer.
async fn search_design(store: &Store, id: Uuid) -> Result<(), AppError> {
    let question = store.search(id).await?.question;
    let (reporting, here) = (store.clone(), tokio::runtime::Handle::current());
    let mut asked = Instant::now();
    let found = computed(move || {
        search(&question, |progress| {
            if progress.days > 0 && asked.elapsed() < REPORT_EVERY {
                return None;
            }
            asked = Instant::now();
            // Where the database is away, the search goes on and says so later.
            here.block_on(reporting.report_search(id, progress)).unwrap_or(None)
        })
    });
    match in_task(found.await) {
        Ok(answer) => store.end_search(id, &answer).await?,
        Err(SearchError::Stopped(_)) => store.stop_run(id).await?,
        Err(error) => store.fail_run(id, &error.to_string()).await?,
    }
    Ok(())
}

/// Takes a day apart. A worker that dies leaves it to the next one, which begins again with the same numbers.
async fn account_for_day(store: &Store, id: Uuid) -> Result<(), AppError> {
    let inputs = store.account_inputs(id).await?;
    let (reporting, here) = (store.clone(), tokio::runtime::Handle::current());
    let found = computed(move || {
        // Where the database is away, the work goes on and says so later.
        let goes_on = |done, _| here.block_on(reporting.report_run(id, done)).unwrap_or(true);
        inputs.account(ACCOUNT_DAYS, goes_on)
    });
    match in_task(found.await) {
        Ok(Some(account)) => store.end_account(id, &account).await?,
        Ok(None) => store.stop_run(id).await?,
        Err(error) => store.fail_run(id, &error).await?,
    }
    Ok(())
}

/// Answers a question of a page. A worker that dies leaves it to the next one, which begins again.
async fn answer_question(store: &Store, id: Uuid) -> Result<(), AppError> {
    let (question, _) = store.question(id).await?;
    let (reporting, here) = (store.clone(), tokio::runtime::Handle::current());
    let mut asked = Instant::now();
    let found = computed(move || {
        question.answer(|done| {
            if done > 1 && asked.elapsed() < REPORT_EVERY {
                return true;
            }
            asked = Instant::now();
            // Where the database is away, the work goes on and says so later.
            here.block_on(reporting.report_run(id, done)).unwrap_or(true)
        })
    });
    match in_task(found.await) {
        Ok(Some(answer)) => store.end_answer(id, &answer).await?,
        Ok(None) => store.stop_run(id).await?,
        Err(error) => store.fail_run(id, &error).await?,
    }
    Ok(())
}

/// Draws a document or a picture, until nobody wants it any more. A worker that dies leaves it to the next one.
async fn draw(store: &Store, id: Uuid) -> Result<(), AppError> {
    let (page, as_what) = store.page_to_draw(id).await?;
    tokio::select! {
        drawn = reports::drawn(&page, as_what) => match drawn {
            Ok(bytes) => store.end_drawing(id, &bytes).await?,
            Err(error) => store.fail_run(id, &error.to_string()).await?,
        },
        () = not_wanted_any_more(store, id) => store.stop_run(id).await?,
    }
    Ok(())
}

/// Ends when somebody has asked a run to stop.
async fn not_wanted_any_more(store: &Store, id: Uuid) {
    // Where the database is away, the work goes on.
    while store.begin_run(id).await.unwrap_or(true) {
        tokio::time::sleep(ASK_EVERY).await;
    }
}

/// The result of a task on a thread of its own; its panic goes on here.
fn in_task<T>(done: Result<T, Panicked>) -> T {
    match done {
        Ok(done) => done,
        Err(Panicked(message)) => std::panic::resume_unwind(Box::new(message)),
    }
}

/// Plays a part of a comparison, or all of it, and ends the comparison once all parts are there.
async fn play_comparison(store: &Store, id: Uuid, part: Option<u32>) -> Result<(), AppError> {
    let inputs = Arc::new(store.comparison(id).await?.inputs);
    let parts = inputs.parts();
    let wanted = (0u32..).zip(&parts).filter(|(nth, _)| part.is_none_or(|part| part == *nth));
    for (nth, work) in wanted {
        if !store.begin_run(id).await? {
            return Ok(store.stop_run(id).await?);
        }
        if !store.has_run_part(id, nth).await? {
            let (playing, work, goes_on) =
                (inputs.clone(), work.clone(), asking(store.clone(), id));
            let played = computed(move || playing.play_part(&work, goes_on)).await;
            match in_task(played) {
                Ok(Some(played)) => store.keep_run_part(id, nth, 1, &played).await?,
                Ok(None) => return Ok(store.stop_run(id).await?),
                Err(error) => return Ok(store.fail_run(id, &error.to_string()).await?),
            }
        }
        if store.count_run_parts(id).await? == parts.len() {
            match inputs.result_of(store.comparison_parts(id).await?) {
                Some(result) => store.end_comparison(id, &result).await?,
                None => store.fail_run(id, "its parts do not fit together").await?,
            }
        }
    }
    Ok(())
}

/// Plays a part of a trial, or all of it, and ends the trial with what is there if that is enough.
async fn play_trial(store: &Store, id: Uuid, part: Option<u32>) -> Result<(), AppError> {
    let trial = store.trial(id).await?;
    let experiment = match trial.inputs.experiment() {
        Ok(experiment) => Arc::new(experiment),
        Err(error) => return Ok(store.fail_run(id, &error.to_string()).await?),
    };
    let parts = trial.inputs.parts();
    let wanted = (0u32..).zip(&parts).filter(|(nth, _)| part.is_none_or(|part| part == *nth));
    for (nth, range) in wanted {
        if !store.begin_run(id).await? {
            return Ok(store.stop_run(id).await?);
        }
        if !store.has_run_part(id, nth).await? {
            let (playing, range, goes_on) =
                (experiment.clone(), range.clone(), asking(store.clone(), id));
            let played = computed(move || playing.play_part_while(range, goes_on));
            match in_task(played.await) {
                Ok(Some(summary)) => {
                    store.keep_run_part(id, nth, summary.replications(), &summary).await?;
                }
                Ok(None) => return Ok(store.stop_run(id).await?),
                Err(error) => return Ok(store.fail_run(id, &error.to_string()).await?),
            }
        }
        finish_if_enough(store, &trial, parts.len()).await?;
    }
    Ok(())
}

/// Whether something that is being played is still wanted: asks the store about once a second. Where
/// the database is away it goes on; whether it is wanted shows when it is kept.
fn asking(store: Store, run: Uuid) -> impl FnMut() -> bool {
    let (here, mut asked) = (tokio::runtime::Handle::current(), Instant::now());
    move || {
        if asked.elapsed() < ASK_EVERY {
            return true;
        }
        asked = Instant::now();
        here.block_on(store.begin_run(run)).unwrap_or(true)
    }
}

/// Merges the parts, always in the same order, once those that are needed are there.
async fn finish_if_enough(store: &Store, trial: &Trial, parts: usize) -> Result<(), AppError> {
    if !store.begin_run(trial.id).await? {
        return Ok(store.stop_run(trial.id).await?);
    }
    let may_stop_early = trial.inputs.precision.is_some();
    if store.count_run_parts(trial.id).await? < parts && !may_stop_early {
        return Ok(());
    }
    if let Some(merged) = trial.inputs.merged(&store.trial_parts(trial.id).await?) {
        store.finish_trial(trial.id, &merged).await?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use barometer_store::RunState;
    use sqlx::PgPool;

    use super::*;

    async fn queued(pool: PgPool) -> (Store, Uuid) {
        let store = Store::on(pool);
        store.migrate().await.unwrap();
        let centre = store.add_centre("Test centre", "Europe/London").await.unwrap();
        let run = store.queue_forecast_run(centre, None).await.unwrap();
        (store, run)
    }

    #[sqlx::test(migrations = false)]
    async fn a_run_whose_work_panics_fails_with_what_the_panic_said(pool: PgPool) {
        let (store, run) = queued(pool).await;
        end_whatever_comes(&store, run, async { panic!("the {} is upside down", "roster") })
            .await
            .unwrap();
        let failed = store.run(run).await.unwrap();
        assert_eq!(failed.state, RunState::Failed);
        assert!(failed.failure.unwrap().ends_with("the roster is upside down"));
    }

    #[sqlx::test(migrations = false)]
    async fn a_run_whose_work_fails_says_why_and_what_caused_it(pool: PgPool) {
        let (store, run) = queued(pool).await;
        let cause = std::io::Error::other("no such day");
        end_whatever_comes(&store, run, async { Err(AppError::core(cause)) }).await.unwrap();
        let failed = store.run(run).await.unwrap();
        assert_eq!(failed.state, RunState::Failed);
        assert!(failed.failure.unwrap().contains("no such day"));
    }

    #[sqlx::test(migrations = false)]
    async fn a_cancelled_run_stays_cancelled_when_its_work_fails_later(pool: PgPool) {
        let (store, run) = queued(pool).await;
        assert!(store.begin_run(run).await.unwrap());
        store.cancel_run(run).await.unwrap();
        end_whatever_comes(&store, run, async { panic!("too late") }).await.unwrap();
        let over = store.run(run).await.unwrap();
        assert_eq!((over.state, over.failure), (RunState::Cancelled, None));
        // Nor does a job that comes later begin it again.
        work(&store, Job { run, part: Some(0) }).await.unwrap();
        assert_eq!(store.run(run).await.unwrap().state, RunState::Cancelled);
    }

    #[sqlx::test(migrations = false)]
    async fn a_run_that_no_job_is_left_for_is_failed_and_a_waiting_one_is_not(pool: PgPool) {
        let (store, lost) = queued(pool.clone()).await;
        sqlx::query("UPDATE runs SET created_at = now() - interval '1 hour'")
            .execute(&pool)
            .await
            .unwrap();
        assert_eq!(store.fail_abandoned_runs().await.unwrap(), 0, "its job waits");
        sqlx::query("UPDATE apalis.jobs SET status = 'Failed', attempts = max_attempts")
            .execute(&pool)
            .await
            .unwrap();
        assert_eq!(store.fail_abandoned_runs().await.unwrap(), 1);
        let failed = store.run(lost).await.unwrap();
        assert_eq!(failed.state, RunState::Failed);
        assert!(failed.failure.unwrap().contains("try again"));
        assert_eq!(store.fail_abandoned_runs().await.unwrap(), 0, "once is enough");
    }
}
