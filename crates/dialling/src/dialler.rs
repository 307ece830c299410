//! One campaign at work.

use std::collections::VecDeque;

use barometer_strategy::Campaign;

use crate::Seconds;
use crate::book::{Book, PersonId};
use crate::calling_times::{CallingTimes, Stretch};
use crate::pacing::{Learned, Pacing, Reckoned, Situation, of};

/// How a call to a person ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum CallEnd {
    /// The line was busy, or the network congested.
    Busy,
    /// Nobody answered.
    NoAnswer,
    /// A machine answered, or a person was taken for one.
    Machine,
    /// A person answered, and no agent was connected in time.
    Abandoned,
    /// There was a conversation, or the message was heard; again after so many seconds where that was
    /// agreed.
    Talked {
        /// Seconds after which to call again.
        again_after_secs: Option<Seconds>,
    },
    /// The number does not exist, or the agent skipped the person.
    Never,
}

/// A campaign at work: whom it calls, when, and how fast.
#[derive(Debug)]
pub struct Dialler<'c> {
    campaign: &'c Campaign,
    times: CallingTimes,
    /// The stretch that was looked up last: it is asked for at every change of an agent.
    stretch: Stretch,
    /// Whom it calls.
    pub book: Book,
    pacing: Box<dyn Pacing>,
    /// When the calls of the last minute were begun.
    begun: VecDeque<Seconds>,
    day: Option<i32>,
    /// Calls begun today, for which the campaign's numbers were shown in turn.
    shown_today: u32,
    /// Lines that the pacing asked for when it decided last.
    asked_for: u32,
    /// Calls that people have answered today, and how many of them found no agent or were taken for machines.
    answered_today: (u32, u32),
    /// Until when nobody may be called, unless a call ends before.
    nobody_until: Seconds,
}

/// The span over which calls begun are counted.
const MINUTE_SECS: f64 = 60.0;

impl<'c> Dialler<'c> {
    /// A campaign that calls at these times.
    pub fn of(campaign: &'c Campaign, times: CallingTimes) -> Self {
        Self {
            book: Book::of(campaign, &times),
            pacing: of(campaign),
            begun: VecDeque::new(),
            day: None,
            shown_today: 0,
            asked_for: 0,
            answered_today: (0, 0),
            nobody_until: f64::NEG_INFINITY,
            stretch: Stretch::NONE,
            campaign,
            times,
        }
    }

    /// From the beginning again.
    pub fn begin(&mut self) {
        self.book.begin();
        self.pacing.begin();
        self.begun.clear();
        self.day = None;
        (self.shown_today, self.asked_for, self.answered_today) = (0, 0, (0, 0));
        self.nobody_until = f64::NEG_INFINITY;
    }

    /// When it may call whom.
    pub fn times(&self) -> &CallingTimes {
        &self.times
    }

    /// What holds about when it may call, from a moment at or before now until something changes.
    pub fn stretch(&mut self, now: Seconds) -> Stretch {
        if !self.stretch.contains(now) {
            self.stretch = self.times.stretch(now);
        }
        self.stretch
    }

    /// How many calls to begin now: `factor` times as many lines as the pacing asks for (1 as it should be), within the
    /// caps.
    pub fn calls_to_begin(&mut self, at: &Situation<'_>, lines_in_use: u32, factor: f64) -> u32 {
        if at.now < self.nobody_until || !self.stretch(at.now).is_dialling() {
            return 0;
        }
        let day = self.times.day(at.now);
        if self.day.replace(day).is_some_and(|before| before != day) {
            self.pacing.new_day();
            (self.shown_today, self.answered_today) = (0, (0, 0));
        }
        let ringing = at.ringing_since.len() as u32;
        let lines = (factor * f64::from(self.pacing.lines(at)) + 1e-9) as u32;
        self.asked_for = lines;
        let mut calls = lines.saturating_sub(ringing);
        let caps = &self.campaign.caps;
        if let Some(lines) = caps.lines {
            calls = calls.min(lines.saturating_sub(lines_in_use));
        }
        if let Some(per_agent) = caps.lines_per_agent {
            let most = (per_agent * f64::from(at.on_shift) + 1e-9) as u32;
            calls = calls.min(most.saturating_sub(ringing));
        }
        if let Some(most) = caps.dials_per_minute {
            while self.begun.front().is_some_and(|&begun| begun <= at.now - MINUTE_SECS) {
                self.begun.pop_front();
            }
            calls = calls.min(most.saturating_sub(self.begun.len() as u32));
        }
        calls
    }

