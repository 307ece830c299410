//! The fewest people with which an interval meets every target, and why.

use barometer_queueing::{
    ChatPace, ChatTeam, ErlangA, ErlangC, FewestServers, LevelOf, Outcome, Promise, QueueError,
    Traffic,
};

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
    /// Agents hold several contacts at once, each of which slows the others down.
    Chat,
    /// Work that can wait: the threshold is a deadline.
    Deadline,
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
    /// Work with a deadline that nobody could meet.
    #[error(transparent)]
    Deadline(#[from] barometer_queueing::DeadlineError),
    /// The interval's numbers are out of the models' range.
    #[error(transparent)]
    Queue(#[from] QueueError),
    /// No number of people would do.
    #[error("no staffing up to {MOST_AGENTS} people meets these targets")]
    OutOfReach,
}

/// One number of people and what it comes to.
#[derive(Clone, Debug, PartialEq)]
pub struct NeedCandidate {
    /// People on the phones.
    pub agents: u32,
    /// What they come to; `None` when the line would grow without limit.
    pub outcome: Option<Outcome>,
    /// Every target beside what it came to.
    pub checks: Vec<Check>,
    /// Seconds within which nine of ten of the answered are answered; `None` where the model has no such figure.
    pub nine_of_ten_secs: Option<f64>,
}

impl NeedCandidate {
    /// Whether every target is met.
    pub fn holds(&self) -> bool {
        self.outcome.is_some() && self.checks.iter().all(Check::is_met)
    }
}

/// A need with its reason: what fewer people, the need and more come to.
#[derive(Clone, Debug, PartialEq)]
pub struct Explanation {
    /// The model that was used.
    pub model: Model,
    /// Offered load in Erlangs.
    pub offered_erlangs: f64,
    /// The candidates by number of people; without contacts there are none.
    pub candidates: Vec<NeedCandidate>,
    /// The need.
    pub need: u32,
}

impl Model {
    /// The model that the rules ask for, or else the one that fits: chats that slow each other
    /// down; Erlang A where callers lose patience, Erlang C where they wait for ever.
    pub fn for_rules(rules: &Rules) -> Self {
        match rules.model {
            Some(model) => model,
            None if rules.concurrency > 1 && rules.slowing > 0.0 => Self::Chat,
            None if rules.patience_secs.is_some() => Self::ErlangA,
            None => Self::ErlangC,
        }
    }

    /// What `agents` come to in an interval that settles; `None` when the line would grow without
    /// limit. Work with a deadline has no queue of its own: it is taken as Erlang C.
    ///
    /// Unless chats slow each other down, an agent with `rules.concurrency` contacts at once counts
    /// as so many servers. Erlang A without a patience is Erlang C.
    ///
    /// # Errors
    ///
    /// [`QueueError`] where the traffic or the rules are out of range.
    pub fn outcome(
        self,
        traffic: Traffic,
        agents: u32,
        rules: &Rules,
    ) -> Result<Option<Outcome>, QueueError> {
        let servers = agents.saturating_mul(rules.concurrency);
        let within = rules.within_secs;
        match (self, rules.patience_secs) {
            (Self::ErlangA, Some(patience)) => {
                let line = ErlangA::new(traffic, servers, patience)?;
                let mut outcome = line.outcome(within);
                if rules.level_of != LevelOf::Offered {
                    outcome.service_level = line.service_level_of(within, rules.level_of)?;
                }
                Ok(Some(outcome))
            }
            (Self::Chat, patience) => chats(traffic, agents, rules, patience),
            _ => match ErlangC::new(traffic, servers) {
                Ok(line) => Ok(Some(line.outcome(within))),
                Err(QueueError::Unstable { .. }) => Ok(None),
                Err(error) => Err(error),
            },
        }
    }
}

impl Model {
    /// Seconds within which a share of the answered are answered; `None` for chats that slow each other down, for work
    /// with a deadline, and where the line would grow without limit.
    ///
    /// # Errors
    ///
    /// [`QueueError`] where the traffic or the rules are out of range.
    pub fn wait_percentile_secs(
        self,
        traffic: Traffic,
        agents: u32,
        rules: &Rules,
        of_answered: f64,
    ) -> Result<Option<f64>, QueueError> {
        let servers = agents.saturating_mul(rules.concurrency);
        match (self, rules.patience_secs) {
            (Self::Chat | Self::Deadline, _) => Ok(None),
            (Self::ErlangA, Some(patience)) => ErlangA::new(traffic, servers, patience)?
                .wait_percentile_secs(of_answered)
                .map(Some),
            _ => match ErlangC::new(traffic, servers) {
                Ok(line) => line.wait_percentile_secs(of_answered).map(Some),
                Err(QueueError::Unstable { .. }) => Ok(None),
                Err(error) => Err(error),
            },
        }
    }
}

/// The handle time of the traffic is that of a chat alone with its agent.
fn chats(
    traffic: Traffic,
    agents: u32,
    rules: &Rules,
    patience: Option<f64>,
) -> Result<Option<Outcome>, QueueError> {
    let pace = ChatPace {
        at_once: rules.concurrency,
        alone_secs: traffic.handle_secs(),
        slowing: rules.slowing,
    };
    match ChatTeam::new(traffic.contacts_per_sec(), agents, pace, None, patience) {
        Ok(team) => {
            let figures = team.figures();
            Ok(Some(Outcome {
                service_level: team.service_level(rules.within_secs, rules.level_of),
                abandonment: figures.abandonment,
                answer_secs: figures.answer_secs,
                occupancy: figures.occupancy,
                wait_probability: figures.wait_probability,
            }))
        }
        Err(QueueError::Unstable { .. }) => Ok(None),
        Err(error) => Err(error),
    }
}

/// Searches for needs under one set of rules, interval after interval, and starts each where the
/// one before ended.
#[derive(Clone, Copy, Debug)]
pub struct NeedSearch<'a> {
    rules: &'a Rules,
    model: Model,
    interval_secs: f64,
    quick: Option<FewestServers>,
}

