//! From a row of a table, as some switch or spreadsheet wrote it, to an interval of history.
//!
//! * A [`Layout`] says which column holds what and how dates and numbers are written;
//!   [`Layout::guess`] finds it from the heading and a sample, and says what it is unsure of;
//! * a [`RowReader`] turns one row after another into a [`Reading`], or says which column is at
//!   fault and what would do;
//! * [`calendar_days`] reads the days of an iCalendar file, [`roster_calendar`] and [`roster_rows`]
//!   the shifts of named people;
//! * a [`PeopleReader`] reads lists of people to call, and of numbers that are not called.
//!
//! Nothing here reads a file: rows come as texts, from wherever.
#![cfg_attr(not(test), warn(clippy::expect_used, clippy::panic, clippy::unreachable))]

mod calendar;
mod events;
mod layout;
mod names;
mod numbers;
mod people;
mod roster;
mod row;
mod spread;
mod times;

pub use calendar::{CalendarDays, CalendarError, calendar_days};
pub use layout::{Doubt, Guess, Layout, Role};
pub use names::{YEARS, is_unseen, seen};
pub use people::{
    DialNumber, ListColumn, ListLayout, ListedPerson, NumberReader, PeopleReader, PreferredHours,
    PrefixError, PrefixZones, is_country,
};
pub use roster::{RosterRefusal, RosterShift, roster_calendar, roster_rows};
pub use row::{MOST_NAME_CHARS, Reading, Refusal, RowReader, Start};
pub use spread::spread_day;
pub use times::DayOrder;
