//! When a report is made again: days and a time on the centre's wall clock.

use jiff::civil::{Date, Time, Weekday};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use serde::{Deserialize, Serialize};

use crate::words;

/// Days on which a report is made, and the time.
///
/// On a day whose clock jumps over the time, the report is made right after the jump; on a day that has the time twice,
/// at the first of the two.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Timing {
    /// On these days.
    pub days: TimingDays,
    /// At this time.
    pub at: Time,
}

/// Days on which a report is made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TimingDays {
    /// These weekdays, Monday first.
    Weekdays([bool; 7]),
    /// This day of every month, 1 to 31; in a shorter month, its last day.
    Monthly(u8),
}

/// A timing that never comes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum TimingError {
    /// No weekday is chosen.
    #[error("no weekday is chosen; choose at least one")]
    NoDay,
    /// The day of the month is none.
    #[error("a month has no day {0}; choose 1 to 31")]
    NoSuchDay(u8),
}

/// Most days that lie between two times of any timing.
const LONGEST: usize = 62;

impl Timing {
    /// A timing.
    ///
    /// # Errors
    ///
    /// [`TimingError`] where it never comes.
    pub fn new(days: TimingDays, at: Time) -> Result<Self, TimingError> {
        match days {
            TimingDays::Weekdays(days) if !days.contains(&true) => Err(TimingError::NoDay),
            TimingDays::Monthly(day) if !(1..=31).contains(&day) => {
                Err(TimingError::NoSuchDay(day))
            }
            days => Ok(Self { days, at }),
        }
    }

    fn is_on(&self, day: Date) -> bool {
        match self.days {
            TimingDays::Weekdays(days) => days
                .get(day.weekday().since(Weekday::Monday) as usize)
                .is_some_and(|chosen| *chosen),
            TimingDays::Monthly(wanted) => {
                i16::from(day.day()) == i16::from(wanted.min(day.days_in_month() as u8))
            }
        }
    }

    /// The first time after an instant; none only at the end of the calendar.
    pub fn next(&self, after: Timestamp, zone: &TimeZone) -> Option<Timestamp> {
        let mut day = zone.to_datetime(after).date();
        for _ in 0..=LONGEST {
            if self.is_on(day) {
                let at = zone.to_ambiguous_timestamp(day.to_datetime(self.at)).compatible().ok()?;
                if at > after {
                    return Some(at);
                }
            }
            day = day.checked_add(1.day()).ok()?;
        }
        None
    }

    /// "every Monday at 07:00", "on working days at 06:30", "on day 1 of every month at 07:00".
    pub fn words(&self) -> String {
        const NAMES: [&str; 7] =
            ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
        let days = match self.days {
            TimingDays::Weekdays([true, true, true, true, true, true, true]) => {
                "every day".to_owned()
            }
            TimingDays::Weekdays([true, true, true, true, true, false, false]) => {
                "Monday to Friday".to_owned()
            }
            TimingDays::Weekdays(days) => {
                let chosen = NAMES.into_iter().zip(days).filter(|(_, chosen)| *chosen);
                let names: Vec<String> = chosen.map(|(name, _)| name.to_owned()).collect();
                format!("every {}", words::listing(&names))
            }
            TimingDays::Monthly(day) => format!("on day {day} of every month"),
        };
        format!("{days} at {}", words::clock(self.at))
    }
}
