//! The discrete-event engine: a strategy, demand and cover in, what happened out.
//!
//! [`Experiment`] holds everything that a trial depends on and checks it when built. A replication is
//! one run through the demand's intervals ([`Experiment::play`]): [`replication`] is the loop, a
//! calendar of events and one `match`. What happens to a contact is decided in `barometer-routing`;
//! [`simulation`] is its host, with everybody's luck. Contacts come from [`population`]s. Observers
//! are told what happens: one counts it as a [`DayTally`], one keeps it event by event as an
//! [`EventLog`]; [`Summary`] folds tallies into means with confidence intervals while memory stays
//! flat.
//!
//! Same experiment, same numbers: every draw is a function of whose it is and what for, and tallies
//! are folded in the order of replications whatever the number of threads. So two strategies meet
//! the same customers, and their difference is no noise.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod calendar;
mod customer;
mod draws;
mod experiment;
mod live;
mod model;
mod observers;
mod outbound;
mod population;
mod present;
mod replication;
mod samplers;
mod simulation;
mod sketch;
mod summary;

pub use barometer_routing::{End, FlowName};
pub use experiment::{
    Arrivals, Burst, Counting, Cover, Demand, DemandInterval, DemandLuck, Experiment,
    ExperimentError, People, Stretch, TeamCover, TypeDemand,
};
pub use live::{CampaignNow, Carried, DayCounts, LiveDay, PointCounts, TeamCounts, TypeCounts};
pub use model::Names;
pub use observers::{
    AgentTally, CampaignTally, DayTally, EventLog, LabelTally, LoggedEvent, PacingLog,
    PacingMoment, ServicePointTally, TeamTally, TypeTally, What,
};
pub use present::{
    AgentName, Present, PresentAgent, PresentAt, PresentContact, PresentErrand, PresentWork,
};
pub use replication::PlayError;
pub use sketch::{WaitSketch, Waits};
pub use summary::{
    COMPARED, CampaignMeasures, Compared, Estimate, Measures, Paired, SINGLE_DAYS, SingleDay,
    Summary, TeamOfDay, TypeOfDay,
};
