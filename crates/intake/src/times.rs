//! Dates and times as people and machines write them.

use std::collections::HashMap;

use jiff::Timestamp;
use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{AmbiguousOffset, TimeZone};

/// Which of day and month comes first in a date such as 03/04/2026.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DayOrder {
    /// 3 April.
    #[default]
    DayFirst,
    /// 4 March.
    MonthFirst,
}

/// What a written date says about the order of day and month.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum OrderEvidence {
    /// The year comes first, or the text is no date.
    None,
    /// Both orders give a date.
    Either,
    /// Only this order does.
    Only(DayOrder),
}

/// Whether this text alone tells day and month apart.
pub(crate) fn order_evidence(written: &str) -> OrderEvidence {
    let date = written.trim().split([' ', 'T']).next().unwrap_or_default();
    let Some((first, second, year)) = parts(date) else { return OrderEvidence::None };
    if first > 31 || year < 100 {
        return OrderEvidence::None;
    }
    match (first > 12, second > 12, date.contains('.')) {
        (true, false, _) => OrderEvidence::Only(DayOrder::DayFirst),
        (false, true, _) => OrderEvidence::Only(DayOrder::MonthFirst),
        // Where dates are written with full stops, the day comes first.
        (false, false, true) => OrderEvidence::Only(DayOrder::DayFirst),
        (false, false, false) => OrderEvidence::Either,
        (true, true, _) => OrderEvidence::None,
    }
}

/// Three numbers with one separator between them.
fn parts(date: &str) -> Option<(i16, i16, i16)> {
    let separator = date.chars().find(|character| "/.-".contains(*character))?;
    let mut parts = date.split(separator);
    let mut next = || parts.next().filter(|part| part.len() <= 4)?.parse::<i16>().ok();
    let found = (next()?, next()?, next()?);
    parts.next().is_none().then_some(found)
}

/// A date: 2026-11-23, 2026/11/23, 20261123, 23.11.2026, 23/11/2026 or 11/23/2026.
pub(crate) fn date(written: &str, order: DayOrder) -> Option<Date> {
    let written = written.trim();
    if written.len() == 8 && written.bytes().all(|byte| byte.is_ascii_digit()) {
        return Date::new(
            written[..4].parse().ok()?,
            written[4..6].parse().ok()?,
            written[6..].parse().ok()?,
        )
        .ok();
    }
    let (first, second, third) = parts(written)?;
    let (year, month, day) = if first > 31 {
        (first, second, third)
    } else {
        // Two-digit years are of this century: no switch has history from the last one.
        let year = if third < 100 { 2000 + third } else { third };
        match order {
            DayOrder::DayFirst => (year, second, first),
            DayOrder::MonthFirst => (year, first, second),
        }
    };
    Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
}

/// A time of day: 09:30, 9:30:00, 9:30 AM, 0930, 9.30, or the start of 09:30-10:00.
pub(crate) fn time(written: &str) -> Option<Time> {
    let written = written.trim().to_ascii_lowercase();
    match written.split_once(['-', '–']) {
        Some((start, end)) => clock_time(start.trim()).filter(|_| clock_time(end.trim()).is_some()),
        None => clock_time(&written),
    }
}

fn clock_time(start: &str) -> Option<Time> {
    let (clock, half) = match start.strip_suffix("am").or(start.strip_suffix("a.m.")) {
        Some(clock) => (clock.trim(), Some(0)),
        None => match start.strip_suffix("pm").or(start.strip_suffix("p.m.")) {
            Some(clock) => (clock.trim(), Some(12)),
            None => (start, None),
        },
    };
    let mut numbers = Vec::new();
    if clock.contains([':', '.']) {
        for part in clock.split([':', '.']) {
            numbers.push(part.parse::<i8>().ok()?);
        }
    } else if (clock.len() == 3 || clock.len() == 4) && clock.is_ascii() {
        let (hour, minute) = clock.split_at(clock.len() - 2);
        numbers.extend([hour.parse::<i8>().ok()?, minute.parse::<i8>().ok()?]);
    } else if clock.len() <= 2 {
        numbers.push(clock.parse::<i8>().ok()?);
    }
    let [hour, minute, second] = match numbers[..] {
        [hour] => [hour, 0, 0],
        [hour, minute] => [hour, minute, 0],
        [hour, minute, second] => [hour, minute, second],
        _ => return None,
    };
    let hour = match half {
        None => hour,
        Some(half) if (1..=12).contains(&hour) => hour % 12 + half,
        Some(_) => return None,
    };
    Time::new(hour, minute, second, 0).ok()
}

/// A date with a time after it, a space or a T between them.
pub(crate) fn date_time(written: &str, order: DayOrder) -> Option<DateTime> {
    let written = written.trim();
    let at = written.find(['T', ' '])?;
    let day = date(&written[..at], order)?;
    Some(day.to_datetime(time(&written[at + 1..])?))
}

/// An instant with its offset written behind it.
pub(crate) fn with_offset(written: &str) -> Option<Timestamp> {
    let written = written.trim();
    let has_offset = written.ends_with(['Z', 'z'])
        || written.get(10..).is_some_and(|time| time.contains('+') || has_minus_offset(time));
    if has_offset { written.parse().ok() } else { None }
}

