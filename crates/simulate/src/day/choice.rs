//! Who is offered a contact next.

use super::Day;
use super::contact::NONE;
use crate::calendar::ContactId;
use crate::draws::Purpose;
use crate::model::LineModel;
use barometer_strategy::{Channel, OfferOrder};

/// How a member can take a contact; the earlier the better.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Readiness {
    /// Free, or with room for a further contact: so many are held already.
    Room(u32),
    /// On a contact, but a second one may ring.
    SecondCall,
}

impl Day<'_> {
    /// The member to whom a contact is offered next: of the best rank that has anybody, the one who
    /// holds least, and of those the first in the offer order.
    pub(super) fn choose(&mut self, id: ContactId) -> Option<u32> {
        let contact = &self.contacts[id as usize];
        let line = &self.model.lines[usize::from(contact.line)];
        let channel = self.channel_of(id);
        let joined = contact.joined;
        if contact.last_agent != NONE
            && line.last_agent_secs > 0.0
            && contact.offers == 0
            && self.has_room(contact.last_agent, channel)
        {
            return Some(contact.last_agent);
        }
        if line.chooses_by_class {
            return self.longest_idle(line, channel, joined);
        }
        self.first_in_order(id, line, channel, joined)
    }

    /// The longest idle of the best rank, by the lists of free agents of each class.
    fn longest_idle(&self, line: &LineModel, channel: Channel, joined: f64) -> Option<u32> {
        let (mut best, mut rank, mut since) = (None, u32::MAX, f64::INFINITY);
        for member in &line.classes {
            if member.rank > rank {
                break;
            }
            let agent = self.idle[usize::from(member.class)].first;
            if agent == NONE
                || joined + member.joins_after > self.now
                || self.at_once(agent, channel) == 0
            {
                continue;
            }
            let idle_since = self.agents[agent as usize].idle_since;
            if idle_since < since {
                (best, rank, since) = (Some(agent), member.rank, idle_since);
            }
        }
        best
    }

    /// Looks at every member; slower, but knows all orders.
    fn first_in_order(
        &mut self,
        id: ContactId,
        line: &LineModel,
        channel: Channel,
        joined: f64,
    ) -> Option<u32> {
        let round = self.round_of(id, line);
        let chosen = self.search(id, line, channel, joined, round);
        if chosen.is_some() || round == Round::Any {
            return chosen;
        }
        // Everybody who is free has been tried: another round begins.
        self.begin_round(id);
        self.search(id, line, channel, joined, Round::Any)
    }

    fn search(
        &self,
        id: ContactId,
        line: &LineModel,
        channel: Channel,
        joined: f64,
        round: Round,
    ) -> Option<u32> {
        let mut best: Option<(Readiness, f64, usize)> = None;
        let mut rank = u32::MAX;
        for (place, member) in line.members.iter().enumerate() {
            if member.rank > rank {
                break;
            }
            if joined + member.joins_after > self.now || !self.is_due_in(round, id, place, line) {
                continue;
            }
            let Some(readiness) = self.readiness(line, member.agent, channel) else { continue };
            let preference = self.preference(id, line, place);
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
        best.map(|(.., place)| line.members[place].agent)
    }

    fn readiness(&self, line: &LineModel, agent: u32, channel: Channel) -> Option<Readiness> {
        if self.has_room(agent, channel) {
            return Some(Readiness::Room(self.agents[agent as usize].held));
        }
        let state = &self.agents[agent as usize];
        let is_untouched = state.ringing == NONE && state.second == NONE;
        if line.everyone_rings && !state.is_at_work && state.held == 0 && is_untouched {
            return Some(Readiness::Room(0));
        }
        let is_on_one = state.is_at_work && state.held > 0 && is_untouched;
        (line.second_call && is_on_one && self.at_once(agent, channel) > 0)
            .then_some(Readiness::SecondCall)
    }

    /// The smaller, the sooner a member is offered a contact.
    fn preference(&self, id: ContactId, line: &LineModel, place: usize) -> f64 {
        let contact = &self.contacts[id as usize];
        let state = &self.agents[line.members[place].agent as usize];
        match line.order {
            OfferOrder::TopDown | OfferOrder::AllAtOnce => place as f64,
            OfferOrder::RoundRobinFresh => after(contact.pointer, place, line.members.len()),
            OfferOrder::RoundRobin => {
                let pointer = self.lines[usize::from(contact.line)].pointer;
                after(pointer, place, line.members.len())
            }
            OfferOrder::LongestIdle => state.idle_since,
            OfferOrder::FewestAnswered => f64::from(state.answered),
            OfferOrder::Random => {
                let offer = u64::from(contact.offers) << 32 | place as u64;
                contact.key.uniform(Purpose::OFFER_ORDER.of(offer))
            }
        }
    }

    /// Which members a contact's next offer may go to.
    fn round_of(&self, id: ContactId, line: &LineModel) -> Round {
        let goes_round = matches!(line.order, OfferOrder::RoundRobin | OfferOrder::RoundRobinFresh);
        let is_first = self.contacts[id as usize].tried == NONE;
        if goes_round || is_first { Round::Any } else { Round::Untried }
    }

    fn is_due_in(&self, round: Round, id: ContactId, place: usize, line: &LineModel) -> bool {
        round == Round::Any || !self.is_tried(id, place, line)
    }

    fn is_tried(&self, id: ContactId, place: usize, line: &LineModel) -> bool {
        let row = self.contacts[id as usize].tried as usize * words(line);
        self.tried[row + place / 64] >> (place % 64) & 1 == 1
    }

    /// Forgets whom a contact was offered.
    fn begin_round(&mut self, id: ContactId) {
        self.contacts[id as usize].tried = NONE;
    }

    /// Notes that a contact rings at a member.
    pub(super) fn note_offer(&mut self, id: ContactId, agent: u32) {
        let contact = &self.contacts[id as usize];
        let line_number = usize::from(contact.line);
        let line = &self.model.lines[line_number];
        let Some(place) = line.members.iter().position(|member| member.agent == agent) else {
            return;
        };
        match line.order {
            OfferOrder::RoundRobin => self.lines[line_number].pointer = place as u32,
            OfferOrder::RoundRobinFresh => self.contacts[id as usize].pointer = place as u32,
            OfferOrder::AllAtOnce => self.contacts[id as usize].pointer = line.members[place].rank,
            _ => {
                let words = words(line);
                if contact.tried == NONE {
                    // Rows of lines with more members are longer: begin at a multiple of this one.
                    let row = self.tried.len().div_ceil(words);
                    self.tried.resize((row + 1) * words, 0);
                    self.contacts[id as usize].tried = row as u32;
                }
                let row = self.contacts[id as usize].tried as usize * words;
                self.tried[row + place / 64] |= 1 << (place % 64);
            }
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Round {
    Any,
    Untried,
}

/// Words in a row of bits, one for each member.
fn words(line: &LineModel) -> usize {
    line.members.len().div_ceil(64).max(1)
}

/// How far a place is behind the one after `pointer`, going round.
fn after(pointer: u32, place: usize, members: usize) -> f64 {
    let start = if pointer == NONE { 0 } else { pointer as usize + 1 };
    ((place + members - start % members) % members) as f64
}
