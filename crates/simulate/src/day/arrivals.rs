//! When contacts come.

use super::Day;
use super::contact::{Contact, NONE, State};
use crate::calendar::{ContactId, Event, SimTime};
use crate::draws::{Key, Purpose, gamma};
use crate::event_log::What;
use crate::experiment::{Arrivals as Manner, DemandLuck};
use crate::model::{AgainModel, Model, TypeModel};

/// The arrivals of all contact types.
#[derive(Default)]
pub(super) struct Arrivals {
    types: Vec<TypeArrivals>,
    /// The type whose contact comes next, and when.
    next: usize,
    next_at: SimTime,
}

/// The arrivals of one contact type, drawn one by one from a stream of their own.
struct TypeArrivals {
    key: Key,
    /// The key of the next contact.
    next_key: Key,
    manner: Manner,
    /// Contacts to expect per interval, this day's luck included.
    expected: Vec<f64>,
    /// Mean seconds from one to the next in each interval; infinite where none is expected.
    apart_secs: Vec<f64>,
    interval: usize,
    at: SimTime,
    /// Contacts so far.
    came: u64,
    /// Of a counted interval, how many are still to come.
    left: u64,
}

impl Arrivals {
    pub fn begin(&mut self, model: &Model, key: Key) {
        self.types.resize_with(model.types.len(), TypeArrivals::new);
        for (kind, (arrivals, of_type)) in self.types.iter_mut().zip(&model.types).enumerate() {
            arrivals.begin(of_type, key.of(kind as u64 + 1), model);
        }
        self.find_next();
    }

    /// Contacts that this replication expects.
    pub fn expected(&self) -> f64 {
        self.types.iter().flat_map(|of_type| &of_type.expected).sum()
    }

    pub fn next_at(&self) -> SimTime {
        self.next_at
    }

    /// Takes the next contact: its type, interval and key.
    fn take(&mut self, model: &Model) -> (usize, usize, Key) {
        let kind = self.next;
        let arrivals = &mut self.types[kind];
        let (interval, key) = (arrivals.interval, arrivals.next_key);
        arrivals.came += 1;
        arrivals.plan_next(model.interval_secs);
        self.find_next();
        (kind, interval, key)
    }

    fn find_next(&mut self) {
        (self.next, self.next_at) = (0, f64::INFINITY);
        for (kind, arrivals) in self.types.iter().enumerate() {
            if arrivals.at < self.next_at {
                (self.next, self.next_at) = (kind, arrivals.at);
            }
        }
    }
}

/// What a date comes to, as a share of its forecast. The first date of a trial is drawn as a trial of
/// it alone would.
fn day_factor(luck: &DemandLuck, key: Key, date: u32) -> f64 {
    let purpose = match date {
        0 => Purpose::DAY,
        later => Purpose::DAY.of(u64::from(later)),
    };
    let place = key.uniform(purpose) * luck.day_factors.len() as f64;
    luck.day_factors.get(place as usize).copied().unwrap_or(1.0)
}

impl TypeArrivals {
    fn new() -> Self {
        Self {
            key: Key::default(),
            next_key: Key::default(),
            manner: Manner::Random,
            expected: Vec::new(),
            apart_secs: Vec::new(),
            interval: 0,
            at: 0.0,
            came: 0,
            left: 0,
        }
    }

    fn begin(&mut self, of_type: &TypeModel, key: Key, model: &Model) {
        (self.key, self.manner) = (key, of_type.arrivals);
        self.expected.clear();
        self.expected.extend(of_type.intervals.iter().map(|interval| interval.contacts));
        (self.interval, self.at, self.came) = (0, 0.0, 0);
        if let Some(luck) = &of_type.luck {
            let variance = luck.interval_variance;
            let mut today = None;
            for (interval, contacts) in self.expected.iter_mut().enumerate() {
                let date = model.dates[interval];
                let factor = match today {
                    Some((known, factor)) if known == date => factor,
                    _ => day_factor(luck, key, date),
                };
                today = Some((date, factor));
                *contacts *= factor;
                if variance > 0.0 {
                    let purpose = Purpose::INTERVAL.of(interval as u64);
                    *contacts *= variance * gamma(1.0 / variance, key, purpose);
                }
            }
        }
        self.apart_secs.clear();
        let apart = self.expected.iter().map(|contacts| model.interval_secs / contacts);
        self.apart_secs.extend(apart);
        self.left = self.counted(0);
        self.plan_next(model.interval_secs);
    }

    fn counted(&self, interval: usize) -> u64 {
        self.expected.get(interval).map_or(0, |contacts| contacts.round() as u64)
    }

    fn plan_next(&mut self, interval_secs: f64) {
        self.next_key = self.key.of(self.came + 1);
        match self.manner {
            Manner::Random => self.plan_next_at_random(interval_secs),
            Manner::Counted => self.plan_next_counted(interval_secs),
        }
    }

