//! Where computation runs. Pages compute in rayon's global pool; workers beside a server have a pool of their own, at
//! lower priority, so that a trial that takes every core leaves pages as quick as they were. Whatever the core does in
//! parallel stays in the pool that it was begun in.

use std::any::Any;
use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicI32, Ordering};
use std::thread::available_parallelism;

use rayon::{ThreadPool, ThreadPoolBuildError, ThreadPoolBuilder};
use tokio::sync::oneshot;

/// The nice value of a worker's threads: a thread at 0 gets some ten times the time of one at 10, where both want it.
static NICENESS: AtomicI32 = AtomicI32::new(0);

/// The pool of the workers in this process; none where they have the process to themselves.
static WORKERS: OnceLock<ThreadPool> = OnceLock::new();

thread_local! {
    static IS_WORKERS: Cell<bool> = const { Cell::new(false) };
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

/// Makes the pool of workers that share their process with pages, with `threads` to compute on (one for each
/// core unless said) and one for each of `jobs` that may hold one while it waits, at a `niceness` of 0 to 19.
///
/// # Errors
///
/// [`ThreadPoolBuildError`] where the system gives no threads.
pub fn begin_workers(
    threads: Option<usize>,
    jobs: usize,
    niceness: i32,
) -> Result<(), ThreadPoolBuildError> {
    NICENESS.store(niceness, Ordering::Relaxed);
    let cores = threads.unwrap_or_else(|| available_parallelism().map_or(1, usize::from));
    let pool = ThreadPoolBuilder::new()
        .num_threads(cores + jobs.saturating_sub(1))
        .thread_name(|nth| format!("worker-{nth}"))
        .start_handler(|_| begin_workers_thread())
        .build()?;
    // Begun twice, the first pool stays.
    drop(WORKERS.set(pool));
    Ok(())
}

/// Makes the present thread a worker's: what it computes, or has computed, gives way to pages.
pub fn begin_workers_thread() {
    IS_WORKERS.set(true);
    // Of this thread alone, on Linux. Where it is refused, the thread is as urgent as others.
    if let Err(error) = rustix::process::setpriority_process(None, NICENESS.load(Ordering::Relaxed))
    {
        tracing::debug!(%error, "a worker's thread has the priority of pages");
    }
}

/// Computes something away from the threads that answer requests: among pages, or among workers where one asks.
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
    match WORKERS.get().filter(|_| IS_WORKERS.get()) {
        Some(workers) => workers.spawn(work),
        None => rayon::spawn(work),
    }
    result.await.unwrap_or_else(|_| Err(Panicked("it was not begun".to_owned())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rayon::prelude::*;

    fn place() -> (bool, i32) {
        let name = std::thread::current().name().unwrap_or_default().starts_with("worker-");
        (name, rustix::process::getpriority_process(None).unwrap())
    }

    fn everywhere() -> Vec<(bool, i32)> {
        (0..64).into_par_iter().map(|_| place()).collect()
    }

    #[test]
    fn workers_compute_in_their_pool_at_lower_priority_and_pages_in_theirs() {
        let before = place();
        begin_workers(Some(2), 1, 7).unwrap();
        let runtime = tokio::runtime::Builder::new_multi_thread()
            .worker_threads(1)
            .on_thread_start(begin_workers_thread)
            .build()
            .unwrap();
        let of_workers = runtime.block_on(runtime.spawn(computed(everywhere))).unwrap().unwrap();
        assert!(of_workers.iter().all(|of| *of == (true, 7)), "{of_workers:?}");
        let pages = tokio::runtime::Runtime::new().unwrap();
        let of_pages = pages.block_on(pages.spawn(computed(everywhere))).unwrap().unwrap();
        assert!(of_pages.iter().all(|of| *of == (false, before.1)), "{of_pages:?}");
        // What is computed on the spot, as by a handler that forgot, does not wait for workers either.
        assert!(everywhere().iter().all(|of| !of.0));
        assert_eq!(place(), before);
    }

    #[tokio::test]
    async fn a_panic_is_told_and_the_pool_goes_on() {
        let told = computed(|| -> u32 { panic!("ours") }).await;
        assert_eq!(told, Err(Panicked("ours".to_owned())));
        assert_eq!(computed(|| 7).await, Ok(7));
    }
}
