//! The carrier stand-in: what becomes of a line once it is dialled.

use barometer_strategy::Assumed;

/// Seconds until a busy line is known to be busy.
pub const BUSY_AFTER_SECS: f64 = 3.0;
/// Seconds until a number is known not to exist.
pub const UNUSABLE_AFTER_SECS: f64 = 2.0;
/// Seconds until the network says that it is congested.
pub const CONGESTED_AFTER_SECS: f64 = 1.0;
/// Seconds that an agent needs to notice that a machine talks.
pub const MACHINE_NOTICED_SECS: f64 = 8.0;

/// Who or what is at the other end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Answer {
    /// A person answers.
    Person,
    /// A machine answers.
    Machine,
    /// The line is busy.
    Busy,
    /// The number does not exist.
    Unusable,
    /// The network is congested.
    Congested,
    /// Nobody answers.
    Nobody,
}

/// What a call comes to of which people answer this share, by a number that is drawn uniformly from 0 to 1.
/// The same number comes to a person wherever and whenever enough people answer, so that two campaigns
/// meet the same luck.
pub fn answer(assumed: &Assumed, answered_share: f64, drawn: f64) -> Answer {
    let mut share = answered_share;
    let rest = [
        (assumed.machine_share, Answer::Machine),
        (assumed.busy_share, Answer::Busy),
        (assumed.unusable_share, Answer::Unusable),
        (assumed.congested_share, Answer::Congested),
    ];
    if drawn < share {
        return Answer::Person;
    }
    for (part, what) in rest {
        share += part;
        if drawn < share {
            return what;
        }
    }
    Answer::Nobody
}
