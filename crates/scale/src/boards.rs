//! Many boards open at the same time: how long after the first the last of them has a new state.

use std::collections::{HashMap, HashSet};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::time::{Duration, Instant};

use anyhow::Result;
use clap::Args;
use futures_util::future::join_all;

use crate::people::{Person, Server};

#[derive(Args)]
pub struct Options {
    #[command(flatten)]
    server: Server,
    /// Boards that are open.
    #[arg(long, default_value_t = 200)]
    boards: u32,
    /// How long they stay open, in seconds.
    #[arg(long, default_value_t = 60)]
    secs: u64,
}

/// Opens boards and tells how far apart they hear of the same state.
pub async fn run(options: Options) -> Result<()> {
    let person = options.server.sign_in().await?;
    let begun = Instant::now();
    let until = begun + Duration::from_secs(options.secs);
    let heard = join_all((0..options.boards).map(|_| watch(person.clone(), begun, until))).await;
    let mut heard: Vec<Vec<(u64, f64)>> = heard.into_iter().collect::<Result<_>>()?;
    heard.retain(|board| !board.is_empty());
    // By what is drawn: a board that is slow may pass one over, and one that is opened later has not seen the first.
    let mut by_state: HashMap<u64, Vec<f64>> = HashMap::new();
    for (state, at) in heard.iter().flatten() {
        by_state.entry(*state).or_default().push(*at);
    }
    let of_all = by_state.values().filter(|times| times.len() == heard.len());
    let mut spreads: Vec<f64> = of_all
        .map(|times| {
            times.iter().copied().fold(0.0, f64::max)
                - times.iter().copied().fold(f64::INFINITY, f64::min)
        })
        .collect();
    let (states, passed_over) = (spreads.len(), by_state.len() - spreads.len());
    spreads.sort_by(f64::total_cmp);
    let at = |share: f64| {
        let last = spreads.len().saturating_sub(1);
        spreads.get((last as f64 * share).round() as usize).map_or(0.0, |secs| 1e3 * secs)
    };
    println!(
        "{} of {} boards heard {states} states in {} s, and some of them {passed_over} others; from the first board to the \
         last: p50 {:.0} ms, longest {:.0} ms",
        heard.len(),
        options.boards,
        options.secs,
        at(0.5),
        at(1.0),
    );
    Ok(())
}

/// Which states a board heard first when, in seconds since `begun`.
async fn watch(person: Person, begun: Instant, until: Instant) -> Result<Vec<(u64, f64)>> {
    let mut stream = person.listen("/watch/stream").await?.error_for_status()?;
    let (mut heard, mut seen, mut event) = (Vec::new(), HashSet::new(), Vec::new());
    while let Ok(part) =
        tokio::time::timeout(until.saturating_duration_since(Instant::now()), stream.chunk()).await
    {
        let Some(bytes) = part? else { break };
        event.extend_from_slice(&bytes);
        if !event.ends_with(b"\n\n") {
            continue;
        }
        // The first line of the data is its age, which differs from board to board.
        let drawn = event.split(|byte| *byte == b'\n').skip(2);
        let mut hasher = DefaultHasher::new();
        drawn.for_each(|line| line.hash(&mut hasher));
        if seen.insert(hasher.finish()) {
            heard.push((hasher.finish(), begun.elapsed().as_secs_f64()));
        }
        event.clear();
    }
    Ok(heard)
}
