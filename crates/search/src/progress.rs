//! How far a search has come, as its caller is told.

/// How far a search has come.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Progress {
    /// Simulated days so far.
    pub days: u64,
    /// Days after which it ends.
    pub most_days: u64,
    /// What it does.
    pub phase: &'static str,
    /// Cost of the cheapest design so far that holds on the days of the search.
    pub best_cost: Option<f64>,
}
