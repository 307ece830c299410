//! One simulated day: a calendar, an enum of events, one `match`.
//!
//! A contact arrives and is answered at once if an agent is free; otherwise it takes a place in the
//! queue, or the exit "full". It waits until an agent is free, its patience ends or the longest wait
//! is over, whichever comes first. The line is served in order of arrival. An agent who is to leave
//! finishes the contacts at hand. After the last interval its cover stays until the line is empty.

use std::collections::VecDeque;

use barometer_strategy::Exit;
use rayon::prelude::*;

use crate::calendar::{Calendar, ContactId, Event, SimTime};
use crate::draws::{Arrivals, ContactDraws};
use crate::experiment::Experiment;
use crate::tally::{DayTally, IntervalTally};

impl Experiment {
    /// Plays one replication.
    pub fn play(&self, replication: u32) -> DayTally {
        Day::new(self, replication).play()
    }

    /// Plays a range of replications on all cores; the tallies come in the order of replications.
    pub fn play_range(&self, range: std::ops::Range<u32>) -> Vec<DayTally> {
        range.into_par_iter().map(|replication| self.play(replication)).collect()
    }
}

struct Day<'a> {
    experiment: &'a Experiment,
    replication: u32,
    now: SimTime,
    calendar: Calendar,
    arrivals: Arrivals,
    /// Expected contacts per interval, this day's luck included.
    expected: Vec<f64>,
    /// Next contact to come; infinite when the day's last has come.
    next_arrival: SimTime,
    /// The interval of the next arrival, from which the search for the one after it goes on.
    arrival_interval: usize,
    /// The interval that `now` is in.
    interval: usize,
    contacts: Vec<Contact>,
    line: VecDeque<ContactId>,
    /// Contacts in `line` that still wait; those who left stay in it until they come to its head.
    waiting: u32,
    busy: u32,
    capacity: u32,
    tally: Vec<IntervalTally>,
}

/// Contacts to expect per interval of one replication.
fn expected(experiment: &Experiment, replication: u32) -> Vec<f64> {
    let demand = &experiment.demand;
    let mut expected: Vec<f64> =
        demand.intervals.iter().map(|interval| interval.contacts).collect();
    if let Some(luck) = &demand.luck {
        let factors = luck.factors(experiment.seed, replication, expected.len());
        expected.iter_mut().zip(factors).for_each(|(contacts, factor)| *contacts *= factor);
    }
    expected
}

struct Contact {
    arrived: SimTime,
    interval: u32,
    is_waiting: bool,
    handle_secs: f64,
}

impl<'a> Day<'a> {
    pub fn new(experiment: &'a Experiment, replication: u32) -> Self {
        let intervals = experiment.demand.intervals.len();
        let mut day = Self {
            experiment,
            replication,
            now: 0.0,
            calendar: Calendar::default(),
            arrivals: Arrivals::new(experiment.seed, replication),
            expected: expected(experiment, replication),
            next_arrival: 0.0,
            arrival_interval: 0,
            interval: 0,
            contacts: Vec::new(),
            line: VecDeque::new(),
            waiting: 0,
            busy: 0,
            capacity: 0,
            tally: vec![IntervalTally::default(); intervals],
        };
        day.capacity = day.capacity_of(0);
        day.plan_next_arrival();
        day
    }

    pub fn play(mut self) -> DayTally {
        loop {
            let cover_change = self.next_cover_change();
            let planned = self.calendar.next_at();
            let next = cover_change.min(planned).min(self.next_arrival);
            if next.is_infinite() {
                break;
            }
            self.pass_time_until(next);
            if cover_change == next {
                self.change_cover();
            } else if planned == next {
                if let Some((_, event)) = self.calendar.take() {
                    self.handle(event);
                }
            } else {
                self.contact_arrives();
            }
        }
        self.count_left_waiting();
        DayTally { intervals: self.tally }
    }

    fn handle(&mut self, event: Event) {
        match event {
            Event::ContactHandled => {
                self.busy -= 1;
                self.answer_while_possible();
            }
            Event::PatienceEnds { contact } => {
                if self.leave_line(contact) {
                    self.tally_of(contact).abandoned += 1.0;
                }
            }
            Event::LongestWaitOver { contact } => {
                if self.leave_line(contact) {
                    self.send_to(self.experiment.strategy.queue.when_too_long, contact);
                }
            }
        }
    }

    fn contact_arrives(&mut self) {
        let interval = self.arrival_interval;
        let id = self.contacts.len() as ContactId;
        let demand = &self.experiment.demand;
        let draws = ContactDraws::new(
            self.experiment.seed,
            self.replication,
            u64::from(id),
            demand.handling,
        );
        self.contacts.push(Contact {
            arrived: self.now,
            interval: interval as u32,
            is_waiting: false,
            handle_secs: demand.intervals[interval].handle_secs * draws.handle_factor,
        });
        self.tally[interval].offered += 1.0;
        if self.busy < self.capacity {
            self.answer(id);
        } else if self.is_full() {
            self.send_to(self.experiment.strategy.queue.when_full, id);
        } else {
            self.join_line(id, demand.patience_secs.map(|mean| mean * draws.patience_factor));
        }
        self.plan_next_arrival();
    }

