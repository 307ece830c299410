//! The discrete-event engine: a strategy, demand and cover in, what happened out.
//!
//! [`Experiment`] holds everything that a trial depends on and checks it when built: the strategy is
//! made ready to be played ([`model`]): names become numbers, hours seconds, skills members. One
//! replication is one run through the demand's intervals ([`Experiment::play`]): [`day`](mod@day) is the
//! loop, a calendar of events and one `match`. A replication tells its story as a [`DayTally`], or
//! event by event as a [`EventLog`], and [`Summary`] folds tallies into means with confidence intervals
//! while memory stays flat.
//!
//! Same experiment, same numbers: every draw is a function of whose it is and what for, and tallies
//! are folded in the order of replications whatever the number of threads. So two strategies meet
//! the same customers, and their difference is no noise.

mod calendar;
mod day;
mod draws;
mod event_log;
mod experiment;
mod model;
mod sketch;
mod summary;
mod tally;

pub use day::PlayError;
pub use event_log::{End, EventLog, LoggedEvent, What};
pub use experiment::{
    Arrivals, Cover, Demand, DemandInterval, DemandLuck, Experiment, ExperimentError, People,
    Stretch, TeamCover, TypeDemand,
};
pub use model::{FlowName, Names};
pub use sketch::{WaitSketch, Waits};
pub use summary::{COMPARED, Compared, Estimate, Measures, Paired, Summary};
pub use tally::{AgentTally, DayTally, LabelTally, ServicePointTally, TeamTally, TypeTally};
