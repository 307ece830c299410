//! What the steady-state models say of the part of a trial that they cover.

use barometer_queueing::{Outcome, QueueError, Traffic};
use barometer_strategy::{Customers, Duration, Next, OfferOrder, Queue, Step, StepKind, Team};

use super::{TrialInputs, TrialType};
use crate::need::Model;
use crate::rules::Rules;

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
    /// What the trial plays and the model leaves out, in the planner's words.
    pub left_out: Vec<&'static str>,
}

impl TrialInputs {
    /// What the steady-state model says of one contact type: one queue and one team, each interval
    /// settled. `None` where more than that plays a part, which no such model knows.
    ///
    /// # Errors
    ///
    /// [`QueueError`] when an interval's numbers are out of the model's range.
    pub fn theory(&self, kind: usize) -> Result<Option<Theory>, QueueError> {
        let Some((contacts, queue, team, agents)) = self.line_of(kind) else { return Ok(None) };
        let skill = team.answers(contacts.customers.channel);
        let rules = Rules {
            concurrency: skill.as_ref().map_or(1, |skill| skill.at_once),
            slowing: skill.map_or(0.0, |skill| skill.slowing),
            patience_secs: contacts.customers.patience.as_ref().map(Duration::mean_secs),
            model: None,
            ..contacts.rules
        };
        let model = Model::for_rules(&rules);
        let mut intervals = Vec::with_capacity(contacts.intervals.len());
        let mut day = DayMeans::default();
        for (interval, &agents) in contacts.intervals.iter().zip(agents) {
            let outcome = if interval.contacts > 0.0 {
                let secs = self.interval_secs;
                let traffic = Traffic::per_interval(
                    interval.contacts,
                    secs,
                    interval.handle_secs * team.pace,
                )?;
                let outcome = model.outcome(traffic, agents, &rules)?;
                day.add(interval.contacts, agents, outcome);
                outcome
            } else {
                day.add_idle(agents);
                None
            };
            intervals.push(outcome);
        }
        let left_out = left_out(queue, team, &contacts.customers);
        Ok(Some(Theory { model, day: day.outcome(), intervals, left_out }))
    }

    /// A contact type, its queue, and the only team at work that answers it at first, where that
    /// team answers no other contact type.
    fn line_of(&self, kind: usize) -> Option<(&TrialType, &Queue, &Team, &[u32])> {
        let contacts = self.types.get(kind)?;
        let first = self.first_step(contacts)?;
        let StepKind::Queue(queue) = &first.does else { return None };
        let answers = |contacts: &TrialType, team: &Team| {
            let channel = contacts.customers.channel;
            let first = self.first_step(contacts);
            first.is_none_or(|step| self.strategy.is_answered_by(step, team, channel))
        };
        let at_work = self.teams.iter().filter(|team| team.agents.iter().any(|&people| people > 0));
        let mut answering = at_work.filter_map(|people| {
            let team = self.strategy.teams.iter().find(|team| team.id == people.team)?;
            answers(contacts, team).then_some((team, people))
        });
        let (team, people) = answering.next()?;
        let others = self.types.iter().enumerate().filter(|(other, _)| *other != kind);
        let may_come = |other: &TrialType| {
            let points = self.strategy.first_service_points(&other.name);
            let channel = other.customers.channel;
            points.into_iter().any(|step| self.strategy.is_answered_by(step, team, channel))
        };
        let is_shared = others.into_iter().any(|(_, other)| may_come(other));
        let is_alone = answering.next().is_none() && !is_shared;
        is_alone.then_some((contacts, queue, team, people.agents.as_slice()))
    }

    fn first_step(&self, contacts: &TrialType) -> Option<&Step> {
        match &self.strategy.entry_of(&contacts.name)?.first {
            Next::Step(first) => self.strategy.step(first),
            _ => None,
        }
    }
}

fn left_out(queue: &Queue, team: &Team, customers: &Customers) -> Vec<&'static str> {
    let offering = &queue.offering;
    let try_again = customers.after_abandoning.is_some() || customers.after_blocked.is_some();
    let rings = !team.answer_delay.is_nothing() || team.refused_share > 0.0;
    [
        (queue.places.is_some(), "the limit of places"),
        (queue.longest_wait_secs.is_some(), "the longest wait"),
        (rings, "the time until a ringing agent answers"),
        (rings && offering.order == OfferOrder::AllAtOnce, "ringing everybody at once"),
        (offering.wrap_up_secs > 0.0, "the least wrap-up"),
        (!queue.need.relaxations.is_empty(), "help from others for those who wait long"),
        (!queue.announcements.is_empty(), "what is told to those who wait"),
        (queue.callback.is_some(), "callbacks"),
        (try_again, "customers who try again"),
        (!matches!(customers.handling, Duration::Exponential { .. }), "how handle times spread"),
    ]
    .into_iter()
    .filter_map(|(is_played, words)| is_played.then_some(words))
    .collect()
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
