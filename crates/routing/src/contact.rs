//! One contact: what it is, and where it is on its way.

use barometer_strategy::Channel;

use crate::host::{Seconds, TimerToken};
use crate::ids::{
    AgentId, CallbackId, CampaignId, ContactId, ContactTypeId, ProfileId, ServicePointId, StepId,
};
use crate::rounds::RoundId;

/// A contact under way.
#[derive(Clone, Debug)]
pub struct Contact {
    /// Its type.
    pub contact_type: ContactTypeId,
    /// The channel on which an agent takes it: a call for a promised callback.
    pub channel: Channel,
    /// What is known of the caller; `None` for an unknown one.
    pub profile: Option<ProfileId>,
    /// Labels put on so far, by bit.
    pub labels: u64,
    /// In whose interest it is under way.
    pub errand: Errand,
    /// The agent who served this customer last.
    pub last_agent: Option<AgentId>,
    /// When it reached its first service point.
    pub waiting_since: Option<Seconds>,
    /// Its number, in order of appearance; work has that of its message.
    pub number: u32,
    /// Where it is.
    pub state: State,
}

/// In whose interest a contact is under way.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Errand {
    /// A customer who is on the line and may hang up.
    Customer,
    /// A customer who hung up with the promise to be called back.
    Callback(Promised),
    /// A chat that an agent has left to others: already answered once.
    HandedOver,
    /// Work that a message made, and the step that made it.
    Work(StepId),
    /// A campaign's call.
    Campaign(CampaignId),
}

/// A callback that was promised.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Promised {
    /// What was promised.
    pub callback: CallbackId,
    /// When.
    pub at: Seconds,
    /// Attempts so far.
    pub attempts: u32,
}

/// Where a contact is. Each state carries what is true in it; a timer counts only while the state
/// that waits for it still holds its token.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum State {
    /// Nowhere: it has ended, and its number is free.
    Ended,
    /// Between two steps, at this very moment.
    Moving,
    /// In a menu, an announcement or with an assistant.
    InStep {
        /// Which step.
        step: StepId,
        /// Times that it has heard the menu; 0 for the announcement of the number that was called.
        hearings: u32,
    },
    /// In a service point, and not answered.
    InLine(Stay, Phase),
    /// With an agent.
    WithAgent {
        /// Whom.
        agent: AgentId,
        /// Where it was answered.
        service_point: ServicePointId,
        /// Since when it has its place there; for contacts that are handed over.
        joined: Seconds,
        /// What the agent does.
        work: Work,
    },
    /// To be called back when its time comes.
    Promised {
        /// When the timer with this token fires.
        due: TimerToken,
    },
}

/// What an agent does with a contact.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Work {
    /// The customer's device rings for a callback.
    CallingBack,
    /// The agent looks at whom a campaign calls next, or is kept while that line rings.
    Dialling,
    /// They talk, or the work is done.
    Talking,
    /// The contact is over, and the agent writes up.
    WrappingUp,
}

/// A contact's stay in a service point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stay {
    /// Where.
    pub service_point: ServicePointId,
    /// By which it has its place in the line: when it joined, or an earlier moment that was kept.
    pub joined: Seconds,
    /// Since when it waits here: the customer, and from a promise on the callback.
    pub since: Seconds,
    /// Offers so far.
    pub offers: u32,
    /// Announcements heard so far.
    pub heard: u32,
    /// The place of the member to whom it was offered last, where the order goes round with it.
    pub offered_last: Option<u32>,
    /// The members who were tried in this round.
    pub round: Option<RoundId>,
    /// The longest wait.
    pub limit: Option<TimerToken>,
    /// When the next members join.
    pub widening: Option<TimerToken>,
    /// The next announcement.
    pub announcement: Option<TimerToken>,
    /// The offer of a callback.
    pub callback_offer: Option<TimerToken>,
}

/// What a contact does in a service point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Phase {
    /// It has just come, and takes no place yet.
    Arriving,
    /// On the list of those to be offered as soon as somebody is free.
    Listed {
        /// Who is before it.
        before: Option<ContactId>,
        /// Who is behind it.
        after: Option<ContactId>,
    },
    /// Not to be offered yet: something must be heard, or one agent is waited for.
    Held {
        /// Until then; `None` while an announcement is about to begin.
        until: Option<TimerToken>,
    },
    /// Ringing.
    Ringing {
        /// Where.
        at: Ringing,
        /// When devices stop, and the timer for it.
        until: Seconds,
        /// The timer; `None` where they ring until somebody does something.
        window: Option<TimerToken>,
    },
    /// Between two offers.
    InGap {
        /// When it is over.
        over: TimerToken,
    },
}

/// Whose devices ring.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ringing {
    /// One agent's.
    Agent(AgentId),
    /// Those of all members of this rank who are free.
    Rank(u32),
}

impl Contact {
    /// Whether a customer is on the line and may hang up.
    #[inline]
    pub fn is_customer(&self) -> bool {
        self.errand == Errand::Customer
    }

    /// Whether it is work that a message made.
    #[inline]
    pub fn is_work(&self) -> bool {
        matches!(self.errand, Errand::Work(_))
    }

    /// The callback that was promised.
    #[inline]
    pub fn promised(&self) -> Option<&Promised> {
        match &self.errand {
            Errand::Callback(promised) => Some(promised),
            _ => None,
        }
    }

    /// Its stay in a service point, while it is in one and not answered.
    #[inline]
    pub fn stay(&self) -> Option<&Stay> {
        match &self.state {
            State::InLine(stay, _) => Some(stay),
            _ => None,
        }
    }

    /// Whether it is in a service point and not answered.
    #[inline]
    pub fn is_in_line(&self) -> bool {
        matches!(self.state, State::InLine(..))
    }
}

/// Neighbours on a list of those to be offered.
impl Contact {
    /// Puts another before it.
    #[inline]
    pub(crate) fn set_before(&mut self, other: Option<ContactId>) {
        if let State::InLine(_, Phase::Listed { before, .. }) = &mut self.state {
            *before = other;
        }
    }

    /// Puts another behind it; gives who was there.
    #[inline]
    pub(crate) fn set_after(&mut self, other: Option<ContactId>) -> Option<ContactId> {
        match &mut self.state {
            State::InLine(_, Phase::Listed { after, .. }) => std::mem::replace(after, other),
            _ => None,
        }
    }
}
