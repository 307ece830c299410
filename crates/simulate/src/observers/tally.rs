//! Counts of a replication, by interval, contact type, service point, team, agent and label.

use barometer_routing::{
    AgentId, Cause, ContactId, ContactTypeId, End, Errand, FlowId, Id, Observation, Seconds,
    ServicePointId, Table, TeamId, channel_place,
};

use super::{Observer, View};
use crate::model::Model;
use crate::sketch::Waits;

/// Counts of a contact type in an interval. Contacts belong to the interval in which they came; each
/// ends in exactly one way.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct TypeTally {
    /// Contacts that came, those who tried again included.
    pub offered: f64,
    /// Of those, customers who had tried before.
    pub again: f64,
    /// Answered while they waited.
    pub answered: f64,
    /// Of those, answered within the target's threshold.
    pub answered_in_time: f64,
    /// Abandoned.
    pub abandoned: f64,
    /// Sent to voicemail.
    pub to_voicemail: f64,
    /// Released after a message.
    pub released: f64,
    /// Got the busy tone.
    pub blocked: f64,
    /// Handed to an outside number.
    pub outside: f64,
    /// Settled by a virtual assistant.
    pub contained: f64,
    /// Called back, and reached.
    pub called_back: f64,
    /// Promised a callback, and not reached.
    pub callback_failed: f64,
    /// Still waiting when nobody was left to answer.
    pub left_waiting: f64,
    /// Of the answered, cut off when their agent left.
    pub cut_off: f64,
    /// Seconds that the answered waited in lines, in all.
    pub answer_wait_secs: f64,
    /// Seconds that everybody waited in lines, in all; whoever waits for a callback does not count.
    pub wait_secs: f64,
    /// Seconds from the promise to the callback, in all.
    pub callback_secs: f64,
}

/// Counts of a queue or hunt group in an interval, by when contacts joined it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ServicePointTally {
    /// Contacts that were sent here.
    pub entered: f64,
    /// Answered here.
    pub answered: f64,
    /// Of those, answered within the target's threshold, counted from their first line.
    pub answered_in_time: f64,
    /// Abandoned here.
    pub abandoned: f64,
    /// Left because it was full.
    pub full: f64,
    /// Left after the longest wait.
    pub too_long: f64,
    /// Left because nobody was at work.
    pub no_staff: f64,
    /// Left because nobody answered.
    pub no_answer: f64,
    /// Accepted a callback.
    pub callbacks: f64,
    /// Seconds that contacts spent here, work and promised callbacks too, in all.
    pub wait_secs: f64,
    /// Offers to members.
    pub offers: f64,
}

/// Time of a team in an interval. A second of an agent counts once for each contact that the agent
/// could hold at once.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct TeamTally {
    /// Contacts answered.
    pub answered: f64,
    /// Seconds of handling, wrap-up included.
    pub busy_secs: f64,
    /// Seconds at work.
    pub staffed_secs: f64,
    /// Seconds in which devices rang, by agent.
    pub ringing_secs: f64,
}

/// A replication of one agent.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct AgentTally {
    /// Contacts answered.
    pub answered: f64,
    /// Offers, answered or not.
    pub offers: f64,
    /// Seconds of handling, wrap-up included, each contact as a share of what the agent can hold.
    pub busy_secs: f64,
    /// Seconds at work.
    pub staffed_secs: f64,
    /// Seconds in which the device rang.
    pub ringing_secs: f64,
}

/// A replication of the contacts with one label.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct LabelTally {
    /// Contacts that had it in the end.
    pub contacts: f64,
    /// Answered.
    pub answered: f64,
    /// Answered within the threshold.
    pub answered_in_time: f64,
    /// Abandoned.
    pub abandoned: f64,
    /// Seconds waited, in all.
    pub wait_secs: f64,
}

