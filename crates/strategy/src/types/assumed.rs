//! What is assumed of those who are called.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::Duration;

/// What is assumed of those who are called, where it has not been measured.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Assumed {
    /// Share of calls that a person answers: one for all hours, or one for each hour of the person's own
    /// day, from midnight.
    pub answered_share: Vec<f64>,
    /// Where people answer more or fewer calls than that, by their time zones.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub zones: Vec<ZoneAnswers>,
    /// What becomes of a number that is shown too often; none where nothing does.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub worn_numbers: Option<WornNumbers>,
    /// Share of calls that a machine answers.
    pub machine_share: f64,
    /// Share of calls to a busy line.
    pub busy_share: f64,
    /// Share of numbers that do not exist.
    pub unusable_share: f64,
    /// Share of calls that fail because the network is congested.
    pub congested_share: f64,
    /// Seconds from dialling until a person answers.
    pub ring: Duration,
    /// Seconds from dialling until a machine answers.
    pub machine_ring: Duration,
    /// Seconds from dialling until the network gives up a call that nobody answers, where that comes before
    /// the ring limit; none where it never does.
    pub unanswered_ring: Option<Duration>,
    /// Seconds of talk.
    pub talk: Duration,
    /// Seconds of wrap-up.
    pub wrap_up: Duration,
}

impl Default for Assumed {
    fn default() -> Self {
        Self {
            answered_share: vec![0.3],
            zones: Vec::new(),
            worn_numbers: None,
            machine_share: 0.25,
            busy_share: 0.05,
            unusable_share: 0.02,
            congested_share: 0.0,
            ring: Duration::LogNormal { mean_secs: 11.0, variation: 0.5 },
            machine_ring: Duration::Gamma { mean_secs: 19.0, variation: 0.2 },
            unanswered_ring: None,
            talk: Duration::LogNormal { mean_secs: 150.0, variation: 0.8 },
            wrap_up: Duration::LogNormal { mean_secs: 30.0, variation: 0.6 },
        }
    }
}

impl Assumed {
    /// The share of calls that a person answers at an hour of the person's own day, 0 to 23.
    pub fn answered_at(&self, hour: usize) -> f64 {
        match self.answered_share.as_slice() {
            [all] => *all,
            hours => hours.get(hour).copied().unwrap_or(0.0),
        }
    }

    /// Factor on [`answered_share`](Self::answered_share) in a zone.
    pub fn zone_factor(&self, zone: &str) -> f64 {
        self.zones.iter().find(|each| each.zone == zone).map_or(1.0, |each| each.answered_factor)
    }

    /// The hour of the day at which most people answer, of those that are allowed; the earliest of several.
    pub fn best_hour(&self, is_allowed: impl Fn(usize) -> bool) -> Option<usize> {
        let allowed = (0..24).filter(|&hour| is_allowed(hour)).rev();
        allowed.max_by(|&one, &other| self.answered_at(one).total_cmp(&self.answered_at(other)))
    }
}

/// How calls are answered in one time zone.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ZoneAnswers {
    /// IANA time zone, such as `Europe/Dublin`.
    pub zone: String,
    /// Factor on the share of calls that people answer there, at the same hour of their day: 1 for no difference.
    pub answered_factor: f64,
}

/// What becomes of a number that is shown too often: people know it, or their network calls it unwanted.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WornNumbers {
    /// Calls in a day for which a number is shown before it is worn.
    pub calls_a_day: u32,
    /// Factor on the share of calls that people answer from then on: 0.5 for half of them.
    pub answered_factor: f64,
}
