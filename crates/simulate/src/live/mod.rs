//! A day that is played on a clock from outside: looked at whenever one likes, taken up in its middle, and
//! gone on with by another strategy.
//!
//! A [`LiveDay`] is a replication that somebody else moves on. [`LiveDay::present`] is what a telephone
//! system could tell of it at a moment; an experiment can [begin there](crate::Experiment::from_present).
//! [`LiveDay::carry`] has the callers' luck too, so that [`Experiment::live_from`] goes on with the same
//! people where only the strategy, the demand or the cover is another.

mod counts;
mod day;
mod reading;

pub use counts::{DayCounts, PointCounts, TeamCounts, TypeCounts};
pub use day::{CampaignNow, Carried, LiveDay};
