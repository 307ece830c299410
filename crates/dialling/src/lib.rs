//! Outbound: whom a campaign calls next, how many lines it has in the air, and what becomes of a call.
//!
//! A [`Dialler`] is one campaign at work. It is driven like routing is: a host tells it what is true and
//! what has happened, and asks how many calls to begin ([`Dialler::calls_to_begin`]) and whom to call
//! ([`Dialler::next_person`]). It has no clock and no randomness. How many lines there should be is a
//! [`Pacing`](pacing::Pacing), one file for each; whom to call next is the [`Book`]; when anybody may be
//! called are [`CallingTimes`].
//!
//! [`carrier`] is a stand-in for the telephone network: what a dialled line comes to. [`chain`] solves
//! steady pacing exactly, which says how fast one may dial; [`need`] sizes agents and lines for a goal.
//!
//! `docs/methods/pacing.md` has the formulas, their sources and when they fail.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod book;
mod calling_times;
pub mod carrier;
pub mod chain;
mod detection;
mod dialler;
mod learned_durations;
pub mod list;
pub mod need;
pub mod pace;
pub mod pacing;
pub mod records;
mod zone_records;

pub use book::{Book, PersonId};
pub use calling_times::CallingTimes;
pub use detection::Detection;
pub use dialler::{CallEnd, Dialler};
pub use zone_records::ZoneEstimate;

/// Seconds since the start.
pub type Seconds = f64;
