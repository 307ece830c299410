//! Calls of campaigns: with an agent kept from the moment of dialling, or connected when a person answers.
//!
//! Whom to call, when, and how many lines at once, is the dialler's. Routing decides which agent is kept or
//! connected, and what becomes of a person for whom nobody is free.

use crate::compiled::Serves;
use crate::contact::{Contact, Errand, State, Work};
use crate::host::{Cause, End, Host, Observation, Seconds, Timer};
use crate::ids::{AgentId, CampaignId, ContactId, ServicePointId};
use crate::router::Router;

impl<H: Host> Router<'_, H> {
    /// Gives a campaign's call its number; an input below says what happens to it.
    pub fn admit_call(&mut self, campaign: CampaignId) -> ContactId {
        self.floor.arrived += 1;
        let number = self.floor.arrived;
        let contact_type = self.strategy.campaigns[campaign].contact_type;
        self.floor.admit(Contact {
            contact_type,
            channel: barometer_strategy::Channel::Call,
            profile: None,
            labels: 0,
            errand: Errand::Campaign(campaign),
            last_agent: None,
            waiting_since: None,
            number,
            state: State::Moving,
        })
    }

    /// A person has answered an admitted call for which no agent was kept: an agent is connected within so
    /// many seconds, or the call is abandoned. Where the campaign plays a message, that begins.
    pub fn call_answered(&mut self, id: ContactId, within_secs: Seconds) {
        let Errand::Campaign(campaign) = self.floor.contacts[id].errand else { return };
        self.observe(Observation::Arrived { contact: id });
        match self.strategy.campaigns[campaign].serves {
            Serves::Message(first) => {
                // From here on a person who listens is a customer like any other.
                self.floor.contacts[id].errand = Errand::Customer;
                self.go(id, first);
            }
            Serves::Agents(point) => self.connect_within(id, point, within_secs),
        }
    }

    fn connect_within(&mut self, id: ContactId, point: ServicePointId, within_secs: Seconds) {
        self.begin_stay(id, point, self.floor.now);
        self.observe(Observation::Joined { contact: id, service_point: point });
        let is_offered = self.may_offer_newcomer(point) && self.offer(id);
        if is_offered && !self.floor.contacts[id].is_in_line() {
            return;
        }
        if !is_offered {
            if within_secs <= 0.0 {
                return self.abandon_call(id);
            }
            self.floor.service_points[point].waiting += 1;
            self.list(id);
        }
        let limit = self.set_timer(self.floor.now + within_secs, id, Timer::LimitOver);
        self.stay_mut(id, |stay| stay.limit = Some(limit));
        self.set_widening(id, point);
    }

    /// No agent was connected in time: the person is released.
    pub(crate) fn abandon_call(&mut self, id: ContactId) {
        let Some(point) = self.floor.contacts[id].stay().map(|stay| stay.service_point) else {
            return;
        };
        self.leave_line(id);
        self.observe(Observation::LeftUnanswered { contact: id, cause: Cause::TooLong });
        self.end(id, End::NotConnected);
        self.serve(point);
    }

    /// Keeps the agent who comes first for an admitted call that is about to be dialled, or looked at. `None`
    /// where nobody is free: the call's number is free again.
    pub fn keep_agent(&mut self, id: ContactId) -> Option<AgentId> {
        let agent = self.first_free(id);
        let stay = self.floor.contacts[id].stay().map(|stay| stay.service_point);
        let (Some(agent), Some(point)) = (agent, stay) else {
            self.end_round(id);
            self.floor.forget(id);
            return None;
        };
        let members = &self.strategy.service_points[point].members;
        if let Some(place) = members.iter().position(|member| member.agent == agent) {
            self.note_turn(id, point, place);
        }
        self.take_in_hand(id, agent, (point, self.floor.now));
        self.set_work(id, Work::Dialling);
        Some(agent)
    }

    fn first_free(&mut self, id: ContactId) -> Option<AgentId> {
        let Errand::Campaign(campaign) = self.floor.contacts[id].errand else { return None };
        let Serves::Agents(point) = self.strategy.campaigns[campaign].serves else { return None };
        self.begin_stay(id, point, self.floor.now);
        self.choose(id, point).filter(|&agent| self.floor.agents[agent].is_idle())
    }

    /// A person has answered a call for which an agent was kept.
    pub fn kept_answered(&mut self, id: ContactId) {
        if let State::WithAgent { agent, work: Work::Dialling, .. } = self.floor.contacts[id].state
        {
            self.begin_talk(id, agent);
        }
    }

    /// A call for which an agent was kept has come to nothing: the agent is free for others.
    pub fn kept_not_answered(&mut self, id: ContactId) {
        if let State::WithAgent { agent, work: Work::Dialling, .. } = self.floor.contacts[id].state
        {
            self.put_down(id, agent);
            self.floor.forget(id);
            self.look_for_contacts(agent);
        }
    }

    /// Agents of a campaign who are free now.
    pub fn free_agents(&self, campaign: CampaignId) -> u32 {
        let Serves::Agents(point) = self.strategy.campaigns[campaign].serves else { return 0 };
        let classes = self.strategy.service_points[point].classes.iter();
        // Those who join only after some waiting do not take a call that may not wait.
        let at_once = classes.filter(|class| class.joins_after <= 0.0);
        at_once.map(|class| self.floor.idle[class.class].count).sum()
    }

    /// Agents of a campaign on shift.
    pub fn campaign_agents_on_shift(&self, campaign: CampaignId) -> u32 {
        match self.strategy.campaigns[campaign].serves {
            Serves::Agents(point) => self.floor.service_points[point].on_shift[0],
            Serves::Message(_) => 0,
        }
    }
}
