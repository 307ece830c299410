//! On which days a strategy should be tried: a typical one, the fullest, and one like the worst there
//! has been.

use std::collections::BTreeMap;

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

use crate::IntervalLoad;

/// What a day of a contact type, or of all, comes to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DayLoad {
    /// Which day.
    pub date: Date,
    /// Contacts.
    pub contacts: f64,
    /// Seconds of handling in all.
    pub work_secs: f64,
}

/// A day of the past that was far above what was usual around it.
#[derive(Clone, Debug, PartialEq)]
pub struct Storm {
    /// Which day.
    pub date: Date,
    /// Contacts of each contact type, as a share of what was usual.
    pub factors: Vec<f64>,
}

/// Weeks before and after a day in which is looked for what is usual on its weekday.
const WEEKS_AROUND: i32 = 4;
/// How far above usual a day must be to be called a storm: less is the luck of days.
const STORM: f64 = 1.1;
/// Days of the same weekday around it without which nobody knows what is usual.
const LEAST_AROUND: usize = 4;

/// What each date comes to, in order.
pub fn loads_by_date(
    intervals: impl IntoIterator<Item = (Timestamp, IntervalLoad)>,
    zone: &TimeZone,
) -> Vec<DayLoad> {
    let mut dates: BTreeMap<Date, (f64, f64)> = BTreeMap::new();
    for (start, IntervalLoad { contacts, handle_secs }) in intervals {
        let day = dates.entry(start.to_zoned(zone.clone()).date()).or_default();
        *day = (day.0 + contacts, day.1 + contacts * handle_secs);
    }
    let load = |(date, (contacts, work_secs))| DayLoad { date, contacts, work_secs };
    dates.into_iter().map(load).collect()
}

/// Of days to come, the one with the median work, and the one with the most. Days on which nothing
/// comes do not count. `None` where there is no day.
pub fn typical_and_fullest(days: &[DayLoad]) -> Option<(Date, Date)> {
    let mut open: Vec<&DayLoad> = days.iter().filter(|day| day.work_secs > 0.0).collect();
    open.sort_by(|one, other| one.work_secs.total_cmp(&other.work_secs));
    let typical = open.get(open.len().saturating_sub(1) / 2)?;
    Some((typical.date, open.last()?.date))
}

/// The day of the past on which all contact types together had the most work, as a share of what
/// was usual: the median of the same weekday in the four weeks before and after. Every contact type
/// gives its days in order. `None` where no day with enough others around it was a tenth above usual.
pub fn worst_past_day(types: &[Vec<DayLoad>]) -> Option<Storm> {
    let mut dates: Vec<Date> = types.iter().flatten().map(|day| day.date).collect();
    dates.sort_unstable();
    dates.dedup();
    let excess = |date: Date| {
        let (mut came, mut usual) = (0.0, 0.0);
        for days in types {
            let Some(work) = usual_around(days, date, |day| day.work_secs) else { continue };
            usual += work;
            came += day_of(days, date).map_or(0.0, |day| day.work_secs);
        }
        (usual > 0.0).then(|| came / usual)
    };
    let date = dates
        .into_iter()
        .filter_map(|date| Some((date, excess(date)?)))
        .filter(|(_, excess)| *excess >= STORM)
        .max_by(|(_, one), (_, other)| one.total_cmp(other))?
        .0;
    let factor = |days: &Vec<DayLoad>| {
        let usual = usual_around(days, date, |day| day.contacts).filter(|usual| *usual > 0.0)?;
        Some(day_of(days, date)?.contacts / usual)
    };
    Some(Storm { date, factors: types.iter().map(|days| factor(days).unwrap_or(1.0)).collect() })
}

fn day_of(days: &[DayLoad], date: Date) -> Option<&DayLoad> {
    days.binary_search_by_key(&date, |day| day.date).ok().map(|at| &days[at])
}

/// Median of the same weekday around a date, the date itself left out.
fn usual_around(days: &[DayLoad], date: Date, of: impl Fn(&DayLoad) -> f64) -> Option<f64> {
    let weeks = (-WEEKS_AROUND..=WEEKS_AROUND).filter(|week| *week != 0);
    let around = weeks.filter_map(|week| {
        let other = date.checked_add(Span::new().days(7 * week)).ok()?;
        day_of(days, other).map(&of)
    });
    let mut around: Vec<f64> = around.collect();
    around.sort_by(f64::total_cmp);
    (around.len() >= LEAST_AROUND).then(|| around[(around.len() - 1) / 2])
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    fn day(nth: i32, contacts: f64) -> DayLoad {
        let date = date(2026, 1, 5).saturating_add(Span::new().days(nth));
        DayLoad { date, contacts, work_secs: contacts * 300.0 }
    }

    #[test]
    fn the_typical_day_is_the_median_and_closed_days_do_not_count() {
        let days = [day(0, 50.0), day(1, 0.0), day(2, 10.0), day(3, 30.0)];
        assert_eq!(typical_and_fullest(&days), Some((days[3].date, days[0].date)));
        assert_eq!(typical_and_fullest(&days[1..2]), None);
        assert_eq!(typical_and_fullest(&days[2..3]), Some((days[2].date, days[2].date)));
    }

    #[test]
    fn the_worst_day_is_the_one_furthest_above_its_own_weekday() {
        // Mondays are always full; a Wednesday in the seventh week has three times its contacts of
        // one type, and what is usual of the other.
        let of = |base: f64, storm: f64| -> Vec<DayLoad> {
            (0..84)
                .map(|nth| {
                    let weekday = if nth % 7 == 0 { 2.5 } else { 1.0 };
                    let factor = if nth == 44 { storm } else { 1.0 };
                    day(nth, base * weekday * factor)
                })
                .collect()
        };
        let storm = worst_past_day(&[of(100.0, 3.0), of(20.0, 1.0)]).unwrap();
        assert_eq!(storm, Storm { date: day(44, 0.0).date, factors: vec![3.0, 1.0] });
        assert_eq!(worst_past_day(&[of(100.0, 1.05)]), None, "no storm, only luck");
        let short: Vec<DayLoad> = (0..20).map(|nth| day(nth, 10.0)).collect();
        assert_eq!(worst_past_day(&[short]), None, "too short to know what is usual");
    }
}
