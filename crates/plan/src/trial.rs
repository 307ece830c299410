//! A trial as it is kept: everything it depends on, and what it came to beside theory.

use barometer_queueing::{Outcome, QueueError, Traffic};
use barometer_simulate::{
    Demand, DemandInterval, DemandLuck, Estimate, Experiment, ExperimentError, Measures, Spread,
    Summary,
};
use barometer_strategy::Strategy;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::IntervalLoad;
use crate::need::Model;
use crate::rules::{Rules, Target};
use crate::verdict::Verdict;

/// Everything that a trial's numbers follow from. Kept with the trial, never changed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialInputs {
    /// The strategy tried.
    pub strategy: Strategy,
    /// Targets, patience and shrinkage of the contact type. The strategy's team says how many
    /// contacts an agent handles at once.
    pub rules: Rules,
    /// Length of an interval in seconds.
    pub interval_secs: f64,
    /// The day's intervals from opening to close, without gaps.
    pub intervals: Vec<TrialInterval>,
    /// How handle times spread around their mean.
    pub handling: Spread,
    /// How far days may be off the forecast; the forecast is exact when none.
    #[serde(default)]
    pub luck: Option<DemandLuck>,
    /// Simulated days.
    pub replications: u32,
    /// Seed of all randomness.
    pub seed: u64,
}

/// One interval of a trial's day.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialInterval {
    /// When it starts.
    pub start: Timestamp,
    /// What is expected of it.
    pub load: IntervalLoad,
    /// People on the phones.
    pub agents: u32,
}

/// What a trial came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialResult {
    /// The day as a whole.
    pub day: Measures,
    /// Interval by interval.
    pub intervals: Vec<Measures>,
}

/// What the steady-state model says of the same day.
#[derive(Clone, Debug, PartialEq)]
pub struct Theory {
    /// Which model.
    pub model: Model,
    /// The day, each interval weighed by its contacts (occupancy by its people); `None` when an
    /// interval has no steady state.
    pub day: Option<Outcome>,
    /// Interval by interval; `None` without contacts or without a steady state.
    pub intervals: Vec<Option<Outcome>>,
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

impl TrialInputs {
    /// The experiment that plays these inputs.
    ///
    /// # Errors
    ///
    /// [`ExperimentError`] says which part cannot be played.
    pub fn experiment(&self) -> Result<Experiment, ExperimentError> {
        let intervals = self.intervals.iter().map(|interval| DemandInterval {
            contacts: interval.load.contacts,
            handle_secs: interval.load.handle_secs,
        });
        let demand = Demand {
            interval_secs: self.interval_secs,
            intervals: intervals.collect(),
            handling: self.handling,
            patience_secs: self.rules.patience_secs,
            luck: self.luck.clone(),
        };
        Experiment::new(
            self.strategy.clone(),
            demand,
            self.intervals.iter().map(|interval| interval.agents).collect(),
            self.rules.within_secs,
            self.replications,
            self.seed,
        )
    }

    /// What the steady-state model says: unlimited places, no longest wait, each interval settled.
    ///
    /// # Errors
    ///
    /// [`QueueError`] when an interval's numbers are out of the model's range.
    pub fn theory(&self) -> Result<Theory, QueueError> {
        let rules = Rules { concurrency: self.strategy.team.concurrency, ..self.rules };
        let model = Model::for_rules(&rules);
        let mut intervals = Vec::with_capacity(self.intervals.len());
        let mut day = DayMeans::default();
        for interval in &self.intervals {
            let IntervalLoad { contacts, handle_secs } = interval.load;
            let outcome = if contacts > 0.0 {
                let traffic = Traffic::per_interval(contacts, self.interval_secs, handle_secs)?;
                let outcome = model.outcome(traffic, interval.agents, &rules)?;
                day.add(contacts, interval.agents, outcome);
                outcome
            } else {
                day.add_idle(interval.agents);
                None
            };
            intervals.push(outcome);
        }
        Ok(Theory { model, day: day.outcome(), intervals })
    }
}

impl TrialResult {
    /// The result of the replications in `summary`.
    pub fn of(summary: &Summary) -> Self {
        Self { day: summary.day(), intervals: summary.intervals() }
    }

    /// Every target of the day beside what it came to.
    pub fn judge(&self, rules: &Rules) -> Vec<Judged> {
        let at_most = |target, wanted: Option<f64>, got: Option<Estimate>| {
            let (wanted, got) = (wanted?, got?);
            let verdict = side(got.high() <= wanted, got.low() > wanted);
            Some(Judged { target, wanted, got, verdict })
        };
        let level = self.day.service_level.map(|got| {
            let wanted = rules.service_level;
            let verdict = side(got.low() >= wanted, got.high() < wanted);
            Judged { target: Target::ServiceLevel, wanted, got, verdict }
        });
        [
            level,
            at_most(Target::Abandonment, rules.abandonment, self.day.abandonment),
            at_most(Target::Occupancy, rules.occupancy, self.day.occupancy),
        ]
        .into_iter()
        .flatten()
        .collect()
    }
}

fn side(surely_met: bool, surely_missed: bool) -> Verdict {
    match (surely_met, surely_missed) {
        (true, _) => Verdict::Holds,
        (_, true) => Verdict::Breaks,
        _ => Verdict::Marginal,
    }
}

/// Means over a day's intervals.
#[derive(Default)]
struct DayMeans {
    has_no_steady_state: bool,
    offered: f64,
    in_time: f64,
    abandoned: f64,
    answered: f64,
    waited: f64,
    delayed: f64,
    busy: f64,
    staffed: f64,
}

impl DayMeans {
    fn add(&mut self, contacts: f64, agents: u32, outcome: Option<Outcome>) {
        let Some(outcome) = outcome else {
            self.has_no_steady_state = true;
            return;
        };
        let answered = contacts * (1.0 - outcome.abandonment);
        self.offered += contacts;
        self.in_time += contacts * outcome.service_level;
        self.abandoned += contacts * outcome.abandonment;
        self.answered += answered;
        self.waited += answered * outcome.answer_secs;
        self.delayed += contacts * outcome.wait_probability;
        self.busy += f64::from(agents) * outcome.occupancy;
        self.staffed += f64::from(agents);
    }

    fn add_idle(&mut self, agents: u32) {
        self.staffed += f64::from(agents);
    }

    fn outcome(&self) -> Option<Outcome> {
        let of = |top: f64, bottom: f64| if bottom > 0.0 { top / bottom } else { 0.0 };
        (!self.has_no_steady_state && self.offered > 0.0).then(|| Outcome {
            service_level: of(self.in_time, self.offered),
            abandonment: of(self.abandoned, self.offered),
            answer_secs: of(self.waited, self.answered),
            occupancy: of(self.busy, self.staffed),
            wait_probability: of(self.delayed, self.offered),
        })
    }
}
