//! Special days that a history shows by itself: the same date, the same day from Easter, the same
//! weekday of a month, out of line every year.

use std::collections::BTreeMap;

use jiff::ToSpan;
use jiff::civil::{Date, Weekday};

use crate::effects::Effects;
use crate::grid::{DayGrid, days_between};
use crate::past::Past;
use crate::robust::median_and_spread;
use crate::special_days::{Calendar, SpecialDay};

/// Spreads beyond which a day is out of line.
const SPREADS: f64 = 3.5;
/// The least log ratio that is worth an entry.
const LEAST_RATIO: f64 = 0.18;
/// What one occurrence alone must be, on a date on which much of the world rests.
const ALONE_RATIO: f64 = 0.5;
/// The least history in which anything can recur.
const LEAST_DAYS: usize = 380;
/// Days from Easter that are looked at.
const EASTER_DAYS: std::ops::RangeInclusive<i32> = -3..=61;

/// What a day is, year after year.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, serde::Serialize, serde::Deserialize,
)]
#[serde(rename_all = "kebab-case")]
pub enum Rule {
    /// A date.
    Date {
        /// 1 for January.
        month: i8,
        /// Day of the month.
        day: i8,
    },
    /// So many days after Easter Sunday of the western churches.
    Easter {
        /// Days; −2 for Good Friday.
        days: i32,
    },
    /// The n-th such weekday of a month.
    Nth {
        /// 1 for January.
        month: i8,
        /// 1 to 4; −1 for the last.
        nth: i8,
        /// 1 for Monday to 7 for Sunday.
        weekday: i8,
    },
}

impl Rule {
    /// The day of a year that the rule names, if there is one.
    pub fn in_year(self, year: i16) -> Option<Date> {
        match self {
            Self::Date { month, day } => Date::new(year, month, day).ok(),
            Self::Easter { days } => easter(year)?.checked_add(days.days()).ok(),
            Self::Nth { month, nth, weekday } => {
                let weekday = Weekday::from_monday_one_offset(weekday).ok()?;
                Date::new(year, month, 1).ok()?.nth_weekday_of_month(nth, weekday).ok()
            }
        }
    }

    /// The rules that name this day.
    pub fn all_of(day: Date) -> Vec<Self> {
        let mut rules = vec![Self::Date { month: day.month(), day: day.day() }];
        if let Some(easter) = easter(day.year()) {
            let days = (day - easter).get_days();
            if EASTER_DAYS.contains(&days) {
                rules.push(Self::Easter { days });
            }
        }
        let (nth, weekday) = ((day.day() - 1) / 7 + 1, day.weekday().to_monday_one_offset());
        if nth <= 4 {
            rules.push(Self::Nth { month: day.month(), nth, weekday });
        }
        if day.day() + 7 > day.days_in_month() {
            rules.push(Self::Nth { month: day.month(), nth: -1, weekday });
        }
        rules
    }

    /// Whether this day is kept in so many countries that one odd year is enough.
    fn is_widely_kept(self) -> bool {
        match self {
            Self::Date { month, day } => {
                matches!((month, day), (1, 1) | (5, 1) | (12, 24..=26) | (12, 31))
            }
            Self::Easter { days } => matches!(days, -2 | 0 | 1),
            Self::Nth { .. } => false,
        }
    }
}

impl std::fmt::Display for Rule {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        const MONTHS: [&str; 12] =
            ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
        let name = |month: &i8| MONTHS[usize::from(month.unsigned_abs()).clamp(1, 12) - 1];
        match self {
            Self::Date { month, day } => write!(f, "{day} {}", name(month)),
            Self::Easter { days: 0 } => f.write_str("Easter Sunday"),
            Self::Easter { days } if *days < 0 => write!(f, "{} days before Easter", -days),
            Self::Easter { days: 1 } => f.write_str("1 day after Easter"),
            Self::Easter { days } => write!(f, "{days} days after Easter"),
            Self::Nth { month, nth, weekday } => {
                let nth = match nth {
                    1 => "first",
                    2 => "second",
                    3 => "third",
                    4 => "fourth",
                    _ => "last",
                };
                const DAYS: [&str; 7] = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
                let day = DAYS[usize::from(weekday.unsigned_abs()).clamp(1, 7) - 1];
                write!(f, "{nth} {day} of {}", name(month))
            }
        }
    }
}

/// When a special day falls.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Repeats {
    /// On these days, once.
    Once {
        /// The first day.
        from: Date,
        /// The last day.
        to: Date,
    },
    /// Every year.
    Yearly(Rule),
}

impl Repeats {
    /// The most days that one entry covers.
    const MOST_DAYS: i32 = 366;

    /// Its days, in order; those of a yearly rule from the year of `first` to the year of `last`.
    pub fn days(self, first: Date, last: Date) -> Vec<Date> {
        match self {
            Self::Once { from, to } => {
                let days = (to - from).get_days().clamp(-1, Self::MOST_DAYS);
                (0..=days).filter_map(|day| from.checked_add(day.days()).ok()).collect()
            }
            Self::Yearly(rule) => {
                (first.year()..=last.year()).filter_map(|year| rule.in_year(year)).collect()
            }
        }
    }
}

