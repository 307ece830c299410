//! An agent with a contact: answering, handling, wrap-up; and callbacks, promised and tried.

use crate::contact::{Errand, Phase, Promised, State, Work};
use crate::host::{
    CallbackOffered, Cause, End, Host, Observation, Reply, Seconds, Timer, TimerToken,
};
use crate::ids::{AgentId, CallbackId, ContactId, ContactTypeId, Id, ServicePointId};
use crate::router::{Arrival, Router};

impl<H: Host> Router<'_, H> {
    /// An agent answers: the contact leaves its service point and is handled.
    pub(crate) fn answer(&mut self, id: ContactId, agent: AgentId) {
        let State::InLine(stay, phase) = &self.floor.contacts[id].state else { return };
        let (point, joined) = (stay.service_point, stay.joined);
        if let Phase::Listed { .. } = phase {
            self.floor.service_points[point].waiting -= 1;
            self.unlist(id);
        }
        self.count_wait(id);
        self.end_round(id);
        self.take_in_hand(id, agent, (point, joined));
        if let Errand::Callback(promised) = &mut self.floor.contacts[id].errand {
            promised.attempts += 1;
            let callback = promised.callback;
            self.set_work(id, Work::CallingBack);
            if self.host.call_back(&self.floor, id, callback) != Reply::Accepted {
                return;
            }
        }
        self.begin_talk(id, agent);
    }

    /// Agent and customer are connected.
    #[inline(always)]
    pub(crate) fn begin_talk(&mut self, id: ContactId, agent: AgentId) {
        self.set_work(id, Work::Talking);
        let State::WithAgent { service_point, .. } = self.floor.contacts[id].state else { return };
        if self.floor.contacts[id].errand != Errand::HandedOver {
            self.floor.agents[agent].answered_today += 1;
            let flow = self.strategy.service_points[service_point].exits.answered;
            self.observe(Observation::Took { contact: id, flow });
        }
        self.observe(Observation::Answered { contact: id, agent });
        self.floor.contacts[id].last_agent = Some(agent);
        self.host.connect(&self.floor, id, agent);
    }

    #[inline]
    pub(crate) fn set_work(&mut self, id: ContactId, doing: Work) {
        if let State::WithAgent { work, .. } = &mut self.floor.contacts[id].state {
            *work = doing;
        }
    }

    /// An agent is on a contact of this type already, as one of the agent's first service point;
    /// [`finish`](Self::finish) ends it. `None` where the agent belongs to no service point, or has no
    /// room.
    pub fn occupy(&mut self, agent: AgentId, contact_type: ContactTypeId) -> Option<ContactId> {
        let class = &self.strategy.classes[self.strategy.agents[agent].class];
        let service_point = class.memberships.first()?.service_point;
        let channel = self.strategy.contact_types[contact_type].channel;
        if !self.floor.has_room(self.strategy, agent, channel) {
            return None;
        }
        let id = self.admit(Arrival { contact_type, profile: None, last_agent: None });
        self.take_in_hand(id, agent, (service_point, self.floor.now));
        Some(id)
    }

    /// Puts a contact in an agent's hands.
    #[inline(always)]
    pub(crate) fn take_in_hand(
        &mut self,
        id: ContactId,
        agent: AgentId,
        (service_point, joined): (ServicePointId, Seconds),
    ) {
        self.floor.mark_busy(self.strategy, agent);
        self.observe(Observation::AgentChanges { agent });
        let contact = &mut self.floor.contacts[id];
        contact.state = State::WithAgent { agent, service_point, joined, work: Work::Talking };
        let state = &mut self.floor.agents[agent];
        let place = agent.place() * self.floor.most_at_once + state.held as usize;
        self.floor.hands[place] = Some(id);
        state.held += 1;
        state.channel = contact.channel;
    }

    /// Takes a contact out of an agent's hands.
    #[inline(always)]
    pub(crate) fn put_down(&mut self, id: ContactId, agent: AgentId) {
        self.observe(Observation::AgentChanges { agent });
        let row = agent.place() * self.floor.most_at_once;
        let state = &mut self.floor.agents[agent];
        let held = state.held as usize;
        let places = &mut self.floor.hands[row..row + held];
        let place = places.iter().position(|&place| place == Some(id)).unwrap_or(0);
        places[place] = places[held - 1].take();
        state.held -= 1;
        state.idle_since = self.floor.now;
        if held > 1 {
            self.host.holds(&self.floor, agent, held as u32);
        }
    }

    /// An agent is done with a contact and looks for the next.
    #[inline]
    pub(crate) fn let_go(&mut self, id: ContactId, agent: AgentId) {
        self.observe(Observation::Finished { contact: id, agent });
        self.put_down(id, agent);
        self.floor.forget(id);
        self.look_for_contacts(agent);
    }

    /// A callback is offered to a waiting contact.
    pub(crate) fn hear_callback_offer(&mut self, id: ContactId, token: TimerToken) {
        let contact = &self.floor.contacts[id];
        let State::InLine(stay, Phase::Listed { .. } | Phase::Held { .. }) = contact.state else {
            return;
        };
        let point = stay.service_point;
        let Some(offer) = &self.strategy.service_points[point].callback else { return };
        if stay.callback_offer != Some(token) || !contact.is_customer() {
            return;
        }
        let mean_handle_secs = self.host.mean_handle_secs(&self.floor, id);
        let expected_wait_secs = self.floor.expected_wait_secs(id, mean_handle_secs);
        if expected_wait_secs >= offer.if_expected_wait_secs
            && self.host.offer_callback(&self.floor, id, CallbackOffered::WhileWaiting(point))
                == Reply::Accepted
        {
            self.accept_callback_while_waiting(id);
        }
    }

    /// A waiting customer accepts a callback and hangs up.
    pub(crate) fn accept_callback_while_waiting(&mut self, id: ContactId) {
        let State::InLine(stay, phase) = self.floor.contacts[id].state else { return };
        let point = stay.service_point;
        let model = &self.strategy.service_points[point];
        let Some(offer) = &model.callback else { return };
        if !self.floor.contacts[id].is_customer() {
            return;
        }
        let promise = &self.strategy.callbacks[offer.callback];
        let flow = model.exits.callback;
        self.observe(Observation::LeftUnanswered { contact: id, cause: Cause::CallbackAccepted });
        self.observe(Observation::Took { contact: id, flow });
        let keeps_place = promise.after_secs.is_none() && promise.service_point == point;
        if !keeps_place {
            self.leave_line(id);
            self.promise(id, offer.callback);
            self.wait_for_callback(id, offer.callback);
            return self.serve(point);
        }
        self.count_wait(id);
        self.promise(id, offer.callback);
        let now = self.floor.now;
        self.stay_mut(id, |stay| {
            (stay.limit, stay.announcement, stay.since) = (None, None, now);
        });
        if let Phase::Held { .. } = phase {
            self.wait_for_nobody(id);
            self.list(id);
            self.serve(point);
        }
    }

    pub(crate) fn promise(&mut self, id: ContactId, callback: CallbackId) {
        let contact = &mut self.floor.contacts[id];
        contact.errand = Errand::Callback(Promised { callback, at: self.floor.now, attempts: 0 });
        contact.channel = barometer_strategy::Channel::Call;
        self.observe(Observation::CallbackPromised { contact: id });
    }

    /// Waits for the promised time, or joins the service point that calls back.
    pub(crate) fn wait_for_callback(&mut self, id: ContactId, callback: CallbackId) {
        let promise = &self.strategy.callbacks[callback];
        match promise.after_secs {
            Some(secs) => self.call_back_after(id, secs),
            None => {
                let since = self.floor.contacts[id].waiting_since.unwrap_or(self.floor.now);
                self.join(id, promise.service_point, since);
            }
        }
    }

    fn call_back_after(&mut self, id: ContactId, secs: Seconds) {
        let due = self.set_timer(self.floor.now + secs, id, Timer::CallbackDue);
        self.floor.contacts[id].state = State::Promised { due };
    }

    /// The time of a promised callback, or of its next attempt, has come.
    pub(crate) fn call_back_now(&mut self, id: ContactId, token: TimerToken) {
        let contact = &self.floor.contacts[id];
        if let (State::Promised { due }, Some(promised)) = (contact.state, contact.promised())
            && due == token
        {
            let service_point = self.strategy.callbacks[promised.callback].service_point;
            self.join(id, service_point, self.floor.now);
        }
    }

    /// A promised callback, or its next attempt, is not going to be made.
    pub(crate) fn break_promise(&mut self, id: ContactId) {
        if let State::Promised { .. } = self.floor.contacts[id].state {
            self.end(id, End::CallbackFailed);
        }
    }

    /// An attempt was not answered: another later, or none.
    pub(crate) fn attempt_failed(&mut self, id: ContactId, agent: AgentId) {
        let Some(&Promised { callback, attempts, .. }) = self.floor.contacts[id].promised() else {
            return;
        };
        let promise = &self.strategy.callbacks[callback];
        self.observe(Observation::NotAnswered { contact: id });
        self.put_down(id, agent);
        if attempts >= promise.attempts {
            self.end(id, End::CallbackFailed);
        } else {
            self.call_back_after(id, promise.retry_after_secs);
        }
        self.look_for_contacts(agent);
    }
}
