//! One replication: a calendar, an enum of events, one `match`; and replications by the many.

use std::collections::HashMap;

use barometer_routing::{
    AgentId, Arrival, ContactId, ContactTypeId, Id, ProfileId, Router, Seconds, State, Table,
    TeamId, Timer, Work,
};
use rayon::prelude::*;

use crate::calendar::{Calendar, Due, Event};
use crate::customer::{Customer, Return};
use crate::draws::{Key, Purpose};
use crate::experiment::Experiment;
use crate::model::{Model, Shift};
use crate::observers::{DayTally, EventLog, Observer, PacingLog, Tally, View};
use crate::outbound::Outbound;
use crate::population::{Arrivals, Newcomer};
use crate::present::{self, Taken};
use crate::simulation::Simulation;
use crate::summary::Summary;

/// Seconds after the last interval at which a replication ends whatever still waits: a week.
const MOST_OVERRUN_SECS: f64 = 7.0 * 86_400.0;
/// Events that a replication may have for each contact that is expected, and for a thousand more.
const MOST_EVENTS_PER_CONTACT: u64 = 2_000;

/// Contacts that a replication may have at once: half of those that have a place in the calendar.
const MOST_CONTACTS: usize = Calendar::MOST_PLACES / 2;

/// Replications that are held before they are summed up.
const AT_A_TIME: u32 = 32;

/// Why a replication was given up.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum PlayError {
    /// More happened than can be right.
    #[error(
        "replication {replication} was stopped after {events} events, {at_secs:.0} s into the trial: \
         contacts go round without end. Look for timers of a second or less, or for two steps that \
         send contacts to each other"
    )]
    TooManyEvents {
        /// Which replication.
        replication: u32,
        /// Events until then.
        events: u64,
        /// How far it had come.
        at_secs: f64,
    },
    /// More contacts at once than the calendar has numbers for.
    #[error("replication {replication} had {contacts} contacts at once, which is more than fit")]
    TooManyContacts {
        /// Which replication.
        replication: u32,
        /// Contacts at once.
        contacts: usize,
    },
}

impl Experiment {
    /// Plays one replication.
    ///
    /// # Errors
    ///
    /// [`PlayError`] when the replication does not come to an end.
    pub fn play(&self, replication: u32) -> Result<DayTally, PlayError> {
        Replication::of(&self.model, Tally::default()).play(self.seed, replication).map(take_counts)
    }

    /// Plays a range of replications on all cores; the tallies come in the order of replications.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn play_range(&self, range: std::ops::Range<u32>) -> Result<Vec<DayTally>, PlayError> {
        range
            .into_par_iter()
            .map_init(
                || Replication::of(&self.model, Tally::default()),
                |player, replication| player.play(self.seed, replication).map(take_counts),
            )
            .collect()
    }

    /// Plays a range of replications on all cores and sums them up in order; holds a few of them at
    /// a time, so that memory does not grow with their number.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn play_part(&self, range: std::ops::Range<u32>) -> Result<Summary, PlayError> {
        let mut summary = self.summary();
        self.add_to(&mut summary, range)?;
        Ok(summary)
    }

    /// As [`play_part`](Self::play_part), but asks now and then whether to go on; `None` when told to
    /// stop.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn play_part_while(
        &self,
        range: std::ops::Range<u32>,
        mut goes_on: impl FnMut() -> bool,
    ) -> Result<Option<Summary>, PlayError> {
        let mut summary = self.summary();
        for from in range.clone().step_by(AT_A_TIME as usize) {
            if !goes_on() {
                return Ok(None);
            }
            self.add_to(&mut summary, from..(from + AT_A_TIME).min(range.end))?;
        }
        Ok(Some(summary))
    }

    /// As [`play_part`](Self::play_part), on top of what a summary holds already.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn add_to(
        &self,
        summary: &mut Summary,
        range: std::ops::Range<u32>,
    ) -> Result<(), PlayError> {
        for from in range.clone().step_by(AT_A_TIME as usize) {
            let days = self.play_range(from..(from + AT_A_TIME).min(range.end))?;
            days.iter().for_each(|day| summary.add(day));
        }
        Ok(())
    }

    /// Plays one replication and keeps everything that happens.
    ///
    /// # Errors
    ///
    /// [`PlayError`] when the replication does not come to an end.
    pub fn log(&self, replication: u32) -> Result<(DayTally, EventLog), PlayError> {
        let observers = (Tally::default(), EventLog::default());
        let mut player = Replication::of(&self.model, observers);
        let (tally, log) = player.play(self.seed, replication)?;
        Ok((take_counts(tally), std::mem::take(log)))
    }

    /// Plays one replication and keeps everything that happens, and how campaigns decide.
    ///
    /// # Errors
    ///
    /// [`PlayError`] when the replication does not come to an end.
    pub fn replay(&self, replication: u32) -> Result<(EventLog, PacingLog), PlayError> {
        let logs = (EventLog::default(), PacingLog::default());
        let mut player = Replication::of(&self.model, (Tally::default(), logs));
        let (_, (log, pacing)) = player.play(self.seed, replication)?;
        Ok((std::mem::take(log), std::mem::take(pacing)))
    }
}

