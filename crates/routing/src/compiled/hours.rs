//! Opening hours as stretches of seconds since the start.

use barometer_strategy::{HoursGate, OpenHours, Period};
use jiff::tz::TimeZone;

use super::{Setting, Stretch};

/// Days after the end in which contacts may still be on their way.
const DAYS_AFTER: f64 = 9.0;

fn period(setting: &Setting<'_>) -> Period {
    Period { start: setting.start, secs: setting.secs + DAYS_AFTER * 86_400.0 }
}

/// Stretches in which a gate is open, in order.
pub(super) fn of_gate(setting: &Setting<'_>, gate: &HoursGate) -> Vec<Stretch> {
    let own = gate.zone.as_deref().and_then(|name| TimeZone::get(name).ok());
    let zone = own.as_ref().unwrap_or(setting.zone);
    period(setting).stretches(zone, |date| gate.hours_on(date))
}

/// Stretches of weekly hours in the centre's zone, in order.
pub(super) fn of_week(setting: &Setting<'_>, hours: &OpenHours) -> Vec<Stretch> {
    let of_day =
        |date| if hours.is_on(date) { vec![(hours.from, hours.until)] } else { Vec::new() };
    period(setting).stretches(setting.zone, of_day)
}
