//! A day is taken up in its middle: who is on shift, who talks to whom, who waits since when.
//!
//! A telephone switch that adopts another strategy does so with everybody who is there; a trial that
//! begins from a switch's present state as well. The order is: agents, contacts, and when all of them
//! are back, [`Router::go_on`]. What rings or is in a gap is offered anew; a menu, an announcement or an
//! assistant begins anew.

use barometer_strategy::Channel;

use crate::compiled::Destination;
use crate::contact::{Contact, Errand, State, Work};
use crate::host::{End, Host, Observation, Seconds, Timer};
use crate::ids::{AgentId, ContactId, ContactTypeId, Id, ProfileId, ServicePointId, StepId};
use crate::router::Router;

/// An agent on shift who is taken up.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ResumedAgent {
    /// Who.
    pub agent: AgentId,
    /// Since when free, or free last.
    pub idle_since: Seconds,
    /// Contacts answered today.
    pub answered_today: u32,
}

/// A contact that is taken up.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ResumedContact {
    /// Its type.
    pub contact_type: ContactTypeId,
    /// What is known of the caller.
    pub profile: Option<ProfileId>,
    /// Labels put on so far, by bit.
    pub labels: u64,
    /// In whose interest it is under way.
    pub errand: Errand,
    /// The agent who served this customer last.
    pub last_agent: Option<AgentId>,
    /// When it reached its first service point.
    pub waiting_since: Option<Seconds>,
    /// Its number, in order of appearance.
    pub number: u32,
}

/// Where a contact goes on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ResumedAt {
    /// At the beginning of its way: where it was is no more.
    Start,
    /// In a menu, an announcement or with an assistant.
    Step(StepId),
    /// Waiting in a service point, with the place of one that joined then, since a moment.
    Waiting {
        /// Where.
        service_point: ServicePointId,
        /// By which it has its place.
        joined: Seconds,
        /// Since when it waits here.
        since: Seconds,
    },
    /// With an agent who is on shift or about to leave.
    WithAgent {
        /// Whom.
        agent: AgentId,
        /// Where it was answered.
        service_point: ServicePointId,
        /// Since when it had its place there.
        joined: Seconds,
        /// What the agent does.
        work: Work,
    },
    /// To be called back at a moment.
    Promised {
        /// When.
        due: Seconds,
    },
}

impl<H: Host> Router<'_, H> {
    /// An agent is on shift already.
    pub fn resume_agent(&mut self, resumed: ResumedAgent) {
        let ResumedAgent { agent, idle_since, answered_today } = resumed;
        self.sign_in(agent);
        let state = &mut self.floor.agents[agent];
        (state.idle_since, state.answered_today) = (idle_since, answered_today);
    }

    /// Gives a contact that is there already its number; [`resume_at`](Self::resume_at) says where it is.
    pub fn readmit(&mut self, resumed: ResumedContact) -> ContactId {
        let ResumedContact {
            contact_type,
            profile,
            labels,
            errand,
            last_agent,
            waiting_since,
            number,
        } = resumed;
        self.floor.arrived = self.floor.arrived.max(number);
        let channel = match errand {
            Errand::Callback(_) | Errand::Campaign(_) => Channel::Call,
            Errand::Work(_) => Channel::Task,
            Errand::Customer | Errand::HandedOver => {
                self.strategy.contact_types[contact_type].channel
            }
        };
        self.floor.admit(Contact {
            contact_type,
            channel,
            profile,
            labels,
            errand,
            last_agent,
            waiting_since,
            number,
            state: State::Moving,
        })
    }

    /// A contact is where it was. Nobody is offered it before [`go_on`](Self::go_on).
    pub fn resume_at(&mut self, id: ContactId, at: ResumedAt) {
        match at {
            ResumedAt::Start => self.begin_way(id),
            ResumedAt::Step(step) => {
                let of_type = &self.strategy.contact_types[self.floor.contacts[id].contact_type];
                if of_type.told_first.is_some_and(|(told, _)| told == step) {
                    self.tell_first(id, step);
                } else {
                    self.go(id, Destination::Step(step));
                }
            }
            ResumedAt::Waiting { service_point, joined, since } => {
                self.wait_on(id, service_point, joined, since);
            }
            ResumedAt::WithAgent { agent, service_point, joined, work } => {
                self.take_in_hand(id, agent, (service_point, joined));
                self.set_work(id, work);
            }
            ResumedAt::Promised { due } => {
                let due = self.set_timer(due.max(self.floor.now), id, Timer::CallbackDue);
                self.floor.contacts[id].state = State::Promised { due };
            }
        }
    }

    /// A contact of which nothing is left to be done ends.
    pub fn resume_ended(&mut self, id: ContactId, how: End) {
        self.end(id, how);
    }

    /// A contact has its place in a line again, with what is left of its timers.
    fn wait_on(&mut self, id: ContactId, point: ServicePointId, joined: Seconds, since: Seconds) {
        self.begin_stay(id, point, joined);
        self.stay_mut(id, |stay| stay.since = since);
        self.observe(Observation::Joined { contact: id, service_point: point });
        self.floor.service_points[point].waiting += 1;
        self.list(id);
        self.set_widening(id, point);
        if !self.floor.contacts[id].is_customer() {
            return;
        }
        let now = self.floor.now;
        let model = &self.strategy.service_points[point];
        self.host.wait(&self.floor, id);
        if model.exits.too_long.to != Destination::KeepRinging && model.limit_secs < f64::INFINITY {
            let limit = self.set_timer((since + model.limit_secs).max(now), id, Timer::LimitOver);
            self.stay_mut(id, |stay| stay.limit = Some(limit));
        }
        let heard = model.announcements.iter().take_while(|told| since + told.at_secs <= now);
        let heard = heard.count();
        self.stay_mut(id, |stay| stay.heard = heard as u32);
        if let Some(next) = model.announcements.get(heard) {
            let begins = self.set_timer(since + next.at_secs, id, Timer::AnnouncementBegins);
            self.stay_mut(id, |stay| stay.announcement = Some(begins));
        }
        if let Some(offer) = &model.callback {
            // Who declined it before declines it again: that is the host's to know.
            let at = (since + offer.after_secs).max(now);
            let offered = self.set_timer(at, id, Timer::CallbackOffered);
            self.stay_mut(id, |stay| stay.callback_offer = Some(offered));
        }
    }

    /// Everybody is back: who is free looks for contacts, those free for longest first.
    pub fn go_on(&mut self) {
        let mut free: Vec<AgentId> =
            self.floor.agents.ids().filter(|&agent| self.floor.agents[agent].is_on_shift).collect();
        let since = |agent: &AgentId| self.floor.agents[*agent].idle_since;
        free.sort_by(|one, other| since(one).total_cmp(&since(other)).then(one.cmp(other)));
        free.into_iter().for_each(|agent| self.look_for_contacts(agent));
        for place in 0..self.floor.service_points.len() {
            self.serve(ServicePointId::at(place));
        }
    }
}
