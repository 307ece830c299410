//! A strategy made ready to be run: names become numbers, hours become stretches of seconds, skills
//! and lists become members of service points. Nothing here changes while contacts are routed.
//!
//! Only what routing decides is kept. How long a menu is listened to, who accepts a callback, how
//! patient callers are: that is luck, and the host's.

mod build;
mod hours;
mod members;
mod numbers;

use barometer_strategy::{Channel, OfferOrder, OnLeaving};
use serde::{Deserialize, Serialize};

use crate::ids::{
    AgentId, CallbackId, CampaignId, ClassId, ContactTypeId, FlowId, ServicePointId, StepId, Table,
    TeamId,
};
pub use build::{CompileError, Setting};
pub use numbers::number_matches;

/// Everything that decides what happens to a contact.
#[derive(Debug)]
pub struct CompiledStrategy {
    /// How the contacts of each type come in.
    pub contact_types: Table<ContactTypeId, ContactType>,
    /// The strategy's steps, in its order.
    pub steps: Table<StepId, Step>,
    /// Queues and hunt groups, in the order of the steps.
    pub service_points: Table<ServicePointId, ServicePoint>,
    /// Callback steps, in the order of the steps.
    pub callbacks: Table<CallbackId, Callback>,
    /// The strategy's teams, in its order.
    pub teams: Table<TeamId, Team>,
    /// Agents, team by team.
    pub agents: Table<AgentId, Agent>,
    /// Agents who are alike.
    pub classes: Table<ClassId, Class>,
    /// Every transition that a contact can take.
    pub flows: Table<FlowId, FlowName>,
    /// The strategy's campaigns, in its order. Each has a contact type of its own, behind those of the
    /// setting, and where a team serves it a service point, behind those of the steps.
    pub campaigns: Table<CampaignId, Campaign>,
    /// Labels: the first is the lowest bit.
    pub labels: Vec<String>,
    /// What labels ask about callers, in the order of [`Rule::Caller`]'s numbers.
    pub(crate) caller_conditions: Vec<barometer_strategy::Condition>,
    /// Contacts at once of the agent who holds most.
    pub most_at_once: usize,
    /// Members of the service point that has most.
    pub most_members: usize,
}

impl CompiledStrategy {
    /// How many of the service points are steps: those behind them are campaigns' own.
    pub fn points_of_steps(&self) -> usize {
        self.steps.iter().filter(|step| matches!(step, Step::ServicePoint(_))).count()
    }

    /// The service points, of those at which inbound contacts wait, whose members a campaign's agents are.
    pub fn inbound_points_of(&self, campaign: CampaignId) -> Vec<ServicePointId> {
        let Serves::Agents(own) = self.campaigns[campaign].serves else { return Vec::new() };
        let members = &self.service_points[own].members;
        let shares = |point: &ServicePointId| {
            let theirs = &self.service_points[*point].members;
            theirs.iter().any(|member| members.iter().any(|ours| ours.agent == member.agent))
        };
        self.service_points.ids().take(self.points_of_steps()).filter(shares).collect()
    }
}

/// How the contacts of a type come in.
#[derive(Clone, Debug)]
pub struct ContactType {
    /// On which channel.
    pub channel: Channel,
    /// Where they go first.
    pub first: Destination,
    /// The announcement step that they hear before that, which then leads there, and the way on which they are
    /// counted.
    pub told_first: Option<(StepId, FlowId)>,
    /// The label that they come in with, as a bit; 0 for none.
    pub label: u64,
    /// The language that they are taken to speak.
    pub language: Option<String>,
    /// Caller numbers that get the busy tone, and the way on which they are counted.
    pub blocked: Option<(Vec<String>, FlowId)>,
}

impl ContactType {
    /// Contacts for which nothing is set but where they go.
    pub(crate) const fn going(channel: Channel, first: Destination) -> Self {
        Self { channel, first, told_first: None, label: 0, language: None, blocked: None }
    }
}

/// Where a contact goes next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Destination {
    /// To a step.
    Step(StepId),
    /// It is released.
    Release,
    /// It gets the busy tone.
    BusyTone,
    /// It stays where it is. Only exits of service points lead here.
    KeepRinging,
}

/// A way out of a step.
#[derive(Clone, Copy, Debug)]
pub struct Transition {
    /// By which it is counted.
    pub flow: FlowId,
    /// Where it leads.
    pub to: Destination,
}

/// A transition in the planner's words: from where, why, to where.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FlowName {
    /// The step that is left.
    pub from: String,
    /// Why: "full", "open", a menu's choice.
    pub why: String,
    /// The step or the end that is reached.
    pub to: String,
}

/// A stretch of time, in seconds since the start: from, and until when exclusively.
pub type Stretch = (f64, f64);

