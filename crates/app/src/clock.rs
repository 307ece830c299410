//! The one place where the clock comes in.

use barometer_store::Centre;
use jiff::civil::Date;
use jiff::{Timestamp, Zoned};

/// The demo's own today, or what the centre's wall clock says.
#[expect(clippy::disallowed_methods, reason = "a use case is where the clock comes in")]
pub fn today(centre: &Centre) -> Date {
    centre.today.unwrap_or_else(|| Zoned::now().with_time_zone(centre.zone.clone()).date())
}

/// This moment.
#[expect(clippy::disallowed_methods, reason = "a use case is where the clock comes in")]
pub fn now() -> Timestamp {
    Timestamp::now()
}
