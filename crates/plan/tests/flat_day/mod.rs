//! A day of one contact type that is the same in every half-hour: 60 calls of five minutes, ten Erlang.

use barometer_plan::{IntervalLoad, Rules, TrialInputs, TrialInterval, customers_of};
use barometer_strategy::{Duration, Strategy};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

/// Its trial, with the same number of agents in each of its half-hours.
pub fn flat_day(
    strategy: Strategy,
    rules: Rules,
    opening: &str,
    half_hours: i64,
    agents: u32,
) -> TrialInputs {
    let opening: Timestamp = opening.parse().unwrap();
    let intervals: Vec<_> = (0..half_hours)
        .map(|half_hour| TrialInterval {
            start: opening + (30 * half_hour).minutes(),
            load: IntervalLoad { contacts: 60.0, handle_secs: 300.0 },
            agents,
        })
        .collect();
    let customers = customers_of(&rules, &Duration::exponential(300.0));
    let contact_type = ("Bookings", customers);
    TrialInputs::of_one_type(strategy, rules, &TimeZone::UTC, 1800.0, contact_type, &intervals)
}
