//! A day to be taken up, in a model's numbers.

use barometer_routing::{ResumedAgent, ResumedAt, ResumedContact, Seconds};

/// A day to be taken up, in a model's numbers.
#[derive(Clone, Debug)]
pub(crate) struct Taken {
    pub at: Seconds,
    /// Those free for longest first.
    pub agents: Vec<ResumedAgent>,
    /// In the order of their numbers.
    pub contacts: Vec<TakenContact>,
}

/// A contact to be taken up.
#[derive(Clone, Debug)]
pub(crate) struct TakenContact {
    /// Its place in the state that was taken up.
    pub place: usize,
    pub contact: ResumedContact,
    pub at: TakenAt,
    pub interval: u32,
    pub attempt: u32,
    /// Since when it does what it does.
    pub since: Seconds,
}

/// Where a contact goes on.
#[derive(Clone, Copy, Debug)]
pub(crate) enum TakenAt {
    At(ResumedAt),
    /// The promise cannot be kept, or the work not be done, by this strategy.
    Nowhere,
}
