//! What the evidence of a sheet says of its risks.

use barometer_simulate::{Compared, Estimate};
use barometer_strategy::Strategy;
use jiff::Timestamp;

use super::EvidenceDocument;
use crate::comparison::{Candidate, ComparisonInputs, ComparisonResult};
use crate::trial::{TrialInputs, TrialOutcome, TrialType};
use crate::verdict::Verdict;

/// The risks of a change in numbers.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Risks {
    /// Every day that was tried with the change, the one that most falls short of a target first.
    pub days: Vec<TriedDay>,
    /// The volume, as a share of the demand, up to which every target holds on average: with the change, and
    /// with what it is compared with. The lowest of several comparisons.
    pub breaks_at: Option<(f64, Option<f64>)>,
    /// Contact types whose service level is surely higher or lower with the change, by how much.
    pub differences: Vec<(String, Estimate)>,
}

/// The day or days of a trial or comparison, and the contact type at most risk on them.
#[derive(Clone, Debug, PartialEq)]
pub struct TriedDay {
    /// What the trial or comparison is called.
    pub evidence: String,
    /// When what is played begins.
    pub start: Timestamp,
    /// How many seconds of the centre's time are played.
    pub secs: f64,
    /// The contact type that most falls short of its service level target, or has least above it.
    pub contact_type: String,
    /// Answered within the threshold / offered, of that contact type.
    pub level: Estimate,
    /// Its target.
    pub wanted: f64,
    /// Whether every target holds, of this and of the other contact types.
    pub verdict: Option<Verdict>,
}

impl TriedDay {
    /// Of a trial or comparison; `None` where nothing was offered.
    fn of(evidence: &str, inputs: &TrialInputs, outcome: &TrialOutcome) -> Option<Self> {
        // Trials that were kept when there was only one contact type tell of the day as a whole.
        let levels: Vec<Option<Estimate>> = match outcome.types.as_slice() {
            [] => vec![outcome.day.service_level],
            types => types.iter().map(|each| each.service_level).collect(),
        };
        let known = inputs.types.iter().zip(levels).filter_map(|(of, level)| Some((of, level?)));
        let above = |(of, level): &(&TrialType, Estimate)| level.mean - of.rules.service_level;
        let (of_type, level) = known.min_by(|one, other| above(one).total_cmp(&above(other)))?;
        Some(Self {
            evidence: evidence.to_owned(),
            start: inputs.start,
            secs: inputs.interval_count() as f64 * inputs.interval_secs,
            contact_type: of_type.name.clone(),
            level,
            wanted: of_type.rules.service_level,
            verdict: outcome.verdict(inputs),
        })
    }

    fn above(&self) -> f64 {
        self.level.mean - self.wanted
    }
}

impl Risks {
    /// What evidence says of a strategy.
    pub fn of<'a>(
        strategy: &Strategy,
        evidence: impl Iterator<Item = &'a EvidenceDocument>,
    ) -> Self {
        let mut risks = Self::default();
        for each in evidence {
            let Some((inputs, outcome)) = each.outcome_of(strategy) else { continue };
            risks.days.extend(TriedDay::of(each.name(), inputs, outcome));
            if let EvidenceDocument::Comparison { inputs, result, .. } = each {
                risks.compare(strategy, inputs, result);
            }
        }
        risks.days.sort_by(|one, other| one.above().total_cmp(&other.above()));
        risks
    }

    fn compare(
        &mut self,
        strategy: &Strategy,
        inputs: &ComparisonInputs,
        result: &ComparisonResult,
    ) {
        let ComparisonInputs::Chosen { candidates } = inputs else { return };
        let is_changed = |candidate: &Candidate| candidate.inputs.strategy == *strategy;
        let Some(place) = candidates.iter().position(is_changed) else { return };
        let Some(changed) = result.candidates.get(place) else { return };
        if let Some(volume) = changed.breaks_at
            && self.breaks_at.is_none_or(|(lowest, _)| volume < lowest)
        {
            let first = (place > 0).then(|| result.candidates[0].breaks_at).flatten();
            self.breaks_at = Some((volume, first));
        }
        // Of a single contact type only the day is compared.
        let levels = match changed.type_differences.as_slice() {
            [] => vec![changed.difference(Compared::ServiceLevel)],
            types => types.iter().map(|[level, _]| *level).collect(),
        };
        for (of, level) in candidates[place].inputs.types.iter().zip(levels) {
            let sure = level.filter(|level| {
                level.half_width.is_some_and(|half_width| level.mean.abs() > half_width)
            });
            self.differences.extend(sure.map(|level| (of.name.clone(), level)));
        }
    }
}
