//! Whom to call next: the people of a list, who has been called how often, and when they are called again.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use barometer_strategy::{CallableTogether, Campaign, CampaignList, ImportedList, Retries};
use serde::{Deserialize, Serialize};

use crate::Seconds;
use crate::calling_times::CallingTimes;

/// A person of a list, by place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PersonId(pub u32);

/// How often somebody was called.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
struct Called {
    in_all: u8,
    today: u8,
    /// The day of the last call in the person's zone, from the first on.
    day: i16,
    /// Calls that the person answered and that were abandoned.
    #[serde(default)]
    abandoned: u8,
}

/// A moment that can be put in order.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Serialize, Deserialize)]
struct Due(Seconds);

impl Eq for Due {}

#[expect(clippy::derive_ord_xor_partial_ord, reason = "moments are never NaN")]
impl Ord for Due {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// The people of a campaign's list while it is called.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Book {
    /// The people of each zone in the order of the list.
    by_zone: Vec<Vec<u32>>,
    zone_of: Vec<u16>,
    /// Calls to each person before the start; empty where there were none.
    before: Vec<u8>,
    /// People who had been called often enough before the start.
    done_before: u32,
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

/// The zones of made-up people, so that every stretch of the list has the zones' shares.
fn made_up(list: &CampaignList) -> Vec<u16> {
    let zones = &list.zones;
    let zone_of = |place: u32| {
        // The golden ratio spreads evenly (a Weyl sequence).
        let spread = (f64::from(place) * 0.618_033_988_749_894_9).fract();
        let mut sum = 0.0;
        let zone = zones.iter().position(|zone| {
            sum += zone.share;
            spread < sum
        });
        zone.unwrap_or(zones.len().saturating_sub(1)) as u16
    };
    (0..list.people).map(zone_of).collect()
}

/// The zones of a list's people, and the calls to each before, in the order of the first calls: by priority,
/// and people of one priority so that every stretch has the groups' shares.
fn in_order_of_priority(
    imported: &ImportedList,
    together: &[CallableTogether],
) -> (Vec<u16>, Vec<u8>) {
    let mut order: Vec<(u8, f64, u16, u8)> = Vec::new();
    for group in &imported.groups {
        let zone = together.iter().position(|each| each.holds(group)).unwrap_or(0) as u16;
        let people = f64::from(group.people);
        order
            .extend((0..group.people).map(|nth| {
                (group.priority, (f64::from(nth) + 0.5) / people, zone, group.attempts)
            }));
    }
    // Stable: people at the same place of two groups follow each other as the groups do.
    order.sort_by(|one, other| one.0.cmp(&other.0).then(one.1.total_cmp(&other.1)));
    order.into_iter().map(|(_, _, zone, before)| (zone, before)).unzip()
}

impl Book {
    /// The people of a campaign's list in the order in which they are called for the first time.
    pub fn of(campaign: &Campaign, times: &CallingTimes) -> Self {
        let together = campaign.list.callable_together();
        let (zone_of, before) = match &campaign.list.imported {
            Some(imported) => in_order_of_priority(imported, &together),
            None => (made_up(&campaign.list), Vec::new()),
        };
        let mut by_zone = vec![Vec::new(); times.zones()];
        let mut done_before = 0;
        for (place, zone) in zone_of.iter().enumerate() {
            let called = before.get(place).map_or(0, |&calls| u32::from(calls));
            if called > 0 && called >= campaign.retries.most_in_all {
                done_before += 1;
            } else {
                by_zone[usize::from(*zone)].push(place as u32);
            }
        }
        let best_hour = |together: &CallableTogether| {
            let local = campaign.local_hours;
            let local = together.hours.map_or(Some(local), |hours| local.within(hours))?;
            let is_allowed = |hour: usize| {
                let hour = hour as i8;
                local.from.hour() <= hour && hour < local.until.hour()
            };
            campaign.retries.best_hour.then(|| campaign.assumed.best_hour(is_allowed))?
        };
        let mut book = Self {
            called: vec![Called::default(); zone_of.len()],
            begun: vec![0; times.zones()],
            again: vec![BinaryHeap::new(); times.zones()],
            best_hours: together.iter().map(best_hour).collect(),
            retries: campaign.retries.clone(),
            under_way: 0,
            done: 0,
            done_before,
            by_zone,
            zone_of,
            before,
        };
        book.begin();
        book
    }

    /// The list from its beginning again.
    pub fn begin(&mut self) {
        self.called.fill(Called::default());
        for (called, before) in self.called.iter_mut().zip(&self.before) {
            called.in_all = *before;
        }
        self.begun.fill(0);
        self.again.iter_mut().for_each(BinaryHeap::clear);
        (self.under_way, self.done) = (0, self.done_before);
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

    /// Notes that a call was abandoned which somebody had answered; gives how many such calls that person has
    /// had by now.
    pub fn note_abandoned(&mut self, person: PersonId) -> u32 {
        let abandoned = &mut self.called[person.0 as usize].abandoned;
        *abandoned = abandoned.saturating_add(1);
        u32::from(*abandoned)
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

    /// The same book for a clock that began so many seconds, and so many days, later.
    pub fn moved(mut self, secs: Seconds, days: i16) -> Self {
        for again in &mut self.again {
            let earlier = std::mem::take(again).into_iter();
            *again = earlier
                .map(|Reverse((Due(at), person))| Reverse((Due(at - secs), person)))
                .collect();
        }
        self.called.iter_mut().for_each(|called| called.day -= days);
        self
    }

    /// Whether another book is of the same people in the same order.
    pub fn is_of_same_list(&self, other: &Self) -> bool {
        self.zone_of == other.zone_of && self.before == other.before
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
