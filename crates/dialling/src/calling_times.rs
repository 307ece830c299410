//! When a campaign may call: its own hours by the centre's clock, and people's hours by theirs.

use barometer_strategy::{Campaign, Period};
use jiff::Timestamp;
use jiff::civil::Time;
use jiff::tz::TimeZone;

use crate::Seconds;

const DAY_SECS: f64 = 86_400.0;
const HOUR_SECS: f64 = 3600.0;

/// When people may be called, in seconds since the start. People of one zone who prefer the same hours are
/// called a zone here.
#[derive(Clone, Debug)]
pub struct CallingTimes {
    zones: Vec<Zone>,
    /// The centre's clock, and when the campaign dials by it, whoever may be called.
    centre: Zone,
}

#[derive(Clone, Debug)]
struct Zone {
    name: String,
    /// Both clocks allow it, in order of time.
    open: Vec<(Seconds, Seconds)>,
    /// From when on the zone's clock shows this many seconds more than those since the start, counted from
    /// a midnight.
    offsets: Vec<(Seconds, f64)>,
}

/// A stretch of time in which nothing changes about whom a campaign may call.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stretch {
    from: Seconds,
    until: Seconds,
    /// When the campaign's hours end; `None` where it does not dial.
    hours_end: Option<Seconds>,
}

impl Stretch {
    /// Of which nothing is known yet: no moment lies in it.
    pub(crate) const NONE: Self =
        Self { from: f64::INFINITY, until: f64::NEG_INFINITY, hours_end: None };

    /// Whether a moment lies in it.
    pub(crate) fn contains(&self, now: Seconds) -> bool {
        self.from <= now && now < self.until
    }

    /// Whether the campaign dials in it.
    pub fn is_dialling(&self) -> bool {
        self.hours_end.is_some()
    }

    /// Seconds until the campaign's hours are over; 0 outside them.
    pub fn left_secs(&self, now: Seconds) -> Seconds {
        self.hours_end.map_or(0.0, |end| end - now)
    }

    /// When something changes; infinite where nothing does any more.
    pub(crate) fn until(&self) -> Seconds {
        self.until
    }
}

impl CallingTimes {
    /// The times of a campaign from `start` on, for so many seconds.
    pub fn of(campaign: &Campaign, start: Timestamp, secs: f64, centre: &TimeZone) -> Self {
        // One day more, for people who are still called when the last is over by one clock and not by another.
        let period = Period { start, secs: secs + DAY_SECS };
        let hours = period.stretches(centre, |date| {
            let is_on = campaign.dials_on(date);
            let hours = campaign.hours.iter().filter(|hours| is_on && hours.is_on(date));
            hours.map(|hours| (hours.from, hours.until)).collect()
        });
        let name = centre.iana_name().unwrap_or("the centre's zone");
        let zones = campaign.list.callable_together().into_iter().map(|together| {
            // A strategy without faults names zones that there are.
            let named = together.zone.as_deref().and_then(|zone| TimeZone::get(zone).ok());
            let clock = named.as_ref().unwrap_or(centre);
            let local = match together.hours {
                Some(preferred) => campaign.local_hours.within(preferred),
                None => Some(campaign.local_hours),
            };
            let local: Vec<_> = local.iter().map(|local| (local.from, local.until)).collect();
            let zone = together.zone.as_deref().unwrap_or(name);
            Zone {
                name: match together.hours {
                    Some(hours) => format!(
                        "{zone}, {} to {}",
                        hours.from.strftime("%H:%M"),
                        hours.until.strftime("%H:%M")
                    ),
                    None => zone.to_owned(),
                },
                open: both(&hours, &period.stretches(clock, |_| local.clone())),
                offsets: offsets(period, clock),
            }
        });
        let zones = zones.collect();
        let offsets = offsets(period, centre);
        Self { zones, centre: Zone { name: name.to_owned(), open: hours, offsets } }
    }

    /// How many zones there are: at least one.
    pub fn zones(&self) -> usize {
        self.zones.len()
    }

    /// What a zone is called.
    pub fn zone_name(&self, zone: usize) -> &str {
        &self.zones[zone].name
    }

    /// Whether somebody in a zone may be called now.
    pub fn is_open(&self, zone: usize, now: Seconds) -> bool {
        is_within(&self.zones[zone].open, now)
    }

    /// Whether the campaign dials now at all, by the centre's clock.
    pub fn is_dialling(&self, now: Seconds) -> bool {
        is_within(&self.centre.open, now)
    }

    /// When both clocks allow calls, in order of time.
    pub fn open(&self, zone: usize) -> &[(Seconds, Seconds)] {
        &self.zones[zone].open
    }

    /// When the campaign dials, by the centre's clock, in order of time.
    pub fn hours(&self) -> &[(Seconds, Seconds)] {
        &self.centre.open
    }