/// What a step does.
#[derive(Debug)]
pub enum Step {
    /// Sends contacts one way while open and another while closed.
    HoursGate {
        /// When it is open, in order of time.
        open: Vec<Stretch>,
        /// Taken while open.
        when_open: Transition,
        /// Taken while closed.
        when_closed: Transition,
    },
    /// Lets callers choose.
    Menu {
        /// One for each key.
        choices: Vec<Transition>,
        /// How often it is heard again without a choice.
        retries: u32,
        /// Taken by those who never choose.
        no_choice: Transition,
    },
    /// Puts labels on.
    Labelling {
        /// The bit of the label, and when it is put on.
        rules: Vec<(u64, Rule)>,
        /// Taken then.
        next: Transition,
    },
    /// Sends on by label.
    Routing {
        /// The bit of the label, and where contacts with it go; the first that fits decides.
        routes: Vec<(u64, Transition)>,
        /// Taken by all others.
        otherwise: Transition,
    },
    /// Tells something.
    Announcement {
        /// Taken then.
        next: Transition,
    },
    /// A virtual assistant.
    Assistant {
        /// Counts those who need nobody else.
        contained: FlowId,
        /// Taken by the others.
        next: Transition,
    },
    /// A queue or a hunt group.
    ServicePoint(ServicePointId),
    /// Promises to call back.
    Callback(CallbackId),
    /// Takes a message.
    Voicemail {
        /// Counts messages.
        taken: FlowId,
        /// Where the message becomes work.
        work: Option<ServicePointId>,
    },
    /// Hands the contact to a number outside.
    Outside {
        /// Counts contacts that were handed over.
        taken: FlowId,
    },
}

/// When a label is put on.
#[derive(Debug)]
pub enum Rule {
    /// When the caller meets this condition (a number, a language, an attribute).
    Caller(usize),
    /// Within these stretches of time.
    Time(Vec<Stretch>),
    /// For a share of contacts, which the host draws.
    Share(f64),
}

/// A queue or a hunt group.
#[derive(Debug)]
pub struct ServicePoint {
    /// Its step; that of the first step for a campaign's own, which has none.
    pub step: StepId,
    /// Who may be offered its contacts, by rank and then as listed.
    pub members: Vec<Member>,
    /// The same, class by class, by rank.
    pub classes: Vec<ClassMember>,
    /// Seconds of waiting after which further members join, in order.
    pub widenings: Vec<f64>,
    /// Contacts that it holds at most, those who ring not counted.
    pub places: u32,
    /// The longest wait; infinite where there is none.
    pub limit_secs: f64,
    /// Which service point an agent of several serves first: the higher one.
    pub priority: f64,
    /// Seconds of waiting that raise a contact's priority by one; infinite where they never do.
    pub ageing_secs: f64,
    /// Who is offered a contact first.
    pub order: OfferOrder,
    /// Seconds that a device rings; infinite where it rings until it is answered or declined.
    pub ring_window_secs: f64,
    /// Seconds between one offer and the next.
    pub gap_secs: f64,
    /// Whether several contacts are offered at the same time.
    pub parallel: bool,
    /// Whether members on a contact are offered a second one.
    pub second_call: bool,
    /// Whether devices of members off shift ring too.
    pub everyone_rings: bool,
    /// Devices that ring at once for one contact, at most.
    pub most_devices: usize,
    /// Offers without an answer after which a contact takes the exit.
    pub most_offers: u32,
    /// The least wrap-up after a contact from here, in seconds.
    pub wrap_up_secs: f64,
    /// Seconds for which a repeat caller waits for the agent who served last.
    pub last_agent_secs: f64,
    /// What is told to those who wait.
    pub announcements: Vec<QueueAnnouncement>,
    /// When a callback is offered.
    pub callback: Option<CallbackOffer>,
    /// The ways out.
    pub exits: Exits,
    /// Whether a newcomer may have to hear something, or to wait for one agent, before an offer.
    pub may_hold_newcomers: bool,
    /// Whether members can be chosen class by class: the longest idle, of agents who hold one contact.
    pub chooses_by_class: bool,
}

impl ServicePoint {
    /// Whether something must be heard before the first offer.
    pub fn must_be_heard_first(&self) -> bool {
        self.announcements.first().is_some_and(|told| told.at_secs == 0.0 && told.must_be_heard)
    }
}

