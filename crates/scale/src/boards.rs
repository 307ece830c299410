//! Many boards open at the same time: how long after the first the last of them has a new state.

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
    let mut heard: Vec<Vec<f64>> = heard.into_iter().collect::<Result<_>>()?;
    heard.retain(|board| !board.is_empty());
    // Boards that were opened while others heard already have missed the first states.
    let states = heard.iter().map(Vec::len).min().unwrap_or(0);
    for board in &mut heard {
        board.drain(..board.len() - states);
    }
    let spread = |nth: usize| {
        let of_state = heard.iter().map(|board| board[nth]);
        of_state.clone().fold(0.0, f64::max) - of_state.fold(f64::INFINITY, f64::min)
    };
    let mut spreads: Vec<f64> = (0..states).map(spread).collect();
    spreads.sort_by(f64::total_cmp);
    let at = |share: f64| {
        let last = spreads.len().saturating_sub(1);
        spreads.get((last as f64 * share).round() as usize).map_or(0.0, |secs| 1e3 * secs)
    };
    println!(
        "{} of {} boards heard {states} states in {} s; from the first board to the last: p50 {:.0} ms, longest {:.0} ms",
        heard.len(),
        options.boards,
        options.secs,
        at(0.5),
        at(1.0),
    );
    Ok(())
}

/// When a board heard each state, in seconds since `begun`.
async fn watch(person: Person, begun: Instant, until: Instant) -> Result<Vec<f64>> {
    let mut stream = person.listen("/watch/stream").await?.error_for_status()?;
    let mut heard = Vec::new();
    while let Ok(part) =
        tokio::time::timeout(until.saturating_duration_since(Instant::now()), stream.chunk()).await
    {
        let Some(bytes) = part? else { break };
        if bytes.windows(5).any(|at| at == b"data:") {
            heard.push(begun.elapsed().as_secs_f64());
        }
    }
    Ok(heard)
}