/// Counts of a replication. What happens after the last interval is counted to it. Tables of
/// intervals are laid out one part after the other: all intervals of the first type, then the next.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct DayTally {
    /// Intervals of the trial.
    pub intervals: usize,
    /// By contact type and interval.
    pub types: Vec<TypeTally>,
    /// By line and interval.
    pub service_points: Vec<ServicePointTally>,
    /// By team and interval.
    pub teams: Vec<TeamTally>,
    /// By agent.
    pub agents: Vec<AgentTally>,
    /// By label.
    pub labels: Vec<LabelTally>,
    /// By way from step to step.
    pub flows: Vec<f64>,
    /// Waits of those who were answered, by contact type.
    pub answer_waits: Vec<Waits>,
    /// Waits of those who abandoned, by contact type.
    pub abandon_waits: Vec<Waits>,
    /// Events that were played.
    pub events: u64,
}

macro_rules! adds {
    ($tally:ty { $($field:ident),+ $(,)? }) => {
        impl $tally {
            /// Adds another's counts.
            pub fn add(&mut self, other: &Self) {
                $(self.$field += other.$field;)+
            }
        }
    };
}

adds!(TypeTally {
    offered,
    again,
    answered,
    answered_in_time,
    abandoned,
    to_voicemail,
    released,
    blocked,
    outside,
    contained,
    called_back,
    callback_failed,
    left_waiting,
    cut_off,
    answer_wait_secs,
    wait_secs,
    callback_secs,
});
adds!(ServicePointTally {
    entered,
    answered,
    answered_in_time,
    abandoned,
    full,
    too_long,
    no_staff,
    no_answer,
    callbacks,
    wait_secs,
    offers,
});
adds!(TeamTally { answered, busy_secs, staffed_secs, ringing_secs });

impl DayTally {
    /// All contact types in all.
    pub fn total(&self) -> TypeTally {
        self.types.iter().fold(TypeTally::default(), |mut total, each| {
            total.add(each);
            total
        })
    }

    /// Each contact type in all.
    pub fn kinds(&self) -> impl Iterator<Item = TypeTally> {
        self.types.chunks(self.intervals.max(1)).map(|intervals| {
            intervals.iter().fold(TypeTally::default(), |mut total, each| {
                total.add(each);
                total
            })
        })
    }

    /// All contact types and all teams in one interval.
    pub fn of_interval(&self, interval: usize) -> (TypeTally, TeamTally) {
        let (mut contacts, mut people) = (TypeTally::default(), TeamTally::default());
        let n = self.intervals.max(1);
        self.types.iter().skip(interval).step_by(n).for_each(|each| contacts.add(each));
        self.teams.iter().skip(interval).step_by(n).for_each(|each| people.add(each));
        (contacts, people)
    }

    /// All lines in all.
    pub fn total_of_service_points(&self) -> ServicePointTally {
        self.service_points.iter().fold(ServicePointTally::default(), |mut total, each| {
            total.add(each);
            total
        })
    }

    /// All teams in all.
    pub fn total_of_teams(&self) -> TeamTally {
        self.teams.iter().fold(TeamTally::default(), |mut total, each| {
            total.add(each);
            total
        })
    }
}

/// A wait that is meant to equal the threshold may come out longer by rounding, by less than this.
const ROUNDING_SECS: f64 = 1e-6;

/// Counts while they are taken.
#[derive(Debug, Default)]
pub(crate) struct Tally {
    pub counts: DayTally,
    /// Where a contact's stay in a service point is counted: in the interval in which it joined.
    rows: Vec<u32>,
    agents: Table<AgentId, AgentTime>,
}

/// Where an agent's time goes.
#[derive(Clone, Copy, Debug, Default)]
struct AgentTime {
    /// Until when it has been accounted for.
    since: Seconds,
    /// Since when on shift.
    on_shift_since: Seconds,
}

