//! The days of a report, and the groups that they are told in.

use std::collections::BTreeSet;
use std::fmt;
use std::str::FromStr;

use jiff::civil::{Date, DateTime, Weekday};
use jiff::{Span, ToSpan};
use serde::{Deserialize, Serialize};

use crate::words;

/// Most days of a report that is told interval by interval.
pub const MOST_DAYS_BY_INTERVAL: i64 = 31;
/// Most days of any report.
pub const MOST_DAYS: i64 = 1_100;

/// What a relative period is counted in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Calendar {
    /// Days.
    Day,
    /// Weeks from Monday to Sunday.
    Week,
    /// Calendar months.
    Month,
}

impl Calendar {
    /// The first day of the unit that holds `day`, and of the one `units` later.
    fn begin(self, day: Date, units: i32) -> Date {
        let first = match self {
            Self::Day => day,
            Self::Week => monday_of(day),
            Self::Month => day.first_of_month(),
        };
        let span = match self {
            Self::Day => Span::new().days(units),
            Self::Week => Span::new().weeks(units),
            Self::Month => Span::new().months(units),
        };
        first.saturating_add(span)
    }
}

fn monday_of(day: Date) -> Date {
    day.saturating_sub(Span::new().days(day.weekday().to_monday_zero_offset()))
}

/// The days that a report covers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Period {
    /// Named by their dates.
    Fixed {
        /// The first day.
        first: Date,
        /// The last day.
        last: Date,
    },
    /// Counted from today.
    Relative {
        /// In what.
        unit: Calendar,
        /// Units from the one that holds today: −1 is the last complete one, 1 the next.
        from: i32,
        /// How many.
        count: u16,
    },
}

/// A first and a last day.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Days {
    /// The first day.
    pub first: Date,
    /// The last day, not before the first.
    pub last: Date,
}

impl Days {
    /// How many days.
    pub fn count(self) -> i64 {
        i64::from((self.last - self.first).get_days()) + 1
    }

    /// Whether `day` is one of them.
    pub fn contains(self, day: Date) -> bool {
        (self.first..=self.last).contains(&day)
    }

    /// "Saturday 28 November 2026", "16 – 22 Nov 2026".
    pub fn words(self) -> String {
        words::days(self.first, self.last)
    }
}

/// What is wrong with a period.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PeriodError {
    /// It ends before it begins.
    #[error("the period ends on {last}, before it begins on {first}; swap the two dates")]
    Backwards {
        /// The first day.
        first: Date,
        /// The last day.
        last: Date,
    },
    /// It is longer than any report may be.
    #[error("the period has {days} days; choose at most {MOST_DAYS}")]
    TooLong {
        /// How many days.
        days: i64,
    },
    /// It is longer than a report by interval may be.
    #[error(
        "{days} days by interval are too many rows to read; choose at most {MOST_DAYS_BY_INTERVAL} days, or group by day"
    )]
    TooLongByInterval {
        /// How many days.
        days: i64,
    },
}

impl Period {
    const fn relative(unit: Calendar, from: i32, count: u16) -> Self {
        Self::Relative { unit, from, count }
    }

    /// The day before today.
    pub const YESTERDAY: Self = Self::relative(Calendar::Day, -1, 1);
    /// The last complete week.
    pub const LAST_WEEK: Self = Self::relative(Calendar::Week, -1, 1);
    /// The last four complete weeks.
    pub const LAST_FOUR_WEEKS: Self = Self::relative(Calendar::Week, -4, 4);
    /// The last complete month.
    pub const LAST_MONTH: Self = Self::relative(Calendar::Month, -1, 1);

    /// The week that holds today.
    pub const THIS_WEEK: Self = Self::relative(Calendar::Week, 0, 1);

