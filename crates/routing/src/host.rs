//! What routing asks of its host, and what it tells it.
//!
//! A host is whatever contacts are routed for: a simulated replication, a walk-through, a telephone
//! switch on a real clock. Routing decides; the host has the clock, the devices, the callers and
//! their luck. [`Router`](crate::Router) is generic over its host, so calls cost nothing.

use crate::floor::Floor;
use crate::ids::{AgentId, CallbackId, ContactId, FlowId, ServicePointId, StepId};

/// Seconds since the start.
pub type Seconds = f64;

/// What a timer is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub enum Timer {
    /// The longest wait, or the group limit, is over.
    LimitOver,
    /// More agents may be offered the contact: a relaxation or a wave.
    Widens,
    /// Something is told to a waiting contact.
    AnnouncementBegins,
    /// What had to be heard has been heard, or the last agent was waited for long enough.
    HoldOver,
    /// A callback is offered to a waiting contact.
    CallbackOffered,
    /// A device has rung for as long as it may.
    RingWindowOver,
    /// The gap after an offer is over.
    GapOver,
    /// The time of a promised callback, or of its next attempt, has come.
    CallbackDue,
}

impl Timer {
    /// All of them, by number.
    pub const ALL: [Self; 8] = [
        Self::LimitOver,
        Self::Widens,
        Self::AnnouncementBegins,
        Self::HoldOver,
        Self::CallbackOffered,
        Self::RingWindowOver,
        Self::GapOver,
        Self::CallbackDue,
    ];
}

/// Tells one timer from all others. Routing keeps the token of a timer that it still waits for; a
/// timer that comes with another token is stale and changes nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TimerToken(pub std::num::NonZeroU32);

/// What a caller says to an offer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reply {
    /// Yes, at once.
    Accepted,
    /// No, at once.
    Declined,
    /// Nothing yet: an input follows.
    Later,
}

/// Whether a caller stays on the line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stays {
    /// Waits on.
    On,
    /// Hangs up at once.
    HangsUp,
}

/// Why an agent is cut off from a contact that is not finished.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Interrupted {
    /// The agent has signed out, and another takes the contact over.
    HandedOver,
    /// The agent has signed out, and the contact ends.
    CutOff,
}

/// How a contact ends that no agent serves to the end.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum End {
    /// The customer gave up.
    Abandoned,
    /// Released after a message.
    Released,
    /// Got the busy tone.
    Blocked,
    /// Left a message.
    Voicemail,
    /// Handed to an outside number.
    Outside,
    /// Settled by an assistant.
    Contained,
    /// Could not be called back.
    CallbackFailed,
    /// Cut off when the agent left.
    CutOff,
    /// Answered a campaign's call, and no agent was connected in time.
    NotConnected,
}

/// Why a contact leaves a service point without an answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cause {
    /// There was no free place.
    Full,
    /// The longest wait was over.
    TooLong,
    /// Nobody was on shift.
    NoStaff,
    /// Nobody answered.
    NoAnswer,
    /// A callback was accepted.
    CallbackAccepted,
    /// The customer gave up.
    Abandoned,
}

/// What has happened, to which contact or agent.
#[derive(Clone, Copy, Debug, PartialEq)]
#[expect(missing_docs, reason = "the fields are named after what they number")]
pub enum Observation {
    /// A contact has come in.
    Arrived { contact: ContactId },
    /// It has reached a step.
    ReachedStep { contact: ContactId, step: StepId },
    /// It has taken a transition, or ended in a way that is counted like one.
    Took { contact: ContactId, flow: FlowId },
    /// It was sent to a service point, where it counts as having come at `since`.
    Entered { contact: ContactId, service_point: ServicePointId, since: Seconds },
    /// It has joined the service point's line.
    Joined { contact: ContactId, service_point: ServicePointId },
    /// It is offered to an agent.
    Offered { contact: ContactId, agent: AgentId },
    /// An agent's device rings for it.
    Rings { contact: ContactId, agent: AgentId },
    /// Nobody has answered in time.
    NotAnswered { contact: ContactId },
    /// Its time in a service point is over after `secs` seconds.
    Waited { contact: ContactId, secs: Seconds },
    /// It has left a service point without an answer.
    LeftUnanswered { contact: ContactId, cause: Cause },
    /// A callback was promised.
    CallbackPromised { contact: ContactId },
    /// An agent has answered it.
    Answered { contact: ContactId, agent: AgentId },
    /// An agent is free of it, and it is done.
    Finished { contact: ContactId, agent: AgentId },
    /// It has ended without an agent, or was cut off.
    Ended { contact: ContactId, how: End },
    /// It still waits when everything ends.
    LeftWaiting { contact: ContactId },
    /// An agent has signed in.
    SignedIn { agent: AgentId },
    /// An agent has signed out.
    SignedOut { agent: AgentId },
    /// What an agent does is about to change: time until now belongs to what it was.
    AgentChanges { agent: AgentId },
}