impl Tally {
    fn of_type(&mut self, view: View<'_>, contact: ContactId) -> &mut TypeTally {
        let kind: ContactTypeId = view.floor.contacts[contact].contact_type;
        let interval = view.customers[contact].interval as usize;
        &mut self.counts.types[kind.place() * view.model.intervals + interval]
    }

    fn of_point(&mut self, contact: ContactId) -> &mut ServicePointTally {
        &mut self.counts.service_points[self.rows[contact.place()] as usize]
    }

    fn take(&mut self, flow: FlowId) {
        self.counts.flows[flow.place()] += 1.0;
    }

    fn enter(&mut self, view: View<'_>, contact: ContactId, point: ServicePointId, since: f64) {
        let interval = view.clock.interval_of(since, view.model);
        let row = point.place() * view.model.intervals + interval;
        if self.rows.len() <= contact.place() {
            self.rows.resize(contact.place() + 1, 0);
        }
        self.rows[contact.place()] = row as u32;
        self.counts.service_points[row].entered += 1.0;
    }

    fn leave_unanswered(&mut self, view: View<'_>, contact: ContactId, cause: Cause) {
        let tally = self.of_point(contact);
        match cause {
            Cause::Full => tally.full += 1.0,
            Cause::TooLong => tally.too_long += 1.0,
            Cause::NoStaff => tally.no_staff += 1.0,
            Cause::NoAnswer => tally.no_answer += 1.0,
            Cause::CallbackAccepted => tally.callbacks += 1.0,
            Cause::Abandoned => {
                tally.abandoned += 1.0;
                let of = &view.floor.contacts[contact];
                let waited = of.waiting_since.map_or(0.0, |since| view.floor.now - since);
                self.counts.abandon_waits[of.contact_type.place()].record(waited);
            }
        }
    }

    /// Counts an answer everywhere at once: this happens to nearly every contact.
    fn answer(&mut self, view: View<'_>, contact: ContactId, agent: AgentId) {
        let of = &view.floor.contacts[contact];
        if of.errand == Errand::HandedOver {
            return;
        }
        let (now, model) = (view.floor.now, view.model);
        self.counts.agents[agent.place()].answered += 1.0;
        let team = model.strategy.agents[agent].team.place();
        self.counts.teams[team * model.intervals + view.clock.interval].answered += 1.0;
        self.of_point(contact).answered += 1.0;
        match of.errand {
            Errand::Customer => {
                let kind = of.contact_type;
                let waited = of.waiting_since.map_or(0.0, |since| now - since);
                let is_in_time = waited <= model.contact_types[kind].within_secs + ROUNDING_SECS;
                let in_time = f64::from(u8::from(is_in_time));
                self.of_point(contact).answered_in_time += in_time;
                let tally = self.of_type(view, contact);
                tally.answered += 1.0;
                tally.answer_wait_secs += waited;
                tally.answered_in_time += in_time;
                self.counts.answer_waits[kind.place()].record(waited);
                self.count_labels(of.labels, |tally| {
                    tally.answered += 1.0;
                    tally.answered_in_time += in_time;
                    tally.wait_secs += waited;
                });
            }
            Errand::Callback(promised) => {
                let tally = self.of_type(view, contact);
                tally.called_back += 1.0;
                tally.callback_secs += now - promised.at;
                self.count_labels(of.labels, |tally| tally.answered += 1.0);
            }
            Errand::Work(_) | Errand::HandedOver => {}
        }
    }

    fn end_contact(&mut self, view: View<'_>, contact: ContactId, how: End) {
        let of = &view.floor.contacts[contact];
        if how == End::CutOff {
            self.of_type(view, contact).cut_off += 1.0;
            return;
        }
        if matches!(of.errand, Errand::Work(_) | Errand::HandedOver) {
            return;
        }
        let tally = self.of_type(view, contact);
        let count = match how {
            End::Abandoned => &mut tally.abandoned,
            End::Released => &mut tally.released,
            End::Blocked => &mut tally.blocked,
            End::Voicemail => &mut tally.to_voicemail,
            End::Outside => &mut tally.outside,
            End::Contained => &mut tally.contained,
            End::CallbackFailed => &mut tally.callback_failed,
            End::CutOff => &mut tally.cut_off,
        };
        *count += 1.0;
        let abandoned = f64::from(u8::from(how == End::Abandoned));
        self.count_labels(of.labels, |tally| tally.abandoned += abandoned);
    }

