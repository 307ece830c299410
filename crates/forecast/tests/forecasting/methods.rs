//! The methods, their combination and their record.

use barometer_forecast::{
    Backtest, Calendar, DayGrid, ForecastError, Grain, HORIZON_DAYS, MethodName, Observation,
    forecast,
};
use jiff::civil::date;
use jiff::{Timestamp, ToSpan};
use proptest::prelude::*;

use crate::made::{Made, grid, london, plain_forecast, usual};

#[test]
fn a_history_without_noise_is_continued_exactly_across_a_clock_change() {
    // Four weeks from 28 September reach over the clock change of 25 October.
    let seen = Made::exact(date(2026, 8, 3), 56).grid();
    for method in [None, Some(MethodName::SeasonalNaive), Some(MethodName::WeekdayMedians)] {
        let made = forecast(&seen, &Calendar::default(), HORIZON_DAYS, method).unwrap();
        assert_eq!(made.intervals.len(), 28 * 12);
        // Weeks that are all alike leave no scale, and no number that JSON cannot hold.
        let backtest = made.backtest.unwrap();
        assert_eq!(backtest.errors().unwrap().mase, None);
        let text = serde_json::to_string(&backtest).unwrap();
        assert_eq!(serde_json::from_str::<Backtest>(&text).unwrap(), backtest);
        for interval in made.intervals {
            let local = interval.start.to_zoned(london());
            let expected = usual(local.date(), local.hour()).unwrap();
            let off = (interval.contacts / expected - 1.0).abs();
            assert!(off < 1e-3, "{local}: {} against {expected}", interval.contacts);
            assert!((interval.handle_secs - 240.0).abs() < 1e-9);
        }
    }
}

#[test]
fn the_forecast_of_noisy_history_is_hardly_worse_than_the_truth_itself() {
    // Poisson noise, fixed seed: half a year, then four weeks to compare with. The true mean's own
    // error is what nobody can beat; the bound of 5 % is kept.
    let all = Made::noisy(date(2026, 1, 5), 210, 7).grid();
    let known = all.before(182);
    let made = plain_forecast(&known).unwrap();
    let (mut ours, mut truth, mut naive) = (0.0, 0.0, 0.0);
    for interval in &made.intervals {
        let local = interval.start.to_zoned(london());
        let day = (local.date() - all.first_day()).get_days() as usize;
        let slot = local.hour() as usize;
        let came = all.offered(day, slot).unwrap();
        ours += (interval.contacts - came).abs();
        truth += (usual(local.date(), local.hour()).unwrap() - came).abs();
        naive += (all.offered(182 - 7 + (day - 182) % 7, slot).unwrap() - came).abs();
    }
    assert!(ours < 1.05 * truth, "{ours} against {truth}");
    assert!(ours < 0.85 * naive, "{ours} against {naive}");
}

#[test]
fn the_record_names_every_method_and_the_best_is_used_unless_one_is_pinned() {
    let seen = Made::noisy(date(2025, 1, 6), 500, 3).grid();
    let made = plain_forecast(&seen).unwrap();
    let backtest = made.backtest.unwrap();
    assert_eq!((backtest.origins, backtest.horizon_days), (12, 28));
    assert_eq!(backtest.records.len(), MethodName::ALL.len());
    assert_eq!((made.method, backtest.method), (backtest.best, backtest.best));
    let sum: f64 = backtest.records.iter().map(|record| record.weight).sum();
    assert!((sum - 1.0).abs() < 1e-9, "weights sum to {sum}");
    let (ours, naive) = (backtest.errors().unwrap(), backtest.naive().unwrap());
    assert!(ours.interval_wape < 0.8 * naive.interval_wape, "{ours:?} {naive:?}");
    assert!(ours.bias.abs() < 0.03 && ours.mase.unwrap() < 0.85, "{ours:?}");
    let mase = naive.mase.unwrap();
    assert!((mase - 1.0).abs() < 0.05, "a week ago is the scale itself: {mase}");
    assert!(backtest.records[0].by_horizon.iter().all(Option::is_some), "56 days are held out");

    let pinned = MethodName::Smoothing;
    let made = forecast(&seen, &Calendar::default(), 7, Some(pinned)).unwrap();
    let backtest = made.backtest.unwrap();
    assert_eq!((made.method, backtest.method), (pinned, pinned));
    assert_ne!(backtest.best, pinned, "the page can still say which would have been best");
}

