//! Counts of contacts that add up, and the measures that follow from them.

use std::iter::Sum;
use std::ops::Add;

/// Counts of an interval, a day or any sum of them.
///
/// How fast contacts were answered is not measured everywhere: what a service level or a speed of answer is a share
/// of counts only the intervals where it was.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Counts {
    /// Contacts offered.
    pub offered: f64,
    /// Contacts answered.
    pub answered: f64,
    /// Contacts abandoned.
    pub abandoned: f64,
    /// Contacts answered within the threshold.
    pub in_time: f64,
    /// Contacts offered where `in_time` is known.
    pub timed_offered: f64,
    /// Contacts answered where `in_time` is known.
    pub timed_answered: f64,
    /// Seconds that the answered of those waited.
    pub wait_secs: f64,
    /// Seconds of handling, where the handle time is known.
    pub handle_secs: f64,
    /// Contacts answered where the handle time is known.
    pub handled: f64,
    /// Seconds of talk and hold, where wrap-up is known apart.
    pub talk_secs: f64,
    /// Seconds of wrap-up, where it is known apart.
    pub wrap_up_secs: f64,
    /// Contacts answered where the wrap-up is known apart.
    pub wrapped_up: f64,
}

impl Add for Counts {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self {
            offered: self.offered + other.offered,
            answered: self.answered + other.answered,
            abandoned: self.abandoned + other.abandoned,
            in_time: self.in_time + other.in_time,
            timed_offered: self.timed_offered + other.timed_offered,
            timed_answered: self.timed_answered + other.timed_answered,
            wait_secs: self.wait_secs + other.wait_secs,
            handle_secs: self.handle_secs + other.handle_secs,
            handled: self.handled + other.handled,
            talk_secs: self.talk_secs + other.talk_secs,
            wrap_up_secs: self.wrap_up_secs + other.wrap_up_secs,
            wrapped_up: self.wrapped_up + other.wrapped_up,
        }
    }
}

impl Sum for Counts {
    fn sum<I: Iterator<Item = Self>>(counts: I) -> Self {
        counts.fold(Self::default(), Add::add)
    }
}

fn share(part: f64, whole: f64) -> Option<f64> {
    (whole > 0.0).then(|| part / whole)
}

impl Counts {
    /// Share of offered contacts answered within the threshold, of the intervals where that is known.
    pub fn service_level(&self) -> Option<f64> {
        share(self.in_time, self.timed_offered)
    }

    /// Share of answered contacts answered within the threshold.
    pub fn service_level_of_answered(&self) -> Option<f64> {
        share(self.in_time, self.timed_answered)
    }

    /// Mean wait of the answered in seconds.
    pub fn speed_of_answer(&self) -> Option<f64> {
        share(self.wait_secs, self.timed_answered)
    }

    /// Share of offered contacts that abandoned.
    pub fn abandonment(&self) -> Option<f64> {
        share(self.abandoned, self.offered)
    }

    /// Mean handle time in seconds.
    pub fn handle_time(&self) -> Option<f64> {
        share(self.handle_secs, self.handled)
    }

    /// Mean talk with hold in seconds, where wrap-up is known apart.
    pub fn talk(&self) -> Option<f64> {
        share(self.talk_secs, self.wrapped_up)
    }

    /// Mean wrap-up in seconds, where it is known apart.
    pub fn wrap_up(&self) -> Option<f64> {
        share(self.wrap_up_secs, self.wrapped_up)
    }

    /// Hours of handling.
    pub fn work_hours(&self) -> f64 {
        self.handle_secs / 3_600.0
    }

    /// Whether the speed of answer is known for only a part of the contacts.
    pub fn is_partly_timed(&self) -> bool {
        self.timed_offered > 0.0 && self.timed_offered < self.offered
    }
}
