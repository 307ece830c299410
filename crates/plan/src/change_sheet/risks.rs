//! What the evidence of a sheet says of its risks.

use barometer_simulate::{Compared, Estimate};
use barometer_strategy::Strategy;

use super::EvidenceDocument;
use crate::comparison::{Candidate, ComparisonInputs, ComparisonResult};
use crate::verdict::Verdict;

/// The risks of a change in numbers.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Risks {
    /// Where the service level is lowest: in which trial or comparison, and whether its targets hold.
    pub worst: Option<WorstDay>,
    /// The volume, as a share of the demand, up to which every target holds on average: with the change, and
    /// with what it is compared with. The lowest of several comparisons.
    pub breaks_at: Option<(f64, Option<f64>)>,
    /// Contact types whose service level is surely higher or lower with the change, by how much.
    pub differences: Vec<(String, Estimate)>,
}

/// The trial or comparison with the lowest service level.
#[derive(Clone, Debug, PartialEq)]
pub struct WorstDay {
    /// What it is called.
    pub name: String,
    /// Answered within the threshold / offered.
    pub level: Estimate,
    /// Whether its targets hold.
    pub verdict: Option<Verdict>,
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
            if let Some(level) = outcome.day.service_level
                && risks.worst.as_ref().is_none_or(|worst| level.mean < worst.level.mean)
            {
                let (name, verdict) = (each.name().to_owned(), outcome.verdict(inputs));
                risks.worst = Some(WorstDay { name, level, verdict });
            }
            if let EvidenceDocument::Comparison { inputs, result, .. } = each {
                risks.compare(strategy, inputs, result);
            }
        }
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
