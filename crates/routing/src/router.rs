//! The router: its inputs, one method each.
//!
//! To follow a contact: it comes in ([`Router::come_in`]), passes steps ([`journey`](crate::journey)),
//! joins a queue or hunt group ([`waiting`](crate::waiting)), is offered to agents
//! ([`offering`](crate::offering), [`selection`](crate::selection)), is handled or called back
//! ([`serving`](crate::serving)), or leaves otherwise. Agents sign in and out in
//! [`shifts`](crate::shifts).

use barometer_strategy::Profile;

use crate::compiled::CompiledStrategy;
use crate::contact::{Contact, Errand, Phase, State, Work};
use crate::floor::Floor;
use crate::host::{End, Host, Observation, Seconds, Timer, TimerToken};
use crate::ids::{AgentId, ContactId, ContactTypeId, ProfileId, Table};
use crate::profiles::Recognised;

/// Routes contacts by a strategy for a host.
///
/// Call [`advance`](Self::advance) before each input: an input happens at the floor's moment. An input
/// that does not fit (an agent answers a contact that has just hung up) changes nothing.
#[derive(Debug)]
pub struct Router<'s, H> {
    pub(crate) strategy: &'s CompiledStrategy,
    /// What is true now.
    pub floor: Floor,
    /// For whom it routes.
    pub host: H,
    pub(crate) profiles: Table<ProfileId, Recognised>,
    /// What is known by contact type where nothing is known of the caller.
    pub(crate) unknown: Table<ContactTypeId, Recognised>,
    /// A list for those whose devices have just stopped ringing, used again and again.
    pub(crate) silenced: Vec<AgentId>,
}

/// A contact that comes in.
#[derive(Clone, Copy, Debug)]
pub struct Arrival {
    /// Its type.
    pub contact_type: ContactTypeId,
    /// Who the caller is, if [recognised](Router::recognise).
    pub profile: Option<ProfileId>,
    /// Who served this customer last.
    pub last_agent: Option<AgentId>,
}

impl<'s, H: Host> Router<'s, H> {
    /// A router of an empty floor at second 0.
    pub fn new(strategy: &'s CompiledStrategy, host: H) -> Self {
        Self {
            strategy,
            floor: Floor::empty(strategy),
            host,
            profiles: Table::default(),
            unknown: strategy
                .contact_types
                .iter()
                .map(|of_type| Recognised::of(strategy, of_type, None))
                .collect(),
            silenced: Vec::new(),
        }
    }

    /// Empties the floor and goes back to second 0; who was recognised stays so.
    pub fn clear(&mut self) {
        self.floor.clear();
    }

