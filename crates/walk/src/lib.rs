//! A walk-through: one made-up contact followed through a strategy, each decision explained.
//!
//! A [`Scene`] says who comes in, when, and who is on shift; [`Scene::walk`] follows the contact through
//! the same router that trials run and gives a [`Walk`]: every gate, label, offer and timer with the
//! clock time, the step, and the setting that decided. Where somebody is [`Called`], a campaign's dialler
//! decides first. [`Expectation`]s are walks that must end as the
//! planner said, checked like tests. [`ring_timeline`] walks a contact that nobody answers, which shows
//! who would ring from when to when. Nothing here decides anything: routing does.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod call;
mod called;
mod compare;
mod expectation;
mod expectations_file;
mod host;
mod remedies;
mod ring_timeline;
mod scene;
mod walk;

pub use called::{Answers, Called};
pub use compare::{Difference, first_difference};
pub use expectation::{Checked, Expectation, Outcome};
pub use expectations_file::{read_expectations, write_expectations};
pub use remedies::Remedy;
pub use ring_timeline::{RingTimeline, Rung, ring_timeline};
pub use scene::{Caller, OnShift, Scene, SceneError};
pub use walk::{Moment, Walk, WalkEnd, What};
