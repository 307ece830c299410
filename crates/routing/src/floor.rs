//! The floor at one moment: contacts under way, service points, agents. Routing changes it; hosts and
//! their observers read it.

use barometer_strategy::Channel;

use crate::compiled::{CompiledStrategy, channel_place};
use crate::contact::{Contact, State};
use crate::host::Seconds;
use crate::ids::{AgentId, CampaignId, ClassId, ContactId, Id, ServicePointId, Table};
use crate::rounds::Rounds;

/// Everything that is true at one moment.
#[derive(Debug)]
pub struct Floor {
    /// Which moment.
    pub now: Seconds,
    /// Contacts by number; ended ones are in the state [`State::Ended`].
    pub contacts: Table<ContactId, Contact>,
    /// Queues and hunt groups.
    pub service_points: Table<ServicePointId, ServicePointState>,
    /// Agents.
    pub agents: Table<AgentId, AgentState>,
    /// Numbers of ended contacts.
    pub(crate) ended: Vec<ContactId>,
    /// Free agents of each class, the longest idle first.
    pub(crate) idle: Table<ClassId, IdleList>,
    /// Contacts of each agent: a row of places each.
    pub(crate) hands: Vec<Option<ContactId>>,
    pub(crate) most_at_once: usize,
    /// Contacts that wait for one agent.
    pub(crate) personal: Vec<(AgentId, ContactId)>,
    pub(crate) rounds: Rounds,
    /// Contacts that have come in.
    pub(crate) arrived: u32,
    /// Agents who are kept for a campaign, by campaign; without an entry where none is kept.
    pub(crate) kept: Vec<(CampaignId, u32)>,
}

/// A queue or hunt group at one moment. Its list holds those to be offered next, by the time at which
/// they joined; a contact that is held, rings or is in a gap is in the line but not on the list.
#[derive(Clone, Copy, Debug, Default)]
pub struct ServicePointState {
    /// The head of the list.
    pub first: Option<ContactId>,
    /// The end of the list.
    pub last: Option<ContactId>,
    /// Contacts that take a place: all but those who ring.
    pub waiting: u32,
    /// Contacts that ring or are in a gap.
    pub offering: u32,
    /// Members on shift who take contacts of each [channel](crate::channel_place).
    pub on_shift: [u32; 3],
    /// The place of the member to whom the last offer went.
    pub offered_last: Option<u32>,
}

/// An agent at one moment.
#[derive(Clone, Copy, Debug)]
pub struct AgentState {
    /// Whether the agent is on shift.
    pub is_on_shift: bool,
    /// Contacts held, wrap-up included.
    pub held: u32,
    /// Their channel.
    pub channel: Channel,
    /// The contact that rings here.
    pub ringing: Option<ContactId>,
    /// A second contact that rings here while the agent is on one.
    pub second: Option<ContactId>,
    /// Since when free.
    pub idle_since: Seconds,
    /// Contacts answered today.
    pub answered_today: u32,
    pub(crate) is_idle: bool,
    pub(crate) before: Option<AgentId>,
    pub(crate) after: Option<AgentId>,
}

impl Default for AgentState {
    fn default() -> Self {
        Self {
            is_on_shift: false,
            held: 0,
            channel: Channel::Call,
            ringing: None,
            second: None,
            idle_since: 0.0,
            answered_today: 0,
            is_idle: false,
            before: None,
            after: None,
        }
    }
}

impl AgentState {
    /// Whether the agent is on shift and free.
    #[inline]
    pub fn is_idle(&self) -> bool {
        self.is_idle
    }
}

/// Free agents of a class, the longest idle first.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct IdleList {
    pub first: Option<AgentId>,
    pub last: Option<AgentId>,
    /// How many there are.
    pub count: u32,
}

impl Floor {
    pub(crate) fn empty(strategy: &CompiledStrategy) -> Self {
        Self {
            now: 0.0,
            contacts: Table::default(),
            service_points: vec![ServicePointState::default(); strategy.service_points.len()]
                .into(),
            agents: vec![AgentState::default(); strategy.agents.len()].into(),
            ended: Vec::new(),
            idle: vec![IdleList::default(); strategy.classes.len()].into(),
            hands: vec![None; strategy.agents.len() * strategy.most_at_once],
            most_at_once: strategy.most_at_once,
            personal: Vec::new(),
            rounds: Rounds::of_members(strategy.most_members),
            arrived: 0,
            kept: Vec::new(),
        }
    }

