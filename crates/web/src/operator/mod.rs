//! What a monitor asks of a server: whether it is alive, whether it can work, and its figures.

mod health;
mod metrics;

pub(crate) use health::{live, ready};
pub(crate) use metrics::{Metrics, measured, show};
