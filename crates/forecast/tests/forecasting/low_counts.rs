//! Few contacts: forecasts are means there, not medians, and none is too low for the sake of its error.

use barometer_forecast::{DayGrid, Grain, MethodName, Observation};
use jiff::civil::{Date, date};
use jiff::tz::TimeZone;
use jiff::{ToSpan, Unit};
use rand::SeedableRng;
use rand_distr::{Distribution, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::made::{Made, grid, london, plain_forecast, usual};

/// What the level is times on a day.
type Factor = fn(Date) -> f64;

/// The share of the truth that forecasts come to over 28 days, of 40 histories of a year with so many contacts a day on
/// average, and its standard error.
fn share_of_truth(factor: Factor, seed: u64) -> (f64, f64) {
    let first = date(2025, 1, 6);
    let shares: Vec<f64> = (0..40)
        .map(|nth| {
            let made = Made { factor, ..Made::noisy(first, 364, seed + nth) };
            let forecast = plain_forecast(&made.grid()).unwrap();
            let truth: f64 = forecast
                .days
                .iter()
                .flat_map(|day| {
                    (0..24)
                        .filter_map(|hour| usual(day.day, hour))
                        .map(|each| each * factor(day.day))
                })
                .sum();
            forecast.days.iter().map(|day| day.contacts).sum::<f64>() / truth
        })
        .collect();
    let n = shares.len() as f64;
    let mean = shares.iter().sum::<f64>() / n;
    let variance = shares.iter().map(|share| (share - mean).powi(2)).sum::<f64>() / (n - 1.0);
    (mean, (variance / n).sqrt())
}

#[test]
fn totals_are_unbiased_at_every_level() {
    // About 220 contacts a day times the factor: 2, 5, 10, 20, 45 and 110 a day. Two per cent beside three standard
    // errors of the mean of 40 histories.
    let levels: [(Factor, u64); 6] = [
        (|_| 0.01, 1000),
        (|_| 0.023, 2000),
        (|_| 0.045, 3000),
        (|_| 0.09, 4000),
        (|_| 0.2, 5000),
        (|_| 0.5, 6000),
    ];
    for (nth, (factor, seed)) in levels.into_iter().enumerate() {
        let (share, error) = share_of_truth(factor, seed);
        assert!(error < 0.03, "level {nth}: {error}");
        assert!((share - 1.0).abs() < 0.02 + 3.0 * error, "level {nth}: {share} ± {error}");
    }
}

#[test]
fn a_day_that_is_mostly_zero_keeps_its_total() {
    // Nine of ten contacts come in two hours, the others in a night and a day of quarter-hours.
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(17);
    let first = date(2025, 1, 6);
    let mut seen = Vec::new();
    for day in 0..350 {
        let midnight = first.saturating_add(day.days()).to_zoned(TimeZone::UTC).unwrap();
        for quarter in 0..96_i64 {
            let expected = if (40..48).contains(&quarter) { 9.0 / 8.0 } else { 1.0 / 88.0 };
            let offered = Poisson::new(expected).unwrap().sample(&mut rng);
            let start = midnight.timestamp() + (15 * quarter).minutes();
            seen.push(Observation { start, offered, answered: offered, handle_secs: None });
        }
    }
    let history = DayGrid::new(&seen, Grain::Quarter, &TimeZone::UTC).unwrap();
    let made = plain_forecast(&history).unwrap();
    let total: f64 = made.days.iter().map(|day| day.contacts).sum();
    // 28 days of ten contacts; the mean of the year before is known to 1.7 %.
    assert!((total / 280.0 - 1.0).abs() < 0.1, "{total}");
    assert_eq!(
        made.method,
        MethodName::Combination,
        "an absolute error cannot tell methods apart here"
    );
}

#[test]
fn zeros_before_a_number_is_in_use_say_nothing_of_it() {
    let first = date(2025, 1, 6);
    let mut seen = Made::noisy(first, 400, 3).observations();
    let live = first.saturating_add(390.days());
    for interval in &mut seen {
        let day = interval.start.to_zoned(london()).date();
        if day < live {
            (interval.offered, interval.answered) = (0.0, 0.0);
        }
    }
    let made = plain_forecast(&grid(&seen)).unwrap();
    let came = |interval: &Observation| interval.start.to_zoned(london()).date() >= live;
    let lived: f64 =
        seen.iter().filter(|each| came(each)).map(|each| each.offered).sum::<f64>() / 10.0;
    let forecast = made.days[..7].iter().map(|day| day.contacts).sum::<f64>() / 7.0;
    assert!((forecast / lived - 1.0).abs() < 0.25, "{forecast} a day of {lived}");
}

#[test]
fn one_day_at_fifty_times_the_usual_does_not_come_again() {
    let first = date(2025, 1, 6);
    let mut seen = Made::noisy(first, 364, 5).observations();
    let odd = first.saturating_add(360.days());
    for interval in &mut seen {
        if interval.start.to_zoned(london()).date() == odd {
            interval.offered *= 50.0;
        }
    }
    let made = plain_forecast(&grid(&seen)).unwrap();
    for day in &made.days {
        let truth: f64 = (0..24).filter_map(|hour| usual(day.day, hour)).sum();
        let weeks = odd.until((Unit::Day, day.day)).unwrap().get_days();
        assert!(
            (day.contacts / truth - 1.0).abs() < 0.2,
            "{weeks} days later: {} of {truth}",
            day.contacts
        );
    }
}
