//! Offering a contact: ringing, answering, not answering.

use barometer_strategy::OfferOrder;

use crate::compiled::{Destination, Member, Membership, ServicePoint};
use crate::contact::{Phase, Ringing, State};
use crate::floor::at_once;
use crate::host::{Cause, Host, Observation, Seconds, Timer, TimerToken};
use crate::ids::{AgentId, ContactId, ServicePointId};
use crate::router::Router;

impl<H: Host> Router<'_, H> {
    /// Offers a contact to the member who comes first in the order; says whether there was one.
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
        if state.is_on_shift && !is_second && self.host.answers_at_once(&self.floor, agent) {
            return self.answer(id, agent);
        }
        let until = self.begin_ringing(id, point, Ringing::Agent(agent));
        self.note_offer(id, point, agent);
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
        let strategy = self.strategy;
        let model = &strategy.service_points[point];
        let can_ring = |router: &Self, member: &Member| {
            let state = &router.floor.agents[member.agent];
            let rings_unheard =
                model.everyone_rings && !state.is_on_shift && state.ringing.is_none();
            router.has_joined(id, member.joins_after)
                && (router.floor.has_room(
                    strategy,
                    member.agent,
                    router.floor.contacts[id].channel,
                ) || rings_unheard)
        };
        let Some(best) = model.members.iter().find(|member| can_ring(self, member)) else {
            return false;
        };
        let rank = best.rank;
        let until = self.begin_ringing(id, point, Ringing::Rank(rank));
        let mut devices = 0;
        for member in model.members.iter().filter(|member| member.rank == rank) {
            if devices >= model.most_devices {
                break;
            }
            if can_ring(self, member) {
                devices += 1;
                self.observe(Observation::Offered { contact: id, agent: member.agent });
                self.ring(id, member.agent, until);
            }
        }
        self.set_ring_window(id, until);
        true
    }

    /// Whether a contact has waited for long enough for a member to be offered it.
    pub(crate) fn has_joined(&self, id: ContactId, joins_after: Seconds) -> bool {
        let stay = self.floor.contacts[id].stay();
        stay.is_some_and(|stay| stay.joined + joins_after <= self.floor.now)
    }

    /// Members of a later wave ring too, where everybody is rung at.
    pub(crate) fn ring_further(&mut self, id: ContactId, point: ServicePointId) {
        let model = &self.strategy.service_points[point];
        if model.order == OfferOrder::AllAtOnce {
            for member in &model.members {
                self.join_ringing(id, model, member);
            }
        }
    }

    /// Lets one more agent ring for a contact that rings at everybody.
    fn join_ringing(&mut self, id: ContactId, model: &ServicePoint, member: &Member) {
        let contact = &self.floor.contacts[id];
        let State::InLine(_, Phase::Ringing { at: Ringing::Rank(rank), until, .. }) = contact.state
        else {
            return;
        };
        if member.rank > rank
            || !self.has_joined(id, member.joins_after)
            || !self.floor.has_room(self.strategy, member.agent, contact.channel)
            || (model.most_devices != usize::MAX && self.devices_ringing(id) >= model.most_devices)
        {
            return;
        }
        self.observe(Observation::Offered { contact: id, agent: member.agent });
        self.ring(id, member.agent, until);
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
        }
        self.host.stop_ringing(&self.floor, id, agent);
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
    /// waits for just this agent, then the heads of all service points by priority.
    pub(crate) fn look_for_contacts(&mut self, agent: AgentId) {
        let state = &self.floor.agents[agent];
        let is_free = state.is_on_shift && state.held == 0 && state.ringing.is_none();
        if is_free && self.host.leaves_when_free(&self.floor, agent) {
            return self.sign_out(agent);
        }
        self.answer_second(agent);
        while let Some((id, point)) = self.next_contact_for(agent) {
            if let State::InLine(_, Phase::Held { .. }) = self.floor.contacts[id].state {
                self.wait_for_nobody(id);
                self.list(id);
            }
            self.offer_to(id, point, agent);
        }
        self.floor.mark_idle(self.strategy, agent);
        self.join_ringing_of_all(agent);
    }

    /// Lets a second contact ring that has waited for the agent to be free of the first.
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

    fn next_contact_for(&self, agent: AgentId) -> Option<(ContactId, ServicePointId)> {
        if !self.floor.agents[agent].is_on_shift {
            return None;
        }
        let has_room = |id: ContactId| {
            self.floor.has_room(self.strategy, agent, self.floor.contacts[id].channel)
        };
        let personal = self
            .floor
            .personal
            .iter()
            .find(|&&(wanted, id)| wanted == agent && has_room(id))
            .and_then(|&(_, id)| Some((id, self.floor.contacts[id].stay()?.service_point)));
        if personal.is_some() {
            return personal;
        }
        let class = self.strategy.agents[agent].class;
        let mut best: Option<(f64, f64, ContactId, ServicePointId)> = None;
        for &Membership { service_point, joins_after, .. } in
            &self.strategy.classes[class].memberships
        {
            let state = &self.floor.service_points[service_point];
            let model = &self.strategy.service_points[service_point];
            let Some(id) = state.first else { continue };
            if model.order == OfferOrder::AllAtOnce || (!model.parallel && state.offering > 0) {
                continue;
            }
            let Some(stay) = self.floor.contacts[id].stay() else { continue };
            if stay.joined + joins_after > self.floor.now || !has_room(id) {
                continue;
            }
            let aged = match model.ageing_secs {
                f64::INFINITY => 0.0,
                ageing_secs => ((self.floor.now - stay.joined) / ageing_secs).floor(),
            };
            let priority = model.priority + aged;
            let is_first = best.is_none_or(|(other, since, ..)| {
                priority > other || (priority == other && stay.joined < since)
            });
            if is_first {
                best = Some((priority, stay.joined, id, service_point));
            }
        }
        best.map(|(.., id, service_point)| (id, service_point))
    }

    /// Rings along with those at whom a contact of a service point that rings everybody rings already,
    /// and begins with its next contact.
    fn join_ringing_of_all(&mut self, agent: AgentId) {
        let class = &self.strategy.classes[self.strategy.agents[agent].class];
        if !class.rings_all {
            return;
        }
        for &Membership { service_point, .. } in &class.memberships {
            let model = &self.strategy.service_points[service_point];
            if model.order != OfferOrder::AllAtOnce {
                continue;
            }
            if self.floor.service_points[service_point].offering > 0 {
                let rings_here = |id: &ContactId| {
                    let stay = self.floor.contacts[*id].stay();
                    stay.is_some_and(|stay| stay.service_point == service_point)
                };
                let ringing = model
                    .members
                    .iter()
                    .filter_map(|member| self.floor.agents[member.agent].ringing)
                    .find(rings_here);
                let own = model.members.iter().find(|member| member.agent == agent);
                if let Some((id, member)) = ringing.zip(own) {
                    self.join_ringing(id, model, member);
                }
            }
            self.serve(service_point);
        }
    }
}
