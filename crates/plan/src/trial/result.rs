//! What a trial came to, and whether its targets hold.

use barometer_simulate::{Estimate, Measures, Summary};
use serde::{Deserialize, Serialize};

use crate::rules::{Rules, Target};
use crate::verdict::Verdict;

/// What a trial came to, as lists show it; all else is in its [`Summary`].
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialResult {
    /// The day as a whole.
    pub day: Measures,
    /// Interval by interval.
    pub intervals: Vec<Measures>,
}

/// A target beside what the trial came to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Judged {
    /// Which target.
    pub target: Target,
    /// The share that was promised.
    pub wanted: f64,
    /// The estimate.
    pub got: Estimate,
    /// Holds or breaks when the whole confidence interval says so, marginal when it does not.
    pub verdict: Verdict,
}

impl TrialResult {
    /// The result of the replications in `summary`.
    pub fn of(summary: &Summary) -> Self {
        Self { day: summary.day(), intervals: summary.intervals() }
    }

    /// Every target of the day beside what it came to.
    pub fn judge(&self, rules: &Rules) -> Vec<Judged> {
        judge(&self.day, rules)
    }
}

/// Every target beside what it came to.
pub(crate) fn judge(day: &Measures, rules: &Rules) -> Vec<Judged> {
    let at_most = |target, wanted: Option<f64>, got: Option<Estimate>| {
        let (wanted, got) = (wanted?, got?);
        let verdict = side(got.high() <= wanted, got.low() > wanted);
        Some(Judged { target, wanted, got, verdict })
    };
    let level = day.service_level.map(|got| {
        let wanted = rules.service_level;
        let verdict = side(got.low() >= wanted, got.high() < wanted);
        Judged { target: Target::ServiceLevel, wanted, got, verdict }
    });
    [
        level,
        at_most(Target::Abandonment, rules.abandonment, day.abandonment),
        at_most(Target::Occupancy, rules.occupancy, day.occupancy),
    ]
    .into_iter()
    .flatten()
    .collect()
}

fn side(surely_met: bool, surely_missed: bool) -> Verdict {
    match (surely_met, surely_missed) {
        (true, _) => Verdict::Holds,
        (_, true) => Verdict::Breaks,
        _ => Verdict::Marginal,
    }
}
