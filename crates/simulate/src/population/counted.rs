//! Exactly the contacts that were counted on a day of the past, at random times of their intervals.

use barometer_routing::Seconds;

use super::by_interval::Timing;
use super::expected::ExpectedContacts;
use crate::draws::{Key, Purpose};

/// As many contacts in each interval as were counted.
#[derive(Default)]
pub(super) struct Counted {
    /// Contacts of the current interval that are still to come.
    left: u64,
}

fn count_of(expected: &ExpectedContacts<'_>, interval: usize) -> u64 {
    expected.contacts.get(interval).map_or(0, |contacts| contacts.round() as u64)
}

impl Timing for Counted {
    fn begin(&mut self, expected: &ExpectedContacts<'_>) {
        self.left = count_of(expected, 0);
    }

    /// Of n contacts at random times in what is left of an interval, the first comes after a share
    /// 1 − u^(1/n) of it.
    fn next(
        &mut self,
        expected: &ExpectedContacts<'_>,
        key: Key,
        mut interval: usize,
        mut from: Seconds,
    ) -> Option<(usize, Seconds)> {
        while interval < expected.contacts.len() {
            let end = expected.end_of(interval);
            if self.left > 0 {
                let u = key.uniform(Purpose::ARRIVAL);
                let at = from + (end - from) * (1.0 - libm::pow(u, 1.0 / self.left as f64));
                self.left -= 1;
                return Some((interval, at));
            }
            from = end;
            interval += 1;
            self.left = count_of(expected, interval);
        }
        None
    }
}