#[test]
fn a_jump_of_the_level_is_followed_within_two_weeks_and_one_odd_week_is_half_believed() {
    // The level falls to 60 % for the last days of 20 weeks.
    let after = |days: i64| {
        let mut seen = Made::noisy(date(2026, 1, 5), 140, 11).observations();
        let from = date(2026, 1, 5).saturating_add((140 - days).days());
        for interval in &mut seen {
            if interval.start.to_zoned(london()).date() >= from {
                interval.offered = (interval.offered * 0.6).round();
            }
        }
        let made = plain_forecast(&grid(&seen)).unwrap();
        let truth: f64 =
            (0..28).map(|day| day_total(date(2026, 5, 25).saturating_add(day.days()))).sum();
        made.days.iter().map(|day| day.contacts).sum::<f64>() / truth
    };
    assert!((after(0) - 1.0).abs() < 0.02, "{}", after(0));
    assert!((after(14) - 0.6).abs() < 0.04, "after two weeks: {}", after(14));
    assert!(after(3) > 0.85, "three odd days: {}", after(3));
}

fn day_total(day: jiff::civil::Date) -> f64 {
    (0..24).filter_map(|hour| usual(day, hour)).sum()
}

#[test]
fn the_season_of_the_years_before_is_followed() {
    // Two years and more that swing by 40 %, highest in early July; the forecast is of June.
    let swing = |day: jiff::civil::Date| {
        1.0 + 0.4 * (std::f64::consts::TAU * (f64::from(day.day_of_year()) - 92.0) / 365.0).sin()
    };
    let first = date(2024, 1, 1);
    let seen = Made { factor: swing, ..Made::noisy(first, 880, 5) }.grid();
    let made = plain_forecast(&seen).unwrap();
    for week in made.days.chunks(7) {
        let truth: f64 = week.iter().map(|day| swing(day.day) * day_total(day.day)).sum();
        let got: f64 = week.iter().map(|day| day.contacts).sum();
        assert!((got / truth - 1.0).abs() < 0.05, "{}: {got} against {truth}", week[0].day);
    }
}

#[test]
fn one_storm_day_and_a_lost_week_do_not_bend_the_forecast() {
    let mut seen = Made::exact(date(2026, 8, 3), 84).observations();
    let day_of = |seen: &Observation| seen.start.to_zoned(london()).date();
    for interval in &mut seen {
        if day_of(interval) == date(2026, 10, 20) {
            interval.offered *= 6.0;
        }
    }
    seen.retain(|interval| !(date(2026, 9, 14)..date(2026, 9, 21)).contains(&day_of(interval)));
    let made = plain_forecast(&grid(&seen)).unwrap();
    let total: f64 = made.days[..7].iter().map(|day| day.contacts).sum();
    let expected: f64 = made.days[..7].iter().map(|day| day_total(day.day)).sum();
    assert!((total / expected - 1.0).abs() < 0.05, "{total} against {expected}");
}

#[test]
fn the_naive_forecast_repeats_the_last_week_and_looks_past_a_gap() {
    let mut seen = Made::noisy(date(2026, 8, 3), 21, 9).observations();
    let gap: Timestamp = "2026-08-17T10:00:00+01:00".parse().unwrap();
    seen.retain(|interval| interval.start != gap);
    let seen = grid(&seen);
    let naive = Some(MethodName::SeasonalNaive);
    let made = forecast(&seen, &Calendar::default(), 7, naive);
    // Three weeks are too few to hold any out, so the pinned method cannot be checked; four are not.
    assert!(made.unwrap().backtest.is_none());
    let mut seen = Made::noisy(date(2026, 8, 3), 28, 9).observations();
    seen.retain(|interval| interval.start != gap.checked_add((7 * 24).hours()).unwrap());
    let seen = grid(&seen);
    let made = forecast(&seen, &Calendar::default(), 7, naive).unwrap();
    let at = |hour: usize| made.intervals[hour - 8].contacts;
    assert_eq!(at(10), seen.offered(14, 10).unwrap(), "the Monday before stands in");
    assert_eq!(at(9), seen.offered(21, 9).unwrap());
}

