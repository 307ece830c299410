//! One line for each free agent, who is kept for it: hand-dialled, preview and progressive.

use super::{Pacing, Situation};

/// Every free agent gets a line. An agent who is kept for a line is not free, so the lines in the air are
/// those of the kept agents.
#[derive(Clone, Copy, Debug)]
pub struct OneEach;

impl Pacing for OneEach {
    fn begin(&mut self) {}

    fn lines(&mut self, at: &Situation<'_>) -> u32 {
        at.ringing_since.len() as u32 + at.free
    }
}
