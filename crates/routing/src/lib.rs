//! What happens to a contact: which step follows, who is offered it, who rings for how long, what it
//! is exited to.
//!
//! A [`Strategy`](barometer_strategy::Strategy) is [compiled](CompiledStrategy::compile); a [`Router`]
//! then follows it. It is driven by inputs (a contact comes in, an agent answers, a caller hangs up, a
//! timer fires) and speaks to its [`Host`]. Simulation, walk-through and telephone switch are hosts of
//! this one router, so they cannot disagree. It has no clock and no randomness: both are the host's.
//!
//! `docs/methods/routing.md` has the states of a contact and lists the inputs and the calls.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod compiled;
mod contact;
mod floor;
mod host;
mod ids;
mod journey;
mod keeping;
mod offering;
mod outbound;
mod profiles;
mod resume;
mod rounds;
mod router;
mod selection;
mod serving;
mod shifts;
mod waiting;

pub use compiled::{
    Agent, Callback, CallbackOffer, Campaign, Class, ClassMember, CompileError, CompiledStrategy,
    ContactType, Destination, Exits, FlowName, Member, Membership, QueueAnnouncement, Rule, Serves,
    ServicePoint, Setting, Step, Stretch, Team, Transition, channel_place, is_within,
    number_matches,
};
pub use contact::{Contact, Errand, Phase, Promised, Ringing, State, Stay, Work};
pub use floor::{AgentState, Floor, ServicePointState};
pub use host::{
    CallbackOffered, Cause, End, Host, Interrupted, Observation, Reply, Seconds, Stays, Timer,
    TimerToken,
};
pub use ids::{
    AgentId, CallbackId, CampaignId, ClassId, ContactId, ContactTypeId, FlowId, Id, ProfileId,
    ServicePointId, StepId, Table, TeamId,
};
pub use resume::{ResumedAgent, ResumedAt, ResumedContact};
pub use rounds::RoundId;
pub use router::{Arrival, Router};
