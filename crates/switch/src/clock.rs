//! The switch's clock.

use std::time::Instant;

use jiff::{SignedDuration, Timestamp};

/// The fastest that the clock runs.
pub(crate) const MOST_SPEED: f64 = 600.0;

/// A clock that runs at its own speed, and stands still while the switch does not run.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Clock {
    at: Timestamp,
    since: Instant,
    speed: f64,
}

impl Clock {
    /// A clock that shows a moment now.
    pub fn at(at: Timestamp, speed: f64) -> Self {
        Self { at, since: Instant::now(), speed }
    }

    pub fn speed(&self) -> f64 {
        self.speed
    }

    pub fn now(&self) -> Timestamp {
        let secs = self.since.elapsed().as_secs_f64() * self.speed;
        self.at.checked_add(SignedDuration::from_secs_f64(secs)).unwrap_or(self.at)
    }

    /// Goes on at another speed.
    pub fn run_at(&mut self, speed: f64) {
        *self = Self::at(self.now(), speed.clamp(0.0, MOST_SPEED));
    }

    /// Moves on to a moment, if that is later.
    pub fn skip_to(&mut self, until: Timestamp) {
        if until > self.now() {
            *self = Self::at(until, self.speed);
        }
    }
}
