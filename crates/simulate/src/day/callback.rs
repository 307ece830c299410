//! Callbacks: offered, promised, tried.

use super::Day;
use super::contact::State;
use crate::calendar::{ContactId, Event};
use crate::draws::Purpose;
use crate::event_log::{End, What};

impl Day<'_> {
    /// A callback is offered to a waiting contact.
    pub(super) fn hear_callback_offer(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        let is_open = matches!(contact.state, State::Waiting | State::Held);
        if contact.offered_callback_at != self.now || !is_open || !contact.is_customer_waiting() {
            return;
        }
        let line = contact.line;
        let Some(offer) = &self.model.lines[usize::from(line)].callback else { return };
        let accepts = contact.key.uniform(Purpose::CALLBACK) < offer.accepted_share;
        if !accepts || self.expected_wait_secs(id) < offer.if_expected_wait_secs {
            return;
        }
        let model = &self.model.callbacks[usize::from(offer.callback)];
        self.line_tally(id).callbacks += 1.0;
        self.tally.flows[self.model.lines[usize::from(line)].exits.callback as usize] += 1.0;
        let keeps_place = model.after_secs.is_none() && model.line == line;
        if keeps_place {
            self.count_wait(id);
            let is_held = self.contacts[id as usize].state == State::Held;
            self.promise(id, offer.callback);
            if is_held {
                self.personal.retain(|&(_, waiting)| waiting != id);
                self.list(id);
                self.serve_line(line);
            }
        } else {
            self.leave_line(id);
            self.promise(id, offer.callback);
            self.wait_for_callback(id);
            self.serve_line(line);
        }
    }

    /// A contact is sent to a callback step.
    pub(super) fn offer_callback_step(&mut self, id: ContactId, callback: u16, key: u64) {
        let model = &self.model.callbacks[usize::from(callback)];
        let contact = &self.contacts[id as usize];
        let accepts = contact.key.uniform(Purpose::CALLBACK.of(key)) < model.accepted_share;
        if !accepts || !contact.is_customer_waiting() {
            return self.take(id, model.otherwise);
        }
        self.tally.flows[model.accepted as usize] += 1.0;
        self.promise(id, callback);
        self.wait_for_callback(id);
    }

    fn promise(&mut self, id: ContactId, callback: u16) {
        let now = self.now;
        let contact = &mut self.contacts[id as usize];
        (contact.callback, contact.promised_at) = (callback, now);
        (contact.patience_at, contact.limit_at) = (f64::INFINITY, f64::INFINITY);
        self.say(id, What::CallbackPromised);
    }

    /// Waits for the promised time, or joins the line that calls back.
    fn wait_for_callback(&mut self, id: ContactId) {
        let model = &self.model.callbacks[usize::from(self.contacts[id as usize].callback)];
        match model.after_secs {
            Some(secs) => self.plan_call_back(id, secs),
            None => {
                let since = self.contacts[id as usize].waiting_since;
                let since = if since.is_nan() { self.now } else { since };
                self.join_without_hurry(id, model.line, since);
            }
        }
    }

    fn plan_call_back(&mut self, id: ContactId, secs: f64) {
        let contact = &mut self.contacts[id as usize];
        (contact.state, contact.due) = (State::Away, self.now + secs);
        self.calendar.plan(contact.due, Event::CallbackDue, id);
    }

    /// The time of a promised callback, or of its next attempt, has come.
    pub(super) fn call_back(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if contact.state == State::Away && contact.due == self.now {
            let line = self.model.callbacks[usize::from(contact.callback)].line;
            self.join_without_hurry(id, line, self.now);
        }
    }

    /// Whether an attempt reaches the customer; the agent's time for one that does not is planned.
    pub(super) fn reaches(&mut self, id: ContactId) -> bool {
        let contact = &mut self.contacts[id as usize];
        let model = &self.model.callbacks[usize::from(contact.callback)];
        contact.callback_attempts += 1;
        let attempt = Purpose::CALLBACK.of(u64::from(contact.callback_attempts));
        if contact.key.uniform(attempt) < model.reached_share {
            return true;
        }
        (contact.state, contact.due) = (State::NotReached, self.now + model.unanswered_secs);
        self.calendar.plan(contact.due, Event::HandledSoFar, id);
        false
    }

    /// An attempt was not answered: another later, or none.
    pub(super) fn attempt_failed(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        let agent = contact.agent;
        let model = &self.model.callbacks[usize::from(contact.callback)];
        let is_given_up = u32::from(contact.callback_attempts) >= model.attempts;
        self.say(id, What::NotAnswered);
        self.put_down(id, agent);
        if is_given_up {
            self.end(id, End::CallbackFailed);
        } else {
            self.plan_call_back(id, model.retry_after_secs);
        }
        self.look_for_contacts(agent);
    }
}
