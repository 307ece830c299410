use barometer_report::{Days, Grouping, Period, PeriodError};
use jiff::civil::{Date, date};
use proptest::prelude::*;

const WEDNESDAY: Date = date(2026, 11, 25);

fn days(key: &str) -> Days {
    let period: Period = key.parse().unwrap();
    period.days(WEDNESDAY, Grouping::Day).unwrap()
}

#[test]
fn relative_periods_are_counted_from_today() {
    let of = |first, last| Days { first, last };
    assert_eq!(days("yesterday"), of(date(2026, 11, 24), date(2026, 11, 24)));
    assert_eq!(days("last-week"), of(date(2026, 11, 16), date(2026, 11, 22)));
    assert_eq!(days("last-7-days"), of(date(2026, 11, 18), date(2026, 11, 24)));
    assert_eq!(days("last-4-weeks"), of(date(2026, 10, 26), date(2026, 11, 22)));
    assert_eq!(days("last-month"), of(date(2026, 10, 1), date(2026, 10, 31)));
    assert_eq!(days("last-12-months"), of(date(2025, 11, 1), date(2026, 10, 31)));
    assert_eq!(days("this-week"), of(date(2026, 11, 23), date(2026, 11, 29)));
    assert_eq!(days("next-4-weeks"), of(date(2026, 11, 30), date(2026, 12, 27)));
    assert_eq!(days("2026-11-03..2026-11-05"), of(date(2026, 11, 3), date(2026, 11, 5)));
    assert_eq!(days("2026-11-03"), of(date(2026, 11, 3), date(2026, 11, 3)));
}

#[test]
fn the_days_beside_a_period_are_as_many_or_as_many_months() {
    let month: Period = "last-month".parse().unwrap();
    let october = days("last-month");
    assert_eq!(month.before(october), Days { first: date(2026, 9, 1), last: date(2026, 9, 30) });
    assert_eq!(
        month.year_ago(october),
        Days { first: date(2025, 10, 1), last: date(2025, 10, 31) }
    );
    let week: Period = "last-week".parse().unwrap();
    let year_ago = week.year_ago(days("last-week"));
    assert_eq!(year_ago, Days { first: date(2025, 11, 17), last: date(2025, 11, 23) });
    assert_eq!(year_ago.first.weekday(), days("last-week").first.weekday());
}

#[test]
fn a_february_a_year_ago_ends_with_its_own_last_day() {
    let period: Period = "last-month".parse().unwrap();
    let february = period.days(date(2028, 3, 9), Grouping::Day).unwrap();
    assert_eq!(february.last, date(2028, 2, 29));
    assert_eq!(period.year_ago(february).last, date(2027, 2, 28));
}

#[test]
fn a_period_that_cannot_be_told_says_why() {
    let of = |text: &str, grouping| text.parse::<Period>().unwrap().days(WEDNESDAY, grouping);
    let backwards = of("2026-11-05..2026-11-03", Grouping::Day).unwrap_err();
    assert!(matches!(backwards, PeriodError::Backwards { .. }));
    let long = of("2025-10-21..2026-11-24", Grouping::Interval).unwrap_err();
    assert_eq!(long, PeriodError::TooLongByInterval { days: 400 });
    assert!(of("2025-10-21..2026-11-24", Grouping::Day).is_ok());
    assert!(matches!(
        of("2000-01-01..2026-01-01", Grouping::Month),
        Err(PeriodError::TooLong { .. })
    ));
    insta::assert_snapshot!("soon".parse::<Period>().unwrap_err(), @"“soon” is no period; use a name such as last-week, or two dates such as 2026-11-01..2026-11-22");
}

#[test]
fn a_named_period_is_written_as_it_is_typed() {
    for (key, _, period) in Period::NAMED {
        assert_eq!(period.to_string(), key);
        assert_eq!(key.parse::<Period>().unwrap(), period);
    }
    let fixed: Period = "2026-11-03..2026-11-05".parse().unwrap();
    assert_eq!(fixed.to_string(), "2026-11-03..2026-11-05");
    assert_eq!(fixed.words(), "3 – 5 Nov 2026");
}

#[test]
fn groups_are_named_as_people_say_them() {
    let at = date(2026, 11, 28).at(9, 30, 0, 0);
    let name = |grouping: Grouping| grouping.name(grouping.group(at));
    assert_eq!(name(Grouping::Interval), "Sat 28 Nov 09:30");
    assert_eq!(name(Grouping::Day), "Sat 28 Nov");
    assert_eq!(name(Grouping::Week), "23 Nov 2026");
    assert_eq!(name(Grouping::Month), "November 2026");
    assert_eq!(name(Grouping::Weekday), "Saturday");
}

proptest! {
    #[test]
    fn every_relative_period_ends_after_it_begins_and_lies_where_its_name_says(
        offset in 0_i64..4_000,
    ) {
        let today = date(2020, 1, 1).saturating_add(jiff::Span::new().days(offset));
        for (key, _, period) in Period::NAMED {
            let days = period.days(today, Grouping::Day).unwrap();
            prop_assert!(days.first <= days.last);
            match key {
                key if key.starts_with("last") || key == "yesterday" => prop_assert!(days.last < today),
                key if key.starts_with("next") || key == "tomorrow" => prop_assert!(days.first > today),
                _ => prop_assert!(days.contains(today)),
            }
            prop_assert_eq!(period.before(days).last, days.first.yesterday().unwrap());
        }
    }
}