    /// Takes the next person who may be called now; the call begins.
    pub fn next_person(&mut self, now: Seconds) -> Option<PersonId> {
        let Some(person) = self.book.next(&self.times, now) else {
            self.nobody_until = self.stretch(now).until().min(self.book.next_due(now));
            return None;
        };
        if self.campaign.caps.dials_per_minute.is_some() {
            self.begun.push_back(now);
        }
        Some(person)
    }

    /// Factor on the share of calls that are answered, by the number that is shown next: less than 1 where it is worn by
    /// the calls of today.
    pub fn number_factor(&self) -> f64 {
        self.campaign.assumed.worn_numbers.map_or(1.0, |worn| {
            let for_each = self.shown_today / self.campaign.numbers_in_turn();
            if for_each >= worn.calls_a_day { worn.answered_factor } else { 1.0 }
        })
    }

    /// A call has begun for which a number is shown.
    pub fn note_shown(&mut self) {
        self.shown_today += 1;
    }

    /// The pacing learns something.
    pub fn learn(&mut self, what: Learned) {
        match what {
            Learned::Connected => self.answered_today.0 += 1,
            Learned::Abandoned => {
                self.answered_today.0 += 1;
                self.answered_today.1 += 1;
            }
            Learned::LineOver { .. } | Learned::Handled(_) => {}
        }
        self.pacing.learn(what);
    }

    /// Lines in the air that the pacing asked for when it decided last.
    pub fn asked_for(&self) -> u32 {
        self.asked_for
    }

    /// Calls that people have answered today, and how many of them found no agent or were taken for machines.
    pub fn answered_today(&self) -> (u32, u32) {
        self.answered_today
    }

    /// What the pacing reckons with now.
    pub fn reckoned(&self) -> Option<Reckoned> {
        self.pacing.reckoned()
    }

    /// A call is over.
    pub fn call_over(&mut self, person: PersonId, now: Seconds, end: CallEnd) {
        let retries = &self.campaign.retries;
        let (after_secs, is_agreed) = match end {
            CallEnd::Busy => (retries.busy_after_secs, false),
            CallEnd::NoAnswer => (retries.no_answer_after_secs, false),
            CallEnd::Machine => (retries.machine_after_secs, false),
            CallEnd::Abandoned => (retries.abandoned_after_secs, false),
            CallEnd::Talked { again_after_secs } => (again_after_secs, true),
            CallEnd::Never => (None, false),
        };
        self.book.call_over(&self.times, person, now, after_secs, is_agreed);
        self.nobody_until = self.nobody_until.min(self.book.next_due(now)).max(now);
    }

    /// Whether anybody is to be called at this moment, as far as is known.
    pub fn has_people(&self, now: Seconds) -> bool {
        !self.book.is_used_up() && now >= self.nobody_until
    }

    /// When to decide again at the latest though nothing else happens; infinite where there is nothing to
    /// wait for. Time alone changes a decision only while something is under way.
    pub fn next_look(&mut self, now: Seconds, is_under_way: bool) -> Seconds {
        if self.book.is_used_up() {
            return f64::INFINITY;
        }
        let stretch = self.stretch(now);
        let change = stretch.until();
        if !stretch.is_dialling() {
            return change;
        }
        if now < self.nobody_until {
            return change.min(self.nobody_until);
        }
        let every = self.pacing.every_secs().filter(|_| is_under_way);
        let paced = every.map_or(f64::INFINITY, |secs| now + secs);
        // A minute's cap frees a call when the oldest is a minute old.
        let freed = self.begun.front().map_or(f64::INFINITY, |&begun| begun + MINUTE_SECS);
        let freed = if freed > now { freed } else { f64::INFINITY };
        change.min(paced).min(freed).min(self.book.next_due(now))
    }
}
