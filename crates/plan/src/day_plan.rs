//! A plan that holds its targets in every interval of a day that never settles.

use barometer_queueing::{LevelOf, Moment, Start, Stretch, StretchFigures, TransientDay};

use crate::IntervalLoad;
use crate::need::{Model, NeedError, NeedSearch};
use crate::rules::Rules;

/// People per interval, and what each interval comes to with them.
#[derive(Clone, Debug, PartialEq)]
pub struct DayPlan {
    /// People on the phones.
    pub agents: Vec<u32>,
    /// What that comes to, exactly.
    pub figures: Vec<StretchFigures>,
}

/// A day whose plans can be tried exactly: exponential handle times and patience, one contact after
/// the other, from an empty line to the last one answered.
#[derive(Clone, Debug)]
pub struct ExactDay<'a> {
    loads: &'a [IntervalLoad],
    interval_secs: f64,
    rules: &'a Rules,
    day: TransientDay,
}

impl<'a> ExactDay<'a> {
    /// The day with these intervals, in a row from opening to close.
    ///
    /// `None` for what the exact day does not know: work with a deadline, contacts that slow each
    /// other down, and a service level of anything but the offered.
    pub fn new(loads: &'a [IntervalLoad], interval_secs: f64, rules: &'a Rules) -> Option<Self> {
        let model = Model::for_rules(rules);
        let known = matches!(model, Model::ErlangA | Model::ErlangC)
            && rules.level_of == LevelOf::Offered
            && rules.answer_secs.is_none();
        let patience = rules.patience_secs.filter(|_| model == Model::ErlangA);
        let stretches = stretches(loads, &vec![0; loads.len()], interval_secs, rules);
        known.then(|| Self {
            loads,
            interval_secs,
            rules,
            day: TransientDay::new(patience, rules.within_secs, &stretches),
        })
    }

    /// What `agents` per interval come to.
    ///
    /// # Errors
    ///
    /// [`NeedError::Queue`] for numbers out of range.
    pub fn evaluate(&self, agents: &[u32]) -> Result<Vec<StretchFigures>, NeedError> {
        let plan = stretches(self.loads, agents, self.interval_secs, self.rules);
        Ok(self.day.evaluate(&Start::Empty, &plan)?)
    }

    /// Whether an interval with these figures holds every target; without contacts it always does.
    pub fn holds(&self, at: usize, agents: u32, figures: &StretchFigures) -> bool {
        let (rules, contacts) = (self.rules, self.loads[at].contacts);
        let servers = f64::from(agents) * f64::from(rules.concurrency);
        contacts == 0.0
            || (figures.service_level >= rules.service_level
                && rules.abandonment.is_none_or(|most| figures.abandoned <= most * contacts)
                && rules
                    .occupancy
                    .is_none_or(|most| agents > 0 && figures.mean_busy <= most * servers))
    }

    /// A plan that holds every target in every interval, and from which nobody can be taken: not
    /// one person of one interval, nor two of neighbouring intervals for one more in another.
    ///
    /// Begins with each interval's own need, walks through the day adding where an interval does
    /// not hold and taking where it does with fewer, then trades.
    ///
    /// `goes_on` is told of every change that is tried, by its number; `None` where it says no. After
    /// [`MOST_TRIES`](Self::MOST_TRIES) the search for a cheaper one ends: the plan holds, but somebody might still be
    /// taken from it.
    ///
    /// # Errors
    ///
    /// [`NeedError`] when an interval's own need does not exist.
    pub fn hold_every_interval(
        &self,
        goes_on: &mut dyn FnMut(u32) -> bool,
    ) -> Result<Option<DayPlan>, NeedError> {
        let model = Model::for_rules(self.rules);
        let mut search = NeedSearch::new(self.interval_secs, self.rules, model)?;
        let agents: Vec<u32> =
            self.loads.iter().map(|load| search.agents(*load)).collect::<Result<_, _>>()?;
        let mut trial = Trial::new(self, agents, goes_on)?;
        trial.walk();
        trial.repair();
        trial.take_away();
        trial.trade();
        // Whatever "as before" has let through.
        trial.repair();
        if trial.is_stopped {
            return Ok(None);
        }
        let figures = self.evaluate(&trial.agents)?;
        Ok(Some(DayPlan { agents: trial.agents, figures }))
    }

    /// Changes that are tried at most to make a plan that holds cheaper.
    pub const MOST_TRIES: u32 = 20_000;
}

fn stretches(
    loads: &[IntervalLoad],
    agents: &[u32],
    interval_secs: f64,
    rules: &Rules,
) -> Vec<Stretch> {
    loads
        .iter()
        .zip(agents)
        .map(|(load, agents)| Stretch {
            secs: interval_secs,
            contacts_per_sec: load.contacts / interval_secs,
            handle_secs: load.handle_secs,
            servers: agents.saturating_mul(rules.concurrency),
        })
        .collect()
}

/// A plan that is being changed, with the state in which each interval begins.
struct Trial<'a> {
    exact: &'a ExactDay<'a>,
    agents: Vec<u32>,
    plan: Vec<Stretch>,
    begins: Vec<Moment>,
    /// Intervals before a change whose waits may reach into it.
    looks_ahead: usize,
    goes_on: &'a mut dyn FnMut(u32) -> bool,
    tries: u32,
    is_stopped: bool,
}

/// A day is as it was before when its probabilities differ by less than this in all.
const AS_BEFORE: f64 = 1e-8;

