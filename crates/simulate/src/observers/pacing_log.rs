//! What campaigns decide over a replication, and from what: for a replay.

use barometer_dialling::pacing::Reckoned;
use barometer_routing::{Observation, Seconds};

use super::{Observer, View};
use crate::model::Model;

/// A campaign at a moment at which it decided how fast to dial.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PacingMoment {
    /// Seconds since the trial's start.
    pub at_secs: Seconds,
    /// Its place in the strategy.
    pub campaign: usize,
    /// Agents on shift.
    pub on_shift: u32,
    /// Agents who are free, those who are left for inbound contacts included.
    pub free: u32,
    /// Conversations under way, wrap-up included.
    pub talking: u32,
    /// Lines that nobody has answered yet.
    pub ringing: u32,
    /// Lines that the pacing asks for.
    pub asked_for: u32,
    /// Whether it does not dial because inbound contacts need its agents.
    pub gives_way: bool,
    /// Calls that people have answered today, and how many of them were abandoned.
    pub answered_today: (u32, u32),
    /// People who are still to be called.
    pub left: u32,
    /// What the pacing reckons with; none where it learns nothing.
    pub reckoned: Option<Reckoned>,
}

/// Seconds between two moments of a campaign that are kept, at the least.
const APART_SECS: Seconds = 15.0;

/// What campaigns decided, in order of time.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PacingLog {
    /// Of each campaign one in fifteen seconds at the most, while it dials.
    pub moments: Vec<PacingMoment>,
    /// When the last moment of each campaign was kept.
    kept_at: Vec<Seconds>,
}

impl Observer for PacingLog {
    fn begin(&mut self, model: &Model) {
        self.moments.clear();
        self.kept_at = vec![f64::NEG_INFINITY; model.campaigns.len()];
    }

    fn observe(&mut self, _view: View<'_>, _what: Observation) {}

    fn campaign_decides(
        &mut self,
        campaign: usize,
        now: Seconds,
        moment: impl Fn() -> PacingMoment,
    ) {
        if now >= self.kept_at[campaign] + APART_SECS {
            self.kept_at[campaign] = now;
            self.moments.push(moment());
        }
    }
}
