//! The next open day after a closure: what people did not get done while it was closed, they do then.
//!
//! It is a special day of its own, learnt from all closures that the calendar names, so that it is neither taken for an
//! ordinary weekday nor for noise.

use jiff::civil::Date;

use crate::grid::DayGrid;
use crate::special_days::{Calendar, SpecialDay};

/// The name and the class of the effect.
pub const NEXT_OPEN_DAY: &str = "Next open day";
/// Closures that must have been seen before there is an effect.
const LEAST_SEEN: usize = 3;
/// Days after a closure among which the next open day is looked for.
const MOST_DAYS: usize = 7;
/// Weeks at the end of the history that tell which weekdays are open.
const OPEN_WEEKS: usize = 12;

/// The calendar with the next open day after each closure.
pub(crate) fn with_next_open_days(history: &DayGrid, calendar: &Calendar) -> Calendar {
    let opens = open_weekdays(history);
    let mut found: Vec<Date> = calendar
        .days()
        .iter()
        .filter(|special| special.closed)
        .filter_map(|closure| next_open_day(closure.day, calendar, opens))
        .collect();
    found.sort();
    found.dedup();
    let seen = found
        .iter()
        .filter(|day| (history.first_day()..history.day(history.days())).contains(day))
        .count();
    if seen < LEAST_SEEN {
        return calendar.clone();
    }
    let next = found.into_iter().map(|day| SpecialDay::new(day, NEXT_OPEN_DAY, NEXT_OPEN_DAY));
    Calendar::new(calendar.days().iter().cloned().chain(next).collect())
}

fn next_open_day(closure: Date, calendar: &Calendar, opens: [bool; 7]) -> Option<Date> {
    let mut day = closure;
    for _ in 0..MOST_DAYS {
        day = day.tomorrow().ok()?;
        let weekday = day.weekday().to_monday_zero_offset() as usize;
        if opens[weekday] && !calendar.is_closed(day) {
            return Some(day);
        }
    }
    None
}

/// Weekdays, Monday first, of which any interval is known in the last weeks.
fn open_weekdays(history: &DayGrid) -> [bool; 7] {
    let mut opens = [false; 7];
    for day in history.days().saturating_sub(7 * OPEN_WEEKS)..history.days() {
        let is_known = (0..history.slots()).any(|slot| history.offered(day, slot).is_some());
        opens[history.weekday(day)] |= is_known;
    }
    opens
}