    fn join_line(&mut self, id: ContactId, patience_secs: Option<f64>) {
        self.contacts[id as usize].is_waiting = true;
        self.line.push_back(id);
        self.waiting += 1;
        let longest = self.experiment.strategy.queue.longest_wait_secs.map(f64::from);
        // Only the timer that ends first can ever matter.
        match (patience_secs, longest) {
            (Some(patience), longest) if longest.is_none_or(|longest| patience <= longest) => {
                self.calendar.plan(self.now + patience, Event::PatienceEnds { contact: id });
            }
            (_, Some(longest)) => {
                self.calendar.plan(self.now + longest, Event::LongestWaitOver { contact: id });
            }
            (_, None) => {}
        }
    }

    /// Ends a contact's waiting if it still waits; says whether it did.
    fn leave_line(&mut self, id: ContactId) -> bool {
        let now = self.now;
        let contact = &mut self.contacts[id as usize];
        if !contact.is_waiting {
            return false;
        }
        contact.is_waiting = false;
        let waited = now - contact.arrived;
        self.waiting -= 1;
        self.tally_of(id).wait_secs += waited;
        true
    }

    fn answer_while_possible(&mut self) {
        while self.busy < self.capacity {
            let Some(id) = self.line.pop_front() else { break };
            if self.leave_line(id) {
                self.answer(id);
            }
        }
    }

    fn answer(&mut self, id: ContactId) {
        let contact = &self.contacts[id as usize];
        let waited = self.now - contact.arrived;
        let in_time = waited <= self.experiment.within_secs;
        self.calendar.plan(self.now + contact.handle_secs, Event::ContactHandled);
        self.busy += 1;
        let tally = self.tally_of(id);
        tally.answered += 1.0;
        tally.answer_wait_secs += waited;
        tally.answered_in_time += f64::from(u8::from(in_time));
    }

    fn send_to(&mut self, exit: Exit, id: ContactId) {
        let tally = self.tally_of(id);
        match exit {
            Exit::Voicemail => tally.to_voicemail += 1.0,
            Exit::Release => tally.released += 1.0,
        }
    }

    fn is_full(&self) -> bool {
        self.experiment.strategy.queue.places.is_some_and(|places| self.waiting >= places)
    }

    fn change_cover(&mut self) {
        self.interval += 1;
        self.capacity = self.capacity_of(self.interval);
        self.answer_while_possible();
    }

    fn capacity_of(&self, interval: usize) -> u32 {
        self.experiment.agents[interval].saturating_mul(self.experiment.strategy.team.concurrency)
    }

    fn next_cover_change(&self) -> SimTime {
        if self.interval + 1 < self.tally.len() {
            (self.interval + 1) as f64 * self.experiment.demand.interval_secs
        } else {
            f64::INFINITY
        }
    }

    /// Arrivals are a unit Poisson process in expected contacts: a gap is used up at each
    /// interval's own rate.
    fn plan_next_arrival(&mut self) {
        let interval_secs = self.experiment.demand.interval_secs;
        let mut gap = self.arrivals.gap();
        let mut from = self.next_arrival;
        while let Some(contacts) = self.expected.get(self.arrival_interval) {
            let end = (self.arrival_interval + 1) as f64 * interval_secs;
            let per_sec = contacts / interval_secs;
            let at = from + gap / per_sec;
            if per_sec > 0.0 && at < end {
                self.next_arrival = at;
                return;
            }
            gap -= (end - from) * per_sec;
            from = end;
            self.arrival_interval += 1;
        }
        self.next_arrival = f64::INFINITY;
    }

    fn pass_time_until(&mut self, next: SimTime) {
        let secs = next - self.now;
        let open_secs = (self.end_of_day() - self.now).clamp(0.0, secs);
        let busy = f64::from(self.busy);
        let tally = &mut self.tally[self.interval];
        tally.busy_secs += secs * busy;
        // After the day's end people stay for the contacts at hand and in line, not for more.
        tally.staffed_secs +=
            open_secs * f64::from(self.capacity.max(self.busy)) + (secs - open_secs) * busy;
        self.now = next;
    }

    fn end_of_day(&self) -> SimTime {
        self.tally.len() as f64 * self.experiment.demand.interval_secs
    }

    /// Whoever waits when nothing more is planned will never be answered: no cover is left, and
    /// neither patience nor a longest wait ends it.
    fn count_left_waiting(&mut self) {
        self.now = self.now.max(self.end_of_day());
        while let Some(id) = self.line.pop_front() {
            if self.leave_line(id) {
                self.tally_of(id).left_waiting += 1.0;
            }
        }
    }

    fn tally_of(&mut self, id: ContactId) -> &mut IntervalTally {
        &mut self.tally[self.contacts[id as usize].interval as usize]
    }
}