/// Easter Sunday of the Gregorian calendar (the anonymous algorithm; Meeus, *Astronomical
/// Algorithms*, ch. 8).
pub fn easter(year: i16) -> Option<Date> {
    let year = i32::from(year);
    let (a, b, c) = (year % 19, year / 100, year % 100);
    let (d, e) = (b / 4, b % 4);
    let f = (b + 8) / 25;
    let g = (b - f + 1) / 3;
    let h = (19 * a + b - d - g + 15) % 30;
    let (i, k) = (c / 4, c % 4);
    let l = (32 + 2 * e + 2 * i - h - k) % 7;
    let m = (a + 11 * h + 22 * l) / 451;
    let n = h + l - 7 * m + 114;
    Date::new(i16::try_from(year).ok()?, i8::try_from(n / 31).ok()?, i8::try_from(n % 31 + 1).ok()?)
        .ok()
}

/// A rule that the history bears out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Recurring {
    /// The rule.
    pub rule: Rule,
    /// Years in which its day was out of line: all that the history knows.
    pub years: usize,
    /// Mean factor on an ordinary such weekday.
    pub factor: f64,
}

/// The rules whose days were out of line in the same direction every year.
pub fn recurring_days(history: &DayGrid, calendar: &Calendar) -> Vec<Recurring> {
    if history.days() < LEAST_DAYS {
        return Vec::new();
    }
    let effects = Effects::learn(history, history.days(), calendar);
    let past = Past::new(history, history.days(), &effects);
    let ratio = |day: usize| -> Option<f64> {
        let total = past.totals().get(day).copied().filter(|total| total.is_finite())?;
        Some(total.ln_1p() - past.log_around(day)?.0)
    };
    let ratios: Vec<Option<f64>> = (0..past.days()).map(ratio).collect();
    let mut known: Vec<f64> = ratios.iter().flatten().copied().collect();
    let Some((_, spread)) = median_and_spread(&mut known) else { return Vec::new() };
    let limit = (SPREADS * spread).max(LEAST_RATIO);
    let is_odd = |ratio: f64| ratio.abs() > limit;
    let years = history.first_day().year()..=history.end().year();
    let mut found: BTreeMap<Rule, Recurring> = BTreeMap::new();
    for (day, _) in ratios.iter().enumerate().filter(|(_, ratio)| ratio.is_some_and(is_odd)) {
        for rule in Rule::all_of(past.date(day)) {
            if found.contains_key(&rule) || !calendar.on(past.date(day)).is_empty() {
                continue;
            }
            let seen: Vec<f64> = years
                .clone()
                .filter_map(|year| rule.in_year(year))
                .filter(|date| *date >= history.first_day() && *date < history.end())
                .filter_map(|date| ratios[days_between(history.first_day(), date)])
                .collect();
            let mean = seen.iter().sum::<f64>() / seen.len() as f64;
            // The sign must agree, and each year be clearly out of line.
            let agree = seen.iter().all(|&ratio| is_odd(ratio) && ratio.signum() == mean.signum());
            let enough = seen.len() >= 2 || (rule.is_widely_kept() && mean < -ALONE_RATIO);
            if agree && enough {
                let factor = mean.exp();
                found.insert(rule, Recurring { rule, years: seen.len(), factor });
            }
        }
    }
    without_shadows(found, history)
}

/// A day that two rules explain is left to the one with more years behind it, then to the date.
fn without_shadows(found: BTreeMap<Rule, Recurring>, history: &DayGrid) -> Vec<Recurring> {
    let mut ranked: Vec<Recurring> = found.into_values().collect();
    ranked.sort_by_key(|recurring| (usize::MAX - recurring.years, recurring.rule));
    let years = history.first_day().year()..=history.end().year();
    let mut taken: Vec<Date> = Vec::new();
    let mut kept = Vec::new();
    for recurring in ranked {
        let days: Vec<Date> =
            years.clone().filter_map(|year| recurring.rule.in_year(year)).collect();
        let known = |day: &&Date| **day >= history.first_day() && **day < history.end();
        if days.iter().filter(known).all(|day| !taken.contains(day)) {
            taken.extend(days);
            kept.push(recurring);
        }
    }
    kept
}

/// The days of these rules from the first year of the history until a year after its end, as
/// special days of the class `class`.
pub fn calendar_of(rules: &[Recurring], history: &DayGrid, class: &str) -> Calendar {
    let years = history.first_day().year()..=history.end().year() + 1;
    let days = rules.iter().flat_map(|recurring| {
        years.clone().filter_map(|year| {
            let day = recurring.rule.in_year(year)?;
            Some(SpecialDay::new(day, &recurring.rule.to_string(), class))
        })
    });
    Calendar::new(days.collect())
}