/// The ways out of a service point, and what counts those who leave otherwise.
#[derive(Debug)]
pub struct Exits {
    /// No place is free.
    pub full: Transition,
    /// The longest wait is over.
    pub too_long: Transition,
    /// Nobody is on shift when the contact comes.
    pub no_staff_at_arrival: Option<Transition>,
    /// The last member on shift has left.
    pub no_staff_while_waiting: Option<Transition>,
    /// Nobody answered.
    pub no_answer: Transition,
    /// Counts those answered.
    pub answered: FlowId,
    /// Counts those who abandoned.
    pub abandoned: FlowId,
    /// Counts those who accepted a callback.
    pub callback: FlowId,
    /// Counts those who still wait at the end.
    pub left_waiting: FlowId,
}

/// An agent's place in a service point.
#[derive(Clone, Copy, Debug)]
pub struct Member {
    /// Who.
    pub agent: AgentId,
    /// Lower is offered first.
    pub rank: u32,
    /// Seconds of waiting after which the member joins.
    pub joins_after: f64,
}

/// A class's place in a service point.
#[derive(Clone, Copy, Debug)]
pub struct ClassMember {
    /// Which class.
    pub class: ClassId,
    /// Lower is offered first.
    pub rank: u32,
    /// Seconds of waiting after which its agents join.
    pub joins_after: f64,
}

/// Something told to those who wait.
#[derive(Debug)]
pub struct QueueAnnouncement {
    /// Seconds of waiting after which it begins.
    pub at_secs: f64,
    /// How long it takes.
    pub secs: f64,
    /// Whether a contact cannot be answered while it plays.
    pub must_be_heard: bool,
}

/// When a callback is offered to those who wait.
#[derive(Debug)]
pub struct CallbackOffer {
    /// Seconds of waiting after which it is offered.
    pub after_secs: f64,
    /// Only where the expected wait is at least this long.
    pub if_expected_wait_secs: f64,
    /// What is promised.
    pub callback: CallbackId,
}

/// A campaign's calls.
#[derive(Clone, Copy, Debug)]
pub struct Campaign {
    /// Of its calls.
    pub contact_type: ContactTypeId,
    /// Who talks to those who answer.
    pub serves: Serves,
}

/// Who talks to those who answer a campaign's call.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Serves {
    /// The members of a service point.
    Agents(ServicePointId),
    /// What is played, and all that follows it.
    Message(Destination),
}

/// What is promised to those who accept a callback.
#[derive(Debug)]
pub struct Callback {
    /// Whose agents call back.
    pub service_point: ServicePointId,
    /// Seconds after the promise; `None` when the place is kept.
    pub after_secs: Option<f64>,
    /// Counts those who accept.
    pub accepted: FlowId,
    /// Taken by those who do not.
    pub otherwise: Transition,
    /// Attempts, at most.
    pub attempts: u32,
    /// Seconds until the next attempt.
    pub retry_after_secs: f64,
}

/// Agents who share channels and concurrency.
#[derive(Debug)]
pub struct Team {
    /// Contacts at once by [channel](channel_place); 0 where the team does not answer it.
    pub at_once: [u32; 3],
    /// What becomes of the chats of an agent who leaves.
    pub on_leaving: OnLeaving,
    /// The places of its agents in [`CompiledStrategy::agents`]: the first, and one after the last.
    pub agents: (usize, usize),
}

impl Team {
    /// Contacts that an agent could hold at once, of the channel that allows most.
    pub fn slots(&self) -> u32 {
        self.at_once.into_iter().max().unwrap_or(1)
    }

    /// The numbers of its agents, in order.
    pub fn members(&self) -> impl DoubleEndedIterator<Item = AgentId> + use<> {
        use crate::ids::Id;
        (self.agents.0..self.agents.1).map(AgentId::at)
    }
}

/// An agent.
#[derive(Debug)]
pub struct Agent {
    /// The agent's team.
    pub team: TeamId,
    /// Those who are alike.
    pub class: ClassId,
    /// The name; without one, the team's with a number.
    pub name: String,
}

/// Agents who are alike in everything that decides which contacts they are offered.
#[derive(Debug)]
pub struct Class {
    /// The service points that they belong to.
    pub memberships: Vec<Membership>,
}

/// A class's membership of a service point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Membership {
    /// Which service point.
    pub service_point: ServicePointId,
    /// Lower is offered first.
    pub rank: u32,
    /// Seconds of waiting after which its agents join.
    pub joins_after: f64,
}

/// The place of a channel in arrays by channel.
#[inline]
pub const fn channel_place(channel: Channel) -> usize {
    match channel {
        Channel::Call => 0,
        Channel::Chat => 1,
        Channel::Task => 2,
    }
}

/// Whether `at` lies in one of the stretches, which are in order.
#[inline]
pub fn is_within(stretches: &[Stretch], at: f64) -> bool {
    let after = stretches.partition_point(|&(from, _)| from <= at);
    after.checked_sub(1).is_some_and(|before| at < stretches[before].1)
}
