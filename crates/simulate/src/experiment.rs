//! Everything that a trial depends on.

use barometer_strategy::Strategy;

use crate::draws::{DemandLuck, Spread};

/// Contacts that one simulated day may have at most.
const MOST_CONTACTS: f64 = 10_000_000.0;
/// Replications of one experiment, at most.
const MOST_REPLICATIONS: u32 = 1_000_000;

/// A day's contacts: how many come, how long they take, how long they wait.
#[derive(Clone, Debug, PartialEq)]
pub struct Demand {
    /// Length of an interval in seconds.
    pub interval_secs: f64,
    /// The day's intervals in order, without gaps; a closed one has no contacts.
    pub intervals: Vec<DemandInterval>,
    /// How handle times spread around the interval's mean.
    pub handling: Spread,
    /// Mean of the exponential patience in seconds; `None` when contacts wait for ever.
    pub patience_secs: Option<f64>,
    /// How far the day may be off its forecast; the expected contacts are exact when none.
    pub luck: Option<DemandLuck>,
}

/// One interval of a day's demand.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DemandInterval {
    /// Expected contacts; they arrive at random (Poisson) at a constant rate within the interval.
    pub contacts: f64,
    /// Mean handle time in seconds of the contacts that arrive in it.
    pub handle_secs: f64,
}

/// A strategy tried on a day's demand with a cover, so many times.
#[derive(Clone, Debug)]
pub struct Experiment {
    pub(crate) strategy: Strategy,
    pub(crate) demand: Demand,
    pub(crate) agents: Vec<u32>,
    pub(crate) within_secs: f64,
    pub(crate) replications: u32,
    pub(crate) seed: u64,
}

/// Why an experiment cannot be played.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ExperimentError {
    /// The strategy has faults.
    #[error("the strategy cannot be played: {0}")]
    Strategy(String),
    /// Cover and demand do not have the same intervals.
    #[error("the cover has {cover} intervals and the demand {demand}; they must be the same")]
    Mismatch {
        /// Intervals of the cover.
        cover: usize,
        /// Intervals of the demand.
        demand: usize,
    },
    /// A number out of range.
    #[error("{what} must be {wanted}, got {got}")]
    BadNumber {
        /// What the number stands for, with its unit.
        what: &'static str,
        /// The range that would do.
        wanted: &'static str,
        /// What was given.
        got: f64,
    },
}

impl Experiment {
    /// An experiment of `replications` days: `agents` per interval of `demand`, `within_secs` the
    /// threshold of the service level.
    ///
    /// # Errors
    ///
    /// [`ExperimentError`] says which part cannot be played and what would do.
    pub fn new(
        strategy: Strategy,
        demand: Demand,
        agents: Vec<u32>,
        within_secs: f64,
        replications: u32,
        seed: u64,
    ) -> Result<Self, ExperimentError> {
        if let Some(fault) = strategy.faults().into_iter().next() {
            return Err(ExperimentError::Strategy(format!("{}: {}", fault.field, fault.message)));
        }
        if agents.len() != demand.intervals.len() {
            return Err(ExperimentError::Mismatch {
                cover: agents.len(),
                demand: demand.intervals.len(),
            });
        }
        check(&demand, within_secs, replications)?;
        Ok(Self { strategy, demand, agents, within_secs, replications, seed })
    }

    /// How many days it plays.
    pub fn replications(&self) -> u32 {
        self.replications
    }
}

fn check(demand: &Demand, within_secs: f64, replications: u32) -> Result<(), ExperimentError> {
    let ensure = |right: bool, what, wanted, got| {
        if right { Ok(()) } else { Err(ExperimentError::BadNumber { what, wanted, got }) }
    };
    let positive = |number: f64| number.is_finite() && number > 0.0;
    let above_zero = "a finite number above zero";
    let intervals = demand.intervals.len();
    ensure(intervals > 0, "intervals of demand", "at least one", intervals as f64)?;
    ensure(
        positive(demand.interval_secs),
        "interval in seconds",
        above_zero,
        demand.interval_secs,
    )?;
    for interval in &demand.intervals {
        let contacts = interval.contacts;
        let countable = contacts.is_finite() && contacts >= 0.0;
        ensure(countable, "contacts", "zero or a finite number above it", contacts)?;
        let handle = interval.handle_secs;
        ensure(positive(handle), "handle time in seconds", above_zero, handle)?;
    }
    let contacts: f64 = demand.intervals.iter().map(|interval| interval.contacts).sum();
    ensure(contacts <= MOST_CONTACTS, "contacts in a day", "at most ten million", contacts)?;
    if let Some(patience) = demand.patience_secs {
        ensure(positive(patience), "mean patience in seconds", above_zero, patience)?;
    }
    if let Spread::LogNormal { variation } = demand.handling {
        let usable = variation.is_finite() && (0.0..=10.0).contains(&variation);
        ensure(usable, "variation of handle times", "0 to 10", variation)?;
    }
    if let Some(luck) = &demand.luck {
        let usable = luck.day_factors.iter().all(|factor| factor.is_finite() && *factor >= 0.0);
        let sum: f64 = luck.day_factors.iter().sum();
        ensure(usable && sum > 0.0, "day factors", "zero or more, not all zero", sum)?;
        let most = luck.day_factors.iter().copied().fold(0.0, f64::max);
        ensure(
            contacts * most <= MOST_CONTACTS,
            "contacts in a day",
            "at most ten million",
            contacts * most,
        )?;
        let variance = luck.interval_variance;
        let usable = variance.is_finite() && (0.0..=100.0).contains(&variance);
        ensure(usable, "variance of the intervals' factors", "0 to 100", variance)?;
    }
    let waitable = within_secs.is_finite() && within_secs >= 0.0;
    ensure(waitable, "threshold in seconds", "zero or a finite number above it", within_secs)?;
    let playable = (1..=MOST_REPLICATIONS).contains(&replications);
    ensure(playable, "replications", "1 to 1000000", f64::from(replications))
}
