//! Watch: the board of the day that goes on, boards of the planners' own, what would help now, one queue's contacts, one team's agents, the
//! account of a day, and the weeks before.

pub(crate) mod account;
pub(crate) mod alarms;
pub(crate) mod board;
pub(crate) mod boards;
pub(crate) mod drill;
pub(crate) mod help;
pub(crate) mod help_message;
pub(crate) mod outbox;
mod rows;
pub(crate) mod stand_in;
mod stream;
mod tiles;
pub(crate) mod weeks;

pub(crate) use stream::Drawn;
pub(crate) use stream::{own_stream, stream};
