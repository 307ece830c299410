//! What is planned to happen, in order of time.

use std::num::NonZeroU32;

use barometer_routing::{Seconds, Timer, TimerToken};

/// What can be planned to happen. Arrivals and shifts come in order anyway and need no place in the
/// calendar.
///
/// Nothing is ever taken back from the calendar: each event has a token, and one whose token nobody
/// waits for any more changes nothing when its time comes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Event {
    /// A timer of routing's.
    Routing(Timer),
    /// A customer who tries again, or calls once more, comes in; the number is that of the return.
    Returns,
    /// The time in a menu, an announcement or with an assistant is over.
    StepOver,
    /// Patience ends.
    PatienceEnds,
    /// Talk, wrap-up, or an attempt to call back is over.
    HandledSoFar,
    /// An agent answers; the number is the agent's.
    AgentAnswers,
    /// An agent declines; the number is the agent's.
    AgentDeclines,
    /// What a campaign's line does is over; the number is the line's.
    LineOver,
    /// A campaign decides again how fast to dial; the number is the campaign's.
    DiallerLooks,
}

const EVENTS: [Event; 16] = [
    Event::Routing(Timer::ALL[0]),
    Event::Routing(Timer::ALL[1]),
    Event::Routing(Timer::ALL[2]),
    Event::Routing(Timer::ALL[3]),
    Event::Routing(Timer::ALL[4]),
    Event::Routing(Timer::ALL[5]),
    Event::Routing(Timer::ALL[6]),
    Event::Routing(Timer::ALL[7]),
    Event::Returns,
    Event::StepOver,
    Event::PatienceEnds,
    Event::HandledSoFar,
    Event::AgentAnswers,
    Event::AgentDeclines,
    Event::LineOver,
    Event::DiallerLooks,
];

impl Event {
    const fn code(self) -> u32 {
        match self {
            Self::Routing(timer) => timer as u32,
            Self::Returns => 8,
            Self::StepOver => 9,
            Self::PatienceEnds => 10,
            Self::HandledSoFar => 11,
            Self::AgentAnswers => 12,
            Self::AgentDeclines => 13,
            Self::LineOver => 14,
            Self::DiallerLooks => 15,
        }
    }
}

/// An event whose time has come: what, to whom, and by which token it is known.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Due {
    pub event: Event,
    /// The place of the contact, agent or return in its table.
    pub place: usize,
    pub token: TimerToken,
}

/// Events by time; equal times come out in the order in which they were planned, so that a seed
/// replays exactly.
///
/// A heap with four children to a node, of one number an event: the bits of its time (which order
/// as the times do, times being positive), then its sequence number, which is its token, then what it
/// is. `benches/day.rs` times this kind of heap and the standard one in a loop of their own.
///
/// The root stays empty after an event was taken, until the next one is planned, which nearly always
/// follows: then that one sinks from there, and one sinking serves both. Behind the last event stand
/// numbers that come after every event, so that each node has four children.
#[derive(Debug)]
pub(crate) struct Calendar {
    heap: Vec<u128>,
    /// Events in the heap, the root counted even while it is empty.
    len: usize,
    is_root_empty: bool,
    sequence: u32,
}

/// Comes after every event.
const NO_EVENT: u128 = u128::MAX;

impl Default for Calendar {
    fn default() -> Self {
        Self { heap: vec![NO_EVENT; 5], len: 0, is_root_empty: false, sequence: 0 }
    }
}

/// Bits for the event and whom it happens to: 4 + 28.
const WHAT_BITS: u32 = 32;
const PLACE_BITS: u32 = 28;

impl Calendar {
    /// Contacts, or agents, that have a place in the calendar.
    pub const MOST_PLACES: usize = 1 << PLACE_BITS;

    pub fn clear(&mut self) {
        self.heap.fill(NO_EVENT);
        (self.len, self.is_root_empty, self.sequence) = (0, false, 0);
    }

    /// A token that no event has.
    #[inline]
    pub fn token(&mut self) -> TimerToken {
        // After four thousand million events tokens begin again; a replication is stopped before.
        self.sequence = self.sequence.wrapping_add(1).max(1);
        TimerToken(NonZeroU32::MIN.saturating_add(self.sequence - 1))
    }

