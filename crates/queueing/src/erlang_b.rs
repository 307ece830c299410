//! Erlang B: callers who find every server busy are refused.

use crate::scaled::weight_below_full;
use crate::traffic::{QueueError, not_negative};

/// Probability that a call finds all `servers` busy and is refused, 0..=1.
///
/// Holds for Poisson arrivals and any handle-time distribution with the same mean.
///
/// # Errors
///
/// [`QueueError::BadNumber`] when the load is negative or not finite.
///
/// # Source
///
/// Erlang (1917); the sum is 1/B = Σ n!/((n−k)! a^k), Jagerman, *Some properties of the Erlang
/// loss function*, BSTJ 53 (1974).
pub fn erlang_b(offered_erlangs: f64, servers: u32) -> Result<f64, QueueError> {
    not_negative("offered load in Erlangs", offered_erlangs)?;
    if offered_erlangs == 0.0 {
        return Ok(if servers == 0 { 1.0 } else { 0.0 });
    }
    Ok(1.0 / (1.0 + weight_below_full(offered_erlangs, servers).value()))
}
