//! Which member is offered a contact next.
//!
//! One rule holds for all orders: of the best rank that has anybody free whom this contact has not been
//! offered in this round, the one who holds least, and of those the first in the order. A rank whose
//! free members have all been tried in vain counts as taken, so the offer goes on to the next rank;
//! when every free member has been tried, another round begins.

use barometer_strategy::{Channel, OfferOrder};

use crate::compiled::ServicePoint;
use crate::contact::Stay;
use crate::floor::at_once;
use crate::host::{Host, Seconds};
use crate::ids::{AgentId, ContactId, ServicePointId};
use crate::router::Router;

/// How a member can take a contact; the earlier the better.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Readiness {
    /// Free, or with room for a further contact: this number is held already.
    Room(u32),
    /// On a contact, but a second one may ring.
    SecondCall,
}

impl<H: Host> Router<'_, H> {
    /// The member to whom a contact is offered next.
    #[inline(always)]
    pub(crate) fn choose(&mut self, id: ContactId, point: ServicePointId) -> Option<AgentId> {
        let model = &self.strategy.service_points[point];
        let contact = &self.floor.contacts[id];
        let (channel, stay) = (contact.channel, contact.stay()?);
        let last = contact.last_agent.filter(|_| model.last_agent_secs > 0.0 && stay.offers == 0);
        if let Some(agent) = last
            && self.has_room_for(agent, id)
        {
            return Some(agent);
        }
        if model.chooses_by_class && stay.round.is_none() {
            return self.longest_idle(id, model, channel, stay.joined);
        }
        self.first_in_order(id, model)
    }

    /// The longest idle of the best rank, by the lists of free agents of each class; of those who are
    /// idle for equally long, the first as listed.
    #[inline(always)]
    fn longest_idle(
        &self,
        id: ContactId,
        model: &ServicePoint,
        channel: Channel,
        joined: Seconds,
    ) -> Option<AgentId> {
        let (mut best, mut rank, mut since) = (None, u32::MAX, f64::INFINITY);
        let place = |agent| model.members.iter().position(|member| member.agent == agent);
        for member in &model.classes {
            if member.rank > rank {
                break;
            }
            let Some(mut agent) = self.floor.idle[member.class].first else { continue };
            if joined + member.joins_after > self.floor.now
                || at_once(self.strategy, agent, channel) == 0
                || self.is_kept(agent, id)
            {
                continue;
            }
            let idle_since = self.floor.agents[agent].idle_since;
            let mut next = self.floor.agents[agent].after;
            while let Some(other) = next
                && self.floor.agents[other].idle_since == idle_since
            {
                if place(other) < place(agent) {
                    agent = other;
                }
                next = self.floor.agents[other].after;
            }
            let ties = idle_since == since && best.and_then(place) > place(agent);
            if idle_since < since || ties {
                (best, rank, since) = (Some(agent), member.rank, idle_since);
            }
        }
        best
    }

    /// Looks at every member; slower, but knows all orders.
    fn first_in_order(&mut self, id: ContactId, model: &ServicePoint) -> Option<AgentId> {
        let chosen = self.search(id, model);
        if chosen.is_some() || self.floor.contacts[id].stay()?.round.is_none() {
            return chosen;
        }
        // Everybody who is free has been tried: another round begins.
        self.end_round(id);
        self.search(id, model)
    }

    fn search(&self, id: ContactId, model: &ServicePoint) -> Option<AgentId> {
        let stay = self.floor.contacts[id].stay()?;
        let mut best: Option<(Readiness, f64, usize)> = None;
        let mut rank = u32::MAX;
        for (place, member) in model.members.iter().enumerate() {
            if member.rank > rank {
                break;
            }
            if stay.joined + member.joins_after > self.floor.now || self.is_tried(stay, place) {
                continue;
            }
            let Some(readiness) = self.readiness(id, model, member.agent) else { continue };
            let preference = self.preference(id, stay, model, place);
            let is_better = best.is_none_or(|(ready, least, _)| {
                readiness < ready || (readiness == ready && preference < least)
            });
            if is_better {
                best = Some((readiness, preference, place));
            }
            // A second call is for when no rank has anybody free.
            if matches!(best, Some((Readiness::Room(_), ..))) {
                rank = member.rank;
            }
        }
        best.map(|(.., place)| model.members[place].agent)
    }

    /// Whether an agent on shift can take a contact now.
    #[inline]
    pub(crate) fn has_room_for(&self, agent: AgentId, id: ContactId) -> bool {
        self.floor.has_room(self.strategy, agent, self.floor.contacts[id].channel)
            && !self.is_kept(agent, id)
    }

    fn readiness(&self, id: ContactId, model: &ServicePoint, agent: AgentId) -> Option<Readiness> {
        let state = &self.floor.agents[agent];
        let channel = self.floor.contacts[id].channel;
        if self.is_kept(agent, id) {
            return None;
        }
        if self.floor.has_room(self.strategy, agent, channel) {
            return Some(Readiness::Room(state.held));
        }
        let is_untouched = state.ringing.is_none() && state.second.is_none();
        if model.everyone_rings && !state.is_on_shift && state.held == 0 && is_untouched {
            return Some(Readiness::Room(0));
        }
        let is_on_one = state.is_on_shift && state.held > 0 && is_untouched;
        (model.second_call && is_on_one && at_once(self.strategy, agent, channel) > 0)
            .then_some(Readiness::SecondCall)
    }

    /// The smaller, the sooner a member is offered a contact.
    fn preference(&self, id: ContactId, stay: &Stay, model: &ServicePoint, place: usize) -> f64 {
        let agent = &self.floor.agents[model.members[place].agent];
        match model.order {
            OfferOrder::TopDown | OfferOrder::AllAtOnce => place as f64,
            OfferOrder::RoundRobinFresh => after(stay.offered_last, place, model.members.len()),
            OfferOrder::RoundRobin => {
                let offered_last = self.floor.service_points[stay.service_point].offered_last;
                after(offered_last, place, model.members.len())
            }
            OfferOrder::LongestIdle => agent.idle_since,
            OfferOrder::FewestAnswered => f64::from(agent.answered_today),
            OfferOrder::Random => self.host.order_at_random(&self.floor, id, stay.offers, place),
        }
    }

    /// The contact's round is over.
    #[inline(always)]
    pub(crate) fn end_round(&mut self, id: ContactId) {
        let mut ended = None;
        self.stay_mut(id, |stay| ended = stay.round.take());
        if let Some(round) = ended {
            self.floor.rounds.end(round);
        }
    }

    /// Whether a member was offered the contact in this round.
    pub(crate) fn is_tried(&self, stay: &Stay, place: usize) -> bool {
        stay.round.is_some_and(|round| self.floor.rounds.has(round, place))
    }

    /// Notes that a contact rings at a member, who is not offered it again in this round.
    pub(crate) fn note_tried(&mut self, id: ContactId, place: usize) {
        let begun = self.floor.contacts[id].stay().and_then(|stay| stay.round);
        let round = begun.unwrap_or_else(|| self.floor.rounds.begin());
        self.floor.rounds.note(round, place);
        self.stay_mut(id, |stay| stay.round = Some(round));
    }

    /// Notes that it was a member's turn, for orders that go round.
    pub(crate) fn note_turn(&mut self, id: ContactId, point: ServicePointId, place: usize) {
        match self.strategy.service_points[point].order {
            OfferOrder::RoundRobin => {
                self.floor.service_points[point].offered_last = Some(place as u32);
            }
            OfferOrder::RoundRobinFresh => {
                self.stay_mut(id, |stay| stay.offered_last = Some(place as u32));
            }
            _ => {}
        }
    }
}

/// How far a place is behind the one after `last`, going round.
fn after(last: Option<u32>, place: usize, members: usize) -> f64 {
    let start = last.map_or(0, |last| last as usize + 1);
    ((place + members - start % members) % members) as f64
}
