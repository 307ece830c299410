//! What a replication is played with: the compiled strategy, and beside it the luck of all that the
//! strategy leaves open. Nothing here changes while replications are played.

mod build;
mod names;
mod roster;

use barometer_routing::{
    AgentId, CallbackId, CompiledStrategy, ContactTypeId, ServicePointId, StepId, Table, TeamId,
};
use barometer_strategy::Profile;

use crate::experiment::{Arrivals, Counting, DemandInterval, DemandLuck};
use crate::outbound::CampaignModel;
use crate::present::Taken;
use crate::samplers::Sampler;
pub use names::Names;
pub(crate) use roster::{Shift, ShiftChange};

/// Everything that a replication is played with.
#[derive(Debug)]
pub(crate) struct Model {
    pub strategy: CompiledStrategy,
    pub names: Names,
    pub ids: Ids,
    pub interval_secs: f64,
    pub intervals: usize,
    /// On which of the experiment's dates each interval begins, from 0 on.
    pub dates: Vec<u32>,
    pub contact_types: Table<ContactTypeId, TypeModel>,
    pub steps: Table<StepId, StepModel>,
    pub service_points: Table<ServicePointId, ServicePointModel>,
    pub callbacks: Table<CallbackId, CallbackModel>,
    pub teams: Table<TeamId, TeamModel>,
    /// Who signs in and out, in order of time.
    pub shifts: Vec<ShiftChange>,
    pub counting: Counting,
    /// Contact types of the demand; those of campaigns come after them.
    pub inbound_types: usize,
    pub campaigns: Vec<CampaignModel>,
    /// The campaigns whose agent somebody is, by [bit](crate::outbound::bit_of).
    pub campaigns_of_agent: Table<AgentId, u64>,
    /// Where replications begin; at the first interval's beginning where there is nothing.
    pub begins: Option<Taken>,
}

/// By which parts of the strategy are known from outside, in the order of their numbers.
#[derive(Debug)]
pub(crate) struct Ids {
    pub steps: Vec<String>,
    /// Of the queues and hunt groups among them.
    pub points: Vec<String>,
    pub teams: Vec<String>,
    pub campaigns: Vec<String>,
}

/// The customers of a contact type.
#[derive(Debug)]
pub(crate) struct TypeModel {
    /// Threshold of the service level.
    pub within_secs: f64,
    pub intervals: Vec<DemandInterval>,
    pub arrivals: Arrivals,
    pub luck: Option<DemandLuck>,
    /// Handle time with a mean of one second, to be multiplied by the interval's.
    pub handling: Sampler,
    pub wrap_up: Option<Sampler>,
    pub patience: Option<Sampler>,
    pub after_abandoning: Option<RedialModel>,
    pub after_blocked: Option<RedialModel>,
    pub repeat: Option<RedialModel>,
    pub profiles: Vec<Profile>,
    /// Shares of the profiles, added up: the first above a draw is the contact's.
    pub profile_shares: Vec<f64>,
}

/// Which customers call again, and when.
#[derive(Debug)]
pub(crate) struct RedialModel {
    pub share: f64,
    pub after: Sampler,
    pub most_attempts: u32,
}

/// The luck of a step.
#[derive(Debug)]
pub(crate) struct StepModel {
    /// By which its draws are told from those of other steps, whatever its place in the list.
    pub key: u64,
    pub luck: StepLuck,
}

#[derive(Debug)]
pub(crate) enum StepLuck {
    /// Nothing is left open.
    None,
    /// How long a menu is listened to; shares of its choices, added up, by contact type.
    Menu {
        time: Sampler,
        shares: Table<ContactTypeId, Vec<f64>>,
    },
    Announcement {
        time: Sampler,
    },
    Assistant {
        time: Sampler,
        contained_share: f64,
    },
    /// Share of those sent to a callback step who accept.
    Callback {
        accepted_share: f64,
    },
    /// How long the work of a message takes.
    Voicemail {
        time: Sampler,
    },
}

/// What waiting customers make of what they are told and offered.
#[derive(Debug)]
pub(crate) struct ServicePointModel {
    pub announcements: Vec<AnnouncementModel>,
    pub callback_accepted_share: f64,
    /// Tells its offers apart from those of other service points.
    pub key: u64,
}

impl ServicePointModel {
    /// One where nothing is told or offered.
    pub fn plain() -> Self {
        Self { announcements: Vec::new(), callback_accepted_share: 0.0, key: 0 }
    }
}

#[derive(Debug)]
pub(crate) struct AnnouncementModel {
    pub patience_factor: f64,
    pub tells_expected_wait: bool,
    pub leaving_share: f64,
}

/// The luck of calling back.
#[derive(Debug)]
pub(crate) struct CallbackModel {
    pub reached_share: f64,
    pub unanswered_secs: f64,
}

/// What a team's agents are like.
#[derive(Debug)]
pub(crate) struct TeamModel {
    /// Contacts that an agent could hold at once, of the channel that allows most.
    pub slots: f64,
    /// What one contact is of all that an agent can hold, by channel.
    pub share_of_one: [f64; 3],
    /// Slowing by channel.
    pub slowing: [f64; 3],
    pub answer_delay: Sampler,
    pub refused_share: f64,
    /// Whether an offer is an answer: no delay, no refusal.
    pub answers_at_once: bool,
    pub pace: f64,
    /// People on shift per interval, in seconds.
    pub staffed_secs: Vec<f64>,
}
