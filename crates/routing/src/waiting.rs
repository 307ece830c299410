//! Queues and hunt groups: joining, waiting, leaving.

use barometer_strategy::Channel;

use crate::compiled::{Destination, Transition, channel_place};
use crate::contact::{Errand, Phase, State, Stay};
use crate::floor::Floor;
use crate::host::{Cause, End, Host, Observation, Seconds, Stays, Timer, TimerToken};
use crate::ids::{AgentId, ContactId, ServicePointId};
use crate::router::Router;

impl<H: Host> Router<'_, H> {
    /// A contact is sent to a service point.
    #[inline(always)]
    pub(crate) fn enter(&mut self, id: ContactId, point: ServicePointId) {
        let model = &self.strategy.service_points[point];
        self.begin_stay(id, point, self.floor.now);
        let channel = channel_place(self.floor.contacts[id].channel);
        let on_shift = self.floor.service_points[point].on_shift[channel];
        if let (Some(way), 0) = (model.exits.no_staff_at_arrival, on_shift)
            && way.to != Destination::KeepRinging
        {
            return self.turn_away(id, way, Cause::NoStaff);
        }
        self.observe(Observation::Joined { contact: id, service_point: point });
        let is_held = self.is_held_at_arrival(id, point);
        if !is_held && self.may_offer_newcomer(point) && self.offer(id) {
            if self.floor.contacts[id].is_in_line() {
                self.set_timers(id, point);
            }
            return;
        }
        let is_full = self.floor.service_points[point].waiting >= model.places;
        if is_full && model.exits.full.to != Destination::KeepRinging {
            return self.turn_away(id, model.exits.full, Cause::Full);
        }
        self.floor.service_points[point].waiting += 1;
        if is_held {
            self.hold_at_arrival(id, point);
        } else {
            self.list(id);
        }
        self.set_timers(id, point);
    }

    /// A contact that has not taken a place yet leaves.
    fn turn_away(&mut self, id: ContactId, way: Transition, cause: Cause) {
        self.end_round(id);
        self.floor.contacts[id].state = State::Moving;
        self.observe(Observation::LeftUnanswered { contact: id, cause });
        self.take(id, way);
    }

    /// Work, a promised callback or a chat that is handed over joins a service point, with the place of
    /// one that came at `since`.
    pub(crate) fn join(&mut self, id: ContactId, point: ServicePointId, since: Seconds) {
        self.begin_stay(id, point, since);
        self.observe(Observation::Joined { contact: id, service_point: point });
        if self.may_offer_newcomer(point) && self.offer(id) {
            return;
        }
        self.floor.service_points[point].waiting += 1;
        self.list(id);
        self.set_widening(id, point);
        // A contact that comes back to the head may be for an agent who was free all along.
        self.serve(point);
    }

    #[inline(always)]
    pub(crate) fn begin_stay(&mut self, id: ContactId, point: ServicePointId, since: Seconds) {
        let now = self.floor.now;
        let contact = &mut self.floor.contacts[id];
        if contact.waiting_since.is_none() && !contact.is_work() {
            contact.waiting_since = Some(now);
        }
        let stay = Stay {
            service_point: point,
            joined: since,
            since: now,
            offers: 0,
            heard: 0,
            offered_last: None,
            round: None,
            limit: None,
            widening: None,
            announcement: None,
            callback_offer: None,
        };
        contact.state = State::InLine(stay, Phase::Arriving);
        self.observe(Observation::Entered { contact: id, service_point: point, since });
    }

    #[inline]
    pub(crate) fn may_offer_newcomer(&self, point: ServicePointId) -> bool {
        let state = &self.floor.service_points[point];
        let parallel = self.strategy.service_points[point].parallel;
        state.first.is_none() && (state.offering == 0 || parallel)
    }

    /// Sets timers for all that may happen to a contact that waits.
    #[inline(always)]
    fn set_timers(&mut self, id: ContactId, point: ServicePointId) {
        if !self.floor.contacts[id].is_customer() {
            return self.set_widening(id, point);
        }
        let now = self.floor.now;
        let model = &self.strategy.service_points[point];
        self.host.wait(&self.floor, id);
        if model.exits.too_long.to != Destination::KeepRinging && model.limit_secs < f64::INFINITY {
            let limit = self.set_timer(now + model.limit_secs, id, Timer::LimitOver);
            self.stay_mut(id, |stay| stay.limit = Some(limit));
        }
        if let Some(told) = model.announcements.first() {
            let begins = self.set_timer(now + told.at_secs, id, Timer::AnnouncementBegins);
            self.stay_mut(id, |stay| stay.announcement = Some(begins));
        }
        if let Some(offer) = &model.callback {
            let offered = self.set_timer(now + offer.after_secs, id, Timer::CallbackOffered);
            self.stay_mut(id, |stay| stay.callback_offer = Some(offered));
        }
        self.set_widening(id, point);
    }

    /// Sets the timer for the next members to join.
    pub(crate) fn set_widening(&mut self, id: ContactId, point: ServicePointId) {
        let widenings = &self.strategy.service_points[point].widenings;
        if widenings.is_empty() {
            return;
        }
        let Some(joined) = self.floor.contacts[id].stay().map(|stay| stay.joined) else { return };
        let next = widenings.iter().map(|secs| joined + secs).find(|&at| at > self.floor.now);
        let timer = next.map(|at| self.set_timer(at, id, Timer::Widens));
        self.stay_mut(id, |stay| stay.widening = timer);
    }

    /// More agents may be offered a contact.
    pub(crate) fn widen(&mut self, id: ContactId, token: TimerToken) {
        let State::InLine(Stay { service_point, widening, .. }, phase) =
            self.floor.contacts[id].state
        else {
            return;
        };
        if widening != Some(token) {
            return;
        }
        self.set_widening(id, service_point);
        match phase {
            Phase::Listed { .. } => self.serve(service_point),
            Phase::Ringing { .. } => self.ring_further(id, service_point),
            _ => {}
        }
    }

    /// Offers those at the head of the list for as long as somebody is free for them.
    pub(crate) fn serve(&mut self, point: ServicePointId) {
        let parallel = self.strategy.service_points[point].parallel;
        loop {
            let state = &self.floor.service_points[point];
            let Some(first) = state.first else { return };
            if (!parallel && state.offering > 0) || !self.offer(first) {
                return;
            }
        }
    }

    /// Puts a contact on the list of those to be offered, at the place of its joining.
    #[inline]
    pub(crate) fn list(&mut self, id: ContactId) {
        let Some(&Stay { service_point, joined, .. }) = self.floor.contacts[id].stay() else {
            return;
        };
        let Floor { contacts, service_points, .. } = &mut self.floor;
        let point = &mut service_points[service_point];
        let mut before = point.last;
        while let Some(other) = before
            && let State::InLine(stay, Phase::Listed { before: next, .. }) = &contacts[other].state
            && stay.joined > joined
        {
            before = *next;
        }
        let after = match before {
            None => point.first.replace(id),
            Some(before) => contacts[before].set_after(Some(id)),
        };
        match after {
            None => point.last = Some(id),
            Some(after) => contacts[after].set_before(Some(id)),
        }
        self.set_phase(id, Phase::Listed { before, after });
    }

    /// Takes a contact off the list of those to be offered; the caller says what it does next.
    #[inline]
    pub(crate) fn unlist(&mut self, id: ContactId) {
        let State::InLine(stay, Phase::Listed { before, after }) = &self.floor.contacts[id].state
        else {
            return;
        };
        let (service_point, before, after) = (stay.service_point, *before, *after);
        let Floor { contacts, service_points, .. } = &mut self.floor;
        let point = &mut service_points[service_point];
        match before {
            None => point.first = after,
            Some(before) => {
                contacts[before].set_after(after);
            }
        }
        match after {
            None => point.last = before,
            Some(after) => contacts[after].set_before(before),
        }
    }

    /// Takes a contact out of its service point, whatever it does there, and counts its wait.
    #[inline]
    pub(crate) fn leave_line(&mut self, id: ContactId) {
        let State::InLine(stay, phase) = &self.floor.contacts[id].state else { return };
        let point = stay.service_point;
        let timers = [stay.limit, stay.widening, stay.announcement, stay.callback_offer];
        match phase {
            Phase::Arriving => {}
            Phase::Listed { .. } => {
                self.floor.service_points[point].waiting -= 1;
                self.unlist(id);
            }
            Phase::Held { .. } => {
                self.floor.service_points[point].waiting -= 1;
                self.wait_for_nobody(id);
            }
            Phase::InGap { .. } => {
                self.floor.service_points[point].waiting -= 1;
                self.floor.service_points[point].offering -= 1;
            }
            Phase::Ringing { .. } => {
                self.floor.service_points[point].offering -= 1;
                self.stop_ringing(id);
            }
        }
        self.count_wait(id);
        self.end_round(id);
        timers.into_iter().flatten().for_each(|timer| self.host.cancel_timer(timer));
        self.floor.contacts[id].state = State::Moving;
    }

    /// Counts the time that a contact has spent in a service point.
    #[inline(always)]
    pub(crate) fn count_wait(&mut self, id: ContactId) {
        if let Some(stay) = self.floor.contacts[id].stay() {
            let secs = self.floor.now - stay.since;
            if secs > 0.0 {
                self.observe(Observation::Waited { contact: id, secs });
            }
        }
    }

    /// Leaves a service point by one of its exits, unless that keeps it.
    pub(crate) fn leave_by(&mut self, id: ContactId, way: Transition, cause: Cause) {
        let Some(point) = self.floor.contacts[id].stay().map(|stay| stay.service_point) else {
            return;
        };
        if way.to == Destination::KeepRinging {
            return;
        }
        self.leave_line(id);
        self.observe(Observation::LeftUnanswered { contact: id, cause });
        self.take(id, way);
        self.serve(point);
    }

    /// A customer gives up waiting.
    pub(crate) fn abandon(&mut self, id: ContactId) {
        let Some(point) = self.floor.contacts[id].stay().map(|stay| stay.service_point) else {
            return;
        };
        self.leave_line(id);
        self.observe(Observation::LeftUnanswered { contact: id, cause: Cause::Abandoned });
        let flow = self.strategy.service_points[point].exits.abandoned;
        self.observe(Observation::Took { contact: id, flow });
        self.end(id, End::Abandoned);
        self.serve(point);
    }

    /// The longest wait, or the group limit, is over.
    pub(crate) fn reach_limit(&mut self, id: ContactId, token: TimerToken) {
        if let Some(stay) = self.floor.contacts[id].stay()
            && stay.limit == Some(token)
        {
            let way = self.strategy.service_points[stay.service_point].exits.too_long;
            if let Errand::Campaign(_) = self.floor.contacts[id].errand {
                return self.abandon_call(id);
            }
            self.leave_by(id, way, Cause::TooLong);
        }
    }

    /// The last member on shift who takes contacts of a channel has left a service point.
    pub(crate) fn lose_staff(&mut self, point: ServicePointId, channel: Channel) {
        let Some(way) = self.strategy.service_points[point].exits.no_staff_while_waiting else {
            return;
        };
        let here = self.floor.by_number(|contact| {
            let is_here = contact.stay().is_some_and(|stay| stay.service_point == point);
            is_here && contact.is_customer() && contact.channel == channel
        });
        for id in here {
            self.leave_by(id, way, Cause::NoStaff);
        }
    }

    /// Whether a contact is not to be offered yet when it comes to a service point.
    fn is_held_at_arrival(&self, id: ContactId, point: ServicePointId) -> bool {
        let model = &self.strategy.service_points[point];
        let channel = self.floor.contacts[id].channel;
        model.may_hold_newcomers
            && (model.must_be_heard_first()
                || self
                    .waits_for_agent(id, point)
                    .is_some_and(|agent| !self.floor.has_room(self.strategy, agent, channel)))
    }

    /// The agent for whom a repeat caller waits, if that agent is on shift.
    fn waits_for_agent(&self, id: ContactId, point: ServicePointId) -> Option<AgentId> {
        let waits = self.strategy.service_points[point].last_agent_secs > 0.0;
        let agent = self.floor.contacts[id].last_agent.filter(|_| waits)?;
        self.floor.agents[agent].is_on_shift.then_some(agent)
    }

    fn hold_at_arrival(&mut self, id: ContactId, point: ServicePointId) {
        // An announcement sets its own end when it begins, which is at this same moment.
        let mut until = None;
        if let Some(agent) = self.waits_for_agent(id, point) {
            let secs = self.strategy.service_points[point].last_agent_secs;
            self.floor.personal.push((agent, id));
            until = Some(self.set_timer(self.floor.now + secs, id, Timer::HoldOver));
        }
        self.set_phase(id, Phase::Held { until });
    }

    /// Waits for no particular agent any more.
    pub(crate) fn wait_for_nobody(&mut self, id: ContactId) {
        self.floor.personal.retain(|&(_, waiting)| waiting != id);
    }

    /// Something is told to a waiting contact.
    pub(crate) fn hear_announcement(&mut self, id: ContactId, token: TimerToken) {
        let now = self.floor.now;
        let Some(&Stay { service_point, joined, heard, announcement, .. }) =
            self.floor.contacts[id].stay()
        else {
            return;
        };
        if announcement != Some(token) || !self.floor.contacts[id].is_customer() {
            return;
        }
        let place = heard as usize;
        let model = &self.strategy.service_points[service_point];
        let told = &model.announcements[place];
        let next = model.announcements.get(place + 1).map(|next| {
            let begins = (joined + next.at_secs).max(now);
            self.set_timer(begins, id, Timer::AnnouncementBegins)
        });
        self.stay_mut(id, |stay| (stay.heard, stay.announcement) = (heard + 1, next));
        if self.host.announce(&self.floor, id, service_point, place) == Stays::HangsUp {
            return self.abandon(id);
        }
        let State::InLine(_, phase) = self.floor.contacts[id].state else { return };
        match phase {
            Phase::Listed { .. } if told.must_be_heard && told.secs > 0.0 => self.unlist(id),
            Phase::Held { .. } if told.must_be_heard => {}
            _ => return,
        }
        let until = Some(self.set_timer(now + told.secs, id, Timer::HoldOver));
        self.set_phase(id, Phase::Held { until });
    }

    /// What had to be heard has been heard, or the last agent was waited for long enough.
    pub(crate) fn end_hold(&mut self, id: ContactId, token: TimerToken) {
        if let State::InLine(stay, Phase::Held { until }) = self.floor.contacts[id].state
            && until == Some(token)
        {
            self.wait_for_nobody(id);
            self.list(id);
            self.serve(stay.service_point);
        }
    }

    pub(crate) fn stay_mut(&mut self, id: ContactId, change: impl FnOnce(&mut Stay)) {
        if let State::InLine(stay, _) = &mut self.floor.contacts[id].state {
            change(stay);
        }
    }
}

impl Floor {
    /// The wait that a contact in a service point could be told: those before it and itself, at the
    /// pace of the members on shift. An estimate, as telephone systems make it.
    pub fn expected_wait_secs(&self, contact: ContactId, mean_handle_secs: Seconds) -> Seconds {
        let Some(stay) = self.contacts[contact].stay() else { return 0.0 };
        let point = &self.service_points[stay.service_point];
        let on_shift = point.on_shift[channel_place(self.contacts[contact].channel)];
        f64::from(point.waiting.max(1)) * mean_handle_secs / f64::from(on_shift.max(1))
    }
}
