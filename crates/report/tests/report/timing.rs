use barometer_report::{Timing, TimingDays, TimingError};
use jiff::civil::{Date, Time, date, time};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use proptest::prelude::*;

fn london() -> TimeZone {
    TimeZone::get("Europe/London").unwrap()
}

fn daily(at: Time) -> Timing {
    Timing::new(TimingDays::Weekdays([true; 7]), at).unwrap()
}

fn at(day: Date, time: Time) -> Timestamp {
    london().to_timestamp(day.to_datetime(time)).unwrap()
}

#[test]
fn a_time_that_the_clock_jumps_over_comes_right_after_the_jump() {
    // On 29 March 2026 the clock goes from 01:00 to 02:00.
    let timing = daily(time(1, 30, 0, 0));
    let next = timing.next(at(date(2026, 3, 28), time(12, 0, 0, 0)), &london()).unwrap();
    assert_eq!(next.to_string(), "2026-03-29T01:30:00Z");
    assert_eq!(london().to_datetime(next), date(2026, 3, 29).at(2, 30, 0, 0));
    let after = timing.next(next, &london()).unwrap();
    assert_eq!(after, at(date(2026, 3, 30), time(1, 30, 0, 0)), "and the next day as usual");
}

#[test]
fn a_time_that_the_clock_has_twice_comes_once_at_the_first() {
    // On 25 October 2026 the hour from 01:00 to 02:00 is there twice.
    let timing = daily(time(1, 30, 0, 0));
    let first = timing.next(at(date(2026, 10, 24), time(12, 0, 0, 0)), &london()).unwrap();
    assert_eq!(first.to_string(), "2026-10-25T00:30:00Z");
    let next = timing.next(first, &london()).unwrap();
    assert_eq!(next.to_string(), "2026-10-26T01:30:00Z");
}

#[test]
fn the_wall_clock_stays_the_same_over_a_change() {
    let timing = daily(time(7, 0, 0, 0));
    let mut now = at(date(2026, 10, 22), time(12, 0, 0, 0));
    for day in [23, 24, 25, 26, 27] {
        now = timing.next(now, &london()).unwrap();
        assert_eq!(london().to_datetime(now), date(2026, 10, day).at(7, 0, 0, 0));
    }
}

#[test]
fn day_31_is_the_last_day_of_a_shorter_month() {
    let timing = Timing::new(TimingDays::Monthly(31), time(7, 0, 0, 0)).unwrap();
    let mut now = at(date(2026, 1, 31), time(8, 0, 0, 0));
    let mut days = Vec::new();
    for _ in 0..4 {
        now = timing.next(now, &london()).unwrap();
        days.push(london().to_datetime(now).date());
    }
    assert_eq!(days, [date(2026, 2, 28), date(2026, 3, 31), date(2026, 4, 30), date(2026, 5, 31)]);
}

#[test]
fn a_timing_that_never_comes_is_none() {
    let at = time(7, 0, 0, 0);
    assert_eq!(Timing::new(TimingDays::Weekdays([false; 7]), at), Err(TimingError::NoDay));
    assert_eq!(Timing::new(TimingDays::Monthly(0), at), Err(TimingError::NoSuchDay(0)));
    assert_eq!(Timing::new(TimingDays::Monthly(32), at), Err(TimingError::NoSuchDay(32)));
}

#[test]
fn a_timing_says_when_it_is() {
    let words = |days| Timing::new(days, time(6, 45, 0, 0)).unwrap().words();
    assert_eq!(words(TimingDays::Weekdays([true; 7])), "every day at 06:45");
    let working = [true, true, true, true, true, false, false];
    assert_eq!(words(TimingDays::Weekdays(working)), "Monday to Friday at 06:45");
    let two = [true, false, false, true, false, false, false];
    assert_eq!(words(TimingDays::Weekdays(two)), "every Monday and Thursday at 06:45");
    assert_eq!(words(TimingDays::Monthly(1)), "on day 1 of every month at 06:45");
}

proptest! {
    #[test]
    fn the_next_time_is_later_on_a_chosen_day_and_no_chosen_day_is_left_out(
        hours in 0_i64..9_000, days in prop::array::uniform7(any::<bool>()), hour in 0_i8..24,
    ) {
        let Ok(timing) = Timing::new(TimingDays::Weekdays(days), time(hour, 15, 0, 0)) else {
            return Ok(());
        };
        let zone = london();
        let after = at(date(2026, 1, 1), Time::midnight()).checked_add(hours.hours()).unwrap();
        let next = timing.next(after, &zone).unwrap();
        prop_assert!(next > after);
        let local = zone.to_datetime(next);
        prop_assert!(days[local.weekday().to_monday_zero_offset() as usize]);
        let is_jumped_over = local.hour() == 2 && hour == 1;
        prop_assert!(local.hour() == hour || is_jumped_over);
        let mut day = zone.to_datetime(after).date().saturating_add(1.day());
        while day < local.date() {
            prop_assert!(!days[day.weekday().to_monday_zero_offset() as usize]);
            day = day.tomorrow().unwrap();
        }
    }
}
