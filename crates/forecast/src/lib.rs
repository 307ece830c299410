//! From interval history to a forecast, and how good that forecast has been.
//!
//! An *interval* is 15, 30 or 60 minutes ([`Grain`]) of one contact type, known by the instant at
//! which it starts. The models see history as a [`DayGrid`]: one row a local day, one column a
//! wall-clock slot, so that a weekday's shape stays in place when the clocks change.
//!
//! * [`WeekdayProfile`] is the method; [`seasonal_naive`] is what it has to beat;
//! * [`backtest`] tells by how much it does, on weeks that it was not shown.
//!
//! Nothing here reads a clock or a file. Method and formulas: `docs/methods/forecast.md`.

mod backtest;
mod grain;
mod grid;
mod handle_time;
mod naive;
mod robust;
mod weekday_profile;

pub use backtest::{Backtest, Errors, HeldOutDay, backtest};
pub use grain::{Grain, UnknownGrain};
pub use grid::{DayGrid, Observation};
pub use handle_time::HandleTimes;
pub use naive::seasonal_naive;
pub use weekday_profile::{ForecastError, IntervalForecast, WeekdayProfile};

/// Days ahead that a forecast reaches.
pub const HORIZON_DAYS: usize = 28;