    /// Arrivals are a unit Poisson process in expected contacts: a gap is used up at each interval's
    /// own rate.
    fn plan_next_at_random(&mut self, interval_secs: f64) {
        let mut gap = self.next_key.exponential(Purpose::ARRIVAL);
        let mut from = self.at;
        while let Some(&apart_secs) = self.apart_secs.get(self.interval) {
            let end = (self.interval + 1) as f64 * interval_secs;
            let at = from + gap * apart_secs;
            if at < end {
                self.at = at;
                return;
            }
            gap -= (end - from) / apart_secs;
            from = end;
            self.interval += 1;
        }
        self.at = f64::INFINITY;
    }

    /// Of n contacts at random times in what is left of an interval, the first comes after a share
    /// 1 − u^(1/n) of it.
    fn plan_next_counted(&mut self, interval_secs: f64) {
        let mut from = self.at;
        while self.interval < self.expected.len() {
            let end = (self.interval + 1) as f64 * interval_secs;
            if self.left > 0 {
                let u = self.next_key.uniform(Purpose::ARRIVAL);
                self.at = from + (end - from) * (1.0 - libm::pow(u, 1.0 / self.left as f64));
                self.left -= 1;
                return;
            }
            from = end;
            self.interval += 1;
            self.left = self.counted(self.interval);
        }
        self.at = f64::INFINITY;
    }
}

impl Day<'_> {
    /// A contact comes for the first time.
    pub(super) fn contact_comes(&mut self) {
        let (kind, interval, key) = self.arrivals.take(self.model);
        let mut contact = Contact::new(key, kind as u16, interval as u32);
        let profiles = &self.model.types[kind].profiles;
        if !profiles.is_empty() {
            let drawn = key.uniform(Purpose::PROFILE);
            contact.profile = profiles.partition_point(|&share| share <= drawn) as u16;
        }
        let id = self.admit(contact);
        self.come_in(id);
    }

    /// A customer who tried before, or was served before, comes; too late ones stay away.
    pub(super) fn comes_again(&mut self, id: ContactId) {
        if self.contacts[id as usize].due != self.now {
            return;
        }
        if self.now >= self.end_of_day() {
            return self.forget(id);
        }
        let interval = self.interval as u32;
        let contact = &mut self.contacts[id as usize];
        contact.state = State::Moving;
        contact.interval = interval;
        if contact.attempt > 1 {
            self.tally_of(id).again += 1.0;
        }
        self.come_in(id);
    }

    fn come_in(&mut self, id: ContactId) {
        self.came += 1;
        self.contacts[id as usize].serial = self.came;
        self.tally_of(id).offered += 1.0;
        self.say(id, What::Came);
        let kind = usize::from(self.contacts[id as usize].kind);
        self.go(id, self.model.types[kind].first);
    }

    /// Lets a customer who was not served try again, if this one does.
    pub(super) fn may_try_again(&mut self, id: ContactId, again: Option<&AgainModel>) {
        let Some(again) = again else { return };
        let contact = &self.contacts[id as usize];
        let attempt = contact.attempt;
        let purpose = Purpose::TRY_AGAIN.of(u64::from(attempt));
        if attempt >= again.most_attempts || contact.key.uniform(purpose) >= again.share {
            return;
        }
        let secs = again.after.secs(contact.key, Purpose::AGAIN_AFTER.of(u64::from(attempt)));
        self.plan_return(id, secs, |next| next.attempt = attempt + 1);
    }

    /// Lets a customer who was served call once more, if this one does.
    pub(super) fn may_repeat(&mut self, id: ContactId, agent: u32) {
        let contact = &self.contacts[id as usize];
        let Some(repeat) = &self.model.types[usize::from(contact.kind)].repeat else { return };
        let is_first = !contact.is_repeat && !contact.is_work();
        if is_first && contact.key.uniform(Purpose::REPEAT) < repeat.share {
            let secs = repeat.after.secs(contact.key, Purpose::REPEAT_AFTER);
            self.plan_return(id, secs, |next| (next.is_repeat, next.last_agent) = (true, agent));
        }
    }

    fn plan_return(&mut self, id: ContactId, secs: f64, differs: impl FnOnce(&mut Contact)) {
        let at = self.now + secs;
        let before = &self.contacts[id as usize];
        let attempt = u64::from(before.attempt) + u64::from(before.is_repeat);
        let mut next = Contact::new(before.key.of(attempt), before.kind, 0);
        next.profile = before.profile;
        (next.attempt, next.is_repeat) = (before.attempt, before.is_repeat);
        (next.last_agent, next.state, next.due) = (before.last_agent, State::Away, at);
        differs(&mut next);
        debug_assert!(next.agent == NONE);
        let next = self.admit(next);
        self.calendar.plan(at, Event::Comes, next);
    }
}