/// Whether a minus is an offset, and not the one between start and end of 09:30-10:00.
fn has_minus_offset(time: &str) -> bool {
    let Some((clock, behind)) = time.rsplit_once('-') else { return false };
    // 09:30-10:00 is a stretch; 09:30:00-05:00 is an offset, seconds make the difference.
    clock.matches(':').count() == 2 && behind.len() >= 2
}

/// Turns wall-clock times into instants, and tells apart the two passes of an hour that the clocks
/// repeat.
#[derive(Clone, Debug)]
pub(crate) struct Clock {
    zone: TimeZone,
    /// Repeated local times seen so far, per contact type: a file that lists them twice means the
    /// first pass and then the second.
    repeated: HashMap<(String, DateTime), u32>,
}

impl Clock {
    pub fn new(zone: &TimeZone) -> Self {
        Self { zone: zone.clone(), repeated: HashMap::new() }
    }

    pub fn zone(&self) -> &TimeZone {
        &self.zone
    }

    /// The instant of a wall-clock time, or why there is none.
    pub fn instant(&mut self, contact_type: &str, local: DateTime) -> Result<Timestamp, String> {
        let ambiguous = self.zone.to_ambiguous_timestamp(local);
        let found = match ambiguous.offset() {
            AmbiguousOffset::Unambiguous { .. } => ambiguous.compatible(),
            AmbiguousOffset::Gap { .. } => {
                let zone = self.zone.iana_name().unwrap_or("this zone");
                return Err(format!(
                    "{local} does not exist in {zone}: the clocks skip it on that day"
                ));
            }
            AmbiguousOffset::Fold { .. } => {
                let passes = self.repeated.entry((contact_type.to_lowercase(), local)).or_default();
                *passes += 1;
                if *passes == 1 { ambiguous.earlier() } else { ambiguous.later() }
            }
        };
        found.map_err(|_| format!("{local} is out of range"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::{date as day, time as clock};

    #[test]
    fn dates_are_read_in_every_common_way() {
        let expected = Some(day(2026, 4, 3));
        for written in ["2026-04-03", "2026/4/3", "20260403", "3.4.2026", "03/04/2026", "3-4-26"] {
            assert_eq!(date(written, DayOrder::DayFirst), expected, "{written}");
        }
        assert_eq!(date("04/03/2026", DayOrder::MonthFirst), expected);
        for written in ["2026-13-01", "31/02/2026", "tomorrow", "1/2", "1/2/3/4", ""] {
            assert_eq!(date(written, DayOrder::DayFirst), None, "{written}");
        }
    }

    #[test]
    fn times_are_read_in_every_common_way() {
        let half_past = Some(clock(9, 30, 0, 0));
        for written in
            ["09:30", "9:30:00", "9:30 AM", "0930", "930", "9.30", "09:30-10:00", "09:30 – 10:00"]
        {
            assert_eq!(time(written), half_past, "{written}");
        }
        assert_eq!(time("12:15 am"), Some(clock(0, 15, 0, 0)));
        assert_eq!(time("12:15 p.m."), Some(clock(12, 15, 0, 0)));
        assert_eq!(time("7"), Some(clock(7, 0, 0, 0)));
        for written in
            ["2026-11-22", "2026-11-22 08:00", "25:00", "13:00 pm", "noon", "9:61", "1:2:3:4", ""]
        {
            assert_eq!(time(written), None, "{written}");
        }
    }

    #[test]
    fn the_order_of_day_and_month_is_taken_from_evidence() {
        use OrderEvidence::{Either, None, Only};
        for (written, evidence) in [
            ("23/11/2026", Only(DayOrder::DayFirst)),
            ("11/23/2026 09:00", Only(DayOrder::MonthFirst)),
            ("3.4.2026", Only(DayOrder::DayFirst)),
            ("3/4/2026", Either),
            ("2026-04-03", None),
            ("Bookings", None),
        ] {
            assert_eq!(order_evidence(written), evidence, "{written}");
        }
    }

    #[test]
    fn an_offset_is_told_from_a_stretch_of_time() {
        let instant = |text: &str| text.parse::<Timestamp>().ok();
        assert_eq!(with_offset("2026-07-01T09:30:00-05:00"), instant("2026-07-01T14:30:00Z"));
        assert_eq!(with_offset("2026-07-01T09:30+01:00"), instant("2026-07-01T08:30:00Z"));
        assert_eq!(with_offset("2026-07-01 09:30-10:00"), None);
        let local = date_time("2026-07-01 09:30-10:00", DayOrder::DayFirst);
        assert_eq!(local, Some(day(2026, 7, 1).at(9, 30, 0, 0)));
    }

    #[test]
    fn the_repeated_hour_is_read_as_first_and_second_pass() {
        let mut clock = Clock::new(&TimeZone::get("Europe/London").unwrap());
        let half_past = day(2026, 10, 25).at(1, 30, 0, 0);
        let first = clock.instant("A", half_past).unwrap();
        let other_type = clock.instant("B", half_past).unwrap();
        let second = clock.instant("A", half_past).unwrap();
        assert_eq!(first.to_string(), "2026-10-25T00:30:00Z");
        assert_eq!((other_type, second.as_second() - first.as_second()), (first, 3600));
        let skipped = clock.instant("A", day(2026, 3, 29).at(1, 30, 0, 0)).unwrap_err();
        insta::assert_snapshot!(skipped, @"2026-03-29T01:30:00 does not exist in Europe/London: the clocks skip it on that day");
    }
}
