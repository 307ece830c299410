//! A strategy with its demand and cover, made ready to be played: names become numbers, hours become
//! seconds, skills become members of lines. Nothing here changes while days are played.

mod build;
mod hours;
mod members;
mod names;

use barometer_strategy::{Channel, OfferOrder, OnLeaving};

use crate::draws::Drawn;
use crate::experiment::{Arrivals, DemandInterval, DemandLuck};
pub use names::{FlowName, Names};

/// Everything that a day is played with.
#[derive(Debug)]
pub(crate) struct Model {
    pub names: Names,
    pub interval_secs: f64,
    pub intervals: usize,
    /// On which of its days each interval begins, from 0 on.
    pub dates: Vec<u32>,
    pub types: Vec<TypeModel>,
    pub steps: Vec<StepModel>,
    pub lines: Vec<LineModel>,
    pub callbacks: Vec<CallbackModel>,
    pub teams: Vec<TeamModel>,
    pub agents: Vec<AgentModel>,
    pub classes: Vec<ClassModel>,
    /// Who comes to work and leaves it, in order of time.
    pub shifts: Vec<ShiftChange>,
    /// Contacts at once of the agent who holds most.
    pub most_at_once: u32,
}

/// What comes of a contact type and what it is like.
#[derive(Debug)]
pub(crate) struct TypeModel {
    pub channel: Channel,
    pub first: Go,
    /// Threshold of the service level.
    pub within_secs: f64,
    pub intervals: Vec<DemandInterval>,
    pub arrivals: Arrivals,
    pub luck: Option<DemandLuck>,
    /// Handle time with a mean of one second, to be multiplied by the interval's.
    pub handling: Drawn,
    pub wrap_up: Option<Drawn>,
    pub patience: Option<Drawn>,
    pub after_abandoning: Option<AgainModel>,
    pub after_blocked: Option<AgainModel>,
    pub repeat: Option<AgainModel>,
    /// Shares of the profiles, added up: the first above a draw is the contact's.
    pub profiles: Vec<f64>,
}

#[derive(Debug)]
pub(crate) struct AgainModel {
    pub share: f64,
    pub after: Drawn,
    pub most_attempts: u32,
}

/// Where a contact goes next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Go {
    Step(u16),
    Release,
    BusyTone,
    KeepRinging,
}

/// A way out of a step, counted each time it is taken.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Way {
    pub flow: u32,
    pub go: Go,
}

#[derive(Debug)]
pub(crate) struct StepModel {
    /// By which its draws are told from those of other steps, whatever its place in the list.
    pub key: u64,
    pub does: Does,
}

/// What a step does.
#[derive(Debug)]
pub(crate) enum Does {
    /// Stretches of opening, in order of time.
    Gate {
        open: Vec<(f64, f64)>,
        when_open: Way,
        when_closed: Way,
    },
    Menu {
        time: Drawn,
        choices: Vec<(f64, Way)>,
        retries: u32,
        no_choice: Way,
    },
    Labelling {
        rules: Vec<(u64, RuleModel)>,
        next: Way,
    },
    Routing {
        routes: Vec<(u64, Way)>,
        otherwise: Way,
    },
    Announcement {
        time: Drawn,
        next: Way,
    },
    Assistant {
        time: Drawn,
        contained_share: f64,
        contained: u32,
        next: Way,
    },
    Line(u16),
    Callback(u16),
    Voicemail {
        taken: u32,
        work: Option<(u16, Drawn)>,
    },
    Outside {
        taken: u32,
    },
}

/// When a label is put on.
#[derive(Debug)]
pub(crate) enum RuleModel {
    /// For contacts with these profiles, by contact type; the last entry of each type is for those
    /// without a profile.
    Profiles(Vec<Vec<bool>>),
    /// Within these stretches of time.
    Time(Vec<(f64, f64)>),
    /// For this share of contacts.
    Share(f64),
}

/// A queue or a hunt group.
#[derive(Debug)]
pub(crate) struct LineModel {
    pub members: Vec<MemberModel>,
    /// The same, class by class, in order of rank.
    pub classes: Vec<ClassMember>,
    /// Seconds of waiting after which further members join, in order.
    pub widenings: Vec<f64>,
    pub places: u32,
    pub limit_secs: f64,
    pub priority: f64,
    pub ageing_secs: f64,
    pub order: OfferOrder,
    pub ring_window_secs: f64,
    pub gap_secs: f64,
    pub parallel: bool,
    pub second_call: bool,
    pub everyone_rings: bool,
    pub most_devices: usize,
    pub most_offers: u32,
    pub wrap_up_secs: f64,
    pub last_agent_secs: f64,
    pub announcements: Vec<AnnouncementModel>,
    pub callback: Option<CallbackOfferModel>,
    pub exits: LineExits,
    /// Whether a newcomer may have to hear something, or to wait for one agent, before an offer.
    pub may_hold_newcomers: bool,
    /// Whether its members can be chosen by class: the longest idle, of agents who hold one contact.
    pub chooses_by_class: bool,
}

