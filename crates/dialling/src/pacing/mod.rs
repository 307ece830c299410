//! How many lines a campaign has in the air: one policy a file.

mod one_each;
mod predictive;
mod steady;
mod unattended;

use barometer_strategy::{Campaign, Pacing as Mode, ServedBy};

use crate::Seconds;
pub use one_each::OneEach;
pub use predictive::Predictive;
pub use steady::Steady;
pub(crate) use steady::lines_for;
pub use unattended::Unattended;

/// What is true when a campaign decides how fast to dial.
#[derive(Clone, Copy, Debug)]
pub struct Situation<'a> {
    /// When.
    pub now: Seconds,
    /// Agents who are free for the campaign: without those who are left for inbound contacts.
    pub free: u32,
    /// Agents who must become free for inbound contacts before any is free for the campaign.
    pub owed: u32,
    /// Agents of the campaign on shift.
    pub on_shift: u32,
    /// Seconds until the campaign's hours of this day are over.
    pub left_secs: Seconds,
    /// People who are still to be called.
    pub left_people: u32,
    /// When each conversation of the campaign that is under way, wrap-up included, began.
    pub talking_since: &'a [Seconds],
    /// When each line that nobody has answered yet was dialled.
    pub ringing_since: &'a [Seconds],
}

/// What a policy learns from.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Learned {
    /// A line is over: answered, or given up.
    LineOver {
        /// When it was dialled.
        dialled_at: Seconds,
        /// After how many seconds it is over.
        after_secs: Seconds,
        /// Whether an agent is needed.
        needs_agent: bool,
    },
    /// An agent was connected in time.
    Connected,
    /// No agent was connected in time, or the person was taken for a machine.
    Abandoned,
    /// A conversation is over, wrap-up included, after so many seconds.
    Handled(Seconds),
}

/// What a policy reckons with at a moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reckoned {
    /// Share of lines that need an agent.
    pub answered_share: f64,
    /// Seconds until a line that needs an agent is answered, on average.
    pub answer_secs: Seconds,
    /// Seconds of a conversation, wrap-up included, on average.
    pub handle_secs: Seconds,
    /// The chance of finding no free agent up to which a line is begun.
    pub risk: f64,
}

/// A way to decide how fast to dial.
pub trait Pacing: Send + std::fmt::Debug {
    /// The campaign begins, or begins again, with nothing learned.
    fn begin(&mut self);

    /// Lines that should be in the air now; where there are more, none is begun.
    fn lines(&mut self, at: &Situation<'_>) -> u32;

    /// Another day begins: what counts for a day begins again.
    fn new_day(&mut self) {}

    /// Something has happened.
    fn learn(&mut self, _what: Learned) {}

    /// What it reckons with now; none where it reckons with nothing that it learns.
    fn reckoned(&self) -> Option<Reckoned> {
        None
    }

    /// Seconds after which it wants to decide again though nothing has happened, while lines ring or
    /// conversations are under way; none where it need not.
    fn every_secs(&self) -> Option<Seconds> {
        None
    }
}

/// The policy of a campaign.
pub fn of(campaign: &Campaign) -> Box<dyn Pacing> {
    if let ServedBy::Message(_) = campaign.served_by {
        return Box::new(Unattended);
    }
    match &campaign.pacing {
        Mode::ByHand { .. } | Mode::Preview { .. } | Mode::Progressive {} => Box::new(OneEach),
        Mode::Steady { lines_per_agent } => Box::new(Steady { lines_per_agent: *lines_per_agent }),
        Mode::Predictive {} => Box::new(Predictive::of(campaign)),
    }
}
