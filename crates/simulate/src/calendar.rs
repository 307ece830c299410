//! What is planned to happen, in order of time.

use std::cmp::Ordering;
use std::collections::BinaryHeap;

/// Seconds since the start of the day.
pub(crate) type SimTime = f64;

/// Which contact of the day, counted from 0 in order of arrival.
pub(crate) type ContactId = u32;

/// What can be planned to happen. Arrivals and cover changes come in order anyway and need no
/// place in the calendar.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Event {
    ContactHandled,
    PatienceEnds { contact: ContactId },
    LongestWaitOver { contact: ContactId },
}

/// Events by time; equal times come out in the order in which they were planned, so that a seed
/// replays exactly.
#[derive(Default)]
pub(crate) struct Calendar {
    planned: BinaryHeap<Planned>,
    sequence: u64,
}

struct Planned {
    at: SimTime,
    sequence: u64,
    event: Event,
}

impl Calendar {
    pub fn plan(&mut self, at: SimTime, event: Event) {
        self.sequence += 1;
        self.planned.push(Planned { at, sequence: self.sequence, event });
    }

    /// Time of the next event; infinity when nothing is planned.
    pub fn next_at(&self) -> SimTime {
        self.planned.peek().map_or(f64::INFINITY, |planned| planned.at)
    }

    pub fn take(&mut self) -> Option<(SimTime, Event)> {
        self.planned.pop().map(|planned| (planned.at, planned.event))
    }
}

impl Ord for Planned {
    // The heap gives its greatest first, so earlier is greater.
    fn cmp(&self, other: &Self) -> Ordering {
        other.at.total_cmp(&self.at).then(other.sequence.cmp(&self.sequence))
    }
}

impl PartialOrd for Planned {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Planned {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Planned {}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn equal_times_come_out_as_planned() {
        let mut calendar = Calendar::default();
        calendar.plan(5.0, Event::PatienceEnds { contact: 1 });
        calendar.plan(2.0, Event::ContactHandled);
        calendar.plan(5.0, Event::LongestWaitOver { contact: 1 });
        let order: Vec<_> = std::iter::from_fn(|| calendar.take()).collect();
        assert_eq!(
            order,
            [
                (2.0, Event::ContactHandled),
                (5.0, Event::PatienceEnds { contact: 1 }),
                (5.0, Event::LongestWaitOver { contact: 1 }),
            ]
        );
        assert_eq!(calendar.next_at(), f64::INFINITY);
    }
}