impl<'a> NeedSearch<'a> {
    /// A search for intervals of `interval_secs`.
    ///
    /// # Errors
    ///
    /// [`NeedError`] where the rules are out of range.
    pub fn new(interval_secs: f64, rules: &'a Rules, model: Model) -> Result<Self, NeedError> {
        // Where one agent is one server and only shares of the offered are promised.
        let is_plain = rules.concurrency == 1
            && rules.answer_secs.is_none()
            && rules.level_of == LevelOf::Offered
            && matches!(model, Model::ErlangA | Model::ErlangC);
        let patience_secs = rules.patience_secs.filter(|_| model == Model::ErlangA);
        let promise = Promise {
            service_level: rules.service_level,
            within_secs: rules.within_secs,
            // Without patience nobody abandons.
            abandonment: rules.abandonment.filter(|_| patience_secs.is_some()),
            occupancy: rules.occupancy,
            patience_secs,
        };
        let quick = if is_plain { Some(FewestServers::new(promise)?) } else { None };
        Ok(Self { rules, model, interval_secs, quick })
    }

    /// The fewest people with which the interval meets every target.
    ///
    /// # Errors
    ///
    /// [`NeedError`] when the numbers are out of range or the targets out of reach.
    pub fn agents(&mut self, load: IntervalLoad) -> Result<u32, NeedError> {
        let traffic = Traffic::per_interval(load.contacts, self.interval_secs, load.handle_secs)?;
        if traffic.offered_erlangs() == 0.0 {
            return Ok(0);
        }
        let (rules, model) = (self.rules, self.model);
        match &mut self.quick {
            Some(quick) => quick.find(traffic, MOST_AGENTS)?.ok_or(NeedError::OutOfReach),
            None => fewest(first_guess(traffic, rules), |agents| {
                let outcome = model.outcome(traffic, agents, rules)?;
                Ok(outcome.is_some_and(|outcome| rules.are_met_by(&outcome)))
            }),
        }
    }
}

/// The fewest people with which an interval of `interval_secs` meets every target, and what they
/// come to.
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
    let agents = NeedSearch::new(interval_secs, rules, model)?.agents(load)?;
    let traffic = Traffic::per_interval(load.contacts, interval_secs, load.handle_secs)?;
    let outcome = match agents {
        0 => None,
        agents => model.outcome(traffic, agents, rules)?,
    };
    Ok(Need { agents, outcome })
}

/// The people that every interval needs, in the order of `loads`, worked out on all cores.
///
/// # Errors
///
/// As [`need`], for the first interval that has none.
pub fn need_of_all(
    loads: &[IntervalLoad],
    interval_secs: f64,
    rules: &Rules,
    model: Model,
) -> Result<Vec<u32>, NeedError> {
    let search = NeedSearch::new(interval_secs, rules, model)?;
    let parts: Vec<Vec<u32>> = loads
        .par_chunks(TOGETHER)
        .map(|part| {
            let mut search = search;
            part.iter().map(|load| search.agents(*load)).collect()
        })
        .collect::<Result<_, _>>()?;
    Ok(parts.concat())
}

/// Intervals that one core takes in one go.
const TOGETHER: usize = 512;

/// The need with `around` people fewer and more.
///
/// # Errors
///
/// As [`need`].
pub fn explain(
    load: IntervalLoad,
    interval_secs: f64,
    rules: &Rules,
    model: Model,
    around: u32,
) -> Result<Explanation, NeedError> {
    let traffic = Traffic::per_interval(load.contacts, interval_secs, load.handle_secs)?;
    let agents = need(load, interval_secs, rules, model)?.agents;
    let most = if agents == 0 { 0 } else { agents.saturating_add(around) };
    let candidates = (agents.saturating_sub(around).max(1)..=most)
        .map(|agents| {
            let outcome = model.outcome(traffic, agents, rules)?;
            let checks = outcome.as_ref().map_or_else(Vec::new, |outcome| rules.checks(outcome));
            let nine_of_ten_secs = model.wait_percentile_secs(traffic, agents, rules, 0.9)?;
            Ok(NeedCandidate { agents, outcome, checks, nine_of_ten_secs })
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
