//! What a monitor asks of a server: is it alive, can it work, and how much of what.

mod health;
mod metrics;

pub(crate) use health::{live, ready};
pub(crate) use metrics::{Metrics, measured, show};
