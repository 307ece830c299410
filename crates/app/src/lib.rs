//! What Barometer does, use case by use case: the store and the core put together, without HTTP and
//! without SQL. Pages, workers, the demo and the headless commands all come here.
//!
//! * [`computing`]: which threads compute for pages, and which for workers;
//! * [`demand`]: forecasts from history, marks, special days and overlays;
//! * [`planning`]: what is expected of days, with need and cover;
//! * [`staffing`]: periods that are sized under any rules, rosters, pooling;
//! * [`holding`]: on how many days like the planned ones every target holds;
//! * [`trials`]: which contact types and days are tried;
//! * [`drafts`]: the strategy that planners change in drafts, and the versions that they keep of it;
//! * [`strategy_week`]: the planned week that a strategy is looked at with;
//! * [`imports`]: files of history to a preview;
//! * [`reports`]: reports, made for a reader or when their time comes;
//! * [`release`]: which version may go live;
//! * [`live`]: the switch, told what is to be and heard what is;
//! * [`outbox`]: messages to people and programs, sent until they arrive;
//! * [`searches`]: designs that were found, planned as cover;
//! * [`sign_in`]: who has to wait after failed attempts;
//! * [`runs`]: long work, worked off in parts by any worker.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

pub mod clock;
pub mod computing;
pub mod demand;
pub mod drafts;
mod error;
pub mod holding;
pub mod imports;
pub mod lists;
pub mod live;
pub mod outbox;
pub mod passwords;
pub mod planning;
pub mod release;
pub mod reports;
pub mod runs;
pub mod searches;
pub mod second_factor;
pub mod sign_in;
pub mod staffing;
pub mod strategy_week;
mod tls;
pub mod trials;

pub use error::AppError;