    /// The relative periods that have a name: as typed, in words, the period.
    pub const NAMED: [(&'static str, &'static str, Self); 13] = [
        ("yesterday", "yesterday", Self::YESTERDAY),
        ("today", "today", Self::relative(Calendar::Day, 0, 1)),
        ("tomorrow", "tomorrow", Self::relative(Calendar::Day, 1, 1)),
        ("last-7-days", "the last 7 days", Self::relative(Calendar::Day, -7, 7)),
        ("last-28-days", "the last 28 days", Self::relative(Calendar::Day, -28, 28)),
        ("last-week", "last week", Self::LAST_WEEK),
        ("last-4-weeks", "the last 4 weeks", Self::LAST_FOUR_WEEKS),
        ("last-month", "last month", Self::LAST_MONTH),
        ("last-3-months", "the last 3 months", Self::relative(Calendar::Month, -3, 3)),
        ("last-12-months", "the last 12 months", Self::relative(Calendar::Month, -12, 12)),
        ("this-week", "this week", Self::THIS_WEEK),
        ("next-week", "next week", Self::relative(Calendar::Week, 1, 1)),
        ("next-4-weeks", "the next 4 weeks", Self::relative(Calendar::Week, 1, 4)),
    ];

    /// Its days, counted from `today`.
    ///
    /// # Errors
    ///
    /// [`PeriodError`] where it is backwards, or longer than a report of this grouping may be.
    pub fn days(self, today: Date, grouping: Grouping) -> Result<Days, PeriodError> {
        let (first, last) = match self {
            Self::Fixed { first, last } => (first, last),
            Self::Relative { unit, from, count } => {
                let until = unit.begin(today, from.saturating_add(i32::from(count.max(1))));
                (unit.begin(today, from), until.saturating_sub(1.days()))
            }
        };
        if last < first {
            return Err(PeriodError::Backwards { first, last });
        }
        let days = Days { first, last };
        match days.count() {
            count if count > MOST_DAYS => Err(PeriodError::TooLong { days: count }),
            count if grouping == Grouping::Interval && count > MOST_DAYS_BY_INTERVAL => {
                Err(PeriodError::TooLongByInterval { days: count })
            }
            _ => Ok(days),
        }
    }

    /// The days just before, as many as these; of months, as many months.
    pub fn before(self, days: Days) -> Days {
        let last = days.first.saturating_sub(1.days());
        let first = match self {
            Self::Relative { unit: Calendar::Month, count, .. } => {
                days.first.saturating_sub(Span::new().months(i32::from(count)))
            }
            _ => days.first.saturating_sub(days.count().days()),
        };
        Days { first, last }
    }

    /// The same days a year ago: the same months of whole months, else the same weekdays 52 weeks before.
    pub fn year_ago(self, days: Days) -> Days {
        let back = match self {
            Self::Relative { unit: Calendar::Month, .. } => 1.year(),
            _ => 52.weeks(),
        };
        let last = match self {
            Self::Relative { unit: Calendar::Month, .. } => {
                days.last.saturating_add(1.day()).saturating_sub(back).saturating_sub(1.day())
            }
            _ => days.last.saturating_sub(back),
        };
        Days { first: days.first.saturating_sub(back), last }
    }

    /// "last week", "1 – 22 Nov 2026".
    pub fn words(self) -> String {
        let named = Self::NAMED.into_iter().find(|(_, _, period)| *period == self);
        match (named, self) {
            (Some((_, words, _)), _) => words.to_owned(),
            (None, Self::Fixed { first, last }) => words::days(first, last),
            (None, Self::Relative { unit, from, count }) => {
                let unit = match unit {
                    Calendar::Day => "day",
                    Calendar::Week => "week",
                    Calendar::Month => "month",
                };
                format!("{} from {from:+} {unit}s", words::counted(f64::from(count), unit))
            }
        }
    }
}

impl fmt::Display for Period {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (Self::NAMED.into_iter().find(|(_, _, period)| period == self), self) {
            (Some((key, ..)), _) => out.write_str(key),
            (None, Self::Fixed { first, last }) => write!(out, "{first}..{last}"),
            (None, Self::Relative { unit, from, count }) => write!(out, "{unit:?}{from:+}x{count}"),
        }
    }
}

