//! The first days of a month: bills, salaries and renewals come with them.
//!
//! Each of the first three is a special day of its own where history is sure of it, so that it is learnt and drawn towards
//! its class as those that a calendar names are. Where it is not sure there is none: an effect that is not there would cost
//! more than a small one that is missed.

use jiff::ToSpan;
use jiff::civil::Date;

use crate::effects::{known_total, ratio};
use crate::grid::{DayGrid, days_between};
use crate::special_days::{Calendar, SpecialDay};

/// The class of the effects.
pub const MONTH_STARTS: &str = "First days of a month";
/// Their names, from the first on.
const NAMES: [&str; 3] = ["1st of a month", "2nd of a month", "3rd of a month"];
/// Months that must have been seen.
const LEAST_SEEN: usize = 6;
/// The least mean log ratio to an ordinary day that is worth an effect, and how many of its standard errors it must be.
const LEAST_EFFECT: f64 = 0.03;
const LEAST_ERRORS: f64 = 3.5;
/// Contacts of a mean day under which ratios of counts lean to one side.
const LEAST_CONTACTS: f64 = 20.0;
/// Days behind the history for which the calendar names them.
const DAYS_AHEAD: i64 = 800;

/// The calendar with those of the first days of each month that have an effect.
pub(crate) fn with_month_starts(history: &DayGrid, calendar: &Calendar) -> Calendar {
    if mean_contacts(history) < LEAST_CONTACTS {
        return calendar.clone();
    }
    let sure: Vec<i8> = (1..=3).filter(|&day| is_sure(history, calendar, day)).collect();
    if sure.is_empty() {
        return calendar.clone();
    }
    let last = history.end().saturating_add(DAYS_AHEAD.days());
    let days = month_starts(history.first_day(), last);
    let found = days
        .filter(|day| sure.contains(&day.day()))
        .map(|day| SpecialDay::new(day, NAMES[(day.day() - 1) as usize], MONTH_STARTS));
    Calendar::new(calendar.days().iter().cloned().chain(found).collect())
}

fn mean_contacts(history: &DayGrid) -> f64 {
    let known = (0..history.days()).filter_map(|day| known_total(history, day));
    let (sum, days) = known.fold((0.0, 0.0), |(sum, days), total| (sum + total, days + 1.0));
    if days > 0.0 { sum / days } else { 0.0 }
}

/// Whether a day of the month differs from the same weekdays around it beyond doubt.
fn is_sure(history: &DayGrid, calendar: &Calendar, nth: i8) -> bool {
    let days = month_starts(history.first_day(), history.end());
    let ratios = days
        .filter(|day| day.day() == nth && *day < history.end() && calendar.on(*day).is_empty())
        .filter_map(|day| {
            let index = days_between(history.first_day(), day);
            ratio(history, history.days(), calendar, index)
        });
    let ratios: Vec<f64> = ratios.collect();
    let count = ratios.len() as f64;
    if ratios.len() < LEAST_SEEN {
        return false;
    }
    let mean = ratios.iter().sum::<f64>() / count;
    let variance = ratios.iter().map(|ratio| (ratio - mean).powi(2)).sum::<f64>() / (count - 1.0);
    mean.abs() >= LEAST_EFFECT && mean.abs() > LEAST_ERRORS * (variance / count).sqrt()
}

/// The first three days of each month between two dates.
fn month_starts(from: Date, until: Date) -> impl Iterator<Item = Date> {
    from.series(1.day()).take_while(move |day| *day <= until).filter(|day| day.day() <= 3)
}