    /// Counts a contact for each of its labels.
    fn count_labels(&mut self, mut labels: u64, count: impl Fn(&mut LabelTally)) {
        while labels != 0 {
            let tally = &mut self.counts.labels[labels.trailing_zeros() as usize];
            tally.contacts += 1.0;
            count(tally);
            labels &= labels - 1;
        }
    }

    /// Accounts for an agent's time until now, before what the agent does changes.
    fn account(&mut self, view: View<'_>, agent: AgentId) {
        let (now, model) = (view.floor.now, view.model);
        let state = &view.floor.agents[agent];
        let from = std::mem::replace(&mut self.agents[agent].since, now);
        if (state.held == 0 && state.ringing.is_none()) || from >= now {
            return;
        }
        let team = model.strategy.agents[agent].team;
        let of_team = &model.teams[team];
        let share = f64::from(state.held) * of_team.share_of_one[channel_place(state.channel)];
        let (is_ringing, is_on_shift) = (state.ringing.is_some(), state.is_on_shift);
        let slots = of_team.slots;
        let spent = |secs: f64| (share * secs, if is_ringing { secs } else { 0.0 });
        let (busy, ringing) = spent(now - from);
        let of_agent = &mut self.counts.agents[agent.place()];
        of_agent.busy_secs += busy;
        of_agent.ringing_secs += ringing;
        let row = team.place() * model.intervals;
        if from >= view.clock.begins && now <= view.clock.ends && is_on_shift {
            let tally = &mut self.counts.teams[row + view.clock.interval];
            tally.busy_secs += busy * slots;
            tally.ringing_secs += ringing;
            return;
        }
        let end = model.intervals as f64 * model.interval_secs;
        let mut begins = from;
        let mut interval = ((from / model.interval_secs) as usize).min(model.intervals - 1);
        loop {
            let is_last = interval + 1 >= model.intervals;
            let ends =
                if is_last { f64::INFINITY } else { (interval + 1) as f64 * model.interval_secs };
            let until = now.min(ends);
            let (busy, ringing) = spent(until - begins);
            // Agents who stay after their shift or after the day's end are there for what is at hand.
            let overtime =
                if is_on_shift { (until - begins.max(end)).max(0.0) } else { until - begins };
            let tally = &mut self.counts.teams[row + interval];
            tally.busy_secs += busy * slots;
            tally.ringing_secs += ringing;
            tally.staffed_secs += share * slots * overtime;
            self.counts.agents[agent.place()].staffed_secs += share * overtime;
            if until >= now {
                break;
            }
            begins = until;
            interval += 1;
        }
    }

    /// Accounts for an agent's time on shift, which ends now.
    fn account_shift(&mut self, view: View<'_>, agent: AgentId) {
        let end = view.model.intervals as f64 * view.model.interval_secs;
        if view.floor.agents[agent].is_on_shift {
            let since = self.agents[agent].on_shift_since;
            self.counts.agents[agent.place()].staffed_secs +=
                view.floor.now.min(end) - since.min(end);
        }
    }
}

impl Observer for Tally {
    fn begin(&mut self, model: &Model) {
        self.counts = DayTally::of(model);
        self.rows.clear();
        self.agents.clear();
        (0..model.strategy.agents.len()).for_each(|_| {
            self.agents.push(AgentTime::default());
        });
    }

