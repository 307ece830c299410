//! Offering a contact: ringing, answering, not answering.

use super::Day;
use super::contact::{NONE, State};
use crate::calendar::{ContactId, Event};
use crate::draws::{Key, Purpose};
use crate::event_log::What;
use crate::model::{Go, LineMember};
use barometer_strategy::OfferOrder;

/// Seconds after which a contact is declined where neither a ring window nor a delay says it.
const DECLINED_AFTER_SECS: f64 = 1.0;
/// Told apart from all contacts' keys: agents draw from streams of their own.
const AGENTS: u64 = 1 << 40;

impl Day<'_> {
    /// Offers a contact to whoever comes first in the order; says whether there was anybody.
    pub(super) fn offer(&mut self, id: ContactId) -> bool {
        let line = usize::from(self.contacts[id as usize].line);
        if self.model.lines[line].order == OfferOrder::AllAtOnce {
            return self.ring_everybody(id);
        }
        match self.choose(id) {
            Some(agent) => {
                self.offer_to(id, agent);
                true
            }
            None => false,
        }
    }

    /// Offers a contact to one agent: answered at once, or the device rings.
    pub(super) fn offer_to(&mut self, id: ContactId, agent: u32) {
        self.count_offer(id, agent);
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        let state = &self.agents[agent as usize];
        let is_second = state.is_at_work
            && state.held > 0
            && state.held >= self.at_once(agent, self.channel_of(id));
        if team.answers_at_once && state.is_at_work && !is_second {
            return self.answer(id, agent);
        }
        self.begin_ringing(id);
        self.note_offer(id, agent);
        self.contacts[id as usize].agent = agent;
        let window = self.ring_window(id);
        if is_second {
            // Answered only if the agent is free of the first one in time.
            self.agents[agent as usize].second = id;
            self.ring_until(id, self.now + window, false);
        } else {
            let answers_after = self.ring_at(id, agent);
            self.settle_ringing(id, agent, answers_after, window);
        }
    }

    fn count_offer(&mut self, id: ContactId, agent: u32) {
        self.agents[agent as usize].offers += 1;
        self.line_tally(id).offers += 1.0;
    }

    /// Takes a contact off the list, or from the step before, to ring.
    fn begin_ringing(&mut self, id: ContactId) {
        let line = usize::from(self.contacts[id as usize].line);
        if self.contacts[id as usize].state == State::Waiting {
            self.unlist(id);
            self.lines[line].waiting -= 1;
        }
        self.lines[line].offering += 1;
        let contact = &mut self.contacts[id as usize];
        contact.state = State::Ringing;
        contact.offers += 1;
    }

    fn ring_window(&self, id: ContactId) -> f64 {
        self.model.lines[usize::from(self.contacts[id as usize].line)].ring_window_secs
    }

    /// Lets an agent's device ring; gives the seconds after which the agent would answer, infinite
    /// when never.
    fn ring_at(&mut self, id: ContactId, agent: u32) -> f64 {
        self.rouse(agent);
        self.account(agent);
        let offers = u64::from(self.agents[agent as usize].offers);
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        let key: Key = self.key.of(AGENTS + u64::from(agent));
        let is_refused = key.uniform(Purpose::REFUSAL.of(offers)) < team.refused_share;
        let state = &mut self.agents[agent as usize];
        state.ringing = id;
        let delay = if !state.is_at_work || is_refused {
            f64::INFINITY
        } else {
            team.answer_delay.secs(key, Purpose::ANSWER_DELAY.of(offers))
        };
        state.answers_at = self.now + delay;
        self.say(id, What::RingsAt { agent });
        delay
    }

    /// Plans how ringing at one agent ends.
    fn settle_ringing(&mut self, id: ContactId, agent: u32, answers_after: f64, window: f64) {
        let team = &self.model.teams[usize::from(self.model.agents[agent as usize].team)];
        if answers_after <= window && answers_after < f64::INFINITY {
            self.ring_until(id, self.now + answers_after, true);
        } else if window < f64::INFINITY {
            self.ring_until(id, self.now + window, false);
        } else {
            // Without a ring window whoever does not want a contact declines it.
            let offers = u64::from(self.agents[agent as usize].offers);
            let key = self.key.of(AGENTS + u64::from(agent));
            let delay = team.answer_delay.secs(key, Purpose::ANSWER_DELAY.of(offers));
            self.ring_until(id, self.now + delay.max(DECLINED_AFTER_SECS), false);
        }
    }

    fn ring_until(&mut self, id: ContactId, due: f64, will_be_answered: bool) {
        let contact = &mut self.contacts[id as usize];
        (contact.due, contact.will_be_answered) = (due, will_be_answered);
        self.calendar.plan(due, Event::RingEnds, id);
    }

    /// Rings at everybody of the best rank that has anybody; says whether there was one.
    fn ring_everybody(&mut self, id: ContactId) -> bool {
        let (now, channel) = (self.now, self.channel_of(id));
        let line = &self.model.lines[usize::from(self.contacts[id as usize].line)];
        let joined = self.contacts[id as usize].joined;
        let can_ring = |day: &Self, agent: u32| {
            let state = &day.agents[agent as usize];
            let rings_unheard = line.everyone_rings && !state.is_at_work && state.ringing == NONE;
            day.has_room(agent, channel) || rings_unheard
        };
        let best = line
            .members
            .iter()
            .find(|member| joined + member.joins_after <= now && can_ring(self, member.agent));
        let Some(rank) = best.map(|member| member.rank) else { return false };
        self.begin_ringing(id);
        self.contacts[id as usize].pointer = rank;
        let mut devices = 0;
        for member in line.members.iter().filter(|member| member.rank == rank) {
            if devices >= line.most_devices {
                break;
            }
            if joined + member.joins_after <= now && can_ring(self, member.agent) {
                devices += 1;
                self.count_offer(id, member.agent);
                self.ring_at(id, member.agent);
            }
        }
        self.contacts[id as usize].due = now + line.ring_window_secs;
        self.find_first_to_answer(id);
        true
    }

    /// Finds who of those at whom a contact rings answers first, and plans the end of the ringing.
    /// Of several who would answer at the same moment, one is drawn.
    pub(super) fn find_first_to_answer(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        let line = &self.model.lines[usize::from(contact.line)];
        let ringing = line
            .members
            .iter()
            .map(|member| member.agent)
            .filter(|&agent| self.agents[agent as usize].ringing == id);
        let drawn = |agent: u32| {
            let offer = u64::from(contact.offers) << 32 | u64::from(agent);
            contact.key.uniform(Purpose::OFFER_ORDER.of(offer))
        };
        let first = ringing
            .map(|agent| (self.agents[agent as usize].answers_at, drawn(agent), agent))
            .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
        let Some((answers_at, _, agent)) = first else { return };
        let ends = contact.due.max(self.now);
        self.contacts[id as usize].agent = agent;
        if answers_at <= ends && answers_at < f64::INFINITY {
            self.ring_until(id, answers_at, true);
        } else if ends < f64::INFINITY {
            self.ring_until(id, ends, false);
        } else {
            self.ring_until(id, self.now + DECLINED_AFTER_SECS, false);
        }
    }

    /// Members of a later wave ring too, where everybody is rung at.
    pub(super) fn ring_further(&mut self, id: ContactId) {
        let line = &self.model.lines[usize::from(self.contacts[id as usize].line)];
        if line.order != OfferOrder::AllAtOnce {
            return;
        }
        for place in 0..line.members.len() {
            self.join_ringing(id, line.members[place].agent);
        }
    }

    /// Lets one more agent ring for a contact that rings at everybody.
    fn join_ringing(&mut self, id: ContactId, agent: u32) {
        let contact = &self.contacts[id as usize];
        let line = &self.model.lines[usize::from(contact.line)];
        let Some(member) = line.members.iter().find(|member| member.agent == agent) else { return };
        let devices = || self.agents.iter().filter(|other| other.ringing == id).count();
        if contact.state != State::Ringing
            || member.rank > contact.pointer
            || contact.joined + member.joins_after > self.now
            || !self.has_room(agent, self.channel_of(id))
            || (line.most_devices != usize::MAX && devices() >= line.most_devices)
        {
            return;
        }
        self.count_offer(id, agent);
        let ends = self.contacts[id as usize].due;
        let first_at =
            if self.contacts[id as usize].will_be_answered { ends } else { f64::INFINITY };
        let delay = self.ring_at(id, agent);
        let answers_at = self.now + delay;
        if answers_at < first_at && answers_at <= ends {
            self.contacts[id as usize].agent = agent;
            self.ring_until(id, answers_at, true);
        }
    }

    /// A member answers, or the ring window ends.
    pub(super) fn end_ringing(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if contact.state != State::Ringing || contact.due != self.now {
            return;
        }
        if contact.will_be_answered {
            let agent = contact.agent;
            let others = self.silence(id);
            self.lines[usize::from(self.contacts[id as usize].line)].offering -= 1;
            self.answer(id, agent);
            self.free_after_ringing(others, agent);
            let line = self.contacts[id as usize].line;
            self.serve_line(line);
        } else {
            self.not_answered(id);
        }
    }

    /// Nobody answered: the exit, the gap, or the next offer.
    pub(super) fn not_answered(&mut self, id: ContactId) {
        self.say(id, What::NotAnswered);
        let contact = &self.contacts[id as usize];
        let number = contact.line;
        let line = &self.model.lines[usize::from(number)];
        let is_given_up =
            contact.offers >= line.most_offers && line.exits.no_answer.go != Go::KeepRinging;
        let silenced = self.silence(id);
        if is_given_up {
            // Already silent; leaving frees nobody a second time.
            self.leave_by(id, line.exits.no_answer, |tally| &mut tally.no_answer);
        } else if line.gap_secs > 0.0 {
            let contact = &mut self.contacts[id as usize];
            contact.state = State::InGap;
            contact.due = self.now + line.gap_secs;
            self.lines[usize::from(number)].waiting += 1;
            self.calendar.plan(contact.due, Event::GapOver, id);
        } else {
            self.lines[usize::from(number)].offering -= 1;
            self.lines[usize::from(number)].waiting += 1;
            self.list(id);
            self.serve_line(number);
        }
        self.free_after_ringing(silenced, NONE);
        self.serve_line(number);
    }

    /// The gap after an offer is over.
    pub(super) fn end_gap(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        if contact.state == State::InGap && contact.due == self.now {
            let line = contact.line;
            self.lines[usize::from(line)].offering -= 1;
            self.list(id);
            self.serve_line(line);
        }
    }

    /// Stops all devices that ring for a contact; gives whose, in a list that is given back by
    /// [`free_after_ringing`](Self::free_after_ringing), so that ringing allocates nothing.
    fn silence(&mut self, id: ContactId) -> Vec<u32> {
        let contact = &self.contacts[id as usize];
        let line = &self.model.lines[usize::from(contact.line)];
        let mut silenced = std::mem::take(&mut self.silenced);
        silenced.clear();
        if line.order == OfferOrder::AllAtOnce {
            let members = line.members.iter().map(|member| member.agent);
            silenced.extend(members.filter(|&agent| self.agents[agent as usize].ringing == id));
        } else if contact.agent != NONE {
            silenced.push(contact.agent);
        }
        for &agent in &silenced {
            self.account(agent);
            let now = self.now;
            let state = &mut self.agents[agent as usize];
            if state.second == id {
                state.second = NONE;
            }
            if state.ringing == id {
                state.ringing = NONE;
                state.idle_since = now;
            }
            state.answers_at = f64::INFINITY;
            self.rest(agent);
        }
        self.contacts[id as usize].agent = NONE;
        silenced
    }

    /// A contact leaves while it rings.
    pub(super) fn stop_ringing(&mut self, id: ContactId) {
        let silenced = self.silence(id);
        self.contacts[id as usize].state = State::Moving;
        self.free_after_ringing(silenced, NONE);
    }

    fn free_after_ringing(&mut self, agents: Vec<u32>, but: u32) {
        for &agent in agents.iter().filter(|&&agent| agent != but) {
            self.look_for_contacts(agent);
        }
        self.silenced = agents;
    }

    /// An agent who has become free looks for contacts: one that rings here already, one that waits
    /// for just this agent, then the heads of all lines by priority.
    pub(super) fn look_for_contacts(&mut self, agent: u32) {
        if self.leaves_if_owed(agent) {
            return;
        }
        self.answer_second(agent);
        while let Some(id) = self.next_contact_for(agent) {
            if self.contacts[id as usize].state == State::Held {
                let line = self.contacts[id as usize].line;
                self.personal.retain(|&(_, waiting)| waiting != id);
                self.list(id);
                debug_assert!(self.lines[usize::from(line)].waiting > 0);
            }
            self.offer_to(id, agent);
        }
        self.rest(agent);
        self.join_ringing_of_all(agent);
    }

    /// Takes up the second contact that rang while the agent was on the first.
    fn answer_second(&mut self, agent: u32) {
        let state = &self.agents[agent as usize];
        let id = state.second;
        if id == NONE || !state.is_at_work || state.held >= self.at_once(agent, self.channel_of(id))
        {
            return;
        }
        self.agents[agent as usize].second = NONE;
        let ends = self.contacts[id as usize].due;
        let delay = self.ring_at(id, agent);
        if self.now + delay <= ends {
            self.ring_until(id, self.now + delay, true);
        }
    }

    fn next_contact_for(&self, agent: u32) -> Option<ContactId> {
        if !self.agents[agent as usize].is_at_work {
            return None;
        }
        let personal = self
            .personal
            .iter()
            .find(|&&(wanted, id)| wanted == agent && self.has_room(agent, self.channel_of(id)));
        if let Some(&(_, id)) = personal {
            return Some(id);
        }
        let class = usize::from(self.model.agents[agent as usize].class);
        let mut best: Option<(f64, f64, ContactId)> = None;
        for &LineMember { line, joins_after, .. } in &self.model.classes[class].lines {
            let (state, model) =
                (&self.lines[usize::from(line)], &self.model.lines[usize::from(line)]);
            let id = state.first;
            if id == NONE
                || model.order == OfferOrder::AllAtOnce
                || (!model.parallel && state.offering > 0)
            {
                continue;
            }
            let contact = &self.contacts[id as usize];
            let waited = self.now - contact.joined;
            if contact.joined + joins_after > self.now || !self.has_room(agent, self.channel_of(id))
            {
                continue;
            }
            let aged = match model.ageing_secs {
                f64::INFINITY => 0.0,
                ageing_secs => (waited / ageing_secs).floor(),
            };
            let priority = model.priority + aged;
            let is_first = best.is_none_or(|(other, since, _)| {
                priority > other || (priority == other && contact.joined < since)
            });
            if is_first {
                best = Some((priority, contact.joined, id));
            }
        }
        best.map(|(.., id)| id)
    }

    /// Rings along with those at whom a contact of a line that rings everybody rings already, and
    /// begins with its next contact.
    fn join_ringing_of_all(&mut self, agent: u32) {
        let class = &self.model.classes[usize::from(self.model.agents[agent as usize].class)];
        if !class.has_line_that_rings_all {
            return;
        }
        for &LineMember { line, .. } in &class.lines {
            let model = &self.model.lines[usize::from(line)];
            if model.order != OfferOrder::AllAtOnce {
                continue;
            }
            if self.lines[usize::from(line)].offering > 0 {
                let ringing = model
                    .members
                    .iter()
                    .map(|member| self.agents[member.agent as usize].ringing)
                    .find(|&id| id != NONE && self.contacts[id as usize].line == line);
                if let Some(id) = ringing {
                    self.join_ringing(id, agent);
                }
            }
            self.serve_line(line);
        }
    }
}
