//! What a contact type is staffed by: its targets, its callers and its people.

use barometer_queueing::{LevelOf, Outcome};
use serde::{Deserialize, Serialize};

use crate::IntervalLoad;
use crate::need::Model;
use crate::shrinkage::Shrinkage;

/// Targets of a contact type, and what its need depends on besides contacts and handle times.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rules {
    /// Share to be answered within [`within_secs`](Self::within_secs).
    pub service_level: f64,
    /// The service level's threshold in seconds; for work with a deadline, the deadline.
    pub within_secs: f64,
    /// What the service level is a share of.
    #[serde(default)]
    pub level_of: LevelOf,
    /// Most that the answered may wait on average, in seconds; `None` for no ceiling.
    #[serde(default)]
    pub answer_secs: Option<f64>,
    /// Most that may abandon, as a share of offered contacts; `None` for no ceiling.
    pub abandonment: Option<f64>,
    /// Most that people may be busy, as a share of their time; `None` for no ceiling.
    pub occupancy: Option<f64>,
    /// Least that people should be busy in the busiest interval, as a share; `None` for no floor.
    #[serde(default)]
    pub occupancy_floor: Option<f64>,
    /// Mean of the exponential patience in seconds; `None` when contacts wait for ever.
    pub patience_secs: Option<f64>,
    /// Mean handle time in seconds that is taken instead of the forecast's; `None` for the forecast's.
    #[serde(default)]
    pub handle_secs: Option<f64>,
    /// Contacts that one agent handles at the same time.
    pub concurrency: u32,
    /// By how much each further contact of an agent lengthens the others, as a share of the time
    /// that one alone takes.
    #[serde(default)]
    pub slowing: f64,
    /// The model to size with; `None` for the one that fits ([`Model::for_rules`]).
    #[serde(default)]
    pub model: Option<Model>,
    /// Share of paid time that people are not on the phones, by cause.
    pub shrinkage: Shrinkage,
    /// What a paid hour of one person costs; `None` when nobody said.
    #[serde(default)]
    pub cost_per_hour: Option<f64>,
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
    /// Mean wait of the answered in seconds, at most.
    AnswerSpeed,
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
    /// The share, or the seconds, that were promised.
    pub wanted: f64,
    /// What it came to.
    pub got: f64,
}

impl Check {
    /// Whether the target is met.
    pub fn is_met(&self) -> bool {
        match self.target {
            Target::ServiceLevel => self.got >= self.wanted,
            Target::AnswerSpeed | Target::Abandonment | Target::Occupancy => {
                self.got <= self.wanted
            }
        }
    }
}

impl Rules {
    /// Rules that suit a new contact type: 80% within 20 s, 5% abandonment, 88% occupancy, patience
    /// of 3 minutes, one contact at a time, 30% shrinkage.
    pub const STARTING: Self = Self {
        service_level: 0.8,
        within_secs: 20.0,
        level_of: LevelOf::Offered,
        answer_secs: None,
        abandonment: Some(0.05),
        occupancy: Some(0.88),
        occupancy_floor: None,
        patience_secs: Some(180.0),
        handle_secs: None,
        concurrency: 1,
        slowing: 0.0,
        model: None,
        shrinkage: Shrinkage { leave: 0.12, sickness: 0.05, training: 0.03, breaks: 0.137 },
        cost_per_hour: None,
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
        if let LevelOf::OfferedLessShort { short_secs } = self.level_of {
            let short = (0.0..=600.0).contains(&short_secs);
            ensure(short, "short_secs", "must be 0 s to 600 s");
        }
        let answerable = self.answer_secs.is_none_or(|secs| (0.1..=86_400.0).contains(&secs));
        ensure(
            answerable,
            "answer_secs",
            "must be 0.1 s to 86400 s; leave it empty for no ceiling",
        );
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
        ensure(
            ceiling(self.occupancy_floor),
            "occupancy_floor",
            "must be above 0 and at most 100 %; leave it empty for no floor",
        );
        if let (Some(floor), Some(ceiling)) = (self.occupancy_floor, self.occupancy) {
            ensure(
                floor < ceiling,
                "occupancy_floor",
                "must be below the ceiling of the occupancy",
            );
        }
        let patient = self.patience_secs.is_none_or(|secs| (1.0..=1e7).contains(&secs));
        ensure(
            patient,
            "patience_secs",
            "must be at least 1 s; leave it empty when contacts wait for ever",
        );
        let handled = self.handle_secs.is_none_or(|secs| (1.0..=86_400.0).contains(&secs));
        ensure(handled, "handle_secs", "must be 1 s to 86400 s; leave it empty for the forecast's");
        ensure(
            self.model != Some(Model::ErlangA) || self.patience_secs.is_some(),
            "patience_secs",
            "Erlang A needs a patience; give one, or choose Erlang C",
        );
        ensure(
            self.model != Some(Model::Deadline) || self.within_secs >= 7200.0,
            "within_secs",
            "a deadline must be at least 7200 s (two hours); shorter promises need a queue",
        );
        ensure(
            (1..=20).contains(&self.concurrency),
            "concurrency",
            "must be 1 to 20 contacts at once",
        );
        ensure((0.0..=5.0).contains(&self.slowing), "slowing", "must be 0 to 500 %");
        for (cause, share) in self.shrinkage.causes() {
            ensure((0.0..=0.9).contains(&share), cause, "must be 0 to 90 %");
        }
        ensure(
            self.shrinkage.total() <= 0.9,
            "breaks",
            "together with the other causes leaves less than 10 % of paid time; lower one of them",
        );
        let costed = self.cost_per_hour.is_none_or(|cost| (0.0..=1e6).contains(&cost));
        ensure(costed, "cost_per_hour", "must be 0 to 1000000; leave it empty when unknown");
        if errors.is_empty() { Ok(self) } else { Err(errors) }
    }

    /// The load with the handle time that is to be taken.
    pub fn load(&self, forecast: IntervalLoad) -> IntervalLoad {
        let handle_secs = self.handle_secs.unwrap_or(forecast.handle_secs);
        IntervalLoad { handle_secs, ..forecast }
    }

    /// Every target beside what `outcome` came to.
    pub fn checks(&self, outcome: &Outcome) -> Vec<Check> {
        let level = (Target::ServiceLevel, Some(self.service_level), outcome.service_level);
        let rest = [
            (Target::AnswerSpeed, self.answer_secs, outcome.answer_secs),
            (Target::Abandonment, self.abandonment, outcome.abandonment),
            (Target::Occupancy, self.occupancy, outcome.occupancy),
        ];
        std::iter::once(level)
            .chain(rest)
            .filter_map(|(target, wanted, got)| Some(Check { target, wanted: wanted?, got }))
            .collect()
    }

    /// Whether `outcome` meets every target.
    pub fn are_met_by(&self, outcome: &Outcome) -> bool {
        outcome.service_level >= self.service_level
            && self.answer_secs.is_none_or(|most| outcome.answer_secs <= most)
            && self.abandonment.is_none_or(|most| outcome.abandonment <= most)
            && self.occupancy.is_none_or(|most| outcome.occupancy <= most)
    }

    /// People to be rostered so that `on_phones` are on the phones, whole and rounded up.
    pub fn rostered(&self, on_phones: u32) -> u32 {
        // A hair is taken off so that 7 / 0.7 is 10, not 11.
        (f64::from(on_phones) / self.shrinkage.present() - 1e-9).ceil().max(0.0) as u32
    }
}
