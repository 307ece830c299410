//! Targets and promises: what a share of contacts, or of time, is held against.

use serde::{Deserialize, Serialize};

/// How surely targets must hold.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Promise {
    /// Over all days together.
    OnAverage,
    /// All of them at once on this share of days.
    OnShareOfDays(f64),
}

/// What a target is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// Share answered within the threshold, at least.
    ServiceLevel,
    /// Share that abandons, at most.
    Abandonment,
    /// Share of time that a team is busy, at most.
    Occupancy,
}

/// A target of a contact type or a team.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Target {
    /// Number of the contact type, or of the team.
    pub of: usize,
    pub measure: Measure,
    pub wanted: f64,
}

/// A count over another, of one day.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Share {
    pub top: f64,
    pub bottom: f64,
}

impl Share {
    pub fn add(&mut self, other: Self) {
        self.top += other.top;
        self.bottom += other.bottom;
    }
}

impl Target {
    /// How far a share is on the right side of the target; a day without contacts holds.
    pub fn score(&self, share: Share) -> f64 {
        if share.bottom <= 0.0 {
            return 1.0;
        }
        let got = share.top / share.bottom;
        match self.measure {
            Measure::ServiceLevel => got - self.wanted,
            Measure::Abandonment | Measure::Occupancy => self.wanted - got,
        }
    }
}
