//! Agents sign in and out.

use barometer_strategy::{Channel, OnLeaving};

use crate::compiled::channel_place;
use crate::contact::{Errand, State, Work};
use crate::host::{End, Host, Interrupted, Observation};
use crate::ids::{AgentId, ContactId};
use crate::router::Router;

impl<H: Host> Router<'_, H> {
    /// An agent signs in and takes contacts.
    pub fn sign_in(&mut self, agent: AgentId) {
        if self.floor.agents[agent].is_on_shift {
            return;
        }
        self.observe(Observation::AgentChanges { agent });
        self.observe(Observation::SignedIn { agent });
        let state = &mut self.floor.agents[agent];
        state.is_on_shift = true;
        state.idle_since = self.floor.now;
        let of_agent = &self.strategy.agents[agent];
        let takes = self.strategy.teams[of_agent.team].at_once.map(|at_once| at_once > 0);
        for membership in &self.strategy.classes[of_agent.class].memberships {
            let on_shift = &mut self.floor.service_points[membership.service_point].on_shift;
            on_shift.iter_mut().zip(takes).for_each(|(count, takes)| *count += u32::from(takes));
        }
        self.look_for_contacts(agent);
    }

    /// An agent signs out. Calls at hand are finished; of chats, the team's rule says.
    pub fn sign_out(&mut self, agent: AgentId) {
        if !self.floor.agents[agent].is_on_shift {
            return;
        }
        self.floor.mark_busy(self.strategy, agent);
        self.observe(Observation::AgentChanges { agent });
        self.observe(Observation::SignedOut { agent });
        self.floor.agents[agent].is_on_shift = false;
        let state = &mut self.floor.agents[agent];
        let (ringing, second) = (state.ringing.take(), state.second.take());
        if let Some(id) = ringing {
            self.host.stop_ringing(&self.floor, id, agent);
        }
        for id in [ringing, second].into_iter().flatten() {
            self.ring_elsewhere(id);
        }
        self.leave_chats(agent);
        let of_agent = &self.strategy.agents[agent];
        let at_once = self.strategy.teams[of_agent.team].at_once;
        for membership in &self.strategy.classes[of_agent.class].memberships {
            for channel in [Channel::Call, Channel::Chat, Channel::Task] {
                let place = channel_place(channel);
                if at_once[place] == 0 {
                    continue;
                }
                let point = &mut self.floor.service_points[membership.service_point];
                point.on_shift[place] -= 1;
                if point.on_shift[place] == 0 {
                    self.lose_staff(membership.service_point, channel);
                }
            }
        }
    }

    /// A contact that does not ring any more with an agent who leaves may ring with others.
    fn ring_elsewhere(&mut self, id: ContactId) {
        if self.floor.agents.iter().all(|other| other.ringing != Some(id)) {
            self.not_answered(id);
        }
    }

    /// What becomes of the chats of an agent who leaves.
    fn leave_chats(&mut self, agent: AgentId) {
        let on_leaving = self.strategy.teams[self.strategy.agents[agent].team].on_leaving;
        if on_leaving == OnLeaving::Finish || self.floor.agents[agent].channel != Channel::Chat {
            return;
        }
        let chats: Vec<ContactId> = self.floor.held_by(agent).collect();
        for id in chats {
            let State::WithAgent { service_point, joined, work: Work::Talking, .. } =
                self.floor.contacts[id].state
            else {
                continue;
            };
            match on_leaving {
                OnLeaving::HandOver => {
                    self.host.disconnect(&self.floor, id, agent, Interrupted::HandedOver);
                    self.put_down(id, agent);
                    self.floor.contacts[id].errand = Errand::HandedOver;
                    self.join(id, service_point, joined);
                }
                OnLeaving::CutOff => {
                    self.host.disconnect(&self.floor, id, agent, Interrupted::CutOff);
                    self.put_down(id, agent);
                    self.end(id, End::CutOff);
                }
                OnLeaving::Finish => {}
            }
        }
    }
}
