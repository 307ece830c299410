//! Contacts that come in at random around a forecast.

use barometer_routing::Seconds;

use super::by_interval::Timing;
use super::expected::ExpectedContacts;
use crate::draws::{Key, Purpose};

/// A Poisson process whose rate is that of each interval.
#[derive(Default)]
pub(super) struct ForecastDrawn {
    /// Mean seconds from one to the next in each interval; infinite where none is expected.
    apart_secs: Vec<f64>,
}

impl Timing for ForecastDrawn {
    fn begin(&mut self, expected: &ExpectedContacts<'_>) {
        self.apart_secs.clear();
        let apart = expected.contacts.iter().map(|contacts| expected.interval_secs / contacts);
        self.apart_secs.extend(apart);
    }

    /// Arrivals are a unit Poisson process in expected contacts: a gap is used up at each interval's
    /// own rate.
    #[inline(always)]
    fn next(
        &mut self,
        expected: &ExpectedContacts<'_>,
        key: Key,
        mut interval: usize,
        mut from: Seconds,
    ) -> Option<(usize, Seconds)> {
        let mut gap = key.exponential(Purpose::ARRIVAL);
        while let Some(&apart_secs) = self.apart_secs.get(interval) {
            let end = expected.end_of(interval);
            let at = from + gap * apart_secs;
            if at < end {
                return Some((interval, at));
            }
            gap -= (end - from) / apart_secs;
            from = end;
            interval += 1;
        }
        None
    }
}
