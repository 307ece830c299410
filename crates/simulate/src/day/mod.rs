//! One replication: a calendar, an enum of events, one `match`.
//!
//! To follow a contact: it comes ([`arrivals`]), passes steps ([`journey`]), joins a queue or hunt
//! group ([`line`]), is offered to agents ([`offer`], [`choice`]), is handled ([`handling`]) or leaves
//! otherwise. Agents come and go ([`shifts`]); promised callbacks are in [`callback`].
//!
//! Waits are counted from the first line that a contact joins; patience runs from then, too.

mod agent;
mod arrivals;
mod callback;
mod choice;
mod contact;
mod handling;
mod journey;
mod line;
mod offer;
mod shifts;

use rayon::prelude::*;

use crate::calendar::{Calendar, ContactId, Event, SimTime};
use crate::draws::Key;
use crate::event_log::{EventLog, What};
use crate::experiment::Experiment;
use crate::model::Model;
use crate::summary::Summary;
use crate::tally::{AgentTally, DayTally, LabelTally, ServicePointTally, TeamTally, TypeTally};
use agent::{Agent, IdleList};
use arrivals::Arrivals;
use contact::{Contact, NONE, State};
use line::Line;
use shifts::Owed;

/// Seconds after the last interval at which a replication ends whatever still waits: a week.
const MOST_OVERRUN_SECS: f64 = 7.0 * 86_400.0;
/// Events that a replication may have for each contact that is expected, and for a thousand more.
const MOST_EVENTS_PER_CONTACT: u64 = 2_000;

/// Replications that are held before they are summed up.
const AT_A_TIME: u32 = 32;

/// Why a replication was given up.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum PlayError {
    /// More happened than can be right.
    #[error(
        "replication {replication} was stopped after {events} events, {at_secs:.0} s into the trial: \
         contacts go round without end. Look for timers of a second or less, or for two steps that \
         send contacts to each other"
    )]
    TooManyEvents {
        /// Which replication.
        replication: u32,
        /// Events until then.
        events: u64,
        /// How far it had come.
        at_secs: f64,
    },
    /// More contacts at once than the calendar has numbers for.
    #[error("replication {replication} had {contacts} contacts at once, which is more than fit")]
    TooManyContacts {
        /// Which replication.
        replication: u32,
        /// Contacts at once.
        contacts: usize,
    },
}

impl Experiment {
    /// Plays one replication.
    ///
    /// # Errors
    ///
    /// [`PlayError`] when the replication does not come to an end.
    pub fn play(&self, replication: u32) -> Result<DayTally, PlayError> {
        Day::new(&self.model).play(self.seed, replication)
    }

    /// Plays a range of replications on all cores; the tallies come in the order of replications.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn play_range(&self, range: std::ops::Range<u32>) -> Result<Vec<DayTally>, PlayError> {
        range
            .into_par_iter()
            .map_init(|| Day::new(&self.model), |day, replication| day.play(self.seed, replication))
            .collect()
    }

    /// Plays a range of replications on all cores and sums them up in order; holds a few of them at
    /// a time, so that memory does not grow with their number.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn play_part(&self, range: std::ops::Range<u32>) -> Result<Summary, PlayError> {
        let mut summary = self.summary();
        self.add_to(&mut summary, range)?;
        Ok(summary)
    }

    /// As [`play_part`](Self::play_part), but asks now and then whether to go on; `None` when told to
    /// stop.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn play_part_while(
        &self,
        range: std::ops::Range<u32>,
        mut goes_on: impl FnMut() -> bool,
    ) -> Result<Option<Summary>, PlayError> {
        let mut summary = self.summary();
        for from in range.clone().step_by(AT_A_TIME as usize) {
            if !goes_on() {
                return Ok(None);
            }
            self.add_to(&mut summary, from..(from + AT_A_TIME).min(range.end))?;
        }
        Ok(Some(summary))
    }

    /// As [`play_part`](Self::play_part), on top of what a summary holds already.
    ///
    /// # Errors
    ///
    /// The first [`PlayError`], if there is one.
    pub fn add_to(
        &self,
        summary: &mut Summary,
        range: std::ops::Range<u32>,
    ) -> Result<(), PlayError> {
        for from in range.clone().step_by(AT_A_TIME as usize) {
            let days = self.play_range(from..(from + AT_A_TIME).min(range.end))?;
            days.iter().for_each(|day| summary.add(day));
        }
        Ok(())
    }

    /// Plays one replication and keeps all that happens.
    ///
    /// # Errors
    ///
    /// [`PlayError`] when the replication does not come to an end.
    pub fn log(&self, replication: u32) -> Result<(DayTally, EventLog), PlayError> {
        let mut day = Day::new(&self.model);
        day.story = Some(EventLog::default());
        let tally = day.play(self.seed, replication)?;
        Ok((tally, day.story.take().unwrap_or_default()))
    }
}

