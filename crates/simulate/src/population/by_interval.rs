//! Contacts that come in interval by interval, in the numbers that a replication expects.

use barometer_routing::Seconds;

use super::expected::ExpectedContacts;
use super::{Newcomer, Population};
use crate::draws::Key;
use crate::model::{Model, TypeModel};

/// At which moments of their intervals contacts come in.
pub(super) trait Timing: Default {
    /// A replication begins.
    fn begin(&mut self, expected: &ExpectedContacts<'_>);

    /// Interval and moment of the contact after the one at `from`, which is in `interval`; `None` when
    /// there are no more.
    fn next(
        &mut self,
        expected: &ExpectedContacts<'_>,
        key: Key,
        interval: usize,
        from: Seconds,
    ) -> Option<(usize, Seconds)>;
}

/// A population whose expected contacts are known interval by interval.
pub(super) struct ByInterval<'m, T> {
    expected: ExpectedContacts<'m>,
    timing: T,
    key: Key,
    drawn: u64,
    next: Newcomer,
    next_at: Seconds,
}

impl<'m, T: Timing> ByInterval<'m, T> {
    pub fn new(of_type: &'m TypeModel, model: &'m Model) -> Self {
        Self {
            expected: ExpectedContacts::new(of_type, model),
            timing: T::default(),
            key: Key::default(),
            drawn: 0,
            next: Newcomer { key: Key::default(), interval: 0 },
            next_at: f64::INFINITY,
        }
    }

    #[inline(always)]
    fn draw_next(&mut self) {
        self.drawn += 1;
        let key = self.key.of(self.drawn);
        let next = self.timing.next(&self.expected, key, self.next.interval, self.next_at);
        let (interval, at) = next.unwrap_or((self.expected.contacts.len(), f64::INFINITY));
        self.next = Newcomer { key, interval };
        self.next_at = at;
    }
}

impl<T: Timing> Population for ByInterval<'_, T> {
    fn begin(&mut self, key: Key) {
        self.expected.begin(key);
        self.timing.begin(&self.expected);
        (self.key, self.drawn, self.next.interval, self.next_at) = (key, 0, 0, 0.0);
        self.draw_next();
    }

    fn expected(&self) -> f64 {
        self.expected.sum()
    }

    fn next_at(&self) -> Seconds {
        self.next_at
    }

    #[inline]
    fn take(&mut self) -> Newcomer {
        let next = self.next;
        self.draw_next();
        next
    }
}
