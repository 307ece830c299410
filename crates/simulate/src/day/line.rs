//! Queues and hunt groups: joining, waiting, leaving.

use super::Day;
use super::contact::{Contact, NONE, State};
use crate::calendar::{ContactId, Event, SimTime};
use crate::draws::Purpose;
use crate::event_log::{End, What};
use crate::model::{Go, Way, place_of};
use crate::tally::ServicePointTally;
use barometer_strategy::Channel;

/// A line in the course of a day. The list holds those who are to be offered next, by the time at
/// which they joined; whoever is held, rings or is in a gap is in the line but not on the list.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line {
    pub first: ContactId,
    pub last: ContactId,
    /// Contacts that take a place: all but those who ring.
    pub waiting: u32,
    /// Contacts that ring or are in a gap.
    pub offering: u32,
    /// Members at work.
    pub at_work: u32,
    /// The member after whom round robin goes on.
    pub pointer: u32,
}

impl Default for Line {
    fn default() -> Self {
        Self { first: NONE, last: NONE, waiting: 0, offering: 0, at_work: 0, pointer: NONE }
    }
}

impl Day<'_> {
    /// A contact is sent to a line.
    pub(super) fn enter_line(&mut self, id: ContactId, line: u16) {
        let exits = &self.model.lines[usize::from(line)].exits;
        self.begin_stay(id, line, self.now);
        self.line_tally(id).entered += 1.0;
        if let (Some(way), 0) = (exits.no_staff_at_arrival, self.lines[usize::from(line)].at_work)
            && way.go != Go::KeepRinging
        {
            self.line_tally(id).no_staff += 1.0;
            return self.take(id, way);
        }
        self.say(id, What::Joined { service_point: line });
        let is_held = self.is_held_at_arrival(id);
        if !is_held && self.may_offer_newcomer(line) && self.offer(id) {
            if self.contacts[id as usize].state == State::Ringing {
                self.plan_timers(id);
            }
            return;
        }
        let model = &self.model.lines[usize::from(line)];
        let is_full = self.lines[usize::from(line)].waiting >= model.places;
        if is_full && exits.full.go != Go::KeepRinging {
            self.line_tally(id).full += 1.0;
            return self.take(id, exits.full);
        }
        self.lines[usize::from(line)].waiting += 1;
        if is_held {
            self.hold_at_arrival(id);
        } else {
            self.list(id);
        }
        self.plan_timers(id);
    }

    /// Work or a promised callback joins a line, as if it had come at `since`.
    pub(super) fn join_without_hurry(&mut self, id: ContactId, line: u16, since: SimTime) {
        self.begin_stay(id, line, since);
        self.line_tally(id).entered += 1.0;
        self.say(id, What::Joined { service_point: line });
        if self.may_offer_newcomer(line) && self.offer(id) {
            return;
        }
        self.lines[usize::from(line)].waiting += 1;
        self.list(id);
        self.plan_widenings(id);
        // Whoever comes back to the head may be for an agent who was free all along.
        self.serve_line(line);
    }

    fn begin_stay(&mut self, id: ContactId, line: u16, since: SimTime) {
        let now = self.now;
        let interval = if since >= self.interval_begins {
            self.interval
        } else {
            ((since / self.model.interval_secs) as usize).min(self.model.intervals - 1)
        };
        let line_row = usize::from(line) * self.model.intervals + interval;
        let contact = &mut self.contacts[id as usize];
        contact.line_row = line_row as u32;
        if contact.waiting_since.is_nan() && !contact.is_work() {
            contact.waiting_since = now;
        }
        (contact.line, contact.joined) = (line, since);
        (contact.offers, contact.told, contact.pointer, contact.tried) = (0, 0, NONE, NONE);
        contact.limit_at = f64::INFINITY;
        contact.told_at = f64::INFINITY;
        contact.offered_callback_at = f64::INFINITY;
    }

    fn may_offer_newcomer(&self, line: u16) -> bool {
        let state = &self.lines[usize::from(line)];
        state.first == NONE && (state.offering == 0 || self.model.lines[usize::from(line)].parallel)
    }

    /// Plans all that may happen to a customer who waits.
    fn plan_timers(&mut self, id: ContactId) {
        if !self.contacts[id as usize].is_customer_waiting() {
            return self.plan_widenings(id);
        }
        let now = self.now;
        let contact = &mut self.contacts[id as usize];
        let model = &self.model.lines[usize::from(contact.line)];
        let kind = &self.model.types[usize::from(contact.kind)];
        if contact.patience_at.is_nan() {
            contact.patience_at = match &kind.patience {
                Some(patience) => {
                    contact.waiting_since + patience.secs(contact.key, Purpose::PATIENCE)
                }
                None => f64::INFINITY,
            };
            if contact.patience_at < f64::INFINITY {
                self.calendar.plan(contact.patience_at, Event::PatienceEnds, id);
            }
        }
        if model.exits.too_long.go != Go::KeepRinging {
            contact.limit_at = now + model.limit_secs;
            // A timer behind the end of patience never matters, unless patience may yet grow.
            if contact.limit_at < f64::INFINITY
                && (contact.limit_at <= contact.patience_at || !model.announcements.is_empty())
            {
                self.calendar.plan(contact.limit_at, Event::LimitOver, id);
            }
        }
        if let Some(told) = model.announcements.first() {
            contact.told_at = now + told.at_secs;
            self.calendar.plan(contact.told_at, Event::AnnouncementBegins, id);
        }
        if let Some(offer) = &model.callback {
            contact.offered_callback_at = now + offer.after_secs;
            self.calendar.plan(contact.offered_callback_at, Event::CallbackOffered, id);
        }
        self.plan_widenings(id);
    }

    fn plan_widenings(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        let (line, joined) = (usize::from(contact.line), contact.joined);
        for secs in &self.model.lines[line].widenings {
            if joined + secs >= self.now {
                self.calendar.plan(joined + secs, Event::Widens, id);
            }
        }
    }

    /// More agents may be offered a contact.
    pub(super) fn widen(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        match contact.state {
            State::Waiting => self.serve_line(contact.line),
            State::Ringing => self.ring_further(id),
            _ => {}
        }
    }

    /// Offers those at the head of a line for as long as somebody is free for them.
    pub(super) fn serve_line(&mut self, line: u16) {
        let parallel = self.model.lines[usize::from(line)].parallel;
        loop {
            let state = &self.lines[usize::from(line)];
            if state.first == NONE || (!parallel && state.offering > 0) || !self.offer(state.first)
            {
                return;
            }
        }
    }

    /// Puts a contact on the list of those to be offered, at the place of its joining.
    pub(super) fn list(&mut self, id: ContactId) {
        let contact = &mut self.contacts[id as usize];
        contact.state = State::Waiting;
        let (line, joined) = (usize::from(contact.line), contact.joined);
        let mut before = self.lines[line].last;
        while before != NONE && self.contacts[before as usize].joined > joined {
            before = self.contacts[before as usize].before;
        }
        let after = match before {
            NONE => std::mem::replace(&mut self.lines[line].first, id),
            before => std::mem::replace(&mut self.contacts[before as usize].after, id),
        };
        match after {
            NONE => self.lines[line].last = id,
            after => self.contacts[after as usize].before = id,
        }
        let contact = &mut self.contacts[id as usize];
        (contact.before, contact.after) = (before, after);
    }

    /// Takes a contact off the list of those to be offered.
    pub(super) fn unlist(&mut self, id: ContactId) {
        let Contact { before, after, line, .. } = self.contacts[id as usize];
        let line = usize::from(line);
        match before {
            NONE => self.lines[line].first = after,
            before => self.contacts[before as usize].after = after,
        }
        match after {
            NONE => self.lines[line].last = before,
            after => self.contacts[after as usize].before = before,
        }
    }

    /// Takes a contact out of its line, whatever it does there, and counts its wait.
    pub(super) fn leave_line(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        let line = usize::from(contact.line);
        match contact.state {
            State::Waiting => {
                self.lines[line].waiting -= 1;
                self.unlist(id);
            }
            State::Held => {
                self.lines[line].waiting -= 1;
                self.personal.retain(|&(_, waiting)| waiting != id);
            }
            State::InGap => {
                self.lines[line].waiting -= 1;
                self.lines[line].offering -= 1;
            }
            State::Ringing => {
                self.lines[line].offering -= 1;
                self.stop_ringing(id);
            }
            _ => {}
        }
        self.contacts[id as usize].state = State::Moving;
        self.count_wait(id);
    }

    /// Counts the time that a contact has spent in its line.
    pub(super) fn count_wait(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if !contact.is_customer_waiting() {
            return;
        }
        let waited = self.now - contact.joined;
        if waited > 0.0 {
            self.tally_of(id).wait_secs += waited;
            self.line_tally(id).wait_secs += waited;
        }
    }

    /// Leaves a line by one of its exits; says whether it did.
    pub(super) fn leave_by(
        &mut self,
        id: ContactId,
        way: Way,
        count: fn(&mut ServicePointTally) -> &mut f64,
    ) {
        if way.go == Go::KeepRinging {
            return;
        }
        self.leave_line(id);
        *count(self.line_tally(id)) += 1.0;
        let line = self.contacts[id as usize].line;
        self.take(id, way);
        self.serve_line(line);
    }

    /// Patience ends.
    pub(super) fn lose_patience(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if contact.patience_at != self.now {
            return;
        }
        if contact.is_in_line() {
            self.abandon(id);
        } else if contact.state == State::InStep {
            self.end(id, End::Abandoned);
        }
    }

    pub(super) fn abandon(&mut self, id: ContactId) {
        self.leave_line(id);
        self.line_tally(id).abandoned += 1.0;
        let Contact { line, kind, waiting_since, .. } = self.contacts[id as usize];
        let flow = self.model.lines[usize::from(line)].exits.abandoned;
        self.tally.flows[flow as usize] += 1.0;
        self.tally.abandon_waits[usize::from(kind)].record(self.now - waiting_since);
        self.end(id, End::Abandoned);
        self.serve_line(line);
    }

    /// The longest wait, or the group limit, is over.
    pub(super) fn reach_limit(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if contact.limit_at == self.now && contact.is_in_line() {
            let way = self.model.lines[usize::from(contact.line)].exits.too_long;
            self.leave_by(id, way, |tally| &mut tally.too_long);
        }
    }

    /// The last of those at work has left a line.
    pub(super) fn lose_staff(&mut self, line: u16) {
        let Some(way) = self.model.lines[usize::from(line)].exits.no_staff_while_waiting else {
            return;
        };
        let here = self.by_appearance(|contact| {
            contact.is_in_line() && contact.line == line && contact.is_customer_waiting()
        });
        for id in here {
            self.leave_by(id, way, |tally| &mut tally.no_staff);
        }
    }

    /// Whether a contact is not to be offered yet when it comes to a line.
    fn is_held_at_arrival(&self, id: ContactId) -> bool {
        let contact = &self.contacts[id as usize];
        let model = &self.model.lines[usize::from(contact.line)];
        model.may_hold_newcomers
            && (model.must_be_heard_first()
                || self.waits_for_agent(id).is_some_and(|agent| !self.is_free_for(id, agent)))
    }

    /// The agent for whom a repeat caller waits, if that agent is at work.
    fn waits_for_agent(&self, id: ContactId) -> Option<u32> {
        let contact = &self.contacts[id as usize];
        let secs = self.model.lines[usize::from(contact.line)].last_agent_secs;
        let agent = contact.last_agent;
        let waits = secs > 0.0 && agent != NONE && self.agents[agent as usize].is_at_work;
        waits.then_some(agent)
    }

    fn is_free_for(&self, id: ContactId, agent: u32) -> bool {
        self.has_room(agent, self.channel_of(id))
    }

    fn hold_at_arrival(&mut self, id: ContactId) {
        let agent = self.waits_for_agent(id);
        let now = self.now;
        let contact = &mut self.contacts[id as usize];
        contact.state = State::Held;
        // An announcement sets its own end when it begins, which is at this same moment.
        contact.due = f64::INFINITY;
        if let Some(agent) = agent {
            let secs = self.model.lines[usize::from(contact.line)].last_agent_secs;
            contact.due = now + secs;
            self.personal.push((agent, id));
            self.calendar.plan(contact.due, Event::HoldOver, id);
        }
    }

    /// Something is told to a waiting contact.
    pub(super) fn hear_announcement(&mut self, id: ContactId) {
        let now = self.now;
        let contact = &mut self.contacts[id as usize];
        if contact.told_at != now || !contact.is_in_line() || !contact.is_customer_waiting() {
            return;
        }
        let model = &self.model.lines[usize::from(contact.line)];
        let told = &model.announcements[contact.told as usize];
        contact.told += 1;
        contact.told_at = f64::INFINITY;
        if let Some(next) = model.announcements.get(contact.told as usize) {
            contact.told_at = contact.joined + next.at_secs;
            self.calendar.plan(contact.told_at.max(now), Event::AnnouncementBegins, id);
            contact.told_at = contact.told_at.max(now);
        }
        if contact.patience_at < f64::INFINITY && told.patience_factor != 1.0 {
            contact.patience_at = now + (contact.patience_at - now) * told.patience_factor;
            self.calendar.plan(contact.patience_at, Event::PatienceEnds, id);
        }
        let patience_left = contact.patience_at - now;
        let leaves = contact.key.uniform(Purpose::LEAVING.of(u64::from(contact.told)));
        let (must_be_heard, secs) = (told.must_be_heard, told.secs);
        if told.tells_expected_wait
            && leaves < told.leaving_share
            && patience_left < self.expected_wait_secs(id)
        {
            return self.abandon(id);
        }
        let contact = &mut self.contacts[id as usize];
        match contact.state {
            State::Waiting if must_be_heard && secs > 0.0 => {
                contact.state = State::Held;
                contact.due = now + secs;
                self.calendar.plan(contact.due, Event::HoldOver, id);
                self.unlist(id);
            }
            State::Held if must_be_heard => {
                contact.due = now + secs;
                self.calendar.plan(contact.due, Event::HoldOver, id);
            }
            _ => {}
        }
    }

    /// What had to be heard has been heard, or the last agent was waited for long enough.
    pub(super) fn end_hold(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if contact.state == State::Held && contact.due == self.now {
            let line = contact.line;
            self.personal.retain(|&(_, waiting)| waiting != id);
            self.list(id);
            self.serve_line(line);
        }
    }

    /// The wait that a contact could be told: those before it and itself, at the pace of the members
    /// at work. An estimate, as telephone systems make it.
    pub(super) fn expected_wait_secs(&self, id: ContactId) -> f64 {
        let contact = &self.contacts[id as usize];
        let line = &self.lines[usize::from(contact.line)];
        let kind = &self.model.types[usize::from(contact.kind)];
        let handle_secs = kind.intervals[contact.interval as usize].handle_secs;
        let ahead = f64::from(line.waiting.max(1));
        ahead * handle_secs / f64::from(line.at_work.max(1))
    }

    pub(super) fn channel_of(&self, id: ContactId) -> Channel {
        let contact = &self.contacts[id as usize];
        if contact.is_work() {
            Channel::Task
        } else if contact.callback != super::contact::NO_CALLBACK {
            Channel::Call
        } else {
            self.model.types[usize::from(contact.kind)].channel
        }
    }

    /// The counts of a contact's line in the interval in which it joined it.
    pub(super) fn line_tally(&mut self, id: ContactId) -> &mut ServicePointTally {
        &mut self.tally.service_points[self.contacts[id as usize].line_row as usize]
    }

    /// How many contacts of a channel an agent can hold.
    pub(super) fn at_once(&self, agent: u32, channel: Channel) -> u32 {
        let team = self.model.agents[agent as usize].team;
        self.model.teams[usize::from(team)].at_once[place_of(channel)]
    }
}
