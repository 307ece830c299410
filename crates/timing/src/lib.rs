//! Paired timings for `cargo bench`: the plain way and ours in turn, in the same run.
//!
//! A machine that other work slows down slows both, so the ratio holds where single times drift.
//! Used by benchmarks only; no test asserts on a time.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

use std::hint::black_box;
use std::time::{Duration, Instant};

/// Pairs that are counted; one more warms both sides up.
const PAIRS: usize = 15;

/// Times `plain` and `ours` in turn and prints both medians and the ratio between them, with the
/// range in which nine of ten pairs lie, and the ratio of the fastest runs of each, which other work
/// on the machine disturbs least.
pub fn compare<A, B>(what: &str, mut plain: impl FnMut() -> A, mut ours: impl FnMut() -> B) {
    let mut pairs: Vec<(Duration, Duration)> =
        (0..=PAIRS).map(|_| (time(&mut plain), time(&mut ours))).collect();
    pairs.remove(0);
    let mut ratios: Vec<f64> =
        pairs.iter().map(|(plain, ours)| plain.as_secs_f64() / ours.as_secs_f64()).collect();
    ratios.sort_by(f64::total_cmp);
    let plain = median(pairs.iter().map(|pair| pair.0).collect());
    let ours = median(pairs.iter().map(|pair| pair.1).collect());
    println!(
        "{what:<58} plain {:>10}   ours {:>10}   {:>8} (nine of ten pairs: {} to {}; fastest {} and {}: {})",
        shown(plain),
        shown(ours),
        times(ratios[PAIRS / 2]),
        times(ratios[1]),
        times(ratios[PAIRS - 2]),
        shown(fastest(&pairs, |pair| pair.0)),
        shown(fastest(&pairs, |pair| pair.1)),
        times(
            fastest(&pairs, |pair| pair.0).as_secs_f64()
                / fastest(&pairs, |pair| pair.1).as_secs_f64()
        ),
    );
}

/// Times one way of doing something, and prints its median.
pub fn measure<A>(what: &str, mut ours: impl FnMut() -> A) {
    time(&mut ours);
    let median = median((0..PAIRS).map(|_| time(&mut ours)).collect());
    println!("{what:<58} {:>10}", shown(median));
}

fn fastest(
    pairs: &[(Duration, Duration)],
    side: impl Fn(&(Duration, Duration)) -> Duration,
) -> Duration {
    pairs.iter().map(side).min().unwrap_or_default()
}

fn time<A>(work: &mut impl FnMut() -> A) -> Duration {
    let start = Instant::now();
    black_box(work());
    start.elapsed()
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort_unstable();
    times[times.len() / 2]
}

fn times(ratio: f64) -> String {
    if ratio < 10.0 { format!("{ratio:.2} x") } else { format!("{ratio:.0} x") }
}

fn shown(time: Duration) -> String {
    let micros = time.as_secs_f64() * 1e6;
    match micros {
        micros if micros < 1e3 => format!("{micros:.1} µs"),
        micros if micros < 1e6 => format!("{:.2} ms", micros / 1e3),
        micros => format!("{:.3} s", micros / 1e6),
    }
}
