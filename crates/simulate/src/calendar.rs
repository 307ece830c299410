//! What is planned to happen, in order of time.

/// Seconds since the start of the trial.
pub(crate) type SimTime = f64;

/// Which contact of the replication, in order of appearance.
pub(crate) type ContactId = u32;

/// What can be planned to happen to a contact. Arrivals and shifts come in order anyway and need
/// no place in the calendar.
///
/// Nothing is ever taken back from the calendar: a timer that has become pointless is told by the
/// contact's state when its time comes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub(crate) enum Event {
    /// A customer who tries again, or calls once more, comes.
    Comes,
    /// The time in a menu, an announcement or with an assistant is over.
    StepOver,
    /// Patience ends.
    PatienceEnds,
    /// The longest wait or the group limit is over.
    LimitOver,
    /// More agents may be offered the contact: a relaxation or a wave.
    Widens,
    /// Something is told to a waiting contact.
    AnnouncementBegins,
    /// What had to be heard has been heard, or the last agent was waited for long enough.
    HoldOver,
    /// A callback is offered to a waiting contact.
    CallbackOffered,
    /// A member answers, or the ring window ends.
    RingEnds,
    /// The gap after an offer is over.
    GapOver,
    /// The contact is handled: talk or wrap-up ends.
    HandledSoFar,
    /// The time of a promised callback, or of its next attempt, has come.
    CallbackDue,
}

const EVENTS: [Event; 12] = [
    Event::Comes,
    Event::StepOver,
    Event::PatienceEnds,
    Event::LimitOver,
    Event::Widens,
    Event::AnnouncementBegins,
    Event::HoldOver,
    Event::CallbackOffered,
    Event::RingEnds,
    Event::GapOver,
    Event::HandledSoFar,
    Event::CallbackDue,
];

/// Events by time; equal times come out in the order in which they were planned, so that a seed
/// replays exactly.
///
/// A heap with four children to a node, of one number an event: the bits of its time (which order
/// as the times do, times being positive), then its sequence number, then what it is.
/// `benches/day.rs` times this kind of heap and the standard one in a loop of their own.
#[derive(Default)]
pub(crate) struct Calendar {
    heap: Vec<u128>,
    sequence: u64,
}

/// Bits for the event and its contact: 4 + 28.
const WHAT_BITS: u32 = 32;
const CONTACT_BITS: u32 = 28;
const SEQUENCE_MASK: u64 = 0xffff_ffff;

impl Calendar {
    /// Contacts that have a number in the calendar.
    pub const MOST_CONTACTS: u32 = 1 << CONTACT_BITS;

    pub fn clear(&mut self) {
        self.heap.clear();
        self.sequence = 0;
    }

    pub fn plan(&mut self, at: SimTime, event: Event, contact: ContactId) {
        self.sequence += 1;
        let what = (u64::from(event as u8) << CONTACT_BITS) | u64::from(contact);
        let low = ((self.sequence & SEQUENCE_MASK) << WHAT_BITS) | what;
        // Adding zero makes −0 a +0, whose bits are in order.
        let planned = (u128::from((at + 0.0).to_bits()) << 64) | u128::from(low);
        self.heap.push(planned);
        self.rise(self.heap.len() - 1, planned);
    }

    /// Time of the next event; infinity when nothing is planned.
    pub fn next_at(&self) -> SimTime {
        self.heap.first().map_or(f64::INFINITY, |&planned| f64::from_bits((planned >> 64) as u64))
    }

    pub fn take(&mut self) -> Option<(Event, ContactId)> {
        let first = *self.heap.first()?;
        let last = self.heap.pop()?;
        if !self.heap.is_empty() {
            self.sink(last);
        }
        let what = first as u32;
        let event = EVENTS[(what >> CONTACT_BITS) as usize];
        Some((event, what & (Self::MOST_CONTACTS - 1)))
    }

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

    fn sink(&mut self, planned: u128) {
        let heap = &mut self.heap[..];
        let mut at = 0;
        loop {
            let first = 4 * at + 1;
            let least = if let Some(&[a, b, c, d]) = heap.get(first..first + 4) {
                let (left, left_at) = if b < a { (b, first + 1) } else { (a, first) };
                let (right, right_at) = if d < c { (d, first + 3) } else { (c, first + 2) };
                if right < left { (right, right_at) } else { (left, left_at) }
            } else {
                let children = heap.get(first..).unwrap_or_default();
                let Some(least) = children.iter().copied().zip(first..).min() else { break };
                least
            };
            if least.0 >= planned {
                break;
            }
            heap[at] = least.0;
            at = least.1;
        }
        heap[at] = planned;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn every_event_has_the_place_of_its_number() {
        assert!(EVENTS.iter().enumerate().all(|(at, event)| *event as usize == at));
    }

    proptest! {
        #[test]
        fn events_come_out_by_time_and_equal_times_as_they_were_planned(
            times in proptest::collection::vec(0u8..40, 1..200), taken_between in 0usize..4,
        ) {
            let mut calendar = Calendar::default();
            let mut waiting: Vec<(u8, u32)> = Vec::new();
            let check = |calendar: &mut Calendar, waiting: &mut Vec<(u8, u32)>| {
                let next = calendar.next_at();
                let got = calendar.take();
                let first = waiting.iter().copied().min();
                prop_assert_eq!(got.map(|(_, contact)| contact), first.map(|(_, contact)| contact));
                prop_assert_eq!(next, first.map_or(f64::INFINITY, |(at, _)| f64::from(at)));
                waiting.retain(|each| Some(*each) != first);
                Ok(())
            };
            for (contact, &at) in (0u32..).zip(&times) {
                calendar.plan(f64::from(at), Event::PatienceEnds, contact);
                waiting.push((at, contact));
                if taken_between > 0 && (contact as usize).is_multiple_of(taken_between + 1) {
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
