//! The time between which the world is.

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

use crate::truth::STEP_SECS;

/// Yesterday, of which somebody may still be there, and today.
pub(crate) struct Span {
    /// Today.
    pub date: Date,
    /// When yesterday began: the world's second 0.
    pub origin: Timestamp,
    /// Where today begins, in steps after the origin.
    pub first_step: usize,
    /// Steps of both days.
    pub steps: usize,
}

/// When a day begins in a zone.
pub(crate) fn start_of(date: Date, zone: &TimeZone) -> Timestamp {
    date.to_zoned(zone.clone()).map_or(Timestamp::UNIX_EPOCH, |start| start.timestamp())
}

impl Span {
    pub fn of(date: Date, zone: &TimeZone) -> Self {
        let origin = start_of(date.yesterday().unwrap_or(date), zone);
        let [today, tomorrow] =
            [date, date.tomorrow().unwrap_or(date)].map(|date| start_of(date, zone));
        let steps =
            |at: Timestamp| (at.duration_since(origin).as_secs_f64() / STEP_SECS).round() as usize;
        Self { date, origin, first_step: steps(today), steps: steps(tomorrow) }
    }

    /// Seconds after the origin.
    pub fn secs(&self, at: Timestamp) -> f64 {
        at.duration_since(self.origin).as_secs_f64()
    }

    /// The moment so many seconds after the origin.
    pub fn at(&self, secs: f64) -> Timestamp {
        let later = SignedDuration::from_secs_f64(secs);
        self.origin.checked_add(later).unwrap_or(Timestamp::MAX)
    }

    /// When today begins, in seconds.
    pub fn today_secs(&self) -> f64 {
        self.first_step as f64 * STEP_SECS
    }

    /// When today is over, in seconds.
    pub fn end_secs(&self) -> f64 {
        self.steps as f64 * STEP_SECS
    }
}
