//! Offering a contact: ringing, answering, not answering.

use barometer_strategy::OfferOrder;

use crate::compiled::{Destination, Member, Membership};
use crate::contact::{Phase, Ringing, State};
use crate::floor::at_once;
use crate::host::{Cause, Host, Observation, Seconds, Timer, TimerToken};
use crate::ids::{AgentId, ContactId, ServicePointId};
use crate::router::Router;

impl<H: Host> Router<'_, H> {
    /// Offers a contact to the member who comes first in the order; says whether there was one.
    #[inline(always)]
    pub(crate) fn offer(&mut self, id: ContactId) -> bool {
        let Some(point) = self.floor.contacts[id].stay().map(|stay| stay.service_point) else {
            return false;
        };
        if self.strategy.service_points[point].order == OfferOrder::AllAtOnce {
            return self.ring_everybody(id, point);
        }
        match self.choose(id, point) {
            Some(agent) => {
                self.offer_to(id, point, agent);
                true
            }
            None => false,
        }
    }

    /// Offers a contact to one agent: answered at once, or the device rings.
    fn offer_to(&mut self, id: ContactId, point: ServicePointId, agent: AgentId) {
        self.observe(Observation::Offered { contact: id, agent });
        let state = &self.floor.agents[agent];
        let channel = self.floor.contacts[id].channel;
        let is_second = state.is_on_shift
            && state.held > 0
            && state.held >= at_once(self.strategy, agent, channel);
        let is_answer =
            state.is_on_shift && !is_second && self.host.answers_at_once(&self.floor, agent);
        let model = &self.strategy.service_points[point];
        let takes_turns =
            matches!(model.order, OfferOrder::RoundRobin | OfferOrder::RoundRobinFresh);
        let place = (takes_turns || !is_answer)
            .then(|| model.members.iter().position(|member| member.agent == agent))
            .flatten();
        if let Some(place) = place {
            self.note_turn(id, point, place);
        }
        if is_answer {
            return self.answer(id, agent);
        }
        let until = self.begin_ringing(id, point, Ringing::Agent(agent));
        if let Some(place) = place {
            self.note_tried(id, place);
        }
        if is_second {
            // Answered only if the agent is free of the first one in time.
            self.floor.agents[agent].second = Some(id);
        } else {
            self.ring(id, agent, until);
        }
        self.set_ring_window(id, until);
    }

    /// Takes a contact off the list, or from its arrival, to ring; gives when devices stop.
    fn begin_ringing(&mut self, id: ContactId, point: ServicePointId, at: Ringing) -> Seconds {
        if let State::InLine(_, Phase::Listed { .. }) = self.floor.contacts[id].state {
            self.unlist(id);
            self.floor.service_points[point].waiting -= 1;
        }
        self.floor.service_points[point].offering += 1;
        let until = self.floor.now + self.strategy.service_points[point].ring_window_secs;
        self.stay_mut(id, |stay| stay.offers += 1);
        self.set_phase(id, Phase::Ringing { at, until, window: None });
        until
    }

    fn set_ring_window(&mut self, id: ContactId, ends: Seconds) {
        if ends < f64::INFINITY {
            let timer = self.set_timer(ends, id, Timer::RingWindowOver);
            if let State::InLine(_, Phase::Ringing { window, .. }) =
                &mut self.floor.contacts[id].state
            {
                *window = Some(timer);
            }
        }
    }

    fn ring(&mut self, id: ContactId, agent: AgentId, until: Seconds) {
        self.floor.mark_busy(self.strategy, agent);
        self.observe(Observation::AgentChanges { agent });
        self.floor.agents[agent].ringing = Some(id);
        self.host.ring(&self.floor, id, agent, until);
        self.observe(Observation::Rings { contact: id, agent });
    }

    /// Rings at everybody of the best rank that has anybody; says whether there was one.
    fn ring_everybody(&mut self, id: ContactId, point: ServicePointId) -> bool {
        let members = &self.strategy.service_points[point].members;
        let mut best = (0..members.len()).find(|&place| self.can_ring(id, point, place));
        if best.is_none() {
            // Everybody who is free has been tried: another round begins, if there was one.
            self.end_round(id);
            best = (0..members.len()).find(|&place| self.can_ring(id, point, place));
        }
        let Some(first) = best else { return false };
        let rank = members[first].rank;
        let until = self.begin_ringing(id, point, Ringing::Rank(rank));
        let mut devices = 0;
        for (place, member) in members.iter().enumerate().skip(first) {
            if devices >= self.strategy.service_points[point].most_devices {
                break;
            }
            if member.rank == rank && self.can_ring(id, point, place) {
                devices += 1;
                self.observe(Observation::Offered { contact: id, agent: member.agent });
                self.note_tried(id, place);
                self.ring(id, member.agent, until);
            }
        }
        self.set_ring_window(id, until);
        true
    }

    /// Whether a contact that rings at everybody can ring at a member too.
    fn can_ring(&self, id: ContactId, point: ServicePointId, place: usize) -> bool {
        let model = &self.strategy.service_points[point];
        let Member { agent, joins_after, .. } = model.members[place];
        let contact = &self.floor.contacts[id];
        let Some(stay) = contact.stay() else { return false };
        let state = &self.floor.agents[agent];
        let rings_unheard = model.everyone_rings && !state.is_on_shift && state.ringing.is_none();
        stay.joined + joins_after <= self.floor.now
            && !self.is_tried(stay, place)
            && (self.has_room_for(agent, id) || rings_unheard)
    }

    /// Members of a later wave ring too, where everybody is rung at.
    pub(crate) fn ring_further(&mut self, id: ContactId, point: ServicePointId) {
        let model = &self.strategy.service_points[point];
        if model.order == OfferOrder::AllAtOnce {
            for place in 0..model.members.len() {
                if self.can_join_ringing(id, point, place) {
                    self.join_ringing(id, point, place);
                }
            }
        }
    }

    /// Whether one more member, on shift and free, can ring for a contact that rings at everybody.
    fn can_join_ringing(&self, id: ContactId, point: ServicePointId, place: usize) -> bool {
        let contact = &self.floor.contacts[id];
        let State::InLine(_, Phase::Ringing { at: Ringing::Rank(rank), .. }) = contact.state else {
            return false;
        };
        let model = &self.strategy.service_points[point];
        let member = &model.members[place];
        member.rank <= rank
            && self.floor.agents[member.agent].is_on_shift
            && self.can_ring(id, point, place)
            && (model.most_devices == usize::MAX || self.devices_ringing(id) < model.most_devices)
    }

    /// Lets one more member ring for a contact that rings at everybody.
    fn join_ringing(&mut self, id: ContactId, point: ServicePointId, place: usize) {
        let agent = self.strategy.service_points[point].members[place].agent;
        if let State::InLine(_, Phase::Ringing { until, .. }) = self.floor.contacts[id].state {
            self.observe(Observation::Offered { contact: id, agent });
            self.note_tried(id, place);
            self.ring(id, agent, until);
        }
    }

    fn devices_ringing(&self, id: ContactId) -> usize {
        self.floor.agents.iter().filter(|agent| agent.ringing == Some(id)).count()
    }

    /// A member answers.
    pub(crate) fn answer_ringing(&mut self, id: ContactId, agent: AgentId) {
        let Some(point) = self.floor.contacts[id].stay().map(|stay| stay.service_point) else {
            return;
        };
        let silenced = self.silence(id);
        self.floor.service_points[point].offering -= 1;
        self.answer(id, agent);
        self.free_after_ringing(silenced, Some(agent));
        self.serve(point);
    }

    /// A member does not want the contact: the next is looked for, unless it still rings elsewhere.
    pub(crate) fn decline(&mut self, id: ContactId, agent: AgentId) {
        if self.devices_ringing(id) <= 1 {
            return self.not_answered(id);
        }
        self.silence_agent(id, agent);
        self.look_for_contacts(agent);
    }

    /// A device has rung for as long as it may.
    pub(crate) fn end_ring_window(&mut self, id: ContactId, token: TimerToken) {
        if let State::InLine(_, Phase::Ringing { window, .. }) = self.floor.contacts[id].state
            && window == Some(token)
        {
            self.not_answered(id);
        }
    }

    /// Nobody answered: the exit, the gap, or the next offer.
    pub(crate) fn not_answered(&mut self, id: ContactId) {
        let Some(stay) = self.floor.contacts[id].stay() else { return };
        let (point, offers) = (stay.service_point, stay.offers);
        self.observe(Observation::NotAnswered { contact: id });
        let model = &self.strategy.service_points[point];
        let is_given_up =
            offers >= model.most_offers && model.exits.no_answer.to != Destination::KeepRinging;
        let silenced = self.silence(id);
        if is_given_up {
            // Already silent; leaving frees nobody a second time.
            self.leave_by(id, model.exits.no_answer, Cause::NoAnswer);
        } else if model.gap_secs > 0.0 {
            self.floor.service_points[point].waiting += 1;
            let over = self.set_timer(self.floor.now + model.gap_secs, id, Timer::GapOver);
            self.set_phase(id, Phase::InGap { over });
        } else {
            self.floor.service_points[point].offering -= 1;
            self.floor.service_points[point].waiting += 1;
            self.list(id);
            self.serve(point);
        }
        self.free_after_ringing(silenced, None);
        self.serve(point);
    }

    /// The gap after an offer is over.
    pub(crate) fn end_gap(&mut self, id: ContactId, token: TimerToken) {
        if let State::InLine(stay, Phase::InGap { over }) = self.floor.contacts[id].state
            && over == token
        {
            self.floor.service_points[stay.service_point].offering -= 1;
            self.list(id);
            self.serve(stay.service_point);
        }
    }

    /// Stops all devices that ring for a contact; gives whose, in a list that is given back by
    /// [`free_after_ringing`](Self::free_after_ringing), so that ringing allocates nothing.
    fn silence(&mut self, id: ContactId) -> Vec<AgentId> {
        let mut silenced = std::mem::take(&mut self.silenced);
        silenced.clear();
        if let State::InLine(stay, Phase::Ringing { at, window, .. }) =
            self.floor.contacts[id].state
        {
            if let Some(window) = window {
                self.host.cancel_timer(window);
            }
            let rings = |agent: &AgentId| {
                let state = &self.floor.agents[*agent];
                state.ringing == Some(id) || state.second == Some(id)
            };
            match at {
                Ringing::Agent(agent) => silenced.extend(Some(agent).filter(rings)),
                Ringing::Rank(_) => {
                    let members = &self.strategy.service_points[stay.service_point].members;
                    silenced.extend(members.iter().map(|member| member.agent).filter(rings));
                }
            }
        }
        for &agent in &silenced {
            self.silence_agent(id, agent);
        }
        silenced
    }

    fn silence_agent(&mut self, id: ContactId, agent: AgentId) {
        self.observe(Observation::AgentChanges { agent });
        let now = self.floor.now;
        let state = &mut self.floor.agents[agent];
        state.second.take_if(|second| *second == id);
        if state.ringing.take_if(|ringing| *ringing == id).is_some() {
            state.idle_since = now;
            self.host.stop_ringing(&self.floor, id, agent);
        }
        self.floor.mark_idle(self.strategy, agent);
    }

    /// A contact leaves while it rings.
    pub(crate) fn stop_ringing(&mut self, id: ContactId) {
        let silenced = self.silence(id);
        self.free_after_ringing(silenced, None);
    }

    fn free_after_ringing(&mut self, agents: Vec<AgentId>, but: Option<AgentId>) {
        for &agent in agents.iter().filter(|&&agent| Some(agent) != but) {
            self.look_for_contacts(agent);
        }
        self.silenced = agents;
    }

    /// An agent who has become free looks for contacts: a second one that rings here already, one that
    /// waits for just this agent, then those of all service points by priority.
    pub(crate) fn look_for_contacts(&mut self, agent: AgentId) {
        let state = &self.floor.agents[agent];
        let is_free = state.is_on_shift && state.held == 0 && state.ringing.is_none();
        if is_free && self.host.leaves_when_free(&self.floor, agent) {
            return self.sign_out(agent);
        }
        self.answer_second(agent);
        while let Some(next) = self.next_contact_for(agent) {
            match next {
                NextContact::Offer(id, point) => {
                    if let State::InLine(_, Phase::Held { .. }) = self.floor.contacts[id].state {
                        self.wait_for_nobody(id);
                        self.list(id);
                    }
                    self.offer_to(id, point, agent);
                }
                NextContact::RingEverybody(id, point) => {
                    if !self.ring_everybody(id, point) {
                        break;
                    }
                }
                NextContact::RingAlong(id, point, place) => self.join_ringing(id, point, place),
            }
        }
        self.floor.mark_idle(self.strategy, agent);
        self.let_others_go(agent);
    }

    /// Lets a second contact ring that has waited for the agent to be free of the first.
    #[inline]
    fn answer_second(&mut self, agent: AgentId) {
        let state = &self.floor.agents[agent];
        let Some(id) = state.second else { return };
        let at_once = at_once(self.strategy, agent, self.floor.contacts[id].channel);
        if !state.is_on_shift || state.held >= at_once {
            return;
        }
        if let State::InLine(_, Phase::Ringing { until, .. }) = self.floor.contacts[id].state {
            self.floor.agents[agent].second = None;
            self.ring(id, agent, until);
        }
    }

    #[inline]
    fn next_contact_for(&self, agent: AgentId) -> Option<NextContact> {
        let state = &self.floor.agents[agent];
        let is_full = state.held > 0 && state.held >= at_once(self.strategy, agent, state.channel);
        if !state.is_on_shift || is_full || state.ringing.is_some() || state.second.is_some() {
            return None;
        }
        let has_room = |id: ContactId| self.has_room_for(agent, id);
        let personal = self
            .floor
            .personal
            .iter()
            .find(|&&(wanted, id)| wanted == agent && has_room(id))
            .and_then(|&(_, id)| Some((id, self.floor.contacts[id].stay()?.service_point)));
        if let Some((id, point)) = personal {
            return Some(NextContact::Offer(id, point));
        }
        let class = &self.strategy.classes[self.strategy.agents[agent].class];
        let mut best: Option<(f64, f64, NextContact)> = None;
        for &Membership { service_point, joins_after, .. } in &class.memberships {
            let model = &self.strategy.service_points[service_point];
            let candidate = if model.order == OfferOrder::AllAtOnce {
                self.rings_for_all(agent, service_point)
            } else {
                let state = &self.floor.service_points[service_point];
                let may_offer = model.parallel || state.offering == 0;
                state.first.filter(|_| may_offer).map(|id| NextContact::Offer(id, service_point))
            };
            let Some(candidate) = candidate else { continue };
            let id = candidate.contact();
            let Some(stay) = self.floor.contacts[id].stay() else { continue };
            if stay.joined + joins_after > self.floor.now || !has_room(id) {
                continue;
            }
            let aged = match model.ageing_secs {
                f64::INFINITY => 0.0,
                ageing_secs => ((self.floor.now - stay.joined) / ageing_secs).floor(),
            };
            let priority = model.priority + aged;
            let is_first = best.is_none_or(|(other, since, _)| {
                priority > other || (priority == other && stay.joined < since)
            });
            if is_first {
                best = Some((priority, stay.joined, candidate));
            }
        }
        best.map(|(.., candidate)| candidate)
    }

    /// Of a service point that rings everybody, the contact that an agent would ring for: one that
    /// rings already, or the head of the list.
    fn rings_for_all(&self, agent: AgentId, point: ServicePointId) -> Option<NextContact> {
        let (model, state) =
            (&self.strategy.service_points[point], &self.floor.service_points[point]);
        let place = model.members.iter().position(|member| member.agent == agent)?;
        if state.offering > 0 {
            let ringing = model
                .members
                .iter()
                .filter_map(|member| self.floor.agents[member.agent].ringing)
                .find(|&id| {
                    let stay = self.floor.contacts[id].stay();
                    stay.is_some_and(|stay| stay.service_point == point)
                        && self.can_join_ringing(id, point, place)
                });
            if let Some(id) = ringing {
                return Some(NextContact::RingAlong(id, point, place));
            }
        }
        let may_offer = model.parallel || state.offering == 0;
        state.first.filter(|_| may_offer).map(|id| NextContact::RingEverybody(id, point))
    }
}

/// What an agent who has become free does next.
#[derive(Clone, Copy, Debug)]
enum NextContact {
    /// Is offered a contact.
    Offer(ContactId, ServicePointId),
    /// Is among those at whom a contact begins to ring.
    RingEverybody(ContactId, ServicePointId),
    /// Rings along, at this place of the service point, for a contact that rings already.
    RingAlong(ContactId, ServicePointId, usize),
}

impl NextContact {
    fn contact(self) -> ContactId {
        match self {
            Self::Offer(id, _) | Self::RingEverybody(id, _) | Self::RingAlong(id, ..) => id,
        }
    }
}