/// A text that is no period.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "“{0}” is no period; use a name such as last-week, or two dates such as 2026-11-01..2026-11-22"
)]
pub struct NoPeriod(String);

impl FromStr for Period {
    type Err = NoPeriod;

    fn from_str(text: &str) -> Result<Self, NoPeriod> {
        if let Some((.., period)) = Self::NAMED.into_iter().find(|(key, ..)| *key == text) {
            return Ok(period);
        }
        let no_period = || NoPeriod(text.to_owned());
        let (first, last) = text.split_once("..").unwrap_or((text, text));
        let date = |typed: &str| typed.trim().parse::<Date>().map_err(|_| no_period());
        Ok(Self::Fixed { first: date(first)?, last: date(last)? })
    }
}

/// What one row of a report stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Grouping {
    /// An interval of the history.
    Interval,
    /// A day.
    Day,
    /// A week from Monday to Sunday.
    Week,
    /// A calendar month.
    Month,
    /// A weekday, all of the period together.
    Weekday,
}

/// A group of a period: groups order by time.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Group(DateTime);

impl Group {
    /// The same time of day after a span; none outside the calendar.
    pub(crate) fn later(self, span: Span) -> Option<Self> {
        self.0.checked_add(span).ok().map(Self)
    }

    /// When it begins, by the clock.
    pub(crate) fn clock(self) -> String {
        words::clock(self.0.time())
    }
}

impl Grouping {
    /// All of them, in the order of a form.
    pub const ALL: [Self; 5] = [Self::Interval, Self::Day, Self::Week, Self::Month, Self::Weekday];

    /// As it is kept and typed.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Interval => "interval",
            Self::Day => "day",
            Self::Week => "week",
            Self::Month => "month",
            Self::Weekday => "weekday",
        }
    }

    /// The grouping with this key.
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|grouping| grouping.key() == key)
    }

    /// As the heading of a column.
    pub const fn heading(self) -> &'static str {
        match self {
            Self::Interval => "Interval",
            Self::Day => "Day",
            Self::Week => "Week from",
            Self::Month => "Month",
            Self::Weekday => "Weekday",
        }
    }

    /// The group of a moment on the centre's wall clock.
    pub fn group(self, at: DateTime) -> Group {
        /// A Monday: weekdays of all weeks are put into one week.
        const SOME_WEEK: Date = jiff::civil::date(2001, 1, 1);
        let day = at.date();
        let first = match self {
            Self::Interval => return Group(at),
            Self::Day => day,
            Self::Week => monday_of(day),
            Self::Month => day.first_of_month(),
            Self::Weekday => {
                let after = day.weekday().since(Weekday::Monday);
                SOME_WEEK.saturating_add(i64::from(after).days())
            }
        };
        Group(first.to_datetime(jiff::civil::Time::midnight()))
    }

    /// The groups of days, in order.
    pub(crate) fn groups(self, days: Days) -> BTreeSet<Group> {
        let each_day = std::iter::successors(Some(days.first), |day| day.tomorrow().ok());
        let each_day = each_day.take_while(|day| *day <= days.last);
        each_day.map(|day| self.group(day.at(0, 0, 0, 0))).collect()
    }

    /// What a group is called.
    pub fn name(self, group: Group) -> String {
        let at = group.0;
        match self {
            Self::Interval => {
                format!("{} {}", words::short_day(at.date()), words::clock(at.time()))
            }
            Self::Day => words::short_day(at.date()),
            Self::Week => words::full_date(at.date()),
            Self::Month => at.strftime("%B %Y").to_string(),
            Self::Weekday => at.strftime("%A").to_string(),
        }
    }

    /// The day that a group begins on; none of weekdays, which begin on many.
    pub fn first_day(self, group: Group) -> Option<Date> {
        (self != Self::Weekday).then(|| group.0.date())
    }
}
