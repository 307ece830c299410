//! Commands without a database: files in, files out, the same core as the pages.

mod csv_file;
pub mod diff;
pub mod forecast;
mod history;
pub mod map;
pub mod need;
pub mod pacing;
pub mod preflight;
pub mod queueing;
pub mod schema;
pub mod search;
mod strategy_file;
pub mod trial;
pub mod verify;
pub mod walk;
