//! The fewest people with which an interval meets every target, and why.

use barometer_queueing::{ErlangA, ErlangC, Outcome, QueueError, Traffic};

use rayon::prelude::*;

use crate::IntervalLoad;
use crate::rules::{Check, Rules};

/// More people than any interval may need; beyond it the targets are taken as out of reach.
const MOST_AGENTS: u32 = 200_000;

/// Which steady state an interval is taken to settle at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Model {
    /// Callers wait until their patience ends.
    ErlangA,
    /// Callers wait for ever.
    ErlangC,
}

/// The need of one interval.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Need {
    /// People on the phones.
    pub agents: u32,
    /// What they come to; nothing to come to without contacts.
    pub outcome: Option<Outcome>,
}

/// Why there is no need.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum NeedError {
    /// The interval's numbers are out of the models' range.
    #[error(transparent)]
    Queue(#[from] QueueError),
    /// No number of people would do.
    #[error("no staffing up to {MOST_AGENTS} people meets these targets")]
    OutOfReach,
}

/// One number of people and what it comes to.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// People on the phones.
    pub agents: u32,
    /// What they come to; `None` when the line would grow without limit.
    pub outcome: Option<Outcome>,
    /// Every target beside what it came to.
    pub checks: Vec<Check>,
}

impl Candidate {
    /// Whether every target is met.
    pub fn holds(&self) -> bool {
        self.outcome.is_some() && self.checks.iter().all(Check::is_met)
    }
}

/// A need with its reason: one person fewer, the need, one more.
#[derive(Clone, Debug, PartialEq)]
pub struct Explanation {
    /// The model that was used.
    pub model: Model,
    /// Offered load in Erlangs.
    pub offered_erlangs: f64,
    /// The candidates by number of people; without contacts there are none.
    pub candidates: Vec<Candidate>,
    /// The need.
    pub need: u32,
}

impl Model {
    /// Erlang A where callers lose patience, Erlang C where they wait for ever.
    pub fn for_rules(rules: &Rules) -> Self {
        if rules.patience_secs.is_some() { Self::ErlangA } else { Self::ErlangC }
    }

    /// What `agents` come to; `None` when the line would grow without limit.
    ///
    /// An agent with `rules.concurrency` contacts at once counts as so many servers. Erlang A
    /// without a patience is Erlang C.
    pub fn outcome(
        self,
        traffic: Traffic,
        agents: u32,
        rules: &Rules,
    ) -> Result<Option<Outcome>, QueueError> {
        let servers = agents.saturating_mul(rules.concurrency);
        match (self, rules.patience_secs) {
            (Self::ErlangA, Some(patience)) => {
                Ok(Some(ErlangA::new(traffic, servers, patience)?.outcome(rules.within_secs)))
            }
            _ => match ErlangC::new(traffic, servers) {
                Ok(line) => Ok(Some(line.outcome(rules.within_secs))),
                Err(QueueError::Unstable { .. }) => Ok(None),
                Err(error) => Err(error),
            },
        }
    }
}

/// The fewest people with which an interval of `interval_secs` meets every target.
///
/// # Errors
///
/// [`NeedError`] when the numbers are out of range or the targets out of reach.
pub fn need(
    load: IntervalLoad,
    interval_secs: f64,
    rules: &Rules,
    model: Model,
) -> Result<Need, NeedError> {
    let traffic = Traffic::per_interval(load.contacts, interval_secs, load.handle_secs)?;
    if traffic.offered_erlangs() == 0.0 {
        return Ok(Need { agents: 0, outcome: None });
    }
    let mut latest = None;
    let agents = fewest(first_guess(traffic, rules), |agents| {
        let outcome = model.outcome(traffic, agents, rules)?;
        let holds = outcome.is_some_and(|outcome| rules.are_met_by(&outcome));
        if holds {
            latest = outcome;
        }
        Ok(holds)
    })?;
    Ok(Need { agents, outcome: latest })
}

/// The need of every interval, in the order of `loads`, worked out on all cores.
///
/// # Errors
///
/// As [`need`], for the first interval that has none.
pub fn need_of_all(
    loads: &[IntervalLoad],
    interval_secs: f64,
    rules: &Rules,
    model: Model,
) -> Result<Vec<Need>, NeedError> {
    loads.par_iter().map(|load| need(*load, interval_secs, rules, model)).collect()
}

/// The need with one person fewer and one more.
///
/// # Errors
///
/// As [`need`].
pub fn explain(
    load: IntervalLoad,
    interval_secs: f64,
    rules: &Rules,
    model: Model,
) -> Result<Explanation, NeedError> {
    let traffic = Traffic::per_interval(load.contacts, interval_secs, load.handle_secs)?;
    let agents = need(load, interval_secs, rules, model)?.agents;
    let neighbours = match agents {
        0 => Vec::new(),
        1 => vec![1, 2],
        _ => vec![agents - 1, agents, agents + 1],
    };
    let candidates = neighbours
        .into_iter()
        .map(|agents| {
            let outcome = model.outcome(traffic, agents, rules)?;
            let checks = outcome.as_ref().map_or_else(Vec::new, |outcome| rules.checks(outcome));
            Ok(Candidate { agents, outcome, checks })
        })
        .collect::<Result<_, QueueError>>()?;
    Ok(Explanation { model, offered_erlangs: traffic.offered_erlangs(), candidates, need: agents })
}

/// Half a standard deviation of the load above the load (square-root staffing): within a person or
/// two of usual targets, so that the search starts close.
fn first_guess(traffic: Traffic, rules: &Rules) -> u32 {
    let erlangs = traffic.offered_erlangs();
    let servers = (erlangs + 0.5 * erlangs.sqrt()).ceil();
    let by_occupancy = erlangs / rules.occupancy.unwrap_or(1.0);
    let agents = servers.max(by_occupancy.ceil()) / f64::from(rules.concurrency);
    (agents.ceil() as u32).clamp(1, MOST_AGENTS)
}

/// The smallest number from 1 for which `holds`, which must hold for every larger one too. The
/// result is always the last or next-to-last number asked that held.
fn fewest(
    guess: u32,
    mut holds: impl FnMut(u32) -> Result<bool, QueueError>,
) -> Result<u32, NeedError> {
    let (mut low, mut high);
    let mut step = 1;
    if holds(guess)? {
        (low, high) = (guess, guess);
        loop {
            low = low.saturating_sub(step);
            if low == 0 || !holds(low)? {
                break;
            }
            high = low;
            step *= 2;
        }
    } else {
        (low, high) = (guess, guess);
        loop {
            if high == MOST_AGENTS {
                return Err(NeedError::OutOfReach);
            }
            high = high.saturating_add(step).min(MOST_AGENTS);
            if holds(high)? {
                break;
            }
            low = high;
            step *= 2;
        }
    }
    // `low` does not hold (or is 0), `high` does.
    while high - low > 1 {
        let middle = low + (high - low) / 2;
        if holds(middle)? {
            high = middle;
        } else {
            low = middle;
        }
    }
    Ok(high)
}
