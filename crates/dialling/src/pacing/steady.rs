//! A fixed number of lines for each free agent.

use super::{Pacing, Situation};

/// `⌊n · free⌋` lines in the air. Lines are not taken back when an agent stops being free, so there can be
/// more until they end: that is where calls are abandoned. [`chain`](crate::chain) solves it exactly.
#[derive(Clone, Copy, Debug)]
pub struct Steady {
    /// Lines for each free agent.
    pub lines_per_agent: f64,
}

impl Pacing for Steady {
    fn begin(&mut self) {}

    fn lines(&mut self, at: &Situation<'_>) -> u32 {
        lines_for(self.lines_per_agent, at.free)
    }
}

/// Whole lines for so many free agents.
pub(crate) fn lines_for(lines_per_agent: f64, free: u32) -> u32 {
    // A product that is meant to be whole may come out below it by rounding.
    (lines_per_agent * f64::from(free) + 1e-9) as u32
}
