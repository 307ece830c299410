//! The open interface between Barometer and a telephone switch: JSON over HTTP, with a token.
//!
//! Barometer publishes the strategy that is to be live ([`Release`]) and the plan of a day ([`DayPlan`]); the
//! switch says what is live ([`Live`]), what is true now ([`SwitchState`]), and what came interval by interval
//! ([`IntervalPage`]). Every request can be repeated without doing anything twice. The switch stand-in that
//! ships with Barometer implements it, and so could another switch: `docs/switch-interface.md` describes it
//! with examples, [`openapi`] for machines. What scripts ask of the centre itself is in [`centre`].
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

pub mod centre;
mod centre_openapi;
mod conduct;
mod day_plan;
mod intervals;
mod openapi;
mod release;
mod state;

pub use centre_openapi::centre_openapi;
pub use conduct::{Conduct, Disturbance};
pub use day_plan::{Caller, DayPlan, PlannedTeam};
pub use intervals::{IntervalPage, IntervalRow, StaffingPage, StaffingRow};
pub use openapi::openapi;
pub use release::{Accepted, Live, Refusal, Release, digest};
pub use state::{
    CampaignState, ClockState, QueueKind, QueueState, SwitchState, TeamState, TypeState,
};

/// Where each thing is asked for or sent, below the switch's address.
pub mod paths {
    /// `GET`: what is live.
    pub const LIVE: &str = "/v1/live";
    /// `PUT` with a number: what is to be live.
    pub const RELEASES: &str = "/v1/releases";
    /// `PUT` with a date: the plan of a day.
    pub const DAYS: &str = "/v1/days";
    /// `GET`: what is true now.
    pub const STATE: &str = "/v1/state";
    /// `GET`: intervals that are over.
    pub const INTERVALS: &str = "/v1/intervals";
    /// `GET`: who was on shift in intervals that are over.
    pub const STAFFING: &str = "/v1/staffing";
    /// `GET`: the state, and what happens, as it happens.
    pub const EVENTS: &str = "/v1/events";
    /// `GET` and `POST`, of the stand-in alone: its clock, and what goes wrong.
    pub const CONDUCT: &str = "/v1/conduct";
    /// `GET`: this interface for machines.
    pub const OPENAPI: &str = "/v1/openapi.json";
}
