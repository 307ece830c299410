//! One contact on its way.

use crate::calendar::{ContactId, SimTime};
use crate::draws::Key;

/// No contact, no agent, no step.
pub(crate) const NONE: u32 = u32::MAX;
/// No callback has been promised.
pub(crate) const NO_CALLBACK: u16 = u16::MAX;

/// Where a contact is. What each state waits for comes at [`Contact::due`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum State {
    /// Gone: the place is free for another contact.
    Gone,
    /// Not here: a customer who will try again, or one to be called back later.
    Away,
    /// On the way from one step to the next, at this very moment.
    Moving,
    /// In a menu, an announcement, with an assistant.
    InStep,
    /// In a line, to be offered as soon as somebody is free.
    Waiting,
    /// In a line, not to be offered yet: something must be heard, or one agent is waited for.
    Held,
    /// In a line, ringing at one agent or several.
    Ringing,
    /// In a line, between two offers.
    InGap,
    /// With an agent.
    Talking,
    /// Gone for the customer, but not for the agent.
    WrappingUp,
    /// An agent tries to call back and nobody answers.
    NotReached,
}

/// One contact on its way. Times that have not come are told by it: an event of the calendar counts
/// only if the contact still expects it at that moment.
#[derive(Clone, Debug)]
pub(crate) struct Contact {
    pub state: State,
    /// The line it is in, or was answered from.
    pub line: u16,
    pub kind: u16,
    /// The agent it rings at or is with.
    pub agent: u32,
    /// Neighbours in the line's list.
    pub before: ContactId,
    pub after: ContactId,
    /// When what the state waits for comes.
    pub due: SimTime,
    /// When it came into this line.
    pub joined: SimTime,
    /// When patience ends; not a number before it is drawn, infinite when never.
    pub patience_at: SimTime,
    /// When the line's longest wait is over.
    pub limit_at: SimTime,
    /// When it came into its first line; not a number before that.
    pub waiting_since: SimTime,
    pub key: Key,
    /// The interval in which it came.
    pub interval: u32,
    /// Where its line is counted: in the interval in which it joined it.
    pub line_row: u32,
    /// Offers in this line so far.
    pub offers: u32,
    /// Whether the ringing ends with an answer.
    pub will_be_answered: bool,
    /// Already answered once: handed over by an agent who left.
    pub is_handed_over: bool,
    /// Work that a voicemail made: the step that made it.
    pub work_of: u32,
    /// The callback that was promised.
    pub callback: u16,
    /// Attempts to call back so far.
    pub callback_attempts: u16,
    pub profile: u16,
    /// The step it is in.
    pub step: u16,
    /// Steps with a draw that it has been in, so that each has a draw of its own.
    pub visits: u32,
    /// Times that it heard the menu it is in.
    pub hearings: u32,
    /// Announcements told in this line.
    pub told: u32,
    /// When the next one begins.
    pub told_at: SimTime,
    /// When a callback is offered.
    pub offered_callback_at: SimTime,
    /// When the callback was promised.
    pub promised_at: SimTime,
    pub labels: u64,
    /// Attempts of the customer so far, this one counted.
    pub attempt: u32,
    /// Whether this is the one further contact of a customer who was served.
    pub is_repeat: bool,
    /// Who served the customer last.
    pub last_agent: u32,
    /// The member after whom the next offer is looked for, or the rank that rings.
    pub pointer: u32,
    /// Which members were tried in this round: a row of the day's table.
    pub tried: u32,
    /// Handling that is left, in seconds of being alone with the agent.
    pub work_left: f64,
    /// Since when it goes on at the present pace.
    pub work_since: SimTime,
    /// Number in the day's story.
    pub serial: u32,
}

impl Contact {
    /// A contact that has just come, or will come.
    pub fn new(key: Key, kind: u16, interval: u32) -> Self {
        Self {
            state: State::Moving,
            line: 0,
            kind,
            agent: NONE,
            before: NONE,
            after: NONE,
            due: f64::INFINITY,
            joined: f64::NAN,
            patience_at: f64::NAN,
            limit_at: f64::INFINITY,
            waiting_since: f64::NAN,
            key,
            interval,
            line_row: 0,
            offers: 0,
            will_be_answered: false,
            is_handed_over: false,
            work_of: NONE,
            callback: NO_CALLBACK,
            callback_attempts: 0,
            profile: 0,
            step: 0,
            visits: 0,
            hearings: 0,
            told: 0,
            told_at: f64::INFINITY,
            offered_callback_at: f64::INFINITY,
            promised_at: f64::NAN,
            labels: 0,
            attempt: 1,
            is_repeat: false,
            last_agent: NONE,
            pointer: NONE,
            tried: NONE,
            work_left: 0.0,
            work_since: 0.0,
            serial: 0,
        }
    }

    /// Whether it is in a line and not answered yet.
    pub fn is_in_line(&self) -> bool {
        matches!(self.state, State::Waiting | State::Held | State::Ringing | State::InGap)
    }

    /// Whether a customer is on the line and may lose patience: not work, not a promised callback.
    pub fn is_customer_waiting(&self) -> bool {
        self.callback == NO_CALLBACK && !self.is_work() && !self.is_handed_over
    }

    /// Whether it is work that a voicemail made.
    pub fn is_work(&self) -> bool {
        self.work_of != NONE
    }
}