impl Observation {
    /// The contact that it is of; `None` where it is of an agent alone.
    #[inline]
    pub fn contact(&self) -> Option<ContactId> {
        match *self {
            Self::Arrived { contact }
            | Self::ReachedStep { contact, .. }
            | Self::Took { contact, .. }
            | Self::Entered { contact, .. }
            | Self::Joined { contact, .. }
            | Self::Offered { contact, .. }
            | Self::Rings { contact, .. }
            | Self::NotAnswered { contact }
            | Self::Waited { contact, .. }
            | Self::LeftUnanswered { contact, .. }
            | Self::CallbackPromised { contact }
            | Self::Answered { contact, .. }
            | Self::Finished { contact, .. }
            | Self::Ended { contact, .. }
            | Self::LeftWaiting { contact } => Some(contact),
            Self::SignedIn { .. } | Self::SignedOut { .. } | Self::AgentChanges { .. } => None,
        }
    }
}

/// Whatever contacts are routed for.
///
/// Methods see the [`Floor`] as it is at that moment and cannot change it: what follows from them comes
/// back as an input of [`Router`](crate::Router).
pub trait Host {
    /// Asks for [`Router::timer_fires`](crate::Router::timer_fires) at a moment that is now or later.
    fn set_timer(
        &mut self,
        floor: &Floor,
        at: Seconds,
        contact: ContactId,
        timer: Timer,
    ) -> TimerToken;

    /// A timer is not needed any more. It may fire all the same: its token is stale.
    fn cancel_timer(&mut self, _token: TimerToken) {}

    /// Whether an offer to this agent is an answer: the device does not ring.
    fn answers_at_once(&self, floor: &Floor, agent: AgentId) -> bool;

    /// An agent's device begins to ring and stops by itself at `until`, which may be infinite.
    /// [`Router::agent_answers`](crate::Router::agent_answers) or
    /// [`agent_declines`](crate::Router::agent_declines) may follow.
    fn ring(&mut self, floor: &Floor, contact: ContactId, agent: AgentId, until: Seconds);

    /// An agent's device stops ringing.
    fn stop_ringing(&mut self, floor: &Floor, contact: ContactId, agent: AgentId);

    /// An agent is connected to a contact; [`Router::talk_ends`](crate::Router::talk_ends) or
    /// [`finish`](crate::Router::finish) follows.
    fn connect(&mut self, floor: &Floor, contact: ContactId, agent: AgentId);

    /// An agent calls a customer back. Declined: nobody answers, and
    /// [`Router::callback_not_reached`](crate::Router::callback_not_reached) follows. Later: that, or
    /// [`callback_reached`](crate::Router::callback_reached).
    fn call_back(&mut self, floor: &Floor, contact: ContactId, callback: CallbackId) -> Reply;

    /// An agent is taken off a contact before it is finished.
    fn disconnect(&mut self, floor: &Floor, contact: ContactId, agent: AgentId, why: Interrupted);

    /// An agent holds more or fewer contacts than before.
    fn holds(&mut self, floor: &Floor, agent: AgentId, before: u32);

    /// A menu, an announcement or an assistant begins; the inputs
    /// [`key_pressed`](crate::Router::key_pressed), [`announcement_ends`](crate::Router::announcement_ends)
    /// or [`assistant_ends`](crate::Router::assistant_ends) follow.
    fn play(&mut self, floor: &Floor, contact: ContactId, step: StepId);

    /// A caller begins to wait in a service point.
    fn wait(&mut self, floor: &Floor, contact: ContactId);

    /// Something is told to a waiting caller, by its place among the service point's announcements.
    fn announce(
        &mut self,
        floor: &Floor,
        contact: ContactId,
        service_point: ServicePointId,
        announcement: usize,
    ) -> Stays;

    /// A callback is offered to a waiting caller, or to one sent to a callback step.
    fn offer_callback(
        &mut self,
        floor: &Floor,
        contact: ContactId,
        offer: CallbackOffered,
    ) -> Reply;

    /// Whether a rule that holds for a share of contacts holds for this one; the same each time.
    fn share_applies(&self, floor: &Floor, contact: ContactId, label: u64, share: f64) -> bool;

    /// A number from 0 to 1 by which members are ordered at random, drawn for each offer and place.
    fn order_at_random(&self, floor: &Floor, contact: ContactId, offer: u32, place: usize) -> f64;

    /// Mean seconds that contacts like this one are handled, for telling an expected wait.
    fn mean_handle_secs(&self, floor: &Floor, contact: ContactId) -> Seconds;

    /// A message has become work: a contact of its own.
    fn work_made(&mut self, floor: &Floor, message: ContactId, work: ContactId);

    /// Whether an agent who has just become free signs out now; routing does it then.
    fn leaves_when_free(&mut self, floor: &Floor, agent: AgentId) -> bool;

    /// Something has happened.
    fn observe(&mut self, floor: &Floor, what: Observation);
}

/// Where a callback is offered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CallbackOffered {
    /// To a caller who waits in a service point.
    WhileWaiting(ServicePointId),
    /// To a caller who was sent to a callback step.
    AtStep(StepId, CallbackId),
}