fn take_counts(tally: &mut Tally) -> DayTally {
    std::mem::take(&mut tally.counts)
}

/// A replication as it goes. The same one is used again for the next, with all that it has allocated.
pub(crate) struct Replication<'m, O> {
    model: &'m Model,
    pub router: Router<'m, Simulation<'m, O>>,
    arrivals: Arrivals<'m>,
    pub outbound: Outbound<'m>,
    /// What routing knows the profiles of each contact type by.
    profiles: Table<ContactTypeId, Vec<ProfileId>>,
    next_shift: usize,
    /// When the next shift changes; infinite where none does any more.
    next_shift_at: Seconds,
    /// When the warm-up is over; infinite once it is.
    warm_up_ends: Seconds,
    events: u64,
}

impl<'m, O: Observer> Replication<'m, O> {
    pub fn of(model: &'m Model, observer: O) -> Self {
        let mut router = Router::new(&model.strategy, Simulation::new(model, observer));
        let recognised = model.contact_types.ids().map(|id| {
            let profiles = model.contact_types[id].profiles.iter();
            profiles.map(|profile| router.recognise(id, profile)).collect()
        });
        Self {
            profiles: recognised.collect(),
            model,
            router,
            arrivals: Arrivals::of(model),
            outbound: Outbound::of(model),
            next_shift: 0,
            next_shift_at: f64::INFINITY,
            warm_up_ends: f64::INFINITY,
            events: 0,
        }
    }

    /// Begins a replication.
    pub fn begin(&mut self, seed: u64, replication: u32) {
        let key = Key::of_replication(seed, replication);
        self.router.clear();
        self.router.host.begin(key);
        self.arrivals.begin(key);
        self.outbound.begin(key);
        self.events = 0;
        self.await_shift(0);
        self.warm_up_ends = match self.model.counting.warm_up_intervals {
            0 => f64::INFINITY,
            intervals => intervals as f64 * self.model.interval_secs,
        };
        if let Some(taken) = &self.model.begins {
            self.take_up(taken, &[], &[]);
            self.router.go_on();
        }
    }

    /// Goes on where a day was left: who was there is there again, those who are meant to be at work sign in,
    /// and whoever came before is not drawn again. Gives the contacts that agents have.
    pub fn take_up(
        &mut self,
        taken: &Taken,
        luck: &[Customer],
        returns: &[(Seconds, Return)],
    ) -> Vec<(usize, ContactId)> {
        self.advance(taken.at);
        let key = self.router.host.key;
        let with_agents = present::resume(&mut self.router, taken, luck, key);
        for &(at, back) in returns {
            let place = self.router.host.returns.keep(back);
            self.router.host.calendar.plan(at.max(taken.at), Event::Returns, place);
        }
        while self.arrivals.next_at() <= taken.at {
            self.arrivals.take();
        }
        self.change_shifts_until(taken.at);
        with_agents
    }