    /// The strategy that it follows.
    pub fn strategy(&self) -> &'s CompiledStrategy {
        self.strategy
    }

    /// Moves on to a moment, which is not before the floor's.
    #[inline]
    pub fn advance(&mut self, to: Seconds) {
        self.floor.now = to;
    }

    /// What the strategy can tell of a caller with contacts of a type, for later arrivals of that type.
    pub fn recognise(&mut self, contact_type: ContactTypeId, caller: &Profile) -> ProfileId {
        let of_type = &self.strategy.contact_types[contact_type];
        self.profiles.push(Recognised::of(self.strategy, of_type, Some(caller)))
    }

    /// Gives a contact its number; [`come_in`](Self::come_in) lets it go its way.
    #[inline(always)]
    pub fn admit(&mut self, arrival: Arrival) -> ContactId {
        let Arrival { contact_type, profile, last_agent } = arrival;
        self.floor.arrived += 1;
        let number = self.floor.arrived;
        self.floor.admit(Contact {
            contact_type,
            channel: self.strategy.contact_types[contact_type].channel,
            profile,
            labels: self.strategy.contact_types[contact_type].label,
            errand: Errand::Customer,
            last_agent,
            waiting_since: None,
            number,
            state: State::Moving,
        })
    }

    /// An admitted contact comes in.
    #[inline(always)]
    pub fn come_in(&mut self, id: ContactId) {
        self.observe(Observation::Arrived { contact: id });
        self.begin_way(id);
    }

    /// The caller hangs up.
    #[inline]
    pub fn hang_up(&mut self, id: ContactId) {
        match self.floor.contacts[id].state {
            State::InLine(..) => self.abandon(id),
            State::InStep { .. } => self.end(id, End::Abandoned),
            _ => {}
        }
    }

    /// The caller in a menu has chosen, counted from 0, or has chosen nothing in time.
    pub fn key_pressed(&mut self, id: ContactId, choice: Option<usize>) {
        self.leave_menu(id, choice);
    }

    /// An announcement that is a step of its own is over.
    pub fn announcement_ends(&mut self, id: ContactId) {
        self.leave_announcement(id);
    }

    /// The assistant is done with a contact, which needs nobody else or goes on.
    pub fn assistant_ends(&mut self, id: ContactId, is_contained: bool) {
        self.leave_assistant(id, is_contained);
    }

    /// A waiting caller accepts the callback that was offered before.
    pub fn callback_accepted(&mut self, id: ContactId) {
        self.accept_callback_while_waiting(id);
    }

    /// An agent answers the contact that rings.
    pub fn agent_answers(&mut self, agent: AgentId) {
        if let Some(id) = self.floor.agents[agent].ringing {
            self.answer_ringing(id, agent);
        }
    }

    /// An agent does not want the contact that rings.
    pub fn agent_declines(&mut self, agent: AgentId) {
        if let Some(id) = self.floor.agents[agent].ringing {
            self.decline(id, agent);
        }
    }

    /// A customer answers the callback.
    pub fn callback_reached(&mut self, id: ContactId) {
        if let State::WithAgent { agent, work: Work::CallingBack, .. } =
            self.floor.contacts[id].state
        {
            self.begin_talk(id, agent);
        }
    }

    /// A customer does not answer the callback.
    pub fn callback_not_reached(&mut self, id: ContactId) {
        if let State::WithAgent { agent, work: Work::CallingBack, .. } =
            self.floor.contacts[id].state
        {
            self.attempt_failed(id, agent);
        }
    }

    /// A callback that was promised is not going to be made: its time is after the centre's day.
    pub fn callback_lapses(&mut self, id: ContactId) {
        self.break_promise(id);
    }

    /// Another day begins: what counts for a day begins again.
    pub fn new_day(&mut self) {
        self.floor.agents.iter_mut().for_each(|agent| agent.answered_today = 0);
    }

    /// The customer has gone, and the agent begins to write up.
    pub fn talk_ends(&mut self, id: ContactId) {
        if let State::WithAgent { work, .. } = &mut self.floor.contacts[id].state
            && *work == Work::Talking
        {
            *work = Work::WrappingUp;
        }
    }

    /// The agent is done with a contact and free for others.
    #[inline]
    pub fn finish(&mut self, id: ContactId) {
        if let State::WithAgent { agent, work: Work::Talking | Work::WrappingUp, .. } =
            self.floor.contacts[id].state
        {
            self.let_go(id, agent);
        }
    }

    /// A timer fires.
    pub fn timer_fires(&mut self, id: ContactId, timer: Timer, token: TimerToken) {
        match timer {
            Timer::LimitOver => self.reach_limit(id, token),
            Timer::Widens => self.widen(id, token),
            Timer::AnnouncementBegins => self.hear_announcement(id, token),
            Timer::HoldOver => self.end_hold(id, token),
            Timer::CallbackOffered => self.hear_callback_offer(id, token),
            Timer::RingWindowOver => self.end_ring_window(id, token),
            Timer::GapOver => self.end_gap(id, token),
            Timer::CallbackDue => self.call_back_now(id, token),
        }
    }

    /// Everything ends. Customers who are still here are told to the host, and are never served.
    pub fn end_everything(&mut self) {
        let still_here = self.floor.by_number(|contact| {
            let is_under_way = !matches!(
                contact.state,
                State::Ended | State::WithAgent { work: Work::Talking | Work::WrappingUp, .. }
            );
            is_under_way && matches!(contact.errand, Errand::Customer | Errand::Callback(_))
        });
        for id in still_here {
            let contact = &self.floor.contacts[id];
            if let State::InLine(stay, _) = contact.state {
                if contact.is_customer() {
                    let flow = self.strategy.service_points[stay.service_point].exits.left_waiting;
                    self.observe(Observation::Took { contact: id, flow });
                }
                self.count_wait(id);
            }
            self.observe(Observation::LeftWaiting { contact: id });
        }
    }

    #[inline(always)]
    pub(crate) fn observe(&mut self, what: Observation) {
        self.host.observe(&self.floor, what);
    }

    #[inline]
    pub(crate) fn set_timer(&mut self, at: Seconds, id: ContactId, timer: Timer) -> TimerToken {
        self.host.set_timer(&self.floor, at, id, timer)
    }

    #[inline]
    pub(crate) fn set_phase(&mut self, id: ContactId, phase: Phase) {
        if let State::InLine(_, current) = &mut self.floor.contacts[id].state {
            *current = phase;
        }
    }
}