/// A replication as it goes. The same one is used again for the next, with all that it has allocated.
struct Day<'m> {
    model: &'m Model,
    key: Key,
    now: SimTime,
    /// The interval that `now` is in, and when it begins and ends.
    interval: usize,
    interval_begins: SimTime,
    interval_ends: SimTime,
    calendar: Calendar,
    arrivals: Arrivals,
    contacts: Vec<Contact>,
    /// Places in `contacts` that are free.
    gone: Vec<ContactId>,
    lines: Vec<Line>,
    agents: Vec<Agent>,
    /// Free agents of each class, the longest idle first.
    idle: Vec<IdleList>,
    /// Contacts of each agent: a row of places each.
    hands: Vec<ContactId>,
    /// Contacts that wait for one agent.
    personal: Vec<(u32, ContactId)>,
    /// A list for those whose devices have just stopped ringing, used again and again.
    silenced: Vec<u32>,
    /// Members tried in this round: rows of bits.
    tried: Vec<u64>,
    /// People of each team who are to leave.
    owed: Vec<Owed>,
    next_shift: usize,
    tally: DayTally,
    story: Option<EventLog>,
    came: u32,
}

impl<'m> Day<'m> {
    fn new(model: &'m Model) -> Self {
        Self {
            model,
            key: Key::default(),
            now: 0.0,
            interval: 0,
            interval_begins: 0.0,
            interval_ends: 0.0,
            calendar: Calendar::default(),
            arrivals: Arrivals::default(),
            contacts: Vec::new(),
            gone: Vec::new(),
            lines: vec![Line::default(); model.lines.len()],
            agents: vec![Agent::default(); model.agents.len()],
            idle: vec![IdleList::default(); model.classes.len()],
            hands: vec![NONE; model.agents.len() * model.most_at_once as usize],
            personal: Vec::new(),
            silenced: Vec::new(),
            tried: Vec::new(),
            owed: vec![Owed::default(); model.teams.len()],
            next_shift: 0,
            tally: empty_tally(model),
            story: None,
            came: 0,
        }
    }

    fn play(&mut self, seed: u64, replication: u32) -> Result<DayTally, PlayError> {
        self.begin(seed, replication);
        let last = self.end_of_day() + MOST_OVERRUN_SECS;
        let expected = self.arrivals.expected();
        let most_events = ((expected as u64) + 1000).saturating_mul(MOST_EVENTS_PER_CONTACT);
        loop {
            let shift = self.next_shift_at();
            let planned = self.calendar.next_at();
            let arrival = self.arrivals.next_at();
            // At one moment: shifts before what was planned before who comes.
            if shift <= planned && shift <= arrival {
                if shift > last {
                    break;
                }
                self.move_to(shift);
                self.change_shift();
            } else if planned <= arrival {
                if planned > last {
                    break;
                }
                self.move_to(planned);
                if let Some((event, contact)) = self.calendar.take() {
                    self.handle(event, contact);
                }
            } else {
                self.move_to(arrival);
                self.contact_comes();
            }
            self.tally.events += 1;
            if self.tally.events > most_events {
                let (events, at_secs) = (self.tally.events, self.now);
                return Err(PlayError::TooManyEvents { replication, events, at_secs });
            }
            if self.contacts.len() > Calendar::MOST_CONTACTS as usize {
                let contacts = self.contacts.len();
                return Err(PlayError::TooManyContacts { replication, contacts });
            }
        }
        self.end_everything();
        Ok(std::mem::replace(&mut self.tally, empty_tally(self.model)))
    }

    fn begin(&mut self, seed: u64, replication: u32) {
        self.key = Key::of_replication(seed, replication);
        (self.now, self.interval, self.interval_begins) = (0.0, 0, 0.0);
        self.interval_ends = self.model.interval_secs;
        self.calendar.clear();
        self.contacts.clear();
        self.gone.clear();
        self.lines.fill(Line::default());
        self.agents.fill(Agent::default());
        self.idle.fill(IdleList::default());
        self.personal.clear();
        self.tried.clear();
        self.owed.fill(Owed::default());
        (self.next_shift, self.came) = (0, 0);
        self.tally = empty_tally(self.model);
        self.arrivals.begin(self.model, self.key);
    }

