//! Whom to call next: the people of a list, who has been called how often, and when they are called again.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use barometer_strategy::{Campaign, Retries};

use crate::Seconds;
use crate::calling_times::CallingTimes;

/// A person of a list, by place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PersonId(pub u32);

/// How often somebody was called.
#[derive(Clone, Copy, Debug, Default)]
struct Called {
    in_all: u8,
    today: u8,
    /// The day of the last call in the person's zone, from the first on.
    day: i16,
}

/// A moment that can be put in order.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
struct Due(Seconds);

impl Eq for Due {}

#[expect(clippy::derive_ord_xor_partial_ord, reason = "moments are never NaN")]
impl Ord for Due {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// The people of a campaign's list while it is called.
#[derive(Debug)]
pub struct Book {
    /// The people of each zone in the order of the list.
    by_zone: Vec<Vec<u32>>,
    zone_of: Vec<u16>,
    called: Vec<Called>,
    /// How many of each zone were called for the first time.
    begun: Vec<usize>,
    /// Who is to be called again, by zone.
    again: Vec<BinaryHeap<Reverse<(Due, u32)>>>,
    retries: Retries,
    best_hours: Vec<Option<usize>>,
    /// People who are being called.
    under_way: u32,
    done: u32,
}

impl Book {
    /// A made-up list: people follow each other so that every stretch of it has the zones' shares.
    pub fn of(campaign: &Campaign, times: &CallingTimes) -> Self {
        let people = campaign.list.people as usize;
        let mut by_zone = vec![Vec::new(); times.zones()];
        let zone_of: Vec<u16> = (0..people)
            .map(|place| {
                // The golden ratio spreads evenly (a Weyl sequence).
                let spread = (place as f64 * 0.618_033_988_749_894_9).fract();
                let mut sum = 0.0;
                let zones = &campaign.list.zones;
                let zone = zones.iter().position(|zone| {
                    sum += zone.share;
                    spread < sum
                });
                let zone = zone.unwrap_or(zones.len().saturating_sub(1));
                by_zone[zone].push(place as u32);
                zone as u16
            })
            .collect();
        let local = &campaign.local_hours;
        let is_allowed = |hour: usize| {
            let hour = hour as i8;
            local.from.hour() <= hour && hour < local.until.hour()
        };
        let best = campaign.retries.best_hour.then(|| campaign.assumed.best_hour(is_allowed));
        Self {
            called: vec![Called::default(); people],
            begun: vec![0; times.zones()],
            again: vec![BinaryHeap::new(); times.zones()],
            best_hours: vec![best.flatten(); times.zones()],
            retries: campaign.retries.clone(),
            under_way: 0,
            done: 0,
            by_zone,
            zone_of,
        }
    }

    /// The list from its beginning again.
    pub fn begin(&mut self) {
        self.called.fill(Called::default());
        self.begun.fill(0);
        self.again.iter_mut().for_each(BinaryHeap::clear);
        (self.under_way, self.done) = (0, 0);
    }

    /// In which zone somebody lives.
    pub fn zone_of(&self, person: PersonId) -> usize {
        usize::from(self.zone_of[person.0 as usize])
    }

    /// Calls to somebody so far.
    pub fn calls_to(&self, person: PersonId) -> u32 {
        u32::from(self.called[person.0 as usize].in_all)
    }

    /// Takes the next person who may be called now: first whoever is due again for longest, then the
    /// first on the list who was not called yet.
    pub fn next(&mut self, times: &CallingTimes, now: Seconds) -> Option<PersonId> {
        let mut due: Option<(Due, usize)> = None;
        let mut fresh: Option<(u32, usize)> = None;
        for zone in (0..self.by_zone.len()).filter(|&zone| times.is_open(zone, now)) {
            if let Some(Reverse((at, _))) = self.again[zone].peek()
                && at.0 <= now
                && due.is_none_or(|(earliest, _)| *at < earliest)
            {
                due = Some((*at, zone));
            }
            if let Some(&place) = self.by_zone[zone].get(self.begun[zone])
                && fresh.is_none_or(|(first, _)| place < first)
            {
                fresh = Some((place, zone));
            }
        }
        let place = match (due, fresh) {
            (Some((_, zone)), _) => self.again[zone].pop().map(|Reverse((_, place))| place)?,
            (None, Some((place, zone))) => {
                self.begun[zone] += 1;
                place
            }
            (None, None) => return None,
        };
        let zone = usize::from(self.zone_of[place as usize]);
        let day = times.local_day(zone, now) as i16;
        let called = &mut self.called[place as usize];
        if called.day != day {
            (called.day, called.today) = (day, 0);
        }
        called.in_all = called.in_all.saturating_add(1);
        called.today = called.today.saturating_add(1);
        self.under_way += 1;
        Some(PersonId(place))
    }

    /// A call that was not begun after all: the person is next again.
    pub fn put_back(&mut self, person: PersonId, now: Seconds) {
        self.under_way -= 1;
        let called = &mut self.called[person.0 as usize];
        called.in_all -= 1;
        called.today -= 1;
        self.again[self.zone_of[person.0 as usize] as usize].push(Reverse((Due(now), person.0)));
    }

    /// A call to somebody is over. Where `after_secs` says when to call again, that is done unless the
    /// person was called often enough: in all, or on that day, then on the next.
    pub fn call_over(
        &mut self,
        times: &CallingTimes,
        person: PersonId,
        now: Seconds,
        after_secs: Option<f64>,
        is_agreed: bool,
    ) {
        self.under_way -= 1;
        let (zone, called) = (self.zone_of(person), self.called[person.0 as usize]);
        let Some(secs) = after_secs.filter(|_| u32::from(called.in_all) < self.retries.most_in_all)
        else {
            self.done += 1;
            return;
        };
        let mut due = now + secs;
        if !is_agreed && let Some(hour) = self.best_hours[zone] {
            due = times.next_local_hour(zone, due, hour);
        }
        let is_full = u32::from(called.today) >= self.retries.most_a_day;
        if is_full && times.local_day(zone, due) as i16 == called.day {
            due = times.next_local_day(zone, now);
        }
        self.again[zone].push(Reverse((Due(due), person.0)));
    }

    /// Whether nobody is left to be called, now or later.
    pub fn is_used_up(&self) -> bool {
        self.under_way == 0 && self.left() == 0
    }

    /// People who are still to be called, for the first time or again.
    pub fn left(&self) -> u32 {
        let fresh = self.by_zone.iter().zip(&self.begun).map(|(all, begun)| all.len() - begun);
        (fresh.sum::<usize>() + self.again.iter().map(BinaryHeap::len).sum::<usize>()) as u32
    }

    /// People who are not called any more.
    pub fn done(&self) -> u32 {
        self.done
    }

    /// When somebody who cannot be called now is due again, in a zone whose hours are open then or not;
    /// infinite where nobody is.
    pub fn next_due(&self, now: Seconds) -> Seconds {
        let heads = self.again.iter().filter_map(|again| again.peek());
        heads.map(|Reverse((due, _))| due.0).filter(|&at| at > now).fold(f64::INFINITY, f64::min)
    }
}