#[test]
fn too_little_history_is_said_not_guessed() {
    let short = Made::exact(date(2026, 8, 3), 5).grid();
    assert_eq!(plain_forecast(&short).unwrap_err(), ForecastError::TooShort { days: 5 });
    assert!(DayGrid::new(&[], Grain::Half, &london()).is_none());
    let silent = Made { factor: |_| 0.0, ..Made::exact(date(2026, 8, 3), 21) }.grid();
    assert_eq!(plain_forecast(&silent).unwrap_err(), ForecastError::Silent);
}

#[test]
fn handle_times_follow_hour_and_weekday_where_enough_was_seen() {
    let mut seen = Made::exact(date(2026, 1, 5), 112).observations();
    for interval in &mut seen {
        let local = interval.start.to_zoned(london());
        let evening = if local.hour() >= 18 { 2.0 } else { 1.0 };
        let monday = if local.weekday() == jiff::civil::Weekday::Monday { 1.25 } else { 1.0 };
        interval.handle_secs = Some(200.0 * evening * monday);
    }
    // One forgotten handset.
    seen[100].handle_secs = Some(30_000.0);
    let made = plain_forecast(&grid(&seen)).unwrap();
    let secs = |day: usize, hour: usize| made.intervals[day * 12 + hour - 8].handle_secs;
    for (day, hour, truth) in [(0, 10, 250.0), (0, 19, 500.0), (2, 10, 200.0), (2, 19, 400.0)] {
        let got = secs(day, hour);
        // Few contacts come in the evening, so that hour is drawn towards the overall mean.
        let bound = if hour == 19 { 0.08 } else { 0.03 };
        assert!((got / truth - 1.0).abs() < bound, "day {day} {hour} h: {got} against {truth}");
    }
}

#[test]
fn a_weekday_that_is_closed_stays_closed() {
    let mut seen = Made::exact(date(2026, 1, 5), 69).observations();
    seen.retain(|seen| seen.start.to_zoned(london()).weekday() != jiff::civil::Weekday::Sunday);
    let made = plain_forecast(&grid(&seen)).unwrap();
    // The grid ends on Saturday: the first day ahead is a Sunday.
    assert_eq!(made.days[0].contacts, 0.0);
    let is_sunday =
        |start: Timestamp| start.to_zoned(london()).weekday() == jiff::civil::Weekday::Sunday;
    assert!(!made.intervals.iter().any(|interval| is_sunday(interval.start)));
    assert_eq!(made.intervals.len(), 24 * 12);
}

proptest! {
    #[test]
    fn forecasts_are_finite_coherent_and_inside_their_bands(
        offered in proptest::collection::vec(0.0..500.0f64, 24 * 7..24 * 60), seed in 0usize..7,
    ) {
        let first: Timestamp = "2026-01-05T00:00:00Z".parse().unwrap();
        let seen: Vec<_> = offered.iter().enumerate()
            .filter(|(hour, _)| hour % 11 != seed)
            .map(|(hour, &offered)| Observation {
                start: first + (hour as i64).hours(), offered, answered: offered, handle_secs: Some(100.0),
            })
            .collect();
        let Ok(made) = plain_forecast(&grid(&seen)) else { return Ok(()) };
        for interval in &made.intervals {
            let (contacts, band) = (interval.contacts, interval.band);
            prop_assert!(contacts.is_finite() && contacts >= 0.0);
            prop_assert!(interval.handle_secs > 0.0);
            let edges = [0.0, band.p2_5, band.p10, band.p90, band.p97_5];
            prop_assert!(edges.windows(2).all(|pair| pair[0] <= pair[1]), "{edges:?}");
        }
        for day in &made.days {
            let of_day = |at: Timestamp| at.to_zoned(london()).date() == day.day;
            let sum: f64 = made.intervals.iter().filter(|it| of_day(it.start)).map(|it| it.contacts).sum();
            prop_assert!((sum - day.contacts).abs() <= 1e-9 * (1.0 + sum), "intervals sum to their day");
            prop_assert!((day.parts.contacts() - day.contacts).abs() <= 1e-6 * (1.0 + sum), "{:?}", day);
        }
    }
}
