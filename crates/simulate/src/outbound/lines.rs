//! Lines in use, and whose contacts they are.

use std::ops::{Index, IndexMut};

use barometer_dialling::PersonId;
use barometer_dialling::carrier::{
    Answer, BUSY_AFTER_SECS, CONGESTED_AFTER_SECS, UNUSABLE_AFTER_SECS,
};
use barometer_routing::{ContactId, Id, Seconds};

use super::CampaignModel;
use crate::draws::{Key, Purpose};

/// A call of a campaign, from the moment at which somebody is chosen to be called.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line {
    /// The campaign's place.
    pub campaign: usize,
    pub person: PersonId,
    /// Its draws.
    pub key: Key,
    /// Who or what is at the other end.
    pub answer: Answer,
    pub phase: Phase,
    /// Since when it does what it does: rings, or talks.
    pub since: Seconds,
    /// Its contact, once an agent is kept for it or needed.
    pub contact: Option<ContactId>,
}

impl Default for Line {
    fn default() -> Self {
        Self {
            campaign: 0,
            person: PersonId(0),
            key: Key::default(),
            answer: Answer::Nobody,
            phase: Phase::Looking,
            since: 0.0,
            contact: None,
        }
    }
}

/// What a line does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Phase {
    /// An agent looks at whom to call; nothing rings yet.
    Looking,
    Ringing,
    /// Detection listens.
    Deciding,
    /// A message is left on a machine.
    LeavingMessage,
    /// In routing's hands.
    Connecting,
    Talking,
    WrappingUp,
}

/// How long a number rings, and who answers: nobody who would take longer than the ring limit.
pub(super) fn rings_for(
    of: &CampaignModel,
    answer: Answer,
    key: Key,
    limit_secs: Seconds,
) -> (Answer, Seconds) {
    let secs = match answer {
        Answer::Person => of.ring.secs(key, Purpose::LINE_RING),
        Answer::Machine => of.machine_ring.secs(key, Purpose::LINE_RING),
        Answer::Busy => BUSY_AFTER_SECS,
        Answer::Unusable => UNUSABLE_AFTER_SECS,
        Answer::Congested => CONGESTED_AFTER_SECS,
        Answer::Nobody => match &of.unanswered_ring {
            Some(ring) => ring.secs(key, Purpose::LINE_RING).min(limit_secs),
            None => limit_secs,
        },
    };
    if secs > limit_secs { (Answer::Nobody, limit_secs) } else { (answer, secs) }
}

/// Lines in places that are used again.
#[derive(Debug, Default)]
pub(super) struct Lines {
    places: Vec<Line>,
    free: Vec<usize>,
    of_contact: Vec<Option<u32>>,
}

impl Lines {
    pub fn clear(&mut self) {
        self.places.clear();
        self.free.clear();
        self.of_contact.clear();
    }

    pub fn open(&mut self, line: Line) -> usize {
        match self.free.pop() {
            Some(place) => {
                self.places[place] = line;
                place
            }
            None => {
                self.places.push(line);
                self.places.len() - 1
            }
        }
    }

    pub fn close(&mut self, place: usize) -> Line {
        self.free.push(place);
        self.places[place]
    }

    /// Lines in use.
    pub fn open_lines(&self) -> impl Iterator<Item = &Line> {
        let open = self.places.iter().enumerate().filter(|(place, _)| !self.free.contains(place));
        open.map(|(_, line)| line)
    }

    pub fn note_contact(&mut self, contact: ContactId, line: usize) {
        if self.of_contact.len() <= contact.place() {
            self.of_contact.resize(contact.place() + 1, None);
        }
        self.of_contact[contact.place()] = Some(line as u32);
    }

    pub fn forget_contact(&mut self, contact: ContactId) {
        self.of_contact[contact.place()] = None;
    }

    pub fn of_contact(&self, contact: ContactId) -> Option<usize> {
        self.of_contact.get(contact.place()).copied().flatten().map(|line| line as usize)
    }
}

impl Index<usize> for Lines {
    type Output = Line;
    fn index(&self, place: usize) -> &Line {
        &self.places[place]
    }
}

impl IndexMut<usize> for Lines {
    fn index_mut(&mut self, place: usize) -> &mut Line {
        &mut self.places[place]
    }
}