    /// Brings those on shift to what the cover says at a moment, without the changes in between.
    fn change_shifts_until(&mut self, at: Seconds) {
        let due = self.model.shifts.partition_point(|change| change.at <= at);
        let mut last = HashMap::new();
        for change in &self.model.shifts[..due] {
            let of = match change.what {
                Shift::Count { team, .. } => OnShift::Team(team),
                Shift::SignsIn { agent } | Shift::SignsOut { agent } => OnShift::Agent(agent),
            };
            last.insert(of, change.what);
        }
        for agent in self.model.strategy.agents.ids() {
            let team = self.model.strategy.agents[agent].team;
            if last.contains_key(&OnShift::Team(team)) {
                continue;
            }
            match last.get(&OnShift::Agent(agent)) {
                Some(Shift::SignsIn { .. }) => self.router.sign_in(agent),
                _ => self.router.sign_out(agent),
            }
        }
        for team in self.model.teams.ids() {
            if let Some(Shift::Count { team, people }) = last.get(&OnShift::Team(team)) {
                self.change_count(*team, *people);
            }
        }
        self.await_shift(due);
    }

    /// Lets everything happen that happens until a moment.
    pub fn play_until(&mut self, to: Seconds) {
        while self.step(to) {}
        self.advance(to);
    }

    /// The observer, and what it can see.
    pub fn observed(&mut self) -> (&mut O, View<'_>) {
        observed(&mut self.router)
    }
}

/// Whose being on shift changes.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum OnShift {
    Team(TeamId),
    Agent(AgentId),
}

impl<O: Observer + Counts> Replication<'_, O> {
    /// Plays a replication and gives what its observer has seen.
    fn play(&mut self, seed: u64, replication: u32) -> Result<&mut O, PlayError> {
        self.begin(seed, replication);
        let last = self.router.host.end_of_day() + MOST_OVERRUN_SECS;
        let expected = (self.arrivals.expected() + self.outbound.most_calls()) as u64 + 1000;
        let most_events = expected.saturating_mul(MOST_EVENTS_PER_CONTACT);
        while self.step(last) {
            self.events += 1;
            let (events, at_secs) = (self.events, self.router.floor.now);
            if events > most_events {
                return Err(PlayError::TooManyEvents { replication, events, at_secs });
            }
            // An event brings one contact or two, so looking now and then is enough.
            if events.is_multiple_of(4096) {
                let contacts = self.router.floor.contacts.len();
                if contacts > MOST_CONTACTS {
                    return Err(PlayError::TooManyContacts { replication, contacts });
                }
            }
        }
        self.end();
        Ok(&mut self.router.host.observer)
    }

    /// Contacts that are still here when nothing more is planned, or too late, are never served.
    fn end(&mut self) {
        let now = self.router.floor.now.max(self.router.host.end_of_day());
        self.router.advance(now);
        self.outbound.end(&mut self.router);
        self.router.end_everything();
        for team in self.model.teams.ids() {
            self.router.host.account_leaving(&self.router.floor, team);
        }
        let (observer, view) = observed(&mut self.router);
        observer.end(view);
        observer.count_events(self.events);
    }
}