/// Intervals within which people are traded.
const TRADED_WITHIN: usize = 4;

impl<'a> Trial<'a> {
    fn new(
        exact: &'a ExactDay<'a>,
        agents: Vec<u32>,
        goes_on: &'a mut dyn FnMut(u32) -> bool,
    ) -> Result<Self, NeedError> {
        let plan = stretches(exact.loads, &agents, exact.interval_secs, exact.rules);
        exact.day.check(&plan)?;
        let looks_ahead = (exact.rules.within_secs / exact.interval_secs).ceil() as usize;
        let begins = match plan.first() {
            Some(first) => vec![exact.day.start(&Start::Empty, first)],
            None => Vec::new(),
        };
        let mut trial =
            Self { exact, agents, plan, begins, looks_ahead, goes_on, tries: 0, is_stopped: false };
        trial.play_from(0);
        Ok(trial)
    }

    /// Counts a change that is tried; whether it should be.
    fn tries_on(&mut self) -> bool {
        self.tries = self.tries.saturating_add(1);
        self.is_stopped = self.is_stopped || !(self.goes_on)(self.tries);
        !self.is_stopped
    }

    fn set(&mut self, at: usize, agents: u32) {
        self.agents[at] = agents;
        self.plan[at].servers = agents.saturating_mul(self.exact.rules.concurrency);
    }

    /// Plays the day from interval `at` and keeps how each one begins.
    fn play_from(&mut self, from: usize) {
        for at in from..self.plan.len() {
            let end = self.exact.day.pass(&self.begins[at], &self.plan[at]);
            match self.begins.get_mut(at + 1) {
                Some(begin) => *begin = end,
                None => self.begins.push(end),
            }
        }
    }

    /// The first interval from `from` on that does not hold. Where the day has come back to how it
    /// went before the change after `changed`, the rest is as it was; with `None` nothing is.
    fn first_failure(&self, from: usize, changed: Option<usize>) -> Option<usize> {
        let mut moment = self.begins[from].clone();
        for at in from..self.plan.len() {
            let is_as_before = changed.is_some_and(|changed| at > changed)
                && moment.is_close_to(&self.begins[at], AS_BEFORE);
            if is_as_before {
                return None;
            }
            let (figures, end) = self.exact.day.stretch(&moment, &self.plan[at..]);
            if !self.exact.holds(at, self.agents[at], &figures) {
                return Some(at);
            }
            moment = end;
        }
        None
    }

    /// In the order of the day: as few as hold, given how the interval begins.
    fn walk(&mut self) {
        for at in 0..self.plan.len() {
            let holds = |trial: &Self| {
                let (figures, _) = trial.exact.day.stretch(&trial.begins[at], &trial.plan[at..]);
                trial.exact.holds(at, trial.agents[at], &figures)
            };
            while !holds(self) && self.agents[at] < u32::MAX && self.tries_on() {
                self.set(at, self.agents[at] + 1);
            }
            while self.agents[at] > 0 && self.tries_on() {
                self.set(at, self.agents[at] - 1);
                if !holds(self) {
                    self.set(at, self.agents[at] + 1);
                    break;
                }
            }
            let end = self.exact.day.pass(&self.begins[at], &self.plan[at]);
            self.begins.truncate(at + 1);
            self.begins.push(end);
        }
    }

    /// Waits that reach into the next interval may have lost a little: one more where one fails.
    fn repair(&mut self) {
        while self.tries_on()
            && let Some(at) = self.first_failure(0, None)
        {
            self.set(at, self.agents[at] + 1);
            self.play_from(at);
        }
    }

    /// Whether a plan that held still does after changes from `first` to `last`.
    fn holds_after(&self, first: usize, last: usize) -> bool {
        self.first_failure(first.saturating_sub(self.looks_ahead), Some(last)).is_none()
    }

    /// Takes single people away while all still holds.
    fn take_away(&mut self) {
        let mut changed = true;
        while changed {
            changed = false;
            for at in 0..self.plan.len() {
                changed |= self.try_change(&[(at, -1)]);
            }
        }
    }

    /// One more here, two fewer nearby.
    fn trade(&mut self) {
        for at in 0..self.plan.len() {
            let near: Vec<usize> =
                (at + 1..(at + 1 + TRADED_WITHIN).min(self.plan.len())).collect();
            for (place, &first) in near.iter().enumerate() {
                for &second in &near[place..] {
                    if self.try_change(&[(at, 1), (first, -1), (second, -1)]) {
                        self.take_away();
                    }
                }
            }
        }
    }

    /// Makes the change and keeps it if all still holds; everything is as before if not.
    fn try_change(&mut self, change: &[(usize, i32)]) -> bool {
        if self.tries >= ExactDay::MOST_TRIES || !self.tries_on() {
            return false;
        }
        let before = self.agents.clone();
        let mut possible = true;
        for &(at, by) in change {
            match self.agents[at].checked_add_signed(by) {
                Some(agents) => self.set(at, agents),
                None => possible = false,
            }
        }
        let first = change.iter().map(|(at, _)| *at).min().unwrap_or(0);
        let last = change.iter().map(|(at, _)| *at).max().unwrap_or(0);
        if possible && self.holds_after(first, last) {
            self.play_from(first);
            return true;
        }
        for (at, agents) in before.into_iter().enumerate() {
            self.set(at, agents);
        }
        false
    }
}
