//! What is counted of a live day. Contacts belong to the interval in which they arrived, whatever the
//! strategy is when they are answered.

use std::collections::BTreeMap;

use barometer_routing::{
    AgentId, Cause, ContactId, End, Errand, Id, Observation, Seconds, ServicePointId, Table,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::model::Model;
use crate::observers::{Observer, View};

/// A wait that is meant to equal the threshold may come out longer by rounding, by less than this.
const ROUNDING_SECS: f64 = 1e-6;

/// Counts of a contact type in an interval.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TypeCounts {
    /// Contacts that arrived.
    pub offered: f64,
    /// Answered while they waited.
    pub answered: f64,
    /// Of those, answered within the target's threshold.
    pub in_time: f64,
    /// Abandoned.
    pub abandoned: f64,
    /// Ended otherwise: voicemail, released, busy tone, outside, assistant, callback.
    pub elsewhere: f64,
    /// Seconds that the answered waited, in all.
    pub wait_secs: f64,
    /// Contacts with which agents are done.
    pub handled: f64,
    /// Seconds that they were handled, wrap-up included, in all.
    pub handle_secs: f64,
    /// Of those, seconds of wrap-up.
    #[serde(default)]
    pub wrap_up_secs: f64,
}

/// Counts of a queue or hunt group in an interval.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PointCounts {
    /// Contacts that were sent here.
    pub entered: f64,
    /// Answered here.
    pub answered: f64,
    /// Of those, answered within the target's threshold, counted from their first line.
    pub in_time: f64,
    /// Abandoned here.
    pub abandoned: f64,
    /// Left by another exit.
    pub left: f64,
}

/// Counts of a team in an interval.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TeamCounts {
    /// Seconds on shift, of all agents.
    pub staffed_secs: f64,
    /// Of those, seconds with a contact.
    pub busy_secs: f64,
}

/// Counts of a day so far, interval by interval.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct DayCounts {
    /// By the contact type's name.
    pub types: BTreeMap<String, Vec<TypeCounts>>,
    /// By the step's id.
    pub points: BTreeMap<String, Vec<PointCounts>>,
    /// By the team's id.
    pub teams: BTreeMap<String, Vec<TeamCounts>>,
}

macro_rules! adds {
    ($($counts:ident { $($field:ident),+ })+) => {$(
        impl $counts {
            /// Adds another's counts.
            pub fn add(&mut self, other: &Self) {
                $(self.$field += other.$field;)+
            }
        }

        impl<'a> std::iter::Sum<&'a $counts> for $counts {
            fn sum<I: Iterator<Item = &'a Self>>(all: I) -> Self {
                let mut sum = Self::default();
                all.for_each(|each| sum.add(each));
                sum
            }
        }
    )+};
}

adds! {
    TypeCounts { offered, answered, in_time, abandoned, elsewhere, wait_secs, handled, handle_secs, wrap_up_secs }
    PointCounts { entered, answered, in_time, abandoned, left }
    TeamCounts { staffed_secs, busy_secs }
}

impl DayCounts {
    /// Without its first intervals.
    pub(super) fn without_first(mut self, intervals: usize) -> Self {
        fn cut<T>(rows: &mut BTreeMap<String, Vec<T>>, intervals: usize) {
            for rows in rows.values_mut() {
                rows.drain(..intervals.min(rows.len()));
            }
        }
        cut(&mut self.types, intervals);
        cut(&mut self.points, intervals);
        cut(&mut self.teams, intervals);
        self
    }
}

impl TypeCounts {
    /// Contacts of the interval that are neither answered nor gone.
    pub fn open(&self) -> f64 {
        self.offered - self.answered - self.abandoned - self.elsewhere
    }

    /// Answered within the threshold, as a share of the contacts that are answered or gone; `None` where there are
    /// none.
    pub fn service_level(&self) -> Option<f64> {
        let over = self.offered - self.open();
        (over > 0.0).then(|| self.in_time / over)
    }
}

