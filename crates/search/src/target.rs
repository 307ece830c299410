//! Targets and promises: what a share of contacts, or of time, is held against.

use serde::{Deserialize, Serialize};

use crate::answer::GoalName;

/// How surely targets must hold.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Promise {
    /// Over all days together.
    OnAverage,
    /// Over all days together, but in each interval of the day by itself.
    InEveryInterval,
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

impl Measure {
    /// How far a share is on the right side of the target.
    pub fn score(self, got: f64, wanted: f64) -> f64 {
        match self {
            Self::ServiceLevel => got - wanted,
            Self::Abandonment | Self::Occupancy => wanted - got,
        }
    }
}

/// A target of a contact type or a team.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Target {
    /// Number of the contact type, or of the team.
    pub of: usize,
    /// Number of the other kind of day that it is about; the trial's own days without one.
    pub day_kind: Option<usize>,
    pub measure: Measure,
    pub wanted: f64,
    /// Of what arrives in this interval; of all contacts, or of all time, without one.
    pub interval: Option<usize>,
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
    /// Whose it is.
    pub fn name(&self) -> GoalName {
        match (self.measure, self.day_kind) {
            (Measure::Occupancy, _) => GoalName::Team(self.of),
            (_, None) => GoalName::ContactType(self.of),
            (_, Some(day_kind)) => GoalName::OnDayKind { contact_type: self.of, day_kind },
        }
    }

    /// How far a share is on the right side of the target; a day without contacts holds.
    pub fn score(&self, share: Share) -> f64 {
        if share.bottom <= 0.0 {
            return 1.0;
        }
        self.measure.score(share.top / share.bottom, self.wanted)
    }
}
