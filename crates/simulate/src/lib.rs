//! The discrete-event engine: a strategy, a day's demand and its cover in, what happened out.
//!
//! [`Experiment`] holds everything that a trial depends on and checks it when built. One
//! replication is one simulated day ([`Experiment::play`]): [`day`](mod@day) is the loop, a calendar of
//! events and one `match`. A replication tells its story as a [`DayTally`], and [`Summary`] folds
//! tallies into means with confidence intervals while memory stays flat.
//!
//! Same experiment, same numbers: every replication has its own random streams, every contact of it
//! draws from its own, and tallies are folded in the order of replications whatever the number of
//! threads. So two strategies meet the same customers, and their difference is no noise.

mod calendar;
mod day;
mod draws;
mod experiment;
mod summary;
mod tally;

pub use draws::{DemandLuck, Spread};
pub use experiment::{Demand, DemandInterval, Experiment, ExperimentError};
pub use summary::{Estimate, Measures, Summary};
pub use tally::{DayTally, IntervalTally};