    /// What holds from now on until something changes.
    pub fn stretch(&self, now: Seconds) -> Stretch {
        let after = self.centre.open.partition_point(|&(_, until)| until <= now);
        let hours = self.centre.open.get(after).filter(|(from, _)| *from <= now);
        let until = self.next_change(now);
        Stretch { from: now, until, hours_end: hours.map(|hours| hours.1) }
    }

    /// Seconds in which the campaign dials between two moments.
    pub fn secs_between(&self, from: Seconds, until: Seconds) -> Seconds {
        let hours = self.centre.open.iter();
        hours.map(|hours| (hours.1.min(until) - hours.0.max(from)).max(0.0)).sum()
    }

    /// The day by the centre's clock, counted from the first.
    pub fn day(&self, at: Seconds) -> i32 {
        self.centre.local(at).0
    }

    /// The next moment after now at which a zone's calls, or the campaign's hours, begin or end; infinite
    /// where none does.
    pub fn next_change(&self, now: Seconds) -> Seconds {
        let lists = self.zones.iter().chain([&self.centre]).map(|zone| &zone.open);
        let next = |open: &Vec<(Seconds, Seconds)>| {
            let after = open.partition_point(|&(_, until)| until <= now);
            open.get(after).map(|&(from, until)| if from > now { from } else { until })
        };
        lists.filter_map(next).fold(f64::INFINITY, f64::min)
    }

    /// The hour that a zone's clocks show, 0 to 23.
    pub fn local_hour(&self, zone: usize, at: Seconds) -> usize {
        let (_, secs) = self.zones[zone].local(at);
        ((secs / HOUR_SECS) as usize).min(23)
    }

    /// The day in a zone, counted from the first.
    pub fn local_day(&self, zone: usize, at: Seconds) -> i32 {
        self.zones[zone].local(at).0
    }

    /// When the next day begins in a zone.
    pub fn next_local_day(&self, zone: usize, at: Seconds) -> Seconds {
        let (_, secs) = self.zones[zone].local(at);
        at + (DAY_SECS - secs)
    }

    /// When an hour of a zone's clocks next begins; now, where it is that hour.
    pub fn next_local_hour(&self, zone: usize, at: Seconds, hour: usize) -> Seconds {
        let (_, secs) = self.zones[zone].local(at);
        let begins = hour as f64 * HOUR_SECS;
        if (begins..begins + HOUR_SECS).contains(&secs) {
            return at;
        }
        at + (begins - secs).rem_euclid(DAY_SECS)
    }
}

impl Zone {
    /// The day, and the seconds since its midnight, by the zone's clocks.
    fn local(&self, at: Seconds) -> (i32, f64) {
        let offsets = &self.offsets;
        let after = offsets.partition_point(|&(from, _)| from <= at);
        let offset = after.checked_sub(1).map_or(0.0, |before| offsets[before].1);
        let shown = at + offset;
        ((shown / DAY_SECS).floor() as i32, shown.rem_euclid(DAY_SECS))
    }
}

fn is_within(stretches: &[(Seconds, Seconds)], at: Seconds) -> bool {
    let after = stretches.partition_point(|&(from, _)| from <= at);
    after.checked_sub(1).is_some_and(|before| at < stretches[before].1)
}

/// When both hold.
fn both(one: &[(Seconds, Seconds)], other: &[(Seconds, Seconds)]) -> Vec<(Seconds, Seconds)> {
    let (mut left, mut right) = (0, 0);
    let mut found = Vec::new();
    while let (Some(a), Some(b)) = (one.get(left), other.get(right)) {
        let (from, until) = (a.0.max(b.0), a.1.min(b.1));
        if from < until {
            found.push((from, until));
        }
        if a.1 <= b.1 { left += 1 } else { right += 1 }
    }
    found
}

/// What a zone's clocks show beside the seconds since the start, from when on: clocks are put forward or back on
/// the hour.
fn offsets(period: Period, zone: &TimeZone) -> Vec<(Seconds, f64)> {
    let first = period.start.to_zoned(zone.clone());
    let midnight = first.time().duration_since(Time::midnight()).as_secs_f64();
    let base = f64::from(zone.to_offset(period.start).seconds());
    let mut offsets = vec![(f64::NEG_INFINITY, midnight)];
    let mut after = period.start;
    let end = jiff::SignedDuration::from_secs_f64(period.secs + 2.0 * DAY_SECS);
    let end = period.start.checked_add(end).unwrap_or(Timestamp::MAX);
    while let Some(change) = zone.following(after).next()
        && change.timestamp() <= end
    {
        after = change.timestamp();
        let at = after.duration_since(period.start).as_secs_f64();
        let shown = f64::from(change.offset().seconds());
        offsets.push((at, midnight + shown - base));
    }
    offsets
}
