//! What a roster must leave people: rest between shifts, free days, breaks, no more than their contract.

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::roster::Stretch;

/// Limits of working time, in hours.
///
/// The starting ones are those of Directive 2003/88/EC, articles 3 to 5 (rest of eleven hours between working days, a
/// break where more than six hours are worked, one free day in seven), with a day of ten hours at most.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WorkingTimeRules {
    /// Least rest between the work of two days.
    pub rest_hours: f64,
    /// Longest time at work on a day, breaks not counted.
    pub day_hours: f64,
    /// Longest time at work without a break.
    pub unbroken_hours: f64,
    /// Most working days of a week.
    pub days: usize,
}

impl WorkingTimeRules {
    /// Where a centre has not said otherwise.
    pub const STARTING: Self =
        Self { rest_hours: 11.0, day_hours: 10.0, unbroken_hours: 6.0, days: 6 };
}

/// What a person's week asks too much of.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum WorkingTimeFault {
    /// Two stretches at the same time, on this day.
    Twice(Date),
    /// At work on a day of leave or absence.
    Away(Date),
    /// Too little rest before this day.
    ShortRest {
        /// The day that begins too early.
        day: Date,
        /// Hours since the work of the day before.
        hours: f64,
    },
    /// Too long a day.
    LongDay {
        /// Which.
        day: Date,
        /// Hours at work.
        hours: f64,
    },
    /// Too long without a break.
    NoBreak {
        /// On which day.
        day: Date,
        /// Hours in a row.
        hours: f64,
    },
    /// Too many working days in the week.
    ManyDays(usize),
    /// More hours in the week than the contract has.
    OverContract {
        /// Hours at work.
        hours: f64,
        /// Hours of the contract.
        contract: f64,
    },
}

/// Hours that a contract may be passed by before it is said: a quarter of an hour's grid.
const OVER: f64 = 0.25;

/// Pieces closer than this belong to the work of the same day, in hours: a longer gap is rest.
const LONGEST_BREAK_HOURS: f64 = 4.0;

/// The faults of a person's week, by day. `week` is all that the person works from the day before `days` begin until
/// they end, for any contact type; what lies before only counts as the rest before the first of them.
///
/// Hours are hours of the clock on the wall where the person works, so that a night of 23 hours has its own.
pub fn working_time_faults(
    week: &[Stretch],
    days: std::ops::RangeInclusive<Date>,
    away: impl Fn(Date) -> bool,
    contract_hours: f64,
    rules: &WorkingTimeRules,
    zone: &TimeZone,
) -> Vec<WorkingTimeFault> {
    let mut pieces: Vec<Stretch> = week.iter().copied().filter(|(from, to)| from < to).collect();
    pieces.sort_unstable();
    let date = |piece: &Stretch| zone.to_datetime(piece.0).date();
    let hours = |(from, to): &Stretch| to.duration_since(*from).as_secs_f64() / 3600.0;
    let mut faults = Vec::new();
    let mut before: Option<Timestamp> = None;
    for shift in joined(&pieces, LONGEST_BREAK_HOURS) {
        let (begin, end) = (shift[0].0, end_of(shift));
        let (day, rest) = (date(&shift[0]), before.map(|before| hours(&(before, begin))));
        before = Some(end);
        if !days.contains(&day) {
            continue;
        }
        if (1..shift.len()).any(|next| shift[next].0 < end_of(&shift[..next])) {
            faults.push(WorkingTimeFault::Twice(day));
        }
        if away(day) {
            faults.push(WorkingTimeFault::Away(day));
        }
        if let Some(rest) = rest.filter(|rest| *rest < rules.rest_hours) {
            faults.push(WorkingTimeFault::ShortRest { day, hours: rest });
        }
        // Pieces that meet are worked in a row.
        let rows: Vec<f64> =
            joined(shift, 0.0).into_iter().map(|row| hours(&(row[0].0, end_of(row)))).collect();
        let worked: f64 = rows.iter().sum();
        if worked > rules.day_hours + 1e-9 {
            faults.push(WorkingTimeFault::LongDay { day, hours: worked });
        }
        let longest = rows.into_iter().fold(0.0, f64::max);
        if longest > rules.unbroken_hours + 1e-9 {
            faults.push(WorkingTimeFault::NoBreak { day, hours: longest });
        }
    }
    let own = || pieces.iter().filter(|piece| days.contains(&date(piece)));
    let mut worked_on: Vec<Date> = own().map(date).collect();
    worked_on.dedup();
    if worked_on.len() > rules.days {
        faults.push(WorkingTimeFault::ManyDays(worked_on.len()));
    }
    let total: f64 = own().map(hours).sum();
    if total > contract_hours + OVER {
        faults.push(WorkingTimeFault::OverContract { hours: total, contract: contract_hours });
    }
    faults
}

/// Pieces in order, cut where nothing is worked for longer than `gap_hours`.
fn joined(pieces: &[Stretch], gap_hours: f64) -> Vec<&[Stretch]> {
    let mut rows = Vec::new();
    let mut first = 0;
    for next in 1..pieces.len() {
        let end = end_of(&pieces[first..next]);
        if pieces[next].0.duration_since(end).as_secs_f64() > gap_hours * 3600.0 {
            rows.push(&pieces[first..next]);
            first = next;
        }
    }
    if first < pieces.len() {
        rows.push(&pieces[first..]);
    }
    rows
}

