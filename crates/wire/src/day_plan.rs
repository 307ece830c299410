//! The plan of a day: who is to be at work.

use barometer_simulate::DemandInterval;
use barometer_strategy::Customers;
use jiff::Timestamp;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Who is to be at work on a day, and for a stand-in that has no callers of its own what they are like.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct DayPlan {
    /// The day in the centre's zone.
    pub date: Date,
    /// The centre's zone by its IANA name.
    pub zone: String,
    /// When the day's first interval begins.
    pub start: Timestamp,
    /// Length of an interval, in seconds.
    pub interval_secs: f64,
    /// Who is to be at work.
    pub teams: Vec<PlannedTeam>,
    /// What is expected to come. A switch with real callers does not look at it; the stand-in makes its callers
    /// of it, who differ from what was expected as real ones do.
    #[serde(default)]
    pub callers: Vec<Caller>,
}

/// People of a team.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PlannedTeam {
    /// The team's id in the strategy.
    pub team: String,
    /// People in each interval.
    pub people: Vec<u32>,
}

/// What is expected of one contact type.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Caller {
    /// The contact type's name.
    pub contact_type: String,
    /// An answer within so many seconds is in time.
    pub within_secs: f64,
    /// What its contacts are like.
    pub customers: Customers,
    /// Expected contacts and their mean handle time in each interval.
    #[schemars(with = "Vec<serde_json::Value>")]
    pub intervals: Vec<DemandInterval>,
}

impl DayPlan {
    /// Intervals of the day.
    pub fn len(&self) -> usize {
        let of_teams = self.teams.iter().map(|team| team.people.len());
        of_teams.chain(self.callers.iter().map(|caller| caller.intervals.len())).max().unwrap_or(0)
    }

    /// Whether there is no interval at all.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// By which the switch and Barometer know that they have the same plan.
    pub fn digest(&self) -> String {
        serde_json::to_value(self).map_or_else(|_| String::new(), |value| crate::digest(&value))
    }
}
