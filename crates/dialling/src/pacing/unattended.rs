//! As many lines as the campaign's caps allow: a message needs no agent.

use super::{Pacing, Situation};

/// No limit of its own.
#[derive(Clone, Copy, Debug)]
pub struct Unattended;

impl Pacing for Unattended {
    fn begin(&mut self) {}

    fn lines(&mut self, _at: &Situation<'_>) -> u32 {
        u32::MAX
    }
}
