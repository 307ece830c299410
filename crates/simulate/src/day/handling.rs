//! An agent with a contact: answering, handling, wrap-up.

use super::Day;
use super::contact::{NO_CALLBACK, NONE, State};
use crate::calendar::{ContactId, Event};
use crate::draws::Purpose;
use crate::event_log::What;
use crate::model::{Does, place_of};

impl Day<'_> {
    /// An agent answers: the contact leaves its line and is handled.
    pub(super) fn answer(&mut self, id: ContactId, agent: u32) {
        let contact = &self.contacts[id as usize];
        if contact.state == State::Waiting {
            self.lines[usize::from(contact.line)].waiting -= 1;
            self.unlist(id);
        }
        self.count_wait(id);
        self.take_in_hand(id, agent);
        if self.contacts[id as usize].callback != NO_CALLBACK && !self.reaches(id) {
            return;
        }
        self.count_answer(id, agent);
        self.say(id, What::Answered { agent });
        let contact = &self.contacts[id as usize];
        let work =
            if contact.is_handed_over { contact.work_left } else { self.work_secs(id, agent) };
        let contact = &mut self.contacts[id as usize];
        contact.state = State::Talking;
        contact.last_agent = agent;
        self.begin_work(id, agent, work);
    }

    /// Puts a contact in an agent's hands.
    fn take_in_hand(&mut self, id: ContactId, agent: u32) {
        self.rouse(agent);
        self.account(agent);
        let channel = self.channel_of(id);
        let state = &mut self.agents[agent as usize];
        let place = agent as usize * self.model.most_at_once as usize + state.held as usize;
        self.hands[place] = id;
        state.held += 1;
        state.channel = channel;
        self.contacts[id as usize].agent = agent;
    }

    /// Seconds of handling, alone with the agent.
    fn work_secs(&self, id: ContactId, agent: u32) -> f64 {
        let contact = &self.contacts[id as usize];
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        if contact.is_work() {
            let step = &self.model.steps[contact.work_of as usize];
            let Does::Voicemail { work: Some((_, time)), .. } = &step.does else { return 0.0 };
            return team.pace * time.secs(contact.key, Purpose::HANDLING);
        }
        let kind = &self.model.types[usize::from(contact.kind)];
        let mean = kind.intervals[contact.interval as usize].handle_secs;
        team.pace * mean * kind.handling.secs(contact.key, Purpose::HANDLING)
    }

    /// Counts an answer everywhere at once: this happens to nearly every contact.
    fn count_answer(&mut self, id: ContactId, agent: u32) {
        let (now, model, tally) = (self.now, self.model, &mut self.tally);
        let contact = &self.contacts[id as usize];
        if contact.is_handed_over {
            return;
        }
        self.agents[agent as usize].answered += 1;
        let team = usize::from(model.agents[agent as usize].team);
        tally.teams[team * model.intervals + self.interval].answered += 1.0;
        let flow = model.lines[usize::from(contact.line)].exits.answered;
        tally.flows[flow as usize] += 1.0;
        let of_line = &mut tally.service_points[contact.line_row as usize];
        of_line.answered += 1.0;
        if contact.is_work() {
            return;
        }
        let kind = usize::from(contact.kind);
        let of_type = &mut tally.types[kind * model.intervals + contact.interval as usize];
        if contact.callback != NO_CALLBACK {
            of_type.called_back += 1.0;
            of_type.callback_secs += now - contact.promised_at;
            return self.count_labels(id, |tally| tally.answered += 1.0);
        }
        let waited = now - contact.waiting_since;
        let in_time = f64::from(u8::from(waited <= model.types[kind].within_secs));
        of_line.answered_in_time += in_time;
        of_type.answered += 1.0;
        of_type.answer_wait_secs += waited;
        of_type.answered_in_time += in_time;
        tally.answer_waits[kind].record(waited);
        self.count_labels(id, |tally| {
            tally.answered += 1.0;
            tally.answered_in_time += in_time;
            tally.wait_secs += waited;
        });
    }

    /// Work on a contact begins; an agent's other contacts may go slower from now on.
    fn begin_work(&mut self, id: ContactId, agent: u32, secs: f64) {
        let held = self.agents[agent as usize].held;
        let contact = &mut self.contacts[id as usize];
        (contact.work_left, contact.work_since) = (secs, self.now);
        if held > 1 && self.slowing(agent) > 0.0 {
            self.contacts[id as usize].due = f64::INFINITY;
            return self.change_pace(agent, held - 1, held);
        }
        let contact = &mut self.contacts[id as usize];
        contact.due = self.now + secs;
        self.calendar.plan(contact.due, Event::HandledSoFar, id);
    }

    fn slowing(&self, agent: u32) -> f64 {
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        team.slowing[place_of(self.agents[agent as usize].channel)]
    }

    /// An agent holds more or fewer contacts than before: all of them go on at another pace.
    fn change_pace(&mut self, agent: u32, before: u32, held: u32) {
        let slowing = self.slowing(agent);
        if slowing == 0.0 {
            return;
        }
        let secs_of_one = |held: u32| 1.0 + slowing * f64::from(held.saturating_sub(1));
        let row = agent as usize * self.model.most_at_once as usize;
        for place in row..row + self.agents[agent as usize].held as usize {
            let id = self.hands[place];
            let contact = &mut self.contacts[id as usize];
            if contact.state != State::Talking {
                continue;
            }
            if contact.due < f64::INFINITY {
                let done = (self.now - contact.work_since) / secs_of_one(before);
                contact.work_left = (contact.work_left - done).max(0.0);
            }
            contact.work_since = self.now;
            contact.due = self.now + contact.work_left * secs_of_one(held);
            self.calendar.plan(contact.due, Event::HandledSoFar, id);
        }
    }

    /// Talk or wrap-up ends.
    pub(super) fn end_handling(&mut self, id: ContactId) {
        let contact = &mut self.contacts[id as usize];
        if contact.due != self.now {
            return;
        }
        match contact.state {
            State::Talking => {
                let agent = contact.agent;
                self.may_repeat(id, agent);
                let wrap_up = self.wrap_up_secs(id);
                if wrap_up > 0.0 {
                    let contact = &mut self.contacts[id as usize];
                    contact.state = State::WrappingUp;
                    contact.due = self.now + wrap_up;
                    self.calendar.plan(contact.due, Event::HandledSoFar, id);
                } else {
                    self.let_go(id);
                }
            }
            State::WrappingUp => self.let_go(id),
            State::NotReached => self.attempt_failed(id),
            _ => {}
        }
    }

    fn wrap_up_secs(&self, id: ContactId) -> f64 {
        let contact = &self.contacts[id as usize];
        let least = self.model.lines[usize::from(contact.line)].wrap_up_secs;
        let kind = &self.model.types[usize::from(contact.kind)];
        match &kind.wrap_up {
            Some(wrap_up) if !contact.is_work() => {
                wrap_up.secs(contact.key, Purpose::WRAP_UP).max(least)
            }
            _ => least,
        }
    }

    /// An agent is done with a contact and looks for the next.
    fn let_go(&mut self, id: ContactId) {
        let agent = self.contacts[id as usize].agent;
        self.say(id, What::Done { agent });
        self.put_down(id, agent);
        self.forget(id);
        self.look_for_contacts(agent);
    }

    /// Takes a contact out of an agent's hands.
    pub(super) fn put_down(&mut self, id: ContactId, agent: u32) {
        self.account(agent);
        let row = agent as usize * self.model.most_at_once as usize;
        let held = self.agents[agent as usize].held as usize;
        let place = (row..row + held).find(|&place| self.hands[place] == id).unwrap_or(row);
        self.hands[place] = self.hands[row + held - 1];
        self.hands[row + held - 1] = NONE;
        let now = self.now;
        let state = &mut self.agents[agent as usize];
        state.held -= 1;
        state.idle_since = now;
        if held > 1 {
            self.change_pace(agent, held as u32, held as u32 - 1);
        }
    }
}