impl<O: Observer> Replication<'_, O> {
    /// Lets the next thing happen; says whether there was one.
    #[inline]
    fn step(&mut self, last: Seconds) -> bool {
        let shift = self.next_shift_at;
        let planned = self.router.host.calendar.next_at();
        let arrival = self.arrivals.next_at();
        let next = shift.min(planned).min(arrival);
        if self.warm_up_ends <= next && self.warm_up_ends < f64::INFINITY {
            let ends = std::mem::replace(&mut self.warm_up_ends, f64::INFINITY);
            self.advance(ends);
            let (observer, view) = observed(&mut self.router);
            observer.end_warm_up(view);
        }
        // At one moment: shifts before what was planned before arrivals.
        if shift <= planned && shift <= arrival {
            if shift > last {
                return false;
            }
            self.advance(shift);
            self.change_shift();
        } else if planned <= arrival {
            if planned > last {
                return false;
            }
            self.advance(planned);
            if let Some(due) = self.router.host.calendar.take() {
                self.handle(due);
            }
        } else {
            if arrival > last {
                return false;
            }
            self.advance(arrival);
            let (contact_type, newcomer) = self.arrivals.take();
            self.come_in(contact_type, newcomer);
        }
        if !self.model.campaigns.is_empty() {
            self.outbound.go_on(&mut self.router);
        }
        true
    }

    #[inline]
    fn advance(&mut self, to: Seconds) {
        self.router.advance(to);
        if self.router.host.clock.advance(to, self.model) {
            self.router.new_day();
        }
    }

    fn is_after_the_day(&self) -> bool {
        self.router.floor.now >= self.router.host.end_of_day()
    }

    #[inline]
    fn handle(&mut self, Due { event, place, token }: Due) {
        match event {
            Event::Routing(Timer::CallbackDue) if self.is_after_the_day() => {
                self.router.callback_lapses(ContactId::at(place));
            }
            Event::Routing(timer) => {
                self.router.timer_fires(ContactId::at(place), timer, token);
            }
            Event::Returns => self.come_back(place),
            Event::StepOver => {
                let contact = ContactId::at(place);
                if self.router.host.is_over(contact, token) {
                    self.leave_step(contact);
                }
            }
            Event::PatienceEnds => {
                let contact = ContactId::at(place);
                if self.router.host.customers[contact].patience == Some(token) {
                    self.router.hang_up(contact);
                }
            }
            Event::HandledSoFar => {
                let contact = ContactId::at(place);
                if self.router.host.is_over(contact, token) {
                    self.end_handling(contact);
                }
            }
            Event::AgentAnswers => {
                let agent = AgentId::at(place);
                if self.router.host.device_acts(agent, token) {
                    let first = self.router.host.first_to_answer(&self.router.floor, agent);
                    self.router.agent_answers(first);
                }
            }
            Event::LineOver => self.outbound.line_over(&mut self.router, place),
            Event::DiallerLooks => self.outbound.look(place, token),
            Event::AgentDeclines => {
                let agent = AgentId::at(place);
                if self.router.host.device_acts(agent, token) {
                    self.router.agent_declines(agent);
                }
            }
        }
    }

    /// A contact comes in for the first time.
    #[inline]
    fn come_in(&mut self, contact_type: ContactTypeId, newcomer: Newcomer) {
        let Newcomer { key, interval } = newcomer;
        let shares = &self.model.contact_types[contact_type].profile_shares;
        let profile = if shares.is_empty() {
            None
        } else {
            let drawn = key.uniform(Purpose::PROFILE);
            let place = shares.partition_point(|&share| share <= drawn);
            self.profiles[contact_type].get(place).copied()
        };
        let arrival = Arrival { contact_type, profile, last_agent: None };
        let contact = self.router.admit(arrival);
        self.router.host.customers.set(contact, Customer::new(key, interval as u32));
        self.router.come_in(contact);
    }

    /// A customer who tried before, or was served before, comes in; too late ones stay away.
    fn come_back(&mut self, place: usize) {
        let Return { key, contact_type, profile, attempt, is_repeat, last_agent } =
            self.router.host.returns.take(place);
        if self.is_after_the_day() {
            return;
        }
        let contact = self.router.admit(Arrival { contact_type, profile, last_agent });
        let interval = self.router.host.clock.interval as u32;
        let customer = Customer { attempt, is_repeat, ..Customer::new(key, interval) };
        self.router.host.customers.set(contact, customer);
        self.router.come_in(contact);
    }

    /// The time in a menu, an announcement or with an assistant is over.
    fn leave_step(&mut self, contact: ContactId) {
        use barometer_routing::Step;
        let State::InStep { step, .. } = self.router.floor.contacts[contact].state else { return };
        match &self.model.strategy.steps[step] {
            Step::Menu { .. } => {
                let Router { floor, host, .. } = &self.router;
                let choice = host.chooses(floor, contact, step);
                self.router.key_pressed(contact, choice);
            }
            Step::Announcement { .. } => self.router.announcement_ends(contact),
            Step::Assistant { .. } => {
                let is_contained = self.router.host.is_contained(contact, step);
                self.router.assistant_ends(contact, is_contained);
            }
            _ => {}
        }
    }

    /// Talk, wrap-up, or an attempt to call back is over.
    #[inline]
    fn end_handling(&mut self, contact: ContactId) {
        let State::WithAgent { agent, work, .. } = self.router.floor.contacts[contact].state else {
            return;
        };
        match work {
            Work::Talking => {
                self.router.host.may_repeat(&self.router.floor, contact, agent);
                let secs = self.router.host.wrap_up_secs(&self.router.floor, contact);
                if secs > 0.0 {
                    self.router.talk_ends(contact);
                    let now = self.router.floor.now;
                    self.router.host.customers[contact].wraps_up_since = now;
                    if !self.model.campaigns.is_empty() {
                        self.outbound.wraps_up(&mut self.router, contact);
                    }
                    self.router.host.plan_handled(&self.router.floor, contact, secs);
                } else {
                    self.router.finish(contact);
                }
            }
            Work::WrappingUp => self.router.finish(contact),
            Work::CallingBack => self.router.callback_not_reached(contact),
            // What a campaign's line does is no work of the contact's own.
            Work::Dialling => {}
        }
    }

    fn await_shift(&mut self, next: usize) {
        self.next_shift = next;
        self.next_shift_at = self.model.shifts.get(next).map_or(f64::INFINITY, |next| next.at);
    }

    /// The next agent signs in or out.
    fn change_shift(&mut self) {
        let change = self.model.shifts[self.next_shift];
        self.await_shift(self.next_shift + 1);
        match change.what {
            Shift::SignsIn { agent } => self.router.sign_in(agent),
            Shift::SignsOut { agent } => self.router.sign_out(agent),
            Shift::Count { team, people } => self.change_count(team, people),
        }
    }

    /// So many people of a team are to be on shift. Those who come are the first in the team's list;
    /// those who leave are free, the last in the list first. Where nobody is free, those leave who are
    /// next done with a contact: a count does not say who.
    fn change_count(&mut self, team: TeamId, people: u32) {
        let model = &self.model.strategy.teams[team];
        self.router.host.account_leaving(&self.router.floor, team);
        let leaving = self.router.host.leaving[team.place()].people;
        let on_shift =
            |router: &Router<'_, _>, agent: AgentId| router.floor.agents[agent].is_on_shift;
        let present = model.members().filter(|&agent| on_shift(&self.router, agent)).count() as u32;
        if people >= present - leaving {
            let more = people - (present - leaving);
            let stay = more.min(leaving);
            self.router.host.leaving[team.place()].people -= stay;
            let absent = model.members().filter(|&agent| !on_shift(&self.router, agent));
            for agent in absent.take((more - stay) as usize).collect::<Vec<_>>() {
                self.router.sign_in(agent);
            }
            return;
        }
        for _ in people..present - leaving {
            let leaves = if people == 0 || model.slots() > 1 {
                // Nobody stays to swap with, or all may have room: the one who holds least leaves.
                model.members().filter(|&agent| on_shift(&self.router, agent)).min_by_key(
                    |&agent| (self.router.floor.agents[agent].held, std::cmp::Reverse(agent)),
                )
            } else {
                model.members().rev().find(|&agent| self.router.floor.agents[agent].is_idle())
            };
            match leaves {
                Some(agent) => self.router.sign_out(agent),
                None => self.router.host.leaving[team.place()].people += 1,
            }
        }
        if people == 0 {
            self.router.host.leaving[team.place()].people = 0;
            for agent in model.members() {
                self.router.sign_out(agent);
            }
        }
    }
}

/// A replication's observer, and what it can see.
fn observed<'a, 'm, O: Observer>(
    router: &'a mut Router<'m, Simulation<'m, O>>,
) -> (&'a mut O, View<'a>) {
    let Router { floor, host, .. } = router;
    let Simulation { model, clock, customers, observer, .. } = host;
    (observer, View { model, floor, customers, clock })
}

/// Observers that keep how many events were played.
pub(crate) trait Counts {
    fn count_events(&mut self, events: u64);
}

impl Counts for Tally {
    fn count_events(&mut self, events: u64) {
        self.counts.events = events;
    }
}

impl<O> Counts for (Tally, O) {
    fn count_events(&mut self, events: u64) {
        self.0.count_events(events);
    }
}
