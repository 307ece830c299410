//! What a contact type is staffed by: its targets, its callers and its people.

use barometer_queueing::Outcome;
use serde::{Deserialize, Serialize};

/// Targets of a contact type, and what its need depends on besides contacts and handle times.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rules {
    /// Share of offered contacts to be answered within [`within_secs`](Self::within_secs).
    pub service_level: f64,
    /// The service level's threshold in seconds.
    pub within_secs: f64,
    /// Most that may abandon, as a share of offered contacts; `None` for no ceiling.
    pub abandonment: Option<f64>,
    /// Most that people may be busy, as a share of their time; `None` for no ceiling.
    pub occupancy: Option<f64>,
    /// Mean of the exponential patience in seconds; `None` when contacts wait for ever.
    pub patience_secs: Option<f64>,
    /// Contacts that one agent handles at the same time.
    pub concurrency: u32,
    /// Share of paid time that people are not on the phones.
    pub shrinkage: f64,
}

/// A rule out of range: which field, and what would do.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{field}: {message}")]
pub struct RulesError {
    /// Name of the field of [`Rules`].
    pub field: &'static str,
    /// What would do.
    pub message: &'static str,
}

/// Something that a centre has promised.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Target {
    /// Share answered within the threshold, at least.
    ServiceLevel,
    /// Share that abandons, at most.
    Abandonment,
    /// Share of time that people are busy, at most.
    Occupancy,
}

/// A target beside what it came to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Check {
    /// Which target.
    pub target: Target,
    /// The share that was promised.
    pub wanted: f64,
    /// The share that it came to.
    pub got: f64,
}

impl Check {
    /// Whether the target is met.
    pub fn is_met(&self) -> bool {
        match self.target {
            Target::ServiceLevel => self.got >= self.wanted,
            Target::Abandonment | Target::Occupancy => self.got <= self.wanted,
        }
    }
}

impl Rules {
    /// Rules that suit a new contact type: 80% within 20 s, 5% abandonment, 88% occupancy, patience
    /// of 3 minutes, one contact at a time, 30% shrinkage.
    pub const STARTING: Self = Self {
        service_level: 0.8,
        within_secs: 20.0,
        abandonment: Some(0.05),
        occupancy: Some(0.88),
        patience_secs: Some(180.0),
        concurrency: 1,
        shrinkage: 0.3,
    };

    /// Checks every rule.
    ///
    /// # Errors
    ///
    /// All the rules out of range, in the order of the fields.
    pub fn check(self) -> Result<Self, Vec<RulesError>> {
        let mut errors = Vec::new();
        let mut ensure = |right: bool, field, message| {
            if !right {
                errors.push(RulesError { field, message });
            }
        };
        let share = |share: f64, most: f64| share > 0.0 && share <= most;
        ensure(
            share(self.service_level, 0.999),
            "service_level",
            "must be above 0 and at most 99.9 %",
        );
        let waitable = (0.0..=604_800.0).contains(&self.within_secs);
        ensure(waitable, "within_secs", "must be 0 s to 604800 s (a week)");
        let ceiling = |ceiling: Option<f64>| ceiling.is_none_or(|ceiling| share(ceiling, 1.0));
        ensure(
            ceiling(self.abandonment),
            "abandonment",
            "must be above 0 and at most 100 %; leave it empty for no ceiling",
        );
        ensure(
            ceiling(self.occupancy),
            "occupancy",
            "must be above 0 and at most 100 %; leave it empty for no ceiling",
        );
        let patient = self.patience_secs.is_none_or(|secs| (1.0..=1e7).contains(&secs));
        ensure(
            patient,
            "patience_secs",
            "must be at least 1 s; leave it empty when contacts wait for ever",
        );
        ensure(
            (1..=20).contains(&self.concurrency),
            "concurrency",
            "must be 1 to 20 contacts at once",
        );
        ensure((0.0..=0.9).contains(&self.shrinkage), "shrinkage", "must be 0 to 90 %");
        if errors.is_empty() { Ok(self) } else { Err(errors) }
    }

    /// Every target beside what `outcome` came to.
    pub fn checks(&self, outcome: &Outcome) -> Vec<Check> {
        let level = Some((Target::ServiceLevel, Some(self.service_level), outcome.service_level));
        let rest = [
            (Target::Abandonment, self.abandonment, outcome.abandonment),
            (Target::Occupancy, self.occupancy, outcome.occupancy),
        ];
        level
            .into_iter()
            .chain(rest)
            .filter_map(|(target, wanted, got)| Some(Check { target, wanted: wanted?, got }))
            .collect()
    }

    /// Whether `outcome` meets every target.
    pub fn are_met_by(&self, outcome: &Outcome) -> bool {
        outcome.service_level >= self.service_level
            && self.abandonment.is_none_or(|most| outcome.abandonment <= most)
            && self.occupancy.is_none_or(|most| outcome.occupancy <= most)
    }

    /// People to be rostered so that `on_phones` are on the phones, whole and rounded up.
    pub fn rostered(&self, on_phones: u32) -> u32 {
        // A hair is taken off so that 7 / 0.7 is 10, not 11.
        (f64::from(on_phones) / (1.0 - self.shrinkage) - 1e-9).ceil().max(0.0) as u32
    }
}
