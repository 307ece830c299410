//! What a waiting line does to its callers, in one common shape for every model.

/// What callers and servers meet in the steady state of one model. Shares are 0..=1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Outcome {
    /// Share of offered contacts that are answered within the asked number of seconds.
    pub service_level: f64,
    /// Share of offered contacts that abandon.
    pub abandonment: f64,
    /// Mean wait of the answered, in seconds (ASA).
    pub answer_secs: f64,
    /// Share of the servers' time spent on contacts.
    pub occupancy: f64,
    /// Share of offered contacts that find every server busy.
    pub wait_probability: f64,
}
