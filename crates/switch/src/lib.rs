//! The telephone switch stand-in: a switch that ships with Barometer, honest enough that the whole circle of
//! plan, release, watch and learn can be lived through on a laptop.
//!
//! It implements the open interface of `barometer-wire`, so another switch could stand in its place. Inside it a
//! [`LiveDay`](barometer_simulate::LiveDay) is moved on by a clock that runs at 1 to 600 times the speed of ours:
//! the same routing as in every trial. Its callers and agents come from a [hidden truth](truth) that differs from
//! the plan, by a seed. A new strategy or plan, and whatever goes wrong, takes effect at once, with everybody who
//! is there. What it has told is kept in a [folder](folder) and survives a kill at any moment.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod clock;
mod folder;
mod http;
mod known;
mod played;
mod settled;
mod span;
mod state;
mod truth;
mod world;

pub use folder::FolderError;
pub use world::{Options, Switch};
