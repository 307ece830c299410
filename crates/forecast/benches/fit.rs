//! The forecast of one contact type from 27 months of half-hours, beside means taken straight from
//! the list of observations.

use barometer_forecast::{
    DayGrid, Grain, HORIZON_DAYS, Observation, WeekdayProfile, backtest, seasonal_naive,
};
use barometer_timing::{compare, measure};
use jiff::ToSpan;
use jiff::civil::date;
use jiff::tz::TimeZone;
use rand::SeedableRng;
use rand_distr::{Distribution, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;

const DAYS: i64 = 27 * 30;

fn history(zone: &TimeZone) -> Vec<Observation> {
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(3);
    let first = date(2024, 8, 23).at(7, 0, 0, 0).to_zoned(zone.clone()).expect("a time");
    (0..DAYS)
        .flat_map(|day| (0..28).map(move |half| (day, half)))
        .map(|(day, half)| {
            let start = &first + day.days() + (30 * half).minutes();
            let expected = 20.0 + 15.0 * (half as f64 / 5.0).sin();
            let offered = Poisson::new(expected).expect("a mean above zero").sample(&mut rng);
            Observation {
                start: start.timestamp(),
                offered,
                answered: offered,
                handle_secs: Some(300.0),
            }
        })
        .collect()
}

/// For every interval to come, the mean of the same clock time on the last twelve such weekdays,
/// looked up in the list each time.
fn straight_means(history: &[Observation], zone: &TimeZone) -> f64 {
    let local: Vec<_> = history.iter().map(|seen| zone.to_datetime(seen.start)).collect();
    let last = local[local.len() - 1].date();
    let mut total = 0.0;
    for ahead in 1..=HORIZON_DAYS as i64 {
        let day = last.saturating_add(ahead.days());
        for slot in 0..48 {
            let time = jiff::civil::time((slot / 2) as i8, (slot % 2 * 30) as i8, 0, 0);
            let same = local
                .iter()
                .zip(history)
                .rev()
                .filter(|(at, _)| at.time() == time && at.date().weekday() == day.weekday());
            let seen: Vec<f64> = same.take(12).map(|(_, seen)| seen.offered).collect();
            if !seen.is_empty() {
                total += seen.iter().sum::<f64>() / seen.len() as f64;
            }
        }
    }
    total
}

fn main() {
    let zone = TimeZone::get("Europe/London").expect("a known zone");
    let history = history(&zone);
    let grid = || DayGrid::new(&history, Grain::Half, &zone).expect("some history");
    compare(
        "Four weeks of half-hours from 27 months, list to forecast",
        || straight_means(&history, &zone),
        || {
            let grid = grid();
            let fitted = WeekdayProfile::fit(&grid).expect("enough history");
            fitted.forecast(&grid, HORIZON_DAYS)
        },
    );
    let grid = grid();
    measure("  fit and forecast alone", || {
        WeekdayProfile::fit(&grid).map(|fitted| fitted.forecast(&grid, HORIZON_DAYS))
    });
    measure("  seasonal naive alone", || seasonal_naive(&grid, HORIZON_DAYS));
    measure("  backtest from three origins", || backtest(&grid, HORIZON_DAYS));
}