impl LineModel {
    /// Whether something must be heard before the first offer.
    pub fn must_be_heard_first(&self) -> bool {
        self.announcements.first().is_some_and(|told| told.at_secs == 0.0 && told.must_be_heard)
    }
}

#[derive(Debug)]
pub(crate) struct LineExits {
    pub full: Way,
    pub too_long: Way,
    pub no_staff_at_arrival: Option<Way>,
    pub no_staff_while_waiting: Option<Way>,
    pub no_answer: Way,
    /// Flows of those who leave otherwise.
    pub answered: u32,
    pub abandoned: u32,
    pub callback: u32,
    pub left_waiting: u32,
}

#[derive(Clone, Copy, Debug)]
pub(crate) struct MemberModel {
    pub agent: u32,
    pub rank: u32,
    pub joins_after: f64,
}

#[derive(Clone, Copy, Debug)]
pub(crate) struct ClassMember {
    pub class: u16,
    pub rank: u32,
    pub joins_after: f64,
}

#[derive(Debug)]
pub(crate) struct AnnouncementModel {
    pub at_secs: f64,
    pub secs: f64,
    pub must_be_heard: bool,
    pub patience_factor: f64,
    pub tells_expected_wait: bool,
    pub leaving_share: f64,
}

#[derive(Debug)]
pub(crate) struct CallbackOfferModel {
    pub after_secs: f64,
    pub if_expected_wait_secs: f64,
    pub accepted_share: f64,
    pub callback: u16,
}

#[derive(Debug)]
pub(crate) struct CallbackModel {
    pub line: u16,
    /// `None` when the place is kept.
    pub after_secs: Option<f64>,
    pub accepted_share: f64,
    pub accepted: u32,
    pub otherwise: Way,
    pub reached_share: f64,
    pub unanswered_secs: f64,
    pub attempts: u32,
    pub retry_after_secs: f64,
}

#[derive(Debug)]
pub(crate) struct TeamModel {
    /// Contacts at once by channel; 0 where the team does not answer it.
    pub at_once: [u32; 3],
    /// Contacts that an agent could hold at once, of the channel that allows most.
    pub slots: f64,
    /// What one contact is of all that an agent can hold, by channel.
    pub share_of_one: [f64; 3],
    /// Slowing by channel.
    pub slowing: [f64; 3],
    pub answer_delay: Drawn,
    pub refused_share: f64,
    /// Whether an offer is an answer: no delay, no refusal.
    pub answers_at_once: bool,
    pub pace: f64,
    pub on_leaving: OnLeaving,
    /// People at work per interval, in seconds.
    pub staffed_secs: Vec<f64>,
    /// Its agents stand one after the other: the first of them, and the first of the next team.
    pub agents: (u32, u32),
}

#[derive(Debug)]
pub(crate) struct AgentModel {
    pub team: u16,
    pub class: u16,
}

/// Agents who are alike in all that decides which contacts they get.
#[derive(Debug)]
pub(crate) struct ClassModel {
    /// Whether one of their lines rings everybody at once.
    pub has_line_that_rings_all: bool,
    /// Lines that they belong to.
    pub lines: Vec<LineMember>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct LineMember {
    pub line: u16,
    pub rank: u32,
    pub joins_after: f64,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct ShiftChange {
    pub at: f64,
    pub what: Shift,
}

/// Who comes or leaves.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Shift {
    /// So many people of a team are at work from now on, whoever they are.
    Count { team: u16, people: u32 },
    /// This agent comes.
    Comes { agent: u32 },
    /// This agent leaves.
    Leaves { agent: u32 },
}

/// The place of a channel in arrays.
pub(crate) const fn place_of(channel: Channel) -> usize {
    match channel {
        Channel::Call => 0,
        Channel::Chat => 1,
        Channel::Task => 2,
    }
}

/// Whether `at` lies in one of the stretches, which are in order.
pub(crate) fn is_within(stretches: &[(f64, f64)], at: f64) -> bool {
    let after = stretches.partition_point(|&(from, _)| from <= at);
    after.checked_sub(1).is_some_and(|before| at < stretches[before].1)
}
