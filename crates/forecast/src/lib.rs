//! From interval history to a forecast, and how good that forecast has been.
//!
//! An *interval* is 15, 30 or 60 minutes ([`Grain`]) of one contact type, known by the instant at
//! which it starts. The models see history as a [`DayGrid`]: one row a local day, one column a
//! wall-clock slot, so that a weekday's shape stays in place when the clocks change.
//!
//! * [`forecast`] does it all: it tries every [`Method`] on earlier mornings ([`Backtest`]), takes
//!   the best one or their weighted combination, and draws bands from the errors they made
//!   ([`Uncertainty`]);
//! * a [`Calendar`] of special days takes their [`Effects`] out of the past and puts them into
//!   the days to come.
//!
//! Nothing here reads a clock or a file. Method and formulas: `docs/methods/forecast.md`.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod backtest;
mod cleaning;
mod combination;
mod effects;
mod forecaster;
mod grain;
mod grid;
mod handle_time;
mod intraday;
mod level;
mod methods;
mod month_starts;
mod next_open;
mod overlay;
mod parts;
mod past;
mod profile;
mod recurring;
mod robust;
mod special_days;
mod trial_runs;
mod uncertainty;

pub use backtest::{Backtest, Coverage, ErrorBy, Errors, HORIZONS, HeldOutDay, Record};
pub use cleaning::{Finding, Gap, Mark, Proposal, Treatment, gaps, proposals};
pub use effects::{Effect, Effects};
pub use forecaster::{DayForecast, Forecast, ForecastError, IntervalForecast, forecast};
pub use grain::{Grain, UnknownGrain};
pub use grid::{DayGrid, Observation};
pub use handle_time::HandleTimes;
pub use intraday::{RestOfDay, departure_lately, rest_of_day};
pub use methods::{Method, MethodName};
pub use month_starts::MONTH_STARTS;
pub use next_open::NEXT_OPEN_DAY;
pub use overlay::{Change, Overlay, apply_overlays};
pub use parts::DayParts;
pub use past::{Past, completed_totals, day_shapes};
pub use recurring::{Recurring, Repeats, Rule, calendar_of, easter, recurring_days};
pub use special_days::{Calendar, SpecialDay};
pub use uncertainty::{Band, PROBABILITIES, Uncertainty};

/// Days ahead that a forecast reaches.
pub const HORIZON_DAYS: usize = 28;
