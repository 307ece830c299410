//! The method on made-up histories whose truth is known.

#![cfg(test)]

use barometer_forecast::{
    DayGrid, ForecastError, Grain, HORIZON_DAYS, Observation, WeekdayProfile, backtest,
    seasonal_naive,
};
use jiff::civil::date;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use proptest::prelude::*;
use rand::SeedableRng;
use rand_distr::{Distribution, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;

fn london() -> TimeZone {
    TimeZone::get("Europe/London").unwrap()
}

/// Contacts that the made-up centre expects at a wall-clock hour: busy Mondays, quiet Sundays, a
/// morning peak, closed before 8 and after 20.
fn truth(weekday: i8, hour: i8) -> Option<f64> {
    let day = [1.4, 1.1, 1.0, 1.0, 1.2, 0.7, 0.4][weekday as usize];
    (8..20)
        .contains(&hour)
        .then(|| day * (10.0 + 20.0 * (-(f64::from(hour) - 10.0).powi(2) / 8.0).exp()))
}

fn history(days: i64, noise: Option<u64>) -> Vec<Observation> {
    let mut rng = noise.map(Xoshiro256PlusPlus::seed_from_u64);
    let zone = london();
    let first = date(2026, 8, 3).at(0, 0, 0, 0).to_zoned(zone).unwrap();
    (0..days * 24)
        .filter_map(|hour| {
            let at = &first + hour.hours();
            let expected = truth(at.weekday().to_monday_zero_offset(), at.hour())?;
            let offered = match &mut rng {
                Some(rng) => Poisson::new(expected).unwrap().sample(rng),
                None => expected,
            };
            Some(Observation {
                start: at.timestamp(),
                offered,
                answered: offered,
                handle_secs: Some(240.0),
            })
        })
        .collect()
}

fn grid(history: &[Observation]) -> DayGrid {
    DayGrid::new(history, Grain::Hour, &london()).unwrap()
}

#[test]
fn a_history_without_noise_is_continued_exactly_across_a_clock_change() {
    // Four weeks from 28 September reach over the clock change of 25 October.
    let seen = grid(&history(56, None));
    let fitted = WeekdayProfile::fit(&seen).unwrap();
    let forecast = fitted.forecast(&seen, HORIZON_DAYS);
    assert_eq!(forecast.len(), 28 * 12);
    for interval in forecast {
        let local = interval.start.to_zoned(london());
        let expected = truth(local.weekday().to_monday_zero_offset(), local.hour()).unwrap();
        assert!((interval.contacts - expected).abs() < 1e-9, "{local}: {}", interval.contacts);
        assert!((interval.handle_secs - 240.0).abs() < 1e-9);
    }
}

#[test]
fn the_method_beats_last_week_on_noisy_history() {
    // Poisson noise, fixed seed. Last week's value carries its own noise, so the naive error is
    // about √2 of the least possible one; averaging twelve weeks gets close to that.
    let report = backtest(&grid(&history(150, Some(7))), HORIZON_DAYS).unwrap();
    assert_eq!((report.origins, report.horizon_days), (3, 28));
    let ratio = report.method.interval_wape / report.naive.interval_wape;
    assert!((0.65..0.85).contains(&ratio), "{report:?}");
    assert!(report.method.bias.abs() < 0.03, "{report:?}");
}

#[test]
fn one_storm_day_and_a_lost_week_do_not_bend_the_forecast() {
    let mut seen = history(84, None);
    let storm = date(2026, 10, 20);
    for interval in &mut seen {
        if interval.start.to_zoned(london()).date() == storm {
            interval.offered *= 6.0;
        }
    }
    let lost = date(2026, 9, 14)..date(2026, 9, 21);
    seen.retain(|interval| !lost.contains(&interval.start.to_zoned(london()).date()));
    let seen = grid(&seen);
    let fitted = WeekdayProfile::fit(&seen).unwrap();
    let total: f64 = (0..7).flat_map(|ahead| fitted.contacts(&seen, ahead)).flatten().sum();
    let expected: f64 =
        (0..7).flat_map(|day| (0..24).filter_map(move |hour| truth(day, hour))).sum();
    assert!((total / expected - 1.0).abs() < 0.05, "{total} against {expected}");
}

#[test]
fn the_naive_forecast_repeats_the_last_week_and_looks_past_a_gap() {
    let mut seen = history(21, None);
    let gap: Timestamp = "2026-08-17T10:00:00+01:00".parse().unwrap();
    seen.retain(|interval| interval.start != gap);
    let seen = grid(&seen);
    let next = seasonal_naive(&seen, 7);
    assert_eq!(next[0][10], truth(0, 10), "the Monday before stands in");
    assert_eq!(next[2][9], truth(2, 9));
    assert_eq!(next[2][3], None, "closed at night");
}

#[test]
fn too_little_history_is_said_not_guessed() {
    let short = grid(&history(5, None));
    assert_eq!(WeekdayProfile::fit(&short).unwrap_err(), ForecastError::TooShort { days: 5 });
    assert!(backtest(&short, HORIZON_DAYS).is_none());
    assert!(DayGrid::new(&[], Grain::Half, &london()).is_none());
    let silent: Vec<_> = history(21, None)
        .into_iter()
        .map(|seen| Observation { offered: 0.0, answered: 0.0, handle_secs: None, ..seen })
        .collect();
    assert_eq!(WeekdayProfile::fit(&grid(&silent)).unwrap_err(), ForecastError::Silent);
}

/// Contacts of every half-hour from 8 to 10 o'clock on `days` days from `first`, by a rule.
fn mornings(first: jiff::civil::Date, days: i64, rule: impl Fn(i64, f64) -> (f64, f64)) -> DayGrid {
    let seen: Vec<_> = (0..days)
        .flat_map(|day| (16..20).map(move |half| (day, half)))
        .map(|(day, half)| {
            let date = first.saturating_add(day.days());
            let at = date.at((half / 2) as i8, (half % 2 * 30) as i8, 0, 0);
            let (offered, handle_secs) = rule(day, half as f64);
            Observation {
                start: at.to_zoned(london()).unwrap().timestamp(),
                offered,
                answered: offered,
                handle_secs: Some(handle_secs),
            }
        })
        .collect();
    DayGrid::new(&seen, Grain::Half, &london()).unwrap()
}

#[test]
fn last_years_season_is_followed_but_not_wholly_believed() {
    // Two years that swing by 40% around 100 a half-hour, highest in early July.
    let swing = |day: i64| (std::f64::consts::TAU * (day as f64 - 92.0) / 364.0).sin();
    let history =
        mornings(date(2024, 1, 1), 728 + 120, |day, _| (100.0 * (1.0 + 0.4 * swing(day)), 200.0));
    let fitted = WeekdayProfile::fit(&history).unwrap();
    let ahead = 27;
    let truth = 100.0 * (1.0 + 0.4 * swing(728 + 120 + ahead as i64));
    let unmoved = 100.0 * (1.0 + 0.4 * swing(728 + 120 - 7));
    let got = fitted.contacts(&history, ahead)[16].unwrap();
    assert!(got > unmoved * 1.05 && got < truth * 1.02, "{unmoved} {got} {truth}");
    assert!((got / truth - 1.0).abs() < 0.1, "{got} against {truth}");
}

#[test]
fn a_level_shift_is_believed_within_weeks_and_one_odd_week_is_not() {
    let level = |shifted_days: i64| {
        let history = mornings(date(2026, 1, 5), 140, |day, _| {
            (if day >= 140 - shifted_days { 60.0 } else { 100.0 }, 200.0)
        });
        WeekdayProfile::fit(&history).unwrap().contacts(&history, 1)[16].unwrap()
    };
    assert!((level(0) - 100.0).abs() < 1e-9);
    assert!(level(28) < 68.0, "after four weeks: {}", level(28));
    assert!(level(3) > 95.0, "three odd days: {}", level(3));
}

#[test]
fn handle_times_follow_the_time_of_day_where_enough_was_seen() {
    let busy =
        mornings(date(2026, 1, 5), 70, |_, half| (50.0, if half >= 18.0 { 400.0 } else { 200.0 }));
    let fitted = WeekdayProfile::fit(&busy).unwrap();
    let secs: Vec<_> =
        fitted.forecast(&busy, 1).iter().map(|interval| interval.handle_secs).collect();
    // 2800 contacts a slot against 60 of the overall mean of 300 s.
    for (got, wanted) in secs.iter().zip([200.0, 200.0, 400.0, 400.0]) {
        assert!((got - (2800.0 * wanted + 60.0 * 300.0) / 2860.0).abs() < 1e-6, "{secs:?}");
    }
    let quiet =
        mornings(date(2026, 1, 5), 7, |_, half| (1.0, if half >= 18.0 { 400.0 } else { 200.0 }));
    let few = WeekdayProfile::fit(&quiet).unwrap().forecast(&quiet, 1)[0].handle_secs;
    assert!(few > 280.0, "seven contacts do not outweigh the overall mean: {few}");
}

#[test]
fn a_weekday_that_is_closed_stays_closed() {
    let history = mornings(date(2026, 1, 5), 70, |_, _| (10.0, 200.0));
    let open: Vec<Observation> = (0..70)
        .filter(|day| day % 7 != 6)
        .map(|day| Observation {
            start: date(2026, 1, 5)
                .saturating_add(day.days())
                .at(9, 0, 0, 0)
                .to_zoned(london())
                .unwrap()
                .timestamp(),
            offered: 10.0,
            answered: 10.0,
            handle_secs: None,
        })
        .collect();
    let without_sundays = DayGrid::new(&open, Grain::Half, &london()).unwrap();
    let fitted = WeekdayProfile::fit(&without_sundays).unwrap();
    // The grid ends on Saturday: the first day ahead is a Sunday.
    assert_eq!(fitted.contacts(&without_sundays, 0).iter().flatten().count(), 0);
    assert_eq!(fitted.contacts(&without_sundays, 1).iter().flatten().count(), 1);
    let daily = WeekdayProfile::fit(&history).unwrap();
    assert_eq!(daily.contacts(&history, 6).iter().flatten().count(), 4);
}

#[test]
fn the_backtest_holds_out_what_it_says_and_counts_what_came() {
    let history =
        mornings(date(2026, 1, 5), 105, |day, _| (if day >= 77 { 110.0 } else { 100.0 }, 200.0));
    let report = backtest(&history, HORIZON_DAYS).unwrap();
    assert_eq!((report.origins, report.latest_days.len()), (3, 28));
    let last = report.latest_days[27];
    assert_eq!((last.day, last.came), (date(2026, 4, 19), 440.0));
    assert!((last.forecast - 400.0).abs() < 1e-9, "made from before the rise: {}", last.forecast);
    // 10% of 110 is missed on one of three stretches: 10 × 28 days of 2 × 100 + 110 a slot.
    let missed = 10.0 / (110.0 + 2.0 * 100.0);
    assert!((report.method.interval_wape - missed).abs() < 1e-9, "{report:?}");
    assert!((report.method.bias + missed).abs() < 1e-9);
}

proptest! {
    #[test]
    fn forecasts_are_finite_and_never_negative(
        offered in proptest::collection::vec(0.0..500.0f64, 24 * 7..24 * 40), seed in 0usize..7,
    ) {
        let first: Timestamp = "2026-01-05T00:00:00Z".parse().unwrap();
        let seen: Vec<_> = offered.iter().enumerate()
            .filter(|(hour, _)| hour % 11 != seed)
            .map(|(hour, &offered)| Observation {
                start: first + (hour as i64).hours(), offered, answered: offered, handle_secs: Some(100.0),
            })
            .collect();
        let seen = grid(&seen);
        if let Ok(fitted) = WeekdayProfile::fit(&seen) {
            for interval in fitted.forecast(&seen, HORIZON_DAYS) {
                prop_assert!(interval.contacts.is_finite() && interval.contacts >= 0.0);
                prop_assert!(interval.handle_secs > 0.0);
            }
        }
    }
}
