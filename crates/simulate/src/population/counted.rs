//! Exactly the contacts that were counted on a day of the past, at random times of their intervals.

use barometer_routing::Seconds;

use super::expected::ExpectedContacts;
use super::{Newcomer, Population};
use crate::draws::{Key, Purpose};
use crate::model::{Model, TypeModel};

/// As many contacts in each interval as were counted.
pub(super) struct Counted<'m> {
    expected: ExpectedContacts<'m>,
    key: Key,
    came: u64,
    /// Of the next one's interval, how many come after it.
    left: u64,
    next: Newcomer,
    next_at: Seconds,
}

impl<'m> Counted<'m> {
    pub fn new(of_type: &'m TypeModel, model: &'m Model) -> Self {
        Self {
            expected: ExpectedContacts::new(of_type, model),
            key: Key::default(),
            came: 0,
            left: 0,
            next: Newcomer { key: Key::default(), interval: 0 },
            next_at: f64::INFINITY,
        }
    }

    fn count_of(&self, interval: usize) -> u64 {
        self.expected.contacts.get(interval).map_or(0, |contacts| contacts.round() as u64)
    }

    /// Of n contacts at random times in what is left of an interval, the first comes after a share
    /// 1 − u^(1/n) of it.
    fn draw_next(&mut self) {
        self.came += 1;
        let key = self.key.of(self.came);
        let mut interval = self.next.interval;
        let mut from = self.next_at;
        self.next_at = f64::INFINITY;
        while interval < self.expected.contacts.len() {
            let end = self.expected.end_of(interval);
            if self.left > 0 {
                let u = key.uniform(Purpose::ARRIVAL);
                self.next_at = from + (end - from) * (1.0 - libm::pow(u, 1.0 / self.left as f64));
                self.left -= 1;
                break;
            }
            from = end;
            interval += 1;
            self.left = self.count_of(interval);
        }
        self.next = Newcomer { key, interval };
    }
}

impl Population for Counted<'_> {
    fn begin(&mut self, key: Key) {
        self.expected.begin(key);
        (self.key, self.came, self.next.interval, self.next_at) = (key, 0, 0, 0.0);
        self.left = self.count_of(0);
        self.draw_next();
    }

    fn expected(&self) -> f64 {
        self.expected.sum()
    }

    fn next_at(&self) -> Seconds {
        self.next_at
    }

    fn take(&mut self) -> Newcomer {
        let next = self.next;
        self.draw_next();
        next
    }
}