    /// As new, keeping all that was allocated.
    pub(crate) fn clear(&mut self) {
        self.now = 0.0;
        self.contacts.clear();
        self.service_points.fill(ServicePointState::default());
        self.agents.fill(AgentState::default());
        self.ended.clear();
        self.idle.fill(IdleList::default());
        self.personal.clear();
        self.rounds.clear();
        self.arrived = 0;
        self.kept.clear();
    }

    /// Contacts that wait at any of these service points.
    pub fn waiting_at(&self, points: &[ServicePointId]) -> u32 {
        points.iter().map(|&point| self.service_points[point].waiting).sum()
    }

    /// Contacts in an agent's hands.
    #[inline]
    pub fn held_by(&self, agent: AgentId) -> impl Iterator<Item = ContactId> {
        let row = agent.place() * self.most_at_once;
        let held = self.agents[agent].held as usize;
        self.hands[row..row + held].iter().copied().flatten()
    }

    /// Whether an agent on shift can take a contact of this channel now.
    #[inline]
    pub(crate) fn has_room(
        &self,
        strategy: &CompiledStrategy,
        agent: AgentId,
        channel: Channel,
    ) -> bool {
        let now = &self.agents[agent];
        if !now.is_on_shift || now.ringing.is_some() || now.second.is_some() {
            return false;
        }
        let at_once = at_once(strategy, agent, channel);
        if now.held == 0 { at_once > 0 } else { now.channel == channel && now.held < at_once }
    }

    /// Puts an agent on the list of the free, if free.
    #[inline(always)]
    pub(crate) fn mark_idle(&mut self, strategy: &CompiledStrategy, agent: AgentId) {
        let list = &mut self.idle[strategy.agents[agent].class];
        let now = &mut self.agents[agent];
        let is_free = now.is_on_shift && now.held == 0 && now.ringing.is_none();
        if !is_free || now.is_idle {
            return;
        }
        now.is_idle = true;
        list.count += 1;
        (now.before, now.after) = (list.last, None);
        match list.last.replace(agent) {
            None => list.first = Some(agent),
            Some(last) => self.agents[last].after = Some(agent),
        }
    }

    /// Takes an agent off the list of the free.
    #[inline(always)]
    pub(crate) fn mark_busy(&mut self, strategy: &CompiledStrategy, agent: AgentId) {
        let now = &mut self.agents[agent];
        if !std::mem::take(&mut now.is_idle) {
            return;
        }
        let (before, after) = (now.before, now.after);
        let list = &mut self.idle[strategy.agents[agent].class];
        list.count -= 1;
        match before {
            None => list.first = after,
            Some(before) => self.agents[before].after = after,
        }
        match after {
            None => list.last = before,
            Some(after) => self.agents[after].before = before,
        }
    }

    /// A place for a new contact.
    #[inline]
    pub(crate) fn admit(&mut self, contact: Contact) -> ContactId {
        match self.ended.pop() {
            Some(id) => {
                self.contacts[id] = contact;
                id
            }
            None => self.contacts.push(contact),
        }
    }

    #[inline]
    pub(crate) fn forget(&mut self, id: ContactId) {
        self.contacts[id].state = State::Ended;
        self.ended.push(id);
    }

    /// The contacts that meet a condition, in the order of their numbers.
    pub(crate) fn by_number(&self, meets: impl Fn(&Contact) -> bool) -> Vec<ContactId> {
        let found = self.contacts.numbered().filter(|(_, contact)| meets(contact));
        let mut found: Vec<ContactId> = found.map(|(id, _)| id).collect();
        found.sort_by_key(|&id| (self.contacts[id].number, self.contacts[id].is_work()));
        found
    }
}

/// How many contacts of a channel an agent can hold.
#[inline]
pub(crate) fn at_once(strategy: &CompiledStrategy, agent: AgentId, channel: Channel) -> u32 {
    strategy.teams[strategy.agents[agent].team].at_once[channel_place(channel)]
}