/// Counts while they are taken.
#[derive(Debug, Default)]
pub(crate) struct DayObserver {
    counts: DayCounts,
    /// Contacts are taken up: they were counted when they came.
    pub is_resuming: bool,
    /// When agents answered each contact.
    answered_at: Vec<Seconds>,
    /// Where each contact waited last.
    waited_at: Vec<Option<ServicePointId>>,
    /// Until when each agent's time has been accounted for.
    accounted: Table<AgentId, Seconds>,
    types: Vec<Vec<TypeCounts>>,
    points: Vec<Vec<PointCounts>>,
    teams: Vec<Vec<TeamCounts>>,
}

fn add_rows<T: Clone + Default>(
    all: &mut BTreeMap<String, Vec<T>>,
    names: &[String],
    rows: &[Vec<T>],
    add: impl Fn(&mut T, &T),
) {
    for (name, rows) in names.iter().zip(rows) {
        let sums = all.entry(name.clone()).or_default();
        sums.resize(sums.len().max(rows.len()), T::default());
        sums.iter_mut().zip(rows).for_each(|(sum, row)| add(sum, row));
    }
}

impl DayObserver {
    /// What was counted before the day was taken up.
    pub fn set_before(&mut self, counts: DayCounts) {
        self.counts = counts;
    }

    /// Everything counted so far, with everybody's time until now.
    pub fn counts(&self, view: View<'_>) -> DayCounts {
        let mut counts = self.counts.clone();
        let ids = &view.model.ids;
        let mut teams = self.teams.clone();
        for agent in view.floor.agents.ids() {
            self.account_to(&mut teams, view, agent);
        }
        add_rows(&mut counts.types, &view.model.names.types, &self.types, TypeCounts::add);
        add_rows(&mut counts.points, &ids.points, &self.points, PointCounts::add);
        add_rows(&mut counts.teams, &ids.teams, &teams, TeamCounts::add);
        counts
    }

    /// When an agent answered a contact.
    pub fn answered_at(&self, contact: ContactId) -> Option<Seconds> {
        self.answered_at.get(contact.place()).copied()
    }

    /// A contact that is taken up was answered at a moment.
    pub fn note_answered(&mut self, contact: ContactId, at: Seconds) {
        if self.answered_at.len() <= contact.place() {
            self.answered_at.resize(contact.place() + 1, 0.0);
        }
        self.answered_at[contact.place()] = at;
    }

    /// Accounts for everybody's time until now, at the edge of an interval.
    pub fn account_all(&mut self, view: View<'_>) {
        for agent in view.floor.agents.ids() {
            self.account(view, agent);
        }
    }

    fn account(&mut self, view: View<'_>, agent: AgentId) {
        let mut teams = std::mem::take(&mut self.teams);
        self.account_to(&mut teams, view, agent);
        self.teams = teams;
        self.accounted[agent] = view.floor.now;
    }

    fn account_to(&self, teams: &mut [Vec<TeamCounts>], view: View<'_>, agent: AgentId) {
        let state = &view.floor.agents[agent];
        let secs = view.floor.now - self.accounted[agent];
        if secs <= 0.0 || !(state.is_on_shift || state.held > 0) {
            return;
        }
        // Time that ends on an edge belongs to the interval before it.
        let middle = self.accounted[agent] + secs / 2.0;
        let interval = view.clock.interval_of(middle, view.model);
        let team = view.model.strategy.agents[agent].team.place();
        let counts = &mut teams[team][interval];
        counts.staffed_secs += secs;
        counts.busy_secs += if state.held > 0 { secs } else { 0.0 };
    }

    fn of_type(&mut self, view: View<'_>, contact: ContactId) -> Option<&mut TypeCounts> {
        let interval = view.customers[contact].interval as usize;
        self.types.get_mut(view.floor.contacts[contact].contact_type.place())?.get_mut(interval)
    }