    #[inline(always)]
    fn observe(&mut self, view: View<'_>, what: Observation) {
        match what {
            Observation::Arrived { contact } => {
                let is_again = view.customers[contact].attempt > 1;
                let tally = self.of_type(view, contact);
                tally.offered += 1.0;
                tally.again += f64::from(u8::from(is_again));
            }
            Observation::Took { flow, .. } => self.take(flow),
            Observation::Entered { contact, service_point, since } => {
                self.enter(view, contact, service_point, since);
            }
            Observation::Offered { contact, agent } => {
                self.counts.agents[agent.place()].offers += 1.0;
                self.of_point(contact).offers += 1.0;
            }
            Observation::Waited { contact, secs } => {
                if view.floor.contacts[contact].is_customer() {
                    self.of_type(view, contact).wait_secs += secs;
                }
                self.of_point(contact).wait_secs += secs;
            }
            Observation::LeftUnanswered { contact, cause } => {
                self.leave_unanswered(view, contact, cause);
            }
            Observation::Answered { contact, agent } => self.answer(view, contact, agent),
            Observation::Ended { contact, how } => self.end_contact(view, contact, how),
            Observation::LeftWaiting { contact } => {
                let is_callback = view.floor.contacts[contact].promised().is_some();
                let tally = self.of_type(view, contact);
                let count =
                    if is_callback { &mut tally.callback_failed } else { &mut tally.left_waiting };
                *count += 1.0;
            }
            Observation::AgentChanges { agent } => self.account(view, agent),
            Observation::SignedIn { agent } => {
                self.agents[agent].on_shift_since = view.floor.now;
            }
            Observation::SignedOut { agent } => self.account_shift(view, agent),
            Observation::ReachedStep { .. }
            | Observation::Joined { .. }
            | Observation::Rings { .. }
            | Observation::NotAnswered { .. }
            | Observation::CallbackPromised { .. }
            | Observation::Finished { .. } => {}
        }
    }

    fn stayed_on(&mut self, view: View<'_>, team: TeamId, people: u32, since: Seconds) {
        let model = view.model;
        let end = model.intervals as f64 * model.interval_secs;
        let (from, until) = (since.min(end), view.floor.now.min(end));
        if people == 0 || from >= until {
            return;
        }
        let row = team.place() * model.intervals;
        let mut begins = from;
        for interval in (from / model.interval_secs) as usize..model.intervals {
            let ends = until.min((interval + 1) as f64 * model.interval_secs);
            self.counts.teams[row + interval].staffed_secs += f64::from(people) * (ends - begins);
            begins = ends;
            if ends >= until {
                break;
            }
        }
    }

    fn end(&mut self, view: View<'_>) {
        for agent in view.floor.agents.ids() {
            self.account(view, agent);
            self.account_shift(view, agent);
        }
        // Planned time on shift is added to what was counted beside it.
        let intervals = view.model.intervals;
        for (rows, team) in self.counts.teams.chunks_mut(intervals).zip(view.model.teams.iter()) {
            for (tally, staffed) in rows.iter_mut().zip(&team.staffed_secs) {
                tally.staffed_secs += staffed * team.slots;
            }
        }
    }
}

impl DayTally {
    /// Nothing counted yet.
    fn of(model: &Model) -> Self {
        let Model { intervals, contact_types, teams, names, strategy, .. } = model;
        Self {
            intervals: *intervals,
            types: vec![TypeTally::default(); contact_types.len() * intervals],
            service_points: vec![
                ServicePointTally::default();
                strategy.service_points.len() * intervals
            ],
            teams: vec![TeamTally::default(); teams.len() * intervals],
            agents: vec![AgentTally::default(); strategy.agents.len()],
            labels: vec![LabelTally::default(); names.labels.len()],
            flows: vec![0.0; names.flows.len()],
            answer_waits: vec![Default::default(); contact_types.len()],
            abandon_waits: vec![Default::default(); contact_types.len()],
            events: 0,
        }
    }
}
