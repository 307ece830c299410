//! Hours by the clock as stretches of seconds since a start.

use jiff::civil::{Date, Time};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

const DAY_SECS: f64 = 86_400.0;

/// From when, and for how many seconds.
#[derive(Clone, Copy, Debug)]
pub struct Period {
    /// Second 0.
    pub start: Timestamp,
    /// Seconds until its end; what begins on its last day is laid out to that day's end.
    pub secs: f64,
}

impl Period {
    /// The hours of each day of a zone, from the day before the start on, in order of time; those that touch
    /// are one. Until `00:00` is until midnight, and a time that the clocks skip is the next that there is.
    pub fn stretches(
        &self,
        zone: &TimeZone,
        hours: impl Fn(Date) -> Vec<(Time, Time)>,
    ) -> Vec<(f64, f64)> {
        let days = (self.secs / DAY_SECS) as i64;
        let first = self.start.to_zoned(zone.clone()).date();
        let secs_at = |date: Date, time: Time| {
            let at = date.to_datetime(time).to_zoned(zone.clone()).ok()?;
            Some(at.timestamp().duration_since(self.start).as_secs_f64())
        };
        let mut stretches: Vec<(f64, f64)> = (-1..=days)
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
fn joined(stretches: Vec<(f64, f64)>) -> Vec<(f64, f64)> {
    let mut joined: Vec<(f64, f64)> = Vec::with_capacity(stretches.len());
    for (from, until) in stretches {
        match joined.last_mut() {
            Some(last) if from <= last.1 => last.1 = last.1.max(until),
            _ => joined.push((from, until)),
        }
    }
    joined
}
