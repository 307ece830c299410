//! What a trial came to, and whether its targets hold.

use barometer_simulate::{Estimate, Measures, Summary};
use serde::{Deserialize, Serialize};

use super::TrialInputs;
use crate::rules::{Rules, Target};
use crate::verdict::Verdict;

/// What a trial came to, as lists show it; all else is in its [`Summary`].
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialResult {
    /// The day, or all days, as a whole.
    #[serde(flatten)]
    pub outcome: TrialOutcome,
    /// Interval by interval.
    pub intervals: Vec<Measures>,
}

/// The figures by which a trial is judged.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialOutcome {
    /// All contacts and all people.
    pub day: Measures,
    /// Each contact type; none in trials that were kept when there was only one.
    #[serde(default)]
    pub types: Vec<Measures>,
    /// Occupancy of each team; none in trials that were kept when there was only one.
    #[serde(default)]
    pub occupancies: Vec<Option<Estimate>>,
}

/// What lists show of a finished trial.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialDigest {
    /// The worst verdict on a target; `None` where nothing was offered.
    pub verdict: Option<Verdict>,
    /// Answered within the threshold / offered, of all contacts.
    pub service_level: Option<Estimate>,
    /// Abandoned / offered, of all contacts.
    pub abandonment: Option<Estimate>,
}

impl TrialDigest {
    /// Of a result, judged by the targets of its inputs.
    pub fn of(inputs: &TrialInputs, result: &TrialResult) -> Self {
        let Measures { service_level, abandonment, .. } = result.outcome.day;
        Self { verdict: result.outcome.verdict(inputs), service_level, abandonment }
    }
}

/// A target beside what the trial came to.
#[derive(Clone, Debug, PartialEq)]
pub struct Judged {
    /// Which target.
    pub target: Target,
    /// Whose: a contact type's or a team's name; `None` in a trial of one contact type.
    pub of: Option<String>,
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
        Self { outcome: TrialOutcome::of(summary), intervals: summary.intervals() }
    }
}

impl TrialOutcome {
    /// The outcome of the replications in `summary`.
    pub fn of(summary: &Summary) -> Self {
        Self {
            day: summary.day(),
            types: (0..summary.type_count()).map(|kind| summary.of_type(kind)).collect(),
            occupancies: (0..summary.team_count())
                .map(|team| summary.of_team(team).occupancy)
                .collect(),
        }
    }

    /// Every target beside what it came to: service level and abandonment of each contact type, and
    /// how occupied each team is whose contact types have a ceiling.
    pub fn judge(&self, inputs: &TrialInputs) -> Vec<Judged> {
        if let [only] = inputs.types.as_slice() {
            let mut judged = judge_contacts(None, &self.day, &only.rules);
            judged.extend(judge_occupancy(None, only.rules.occupancy, self.day.occupancy));
            return judged;
        }
        let types = inputs.types.iter().zip(&self.types);
        let contacts =
            types.flat_map(|(kind, day)| judge_contacts(Some(&kind.name), day, &kind.rules));
        let people =
            inputs.strategy.teams.iter().zip(&self.occupancies).filter_map(|(team, got)| {
                let ceiling = inputs.teams.iter().find(|each| each.team == team.id)?.occupancy;
                judge_occupancy(Some(&team.name), ceiling, *got)
            });
        contacts.chain(people).collect()
    }

    /// The worst verdict on a target; `None` where nothing was offered.
    pub fn verdict(&self, inputs: &TrialInputs) -> Option<Verdict> {
        self.judge(inputs).iter().map(|judged| judged.verdict).max()
    }

    /// Whether every target holds on average.
    pub fn holds_on_average(&self, inputs: &TrialInputs) -> bool {
        self.judge(inputs).iter().all(|judged| match judged.target {
            Target::ServiceLevel => judged.got.mean >= judged.wanted,
            _ => judged.got.mean <= judged.wanted,
        })
    }
}

fn judge_contacts(of: Option<&str>, day: &Measures, rules: &Rules) -> Vec<Judged> {
    let of = of.map(str::to_owned);
    let level = day.service_level.map(|got| {
        let wanted = rules.service_level;
        let verdict = side(got.low() >= wanted, got.high() < wanted);
        Judged { target: Target::ServiceLevel, of: of.clone(), wanted, got, verdict }
    });
    let lost = at_most(Target::Abandonment, of, rules.abandonment, day.abandonment);
    level.into_iter().chain(lost).collect()
}

fn judge_occupancy(
    of: Option<&str>,
    ceiling: Option<f64>,
    got: Option<Estimate>,
) -> Option<Judged> {
    at_most(Target::Occupancy, of.map(str::to_owned), ceiling, got)
}

fn at_most(
    target: Target,
    of: Option<String>,
    wanted: Option<f64>,
    got: Option<Estimate>,
) -> Option<Judged> {
    let (wanted, got) = (wanted?, got?);
    let verdict = side(got.high() <= wanted, got.low() > wanted);
    Some(Judged { target, of, wanted, got, verdict })
}

fn side(surely_met: bool, surely_missed: bool) -> Verdict {
    match (surely_met, surely_missed) {
        (true, _) => Verdict::Holds,
        (_, true) => Verdict::Breaks,
        _ => Verdict::Marginal,
    }
}
