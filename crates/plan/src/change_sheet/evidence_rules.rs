//! What a trial or comparison has to come to before a change may rest on it.

use serde::{Deserialize, Serialize};

use super::EvidenceDocument;
use crate::comparison::ComparisonInputs;
use barometer_strategy::Strategy;

/// What evidence has to come to: the centre's own rule.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct EvidenceRules {
    /// Simulated days, at least.
    pub least_days: u32,
    /// Half-width of the 95 % confidence interval of the whole day's service level, at most, as a share; `None`
    /// where any will do.
    pub widest: Option<f64>,
}

impl EvidenceRules {
    /// Those of a new centre: enough days to tell one in ten from luck.
    pub const STARTING: Self = Self { least_days: 30, widest: None };

    /// Days that can be asked for.
    pub const DAYS: std::ops::RangeInclusive<u32> = 2..=10_000;

    /// Half-widths that can be asked for: a tenth of a point to twenty points.
    pub const WIDEST: std::ops::RangeInclusive<f64> = 0.001..=0.2;

    /// Whether a finished trial or comparison is enough to say something about a strategy.
    pub fn are_met(&self, document: &EvidenceDocument, strategy: &Strategy) -> bool {
        let outcome = document.outcome_of(strategy);
        let days = match (outcome, document) {
            (Some((inputs, _)), _) => Some(inputs.replications),
            // Of a sweep in which the strategy is one of the values.
            (None, EvidenceDocument::Comparison { inputs, .. }) => {
                ComparisonInputs::base(inputs).map(|base| base.replications)
            }
            (None, EvidenceDocument::Trial { .. }) => None,
        };
        let half_width = outcome.and_then(|(_, outcome)| outcome.day.service_level?.half_width);
        let is_narrow = match (self.widest, half_width) {
            (Some(widest), Some(half_width)) => half_width <= widest,
            _ => true,
        };
        days.is_some_and(|days| days >= self.least_days) && is_narrow
    }
}