    fn handle(&mut self, event: Event, contact: ContactId) {
        match event {
            Event::Comes => self.comes_again(contact),
            Event::StepOver => self.leave_step(contact),
            Event::PatienceEnds => self.lose_patience(contact),
            Event::LimitOver => self.reach_limit(contact),
            Event::Widens => self.widen(contact),
            Event::AnnouncementBegins => self.hear_announcement(contact),
            Event::HoldOver => self.end_hold(contact),
            Event::CallbackOffered => self.hear_callback_offer(contact),
            Event::RingEnds => self.end_ringing(contact),
            Event::GapOver => self.end_gap(contact),
            Event::HandledSoFar => self.end_handling(contact),
            Event::CallbackDue => self.call_back(contact),
        }
    }

    fn move_to(&mut self, next: SimTime) {
        self.now = next;
        while next >= self.interval_ends && self.interval + 1 < self.model.intervals {
            self.interval += 1;
            self.interval_begins = self.interval as f64 * self.model.interval_secs;
            self.interval_ends = (self.interval + 1) as f64 * self.model.interval_secs;
        }
    }

    fn end_of_day(&self) -> SimTime {
        self.model.intervals as f64 * self.model.interval_secs
    }

    /// A place for a new contact.
    fn admit(&mut self, contact: Contact) -> ContactId {
        match self.gone.pop() {
            Some(place) => {
                self.contacts[place as usize] = contact;
                place
            }
            None => {
                self.contacts.push(contact);
                (self.contacts.len() - 1) as ContactId
            }
        }
    }

    fn forget(&mut self, id: ContactId) {
        self.contacts[id as usize].state = State::Gone;
        self.gone.push(id);
    }

    /// Whoever is still here when nothing more is planned, or too late, will never be served.
    fn end_everything(&mut self) {
        self.now = self.now.max(self.end_of_day());
        for id in self.by_appearance(|_| true) {
            let contact = &self.contacts[id as usize];
            match contact.state {
                State::Gone | State::Talking | State::WrappingUp => {}
                _ if contact.is_work() || contact.is_handed_over => {}
                State::Away if contact.callback == contact::NO_CALLBACK => {}
                _ if contact.callback != contact::NO_CALLBACK => {
                    self.tally_of(id).callback_failed += 1.0;
                }
                _ => {
                    if contact.is_in_line() {
                        let flow = self.model.lines[usize::from(contact.line)].exits.left_waiting;
                        self.tally.flows[flow as usize] += 1.0;
                        self.count_wait(id);
                    }
                    self.tally_of(id).left_waiting += 1.0;
                }
            }
        }
        for agent in 0..self.agents.len() as u32 {
            self.account(agent);
            self.account_presence(agent);
        }
        for team in 0..self.model.teams.len() as u16 {
            self.account_owed(team);
        }
        self.fill_in_staffed();
    }

    /// The contacts that meet a condition, in the order of their numbers.
    fn by_appearance(&self, meets: impl Fn(&Contact) -> bool) -> Vec<ContactId> {
        let all = 0..self.contacts.len() as ContactId;
        let mut found: Vec<ContactId> =
            all.filter(|&id| meets(&self.contacts[id as usize])).collect();
        found.sort_by_key(|&id| {
            let contact = &self.contacts[id as usize];
            (contact.serial, contact.is_work())
        });
        found
    }

    fn tally_of(&mut self, id: ContactId) -> &mut TypeTally {
        let contact = &self.contacts[id as usize];
        let row = usize::from(contact.kind) * self.model.intervals;
        &mut self.tally.types[row + contact.interval as usize]
    }

    fn say(&mut self, id: ContactId, what: What) {
        if let Some(story) = &mut self.story {
            let contact = &self.contacts[id as usize];
            story.push(self.now, contact.serial, contact.kind, what);
        }
    }
}

fn empty_tally(model: &Model) -> DayTally {
    let Model { intervals, types, lines, teams, agents, names, .. } = model;
    let count = names.types.len();
    DayTally {
        intervals: *intervals,
        types: vec![TypeTally::default(); types.len() * intervals],
        service_points: vec![ServicePointTally::default(); lines.len() * intervals],
        teams: vec![TeamTally::default(); teams.len() * intervals],
        agents: vec![AgentTally::default(); agents.len()],
        labels: vec![LabelTally::default(); names.labels.len()],
        flows: vec![0.0; names.flows.len()],
        answer_waits: vec![Default::default(); count],
        abandon_waits: vec![Default::default(); count],
        events: 0,
    }
}
