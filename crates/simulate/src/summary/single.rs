//! What single replications came to, beside the sums of all of them.

use serde::{Deserialize, Serialize};

use crate::observers::{DayTally, TeamTally, TypeTally};

/// Replications that a [`Summary`](super::Summary) keeps one by one: the first ones, so that its size stays
/// bounded.
pub const SINGLE_DAYS: usize = 1_000;

/// What one replication came to.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct SingleDay {
    /// Each contact type.
    pub types: Vec<TypeOfDay>,
    /// Each team.
    pub teams: Vec<TeamOfDay>,
}

/// A contact type in one replication, in contacts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct TypeOfDay {
    /// Offered.
    pub offered: u32,
    /// Answered within the threshold.
    pub answered_in_time: u32,
    /// Abandoned.
    pub abandoned: u32,
    /// Seconds waited in lines by all of them, in whole seconds; nothing in trials of earlier builds.
    #[serde(default)]
    pub waited_secs: u32,
}

/// A team in one replication.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct TeamOfDay {
    /// Contacts answered.
    pub answered: u32,
    /// Seconds of handling, wrap-up included.
    pub busy_secs: f32,
    /// Seconds on shift, times the contacts that an agent can hold at once.
    pub staffed_secs: f32,
}

impl SingleDay {
    /// Of a tally with so many intervals.
    pub(crate) fn of(day: &DayTally, intervals: usize) -> Self {
        let of_type = |row: &[TypeTally]| {
            let sum = |count: fn(&TypeTally) -> f64| row.iter().map(count).sum::<f64>() as u32;
            TypeOfDay {
                offered: sum(|each| each.offered),
                answered_in_time: sum(|each| each.answered_in_time),
                abandoned: sum(|each| each.abandoned),
                waited_secs: sum(|each| each.wait_secs),
            }
        };
        let of_team = |row: &[TeamTally]| {
            let sum = |of: fn(&TeamTally) -> f64| row.iter().map(of).sum::<f64>();
            TeamOfDay {
                answered: sum(|each| each.answered) as u32,
                busy_secs: sum(|each| each.busy_secs) as f32,
                staffed_secs: sum(|each| each.staffed_secs) as f32,
            }
        };
        Self {
            types: day.types.chunks(intervals).map(of_type).collect(),
            teams: day.teams.chunks(intervals).map(of_team).collect(),
        }
    }
}
