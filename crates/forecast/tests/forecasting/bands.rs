//! Bands: do they hold as often as they say?

use barometer_forecast::{HORIZON_DAYS, Uncertainty};
use jiff::civil::date;
use proptest::prelude::*;

use crate::made::{Made, london, plain_forecast};

#[test]
fn bands_hold_as_often_as_they_say_on_days_that_come_afterwards() {
    // 40 histories of 250 days with a gamma day factor of 12 % and Poisson intervals; the bands of
    // the next four weeks against what came. 1120 days and 13440 intervals; days of one history
    // share its estimated spread, so they count as about four independent ones each: the standard
    // error of a share of 0.80 is then sqrt(0.16 / 160) = 3.2 points, of 0.95 1.7 points.
    let mut held = [0.0; 4];
    let (mut days, mut intervals) = (0.0, 0.0);
    for seed in 0..40 {
        let made = Made { day_spread: 0.12, ..Made::noisy(date(2026, 1, 5), 278, 100 + seed) };
        let all = made.grid();
        let forecast = plain_forecast(&all.before(250)).unwrap();
        let mut totals = [0.0; HORIZON_DAYS];
        for interval in &forecast.intervals {
            let local = interval.start.to_zoned(london());
            let day = (local.date() - all.first_day()).get_days() as usize;
            let came = all.offered(day, local.hour() as usize).unwrap();
            totals[day - 250] += came;
            held[0] += f64::from(interval.band.holds_80(came));
            held[1] += f64::from(interval.band.holds_95(came));
            intervals += 1.0;
        }
        for (day, came) in forecast.days.iter().zip(totals) {
            held[2] += f64::from(day.band.holds_80(came));
            held[3] += f64::from(day.band.holds_95(came));
            days += 1.0;
        }
    }
    let shares = [held[0] / intervals, held[1] / intervals, held[2] / days, held[3] / days];
    for (share, (nominal, bound)) in
        shares.into_iter().zip([(0.80, 0.03), (0.95, 0.03), (0.80, 0.07), (0.95, 0.04)])
    {
        assert!((share - nominal).abs() < bound, "{share} for {nominal}: {shares:?}");
    }
}

#[test]
fn the_record_measures_coverage_with_bands_from_other_mornings() {
    let made = Made { day_spread: 0.1, ..Made::noisy(date(2025, 1, 6), 500, 8) };
    let backtest = plain_forecast(&made.grid()).unwrap().backtest.unwrap();
    let coverage = backtest.coverage.unwrap();
    assert!((coverage.intervals_80 - 0.8).abs() < 0.04, "{coverage:?}");
    assert!((coverage.days_80 - 0.8).abs() < 0.08, "{coverage:?}");
    assert!(coverage.days_95 > coverage.days_80 && coverage.days_95 <= 1.0);
}

fn learnt() -> Uncertainty {
    let made = Made { day_spread: 0.15, ..Made::noisy(date(2026, 1, 5), 250, 4) };
    plain_forecast(&made.grid()).unwrap().uncertainty
}

#[test]
fn day_factors_have_a_mean_of_one_and_the_spread_of_past_errors() {
    let spread = learnt();
    let count = 10_000;
    let factors: Vec<f64> = (0..count)
        .map(|at| spread.day_factor(14, (f64::from(at) + 0.5) / f64::from(count)))
        .collect();
    let mean = factors.iter().sum::<f64>() / f64::from(count);
    let variance = factors.iter().map(|f| (f - mean).powi(2)).sum::<f64>() / f64::from(count);
    assert!((mean - 1.0).abs() < 0.01, "{mean}");
    // Made with 0.15; learnt from twelve overlapping stretches, so within a quarter of it.
    assert!((variance.sqrt() - 0.15).abs() < 0.04, "{}", variance.sqrt());
    assert!(factors.is_sorted(), "a larger number never means a quieter day");
}

#[test]
fn a_spread_survives_its_way_through_json() {
    let spread = learnt();
    let text = serde_json::to_string(&spread).unwrap();
    assert_eq!(serde_json::from_str::<Uncertainty>(&text).unwrap(), spread);
}

proptest! {
    #[test]
    fn later_days_are_never_surer(forecast in 1.0..5000.0f64, ahead in 1usize..100) {
        let spread = learnt_once();
        let width = |ahead| { let band = spread.of_day(ahead, forecast, 0.0); band.p90 - band.p10 };
        prop_assert!(width(ahead + 1) >= width(ahead) - 1e-9);
    }
}

fn learnt_once() -> &'static Uncertainty {
    static LEARNT: std::sync::OnceLock<Uncertainty> = std::sync::OnceLock::new();
    LEARNT.get_or_init(learnt)
}