/// When the last of some pieces ends.
fn end_of(pieces: &[Stretch]) -> Timestamp {
    pieces.iter().map(|piece| piece.1).max().unwrap_or(Timestamp::MIN)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;
    use proptest::prelude::*;

    fn zone() -> TimeZone {
        TimeZone::get("Europe/London").unwrap()
    }

    /// Pieces of work: day of November 2026, from and until in hours.
    fn week(pieces: &[(i8, f64, f64)]) -> Vec<Stretch> {
        let at = |day: i8, hours: f64| {
            let minutes = (hours * 60.0).round() as i64;
            let begin = date(2026, 11, day).at(0, 0, 0, 0);
            zone().to_timestamp(begin.saturating_add(jiff::Span::new().minutes(minutes))).unwrap()
        };
        pieces.iter().map(|&(day, from, to)| (at(day, from), at(day, to))).collect()
    }

    fn faults(pieces: &[(i8, f64, f64)]) -> Vec<WorkingTimeFault> {
        let days = date(2026, 11, 23)..=date(2026, 11, 29);
        let rules = WorkingTimeRules::STARTING;
        working_time_faults(&week(pieces), days, |day| day.day() == 28, 37.5, &rules, &zone())
    }

    #[test]
    fn a_usual_week_has_no_fault() {
        let days: Vec<_> = (23..28).flat_map(|day| [(day, 8.0, 12.0), (day, 12.5, 16.0)]).collect();
        assert_eq!(faults(&days), []);
    }

    #[test]
    fn each_limit_is_told_by_day() {
        use WorkingTimeFault::{Away, LongDay, NoBreak, ShortRest, Twice};
        // The evening before the week counts as rest only.
        assert_eq!(
            faults(&[(22, 14.0, 22.0), (23, 6.0, 10.0)]),
            [ShortRest { day: date(2026, 11, 23), hours: 8.0 }]
        );
        assert_eq!(faults(&[(24, 8.0, 14.5)]), [NoBreak { day: date(2026, 11, 24), hours: 6.5 }]);
        assert_eq!(
            faults(&[(24, 8.0, 13.0), (24, 13.5, 19.0)]),
            [LongDay { day: date(2026, 11, 24), hours: 10.5 }]
        );
        assert_eq!(faults(&[(28, 9.0, 12.0)]), [Away(date(2026, 11, 28))]);
        assert_eq!(
            faults(&[(25, 8.0, 18.0), (25, 9.0, 10.0), (25, 15.0, 18.5)]),
            [
                Twice(date(2026, 11, 25)),
                LongDay { day: date(2026, 11, 25), hours: 10.5 },
                NoBreak { day: date(2026, 11, 25), hours: 10.5 }
            ]
        );
        // Two pieces that meet are no break.
        assert_eq!(
            faults(&[(26, 8.0, 12.0), (26, 12.0, 15.0)]),
            [NoBreak { day: date(2026, 11, 26), hours: 7.0 }]
        );
    }

    #[test]
    fn the_week_is_told_as_a_whole() {
        use WorkingTimeFault::{Away, ManyDays, OverContract};
        let every_day: Vec<_> = (23..30).map(|day| (day, 9.0, 14.0)).collect();
        assert_eq!(faults(&every_day), [Away(date(2026, 11, 28)), ManyDays(7)]);
        let long: Vec<_> = (23..28).flat_map(|day| [(day, 8.0, 12.0), (day, 12.5, 16.5)]).collect();
        assert_eq!(faults(&long), [OverContract { hours: 40.0, contract: 37.5 }]);
    }

    #[test]
    fn the_night_of_the_clock_change_has_its_own_hours() {
        // In October the night has an hour more: from 22 to 8 o'clock are eleven hours.
        let at =
            |day: i8, hour: i8| zone().to_timestamp(date(2026, 10, day).at(hour, 0, 0, 0)).unwrap();
        let week = [(at(24, 16), at(24, 22)), (at(25, 8), at(25, 12))];
        let days = date(2026, 10, 19)..=date(2026, 10, 25);
        let rules = WorkingTimeRules::STARTING;
        assert_eq!(working_time_faults(&week, days, |_| false, 37.5, &rules, &zone()), []);
    }

    proptest! {
        #[test]
        fn cutting_a_piece_in_two_changes_nothing_and_less_work_is_never_worse(
            pieces in prop::collection::vec((23_i8..30, 0_u32..80, 1_u32..40), 0..9),
            cut in 0_usize..9,
        ) {
            let quarters = |(day, from, length): &(i8, u32, u32)| {
                (*day, f64::from(*from) / 4.0, f64::from(from + length) / 4.0)
            };
            let whole: Vec<_> = pieces.iter().map(quarters).collect();
            let mut parts = whole.clone();
            if let Some(piece) = parts.get_mut(cut) {
                let (day, from, to) = *piece;
                let middle = f64::midpoint(from, to);
                piece.2 = middle;
                parts.push((day, middle, to));
            }
            let hours = |faults: &[WorkingTimeFault]| faults.iter().filter_map(|fault| match fault {
                WorkingTimeFault::OverContract { hours, .. } => Some(*hours),
                _ => None,
            }).sum::<f64>();
            prop_assert!((hours(&faults(&whole)) - hours(&faults(&parts))).abs() < 1e-6);
            let count = |faults: &[WorkingTimeFault], of: fn(&WorkingTimeFault) -> bool| faults.iter().filter(|fault| of(fault)).count();
            let is_twice = |fault: &WorkingTimeFault| matches!(fault, WorkingTimeFault::Twice(_));
            prop_assert_eq!(count(&faults(&whole), is_twice), count(&faults(&parts), is_twice));
            // Somebody who works one piece less is at work on no more days and for no longer.
            let fewer = &whole[..whole.len().saturating_sub(1)];
            prop_assert!(hours(&faults(fewer)) <= hours(&faults(&whole)) + 1e-6);
        }
    }
}