    fn of_point(
        &mut self,
        view: View<'_>,
        contact: ContactId,
        point: ServicePointId,
    ) -> Option<&mut PointCounts> {
        let interval = view.customers[contact].interval as usize;
        self.points.get_mut(point.place())?.get_mut(interval)
    }

    fn answer(&mut self, view: View<'_>, contact: ContactId) {
        let of = &view.floor.contacts[contact];
        if of.errand != Errand::HandedOver {
            self.note_answered(contact, view.floor.now);
        }
        if of.errand != Errand::Customer {
            return;
        }
        let waited = of.waiting_since.map_or(0.0, |since| view.floor.now - since);
        let within = view.model.contact_types[of.contact_type].within_secs + ROUNDING_SECS;
        let in_time = f64::from(u8::from(waited <= within));
        if let Some(counts) = self.of_type(view, contact) {
            counts.answered += 1.0;
            counts.in_time += in_time;
            counts.wait_secs += waited;
        }
        if let barometer_routing::State::WithAgent { service_point, .. } = of.state
            && let Some(counts) = self.of_point(view, contact, service_point)
        {
            counts.answered += 1.0;
            counts.in_time += in_time;
        }
    }
}

impl Observer for DayObserver {
    fn begin(&mut self, model: &Model) {
        let intervals = model.intervals;
        *self = Self {
            accounted: vec![0.0; model.strategy.agents.len()].into(),
            types: vec![vec![TypeCounts::default(); intervals]; model.inbound_types],
            points: vec![vec![PointCounts::default(); intervals]; model.ids.points.len()],
            teams: vec![vec![TeamCounts::default(); intervals]; model.teams.len()],
            ..Self::default()
        };
    }

    fn observe(&mut self, view: View<'_>, what: Observation) {
        if let Observation::AgentChanges { agent } = what {
            return self.account(view, agent);
        }
        let Some(contact) = what.contact() else { return };
        let is_customer = view.floor.contacts[contact].is_customer();
        match what {
            Observation::Arrived { .. } => {
                if let Some(counts) = self.of_type(view, contact) {
                    counts.offered += 1.0;
                }
            }
            Observation::Entered { service_point, .. } => {
                if self.waited_at.len() <= contact.place() {
                    self.waited_at.resize(contact.place() + 1, None);
                }
                self.waited_at[contact.place()] = Some(service_point);
                if is_customer
                    && !self.is_resuming
                    && let Some(counts) = self.of_point(view, contact, service_point)
                {
                    counts.entered += 1.0;
                }
            }
            Observation::Answered { .. } => self.answer(view, contact),
            Observation::LeftUnanswered { cause, .. } if is_customer => {
                let point = self.waited_at.get(contact.place()).copied().flatten();
                if let Some(counts) = point.and_then(|point| self.of_point(view, contact, point)) {
                    match cause {
                        Cause::Abandoned => counts.abandoned += 1.0,
                        _ => counts.left += 1.0,
                    }
                }
            }
            Observation::CallbackPromised { .. } => {
                if let Some(counts) = self.of_type(view, contact) {
                    counts.elsewhere += 1.0;
                }
            }
            Observation::Ended { how, .. } if is_customer => {
                if let Some(counts) = self.of_type(view, contact) {
                    match how {
                        End::Abandoned => counts.abandoned += 1.0,
                        // Counted as answered already.
                        End::CutOff => {}
                        _ => counts.elsewhere += 1.0,
                    }
                }
            }
            Observation::Finished { .. } => {
                let of = &view.floor.contacts[contact];
                let now = view.floor.now;
                let answered_at = self.answered_at(contact).unwrap_or(now);
                let since = view.customers[contact].wraps_up_since;
                // Earlier than the answer it is of an earlier time with an agent.
                let wrap_up_secs = if since >= answered_at { now - since } else { 0.0 };
                if !of.is_work()
                    && let Some(counts) = self.of_type(view, contact)
                {
                    counts.handled += 1.0;
                    counts.handle_secs += now - answered_at;
                    counts.wrap_up_secs += wrap_up_secs;
                }
            }
            _ => {}
        }
    }
}
