//! Contacts that come in at random around a forecast.

use barometer_routing::Seconds;

use super::expected::ExpectedContacts;
use super::{Newcomer, Population};
use crate::draws::{Key, Purpose};
use crate::model::{Model, TypeModel};

/// A Poisson process whose rate is that of each interval.
pub(super) struct ForecastDrawn<'m> {
    expected: ExpectedContacts<'m>,
    /// Mean seconds from one to the next in each interval; infinite where none is expected.
    apart_secs: Vec<f64>,
    key: Key,
    came: u64,
    next: Newcomer,
    next_at: Seconds,
}

impl<'m> ForecastDrawn<'m> {
    pub fn new(of_type: &'m TypeModel, model: &'m Model) -> Self {
        Self {
            expected: ExpectedContacts::new(of_type, model),
            apart_secs: Vec::new(),
            key: Key::default(),
            came: 0,
            next: Newcomer { key: Key::default(), interval: 0 },
            next_at: f64::INFINITY,
        }
    }

    /// Arrivals are a unit Poisson process in expected contacts: a gap is used up at each interval's
    /// own rate.
    fn draw_next(&mut self) {
        self.came += 1;
        let key = self.key.of(self.came);
        let mut interval = self.next.interval;
        let mut gap = key.exponential(Purpose::ARRIVAL);
        let mut from = self.next_at;
        self.next_at = f64::INFINITY;
        while let Some(&apart_secs) = self.apart_secs.get(interval) {
            let end = self.expected.end_of(interval);
            let at = from + gap * apart_secs;
            if at < end {
                self.next_at = at;
                break;
            }
            gap -= (end - from) / apart_secs;
            from = end;
            interval += 1;
        }
        self.next = Newcomer { key, interval };
    }
}

impl Population for ForecastDrawn<'_> {
    fn begin(&mut self, key: Key) {
        self.expected.begin(key);
        let interval_secs = self.expected.interval_secs;
        self.apart_secs.clear();
        let apart = self.expected.contacts.iter().map(|contacts| interval_secs / contacts);
        self.apart_secs.extend(apart);
        (self.key, self.came, self.next.interval, self.next_at) = (key, 0, 0, 0.0);
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
