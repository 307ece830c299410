//! Opening hours as stretches of seconds since the start.

use barometer_strategy::{HoursGate, OpenHours};
use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

use super::Stretch;

/// Days after the end in which contacts may still be on their way.
const DAYS_AFTER: f64 = 9.0;

/// From when, for how long, in which zone.
pub(super) struct Period<'a> {
    pub start: Timestamp,
    pub secs: f64,
    pub zone: &'a TimeZone,
}

impl Period<'_> {
    /// Stretches in which a gate is open, in order.
    pub fn of_gate(&self, gate: &HoursGate) -> Vec<Stretch> {
        let own = gate.zone.as_deref().and_then(|name| TimeZone::get(name).ok());
        let zone = own.as_ref().unwrap_or(self.zone);
        self.stretches(zone, |date| gate.hours_on(date))
    }

    /// Stretches of weekly hours in the centre's zone, in order.
    pub fn of_week(&self, hours: &OpenHours) -> Vec<Stretch> {
        let of_day =
            |date| if hours.is_on(date) { vec![(hours.from, hours.until)] } else { Vec::new() };
        self.stretches(self.zone, of_day)
    }

    fn stretches(
        &self,
        zone: &TimeZone,
        hours: impl Fn(Date) -> Vec<(Time, Time)>,
    ) -> Vec<Stretch> {
        let days = (self.secs / 86_400.0 + DAYS_AFTER) as i64;
        let first = self.start.to_zoned(zone.clone()).date();
        let secs_at = |date: Date, time: Time| {
            // A time that the clocks skip is the next one that exists.
            let at = date.to_datetime(time).to_zoned(zone.clone()).ok()?;
            Some(at.timestamp().duration_since(self.start).as_secs_f64())
        };
        let mut stretches: Vec<Stretch> = (-1..=days)
            .filter_map(|ahead| first.checked_add(ahead.days()).ok())
            .flat_map(|date| {
                let stretch = |(from, until): (Time, Time)| {
                    let is_midnight = until == Time::midnight();
                    let last = if is_midnight { date.tomorrow().ok()? } else { date };
                    Some((secs_at(date, from)?, secs_at(last, until)?))
                };
                hours(date).into_iter().filter_map(stretch).collect::<Vec<_>>()
            })
            .collect();
        stretches.sort_by(|a, b| a.0.total_cmp(&b.0));
        joined(stretches)
    }
}

/// Stretches in order, with those that touch made one.
fn joined(stretches: Vec<Stretch>) -> Vec<Stretch> {
    let mut joined: Vec<Stretch> = Vec::with_capacity(stretches.len());
    for (from, until) in stretches {
        match joined.last_mut() {
            Some(last) if from <= last.1 => last.1 = last.1.max(until),
            _ => joined.push((from, until)),
        }
    }
    joined
}