    #[inline]
    pub fn plan(&mut self, at: Seconds, event: Event, place: usize) -> TimerToken {
        let token = self.token();
        let what = (u64::from(event.code()) << PLACE_BITS) | place as u64;
        let low = (u64::from(token.0.get()) << WHAT_BITS) | what;
        // Adding zero makes −0 a +0, whose bits are in order.
        let planned = (u128::from((at + 0.0).to_bits()) << 64) | u128::from(low);
        if std::mem::take(&mut self.is_root_empty) {
            self.sink(planned);
        } else {
            self.len += 1;
            // The last event's parent may have to have three more children.
            if self.heap.len() < self.len + 4 {
                self.heap.resize(2 * self.len + 5, NO_EVENT);
            }
            self.rise(self.len - 1, planned);
        }
        token
    }

    /// Everything that is planned, and when, in no order.
    pub fn planned(&self) -> impl Iterator<Item = (Seconds, Due)> {
        let first = usize::from(self.is_root_empty);
        self.heap[..self.len].iter().skip(first).filter_map(|&planned| {
            Some((f64::from_bits((planned >> 64) as u64), Self::due(planned)?))
        })
    }

    #[inline(always)]
    fn due(planned: u128) -> Option<Due> {
        let what = planned as u32;
        Some(Due {
            event: EVENTS[(what >> PLACE_BITS) as usize],
            place: what as usize & (Self::MOST_PLACES - 1),
            token: TimerToken(NonZeroU32::new((planned >> WHAT_BITS) as u32)?),
        })
    }

    /// Time of the next event; infinity when nothing is planned.
    #[inline]
    pub fn next_at(&mut self) -> Seconds {
        if std::mem::take(&mut self.is_root_empty) {
            self.fill_root();
        }
        if self.len == 0 {
            return f64::INFINITY;
        }
        self.heap.first().map_or(f64::INFINITY, |&planned| f64::from_bits((planned >> 64) as u64))
    }

    /// Nothing was planned since an event was taken: the last one sinks from the root.
    fn fill_root(&mut self) {
        self.len -= 1;
        let last = std::mem::replace(&mut self.heap[self.len], NO_EVENT);
        if self.len > 0 {
            self.sink(last);
        }
    }

    /// Takes the next event; [`next_at`](Self::next_at) was asked before.
    #[inline]
    pub fn take(&mut self) -> Option<Due> {
        if self.len == 0 || self.is_root_empty {
            return None;
        }
        let first = *self.heap.first()?;
        self.is_root_empty = true;
        Self::due(first)
    }

    #[inline(always)]
    fn rise(&mut self, mut at: usize, planned: u128) {
        while at > 0 {
            let parent = (at - 1) / 4;
            if self.heap[parent] <= planned {
                break;
            }
            self.heap[at] = self.heap[parent];
            at = parent;
        }
        self.heap[at] = planned;
    }

    #[inline(always)]
    fn sink(&mut self, planned: u128) {
        let heap = &mut self.heap[..];
        let mut at = 0;
        // Behind the events a node has no children left that could come before anything.
        while let Some(&[a, b, c, d]) = heap.get(4 * at + 1..4 * at + 5) {
            let first = 4 * at + 1;
            let (left, left_at) = if b < a { (b, first + 1) } else { (a, first) };
            let (right, right_at) = if d < c { (d, first + 3) } else { (c, first + 2) };
            let (least, least_at) = if right < left { (right, right_at) } else { (left, left_at) };
            if least >= planned {
                break;
            }
            heap[at] = least;
            at = least_at;
        }
        heap[at] = planned;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn every_event_stands_at_its_code() {
        assert!(EVENTS.iter().enumerate().all(|(code, event)| event.code() as usize == code));
    }

    proptest! {
        #[test]
        fn events_come_out_by_time_and_equal_times_as_they_were_planned(
            times in proptest::collection::vec(0u8..40, 1..200), taken_between in 0usize..4,
        ) {
            let mut calendar = Calendar::default();
            let mut waiting: Vec<(u8, usize)> = Vec::new();
            let check = |calendar: &mut Calendar, waiting: &mut Vec<(u8, usize)>| {
                let next = calendar.next_at();
                let got = calendar.take();
                let first = waiting.iter().copied().min();
                prop_assert_eq!(got.map(|due| due.place), first.map(|(_, place)| place));
                prop_assert_eq!(next, first.map_or(f64::INFINITY, |(at, _)| f64::from(at)));
                waiting.retain(|each| Some(*each) != first);
                Ok(())
            };
            for (place, &at) in times.iter().enumerate() {
                calendar.plan(f64::from(at), Event::PatienceEnds, place);
                waiting.push((at, place));
                if taken_between > 0 && place.is_multiple_of(taken_between + 1) {
                    check(&mut calendar, &mut waiting)?;
                }
            }
            while !waiting.is_empty() {
                check(&mut calendar, &mut waiting)?;
            }
            prop_assert_eq!(calendar.take(), None);
        }
    }
}
