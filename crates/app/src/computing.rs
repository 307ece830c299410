//! Where computation runs. Pages compute in rayon's global pool; the workers of each lane have a pool of their own, at
//! lower priority the longer their work takes, so that a trial that takes every core leaves pages, and forecasts that
//! somebody waits for, nearly as quick as they were. Whatever the core does in parallel stays in the pool that it was
//! begun in.

use std::any::Any;
use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::OnceLock;
use std::thread::available_parallelism;

use barometer_store::Lane;
use rayon::{ThreadPool, ThreadPoolBuildError, ThreadPoolBuilder};
use tokio::sync::oneshot;

/// The pools of the workers in this process.
static QUICK: OnceLock<ThreadPool> = OnceLock::new();
static LONG: OnceLock<ThreadPool> = OnceLock::new();

const fn pool(lane: Lane) -> &'static OnceLock<ThreadPool> {
    match lane {
        Lane::Quick => &QUICK,
        Lane::Long => &LONG,
    }
}

thread_local! {
    /// The lane that the present thread works for; none if it works for pages.
    static LANE: Cell<Option<Lane>> = const { Cell::new(None) };
}

/// Something computed has panicked: a fault of ours.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct Panicked(pub String);

impl Panicked {
    fn of(panic: &(dyn Any + Send)) -> Self {
        let text = panic.downcast_ref::<&str>().map(|text| (*text).to_owned());
        let text = text.or_else(|| panic.downcast_ref::<String>().cloned());
        Self(text.unwrap_or_else(|| "a panic without a message".to_owned()))
    }
}

/// Makes the pool of a lane's workers, with `threads` to compute on (one for each core unless said) and one for each
/// of `jobs` that may hold one while it waits, at a `niceness` of 0 to 19: a thread at 0 gets some ten times the time
/// of one at 10, where both want it.
///
/// # Errors
///
/// [`ThreadPoolBuildError`] where the system gives no threads.
pub fn begin_workers(
    lane: Lane,
    threads: Option<usize>,
    jobs: usize,
    niceness: i32,
) -> Result<(), ThreadPoolBuildError> {
    let cores = threads.unwrap_or_else(|| available_parallelism().map_or(1, usize::from));
    let pool = ThreadPoolBuilder::new()
        .num_threads(cores + jobs.saturating_sub(1))
        .thread_name(move |nth| format!("{}-{nth}", lane.name()))
        .start_handler(move |_| begin_workers_thread(lane, niceness))
        .build()?;
    // Begun twice, the first pool stays.
    drop(self::pool(lane).set(pool));
    Ok(())
}

/// Makes the present thread one of a lane's workers: what it computes, or has computed, gives way to pages.
pub fn begin_workers_thread(lane: Lane, niceness: i32) {
    LANE.set(Some(lane));
    // Of this thread alone, on Linux. Where it is refused, the thread is as urgent as others.
    if let Err(error) = rustix::process::setpriority_process(None, niceness) {
        tracing::debug!(%error, "a worker's thread has the priority of pages");
    }
}

/// Computes something away from the threads that answer requests: among pages, or among the workers of a lane where one asks.
///
/// # Errors
///
/// [`Panicked`]
pub async fn computed<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Panicked> {
    let (done, result) = oneshot::channel();
    let work = move || {
        let worked = catch_unwind(AssertUnwindSafe(work));
        // Nobody may wait for it any more.
        drop(done.send(worked.map_err(|panic| Panicked::of(panic.as_ref()))));
    };
    match LANE.get().and_then(|lane| pool(lane).get()) {
        Some(workers) => workers.spawn(work),
        None => rayon::spawn(work),
    }
    result.await.unwrap_or_else(|_| Err(Panicked("it was not begun".to_owned())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rayon::prelude::*;

    fn place() -> (String, i32) {
        let name = std::thread::current().name().unwrap_or_default().to_owned();
        let kind = name.trim_end_matches(|end: char| end == '-' || end.is_ascii_digit());
        (kind.to_owned(), rustix::process::getpriority_process(None).unwrap())
    }

    fn everywhere() -> Vec<(String, i32)> {
        (0..64).into_par_iter().map(|_| place()).collect()
    }

    #[test]
    fn workers_compute_in_their_lanes_pool_at_lower_priority_and_pages_in_theirs() {
        let before = place();
        for (lane, niceness) in [(Lane::Quick, 4), (Lane::Long, 7)] {
            begin_workers(lane, Some(2), 1, niceness).unwrap();
            let runtime = tokio::runtime::Builder::new_multi_thread()
                .worker_threads(1)
                .on_thread_start(move || begin_workers_thread(lane, niceness))
                .build()
                .unwrap();
            let of_workers =
                runtime.block_on(runtime.spawn(computed(everywhere))).unwrap().unwrap();
            let here = (lane.name().to_owned(), niceness);
            assert!(of_workers.iter().all(|of| *of == here), "{of_workers:?}");
        }
        let is_workers = |of: &(String, i32)| Lane::ALL.iter().any(|lane| of.0 == lane.name());
        let pages = tokio::runtime::Runtime::new().unwrap();
        let of_pages = pages.block_on(pages.spawn(computed(everywhere))).unwrap().unwrap();
        assert!(of_pages.iter().all(|of| !is_workers(of) && of.1 == before.1), "{of_pages:?}");
        // What is computed on the spot, as by a handler that forgot, does not wait for workers either.
        assert!(everywhere().iter().all(|of| !is_workers(of)));
        assert_eq!(place(), before);
    }

    #[tokio::test]
    async fn a_panic_is_told_and_the_pool_goes_on() {
        let told = computed(|| -> u32 { panic!("ours") }).await;
        assert_eq!(told, Err(Panicked("ours".to_owned())));
        assert_eq!(computed(|| 7).await, Ok(7));
    }
}
