//! A forecast of 28 days with all methods tried on earlier mornings, beside plain means taken
//! straight from the list of observations.

use barometer_forecast::{
    Calendar, DayGrid, Grain, HORIZON_DAYS, Observation, forecast, proposals, recurring_days,
};
use barometer_timing::{compare, measure};
use jiff::ToSpan;
use jiff::civil::date;
use jiff::tz::TimeZone;
use rand::SeedableRng;
use rand_distr::{Distribution, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;
use rayon::prelude::*;

const DAYS: i64 = 2 * 365;
const CONTACT_TYPES: u64 = 12;

/// Two years of half-hours, open day and night.
fn history(zone: &TimeZone, seed: u64) -> Vec<Observation> {
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(seed);
    let first = date(2024, 8, 23).at(0, 0, 0, 0).to_zoned(zone.clone()).expect("a time");
    (0..DAYS)
        .flat_map(|day| (0..48).map(move |half| (day, half)))
        .map(|(day, half)| {
            let start = &first + day.days() + (30 * half).minutes();
            let week = 1.0 + 0.3 * (day as f64 * std::f64::consts::TAU / 7.0).sin();
            let expected = week * (20.0 + 15.0 * (f64::from(half) / 8.0).sin());
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
    let one = history(&zone, 3);
    let grid =
        |history: &[Observation]| DayGrid::new(history, Grain::Half, &zone).expect("some history");
    let none = Calendar::default();
    compare(
        "28 days of half-hours from two years, list to forecast",
        || straight_means(&one, &zone),
        || forecast(&grid(&one), &none, HORIZON_DAYS, None),
    );
    let laid_out = grid(&one);
    measure("  laid out already: 7 methods, 12 origins, bands", || {
        forecast(&laid_out, &none, HORIZON_DAYS, None)
    });
    measure("  what looks wrong in it", || proposals(&laid_out, &none));
    measure("  special days that it shows", || recurring_days(&laid_out, &none));
    let all: Vec<DayGrid> =
        (0..CONTACT_TYPES).map(|seed| grid(&history(&zone, 10 + seed))).collect();
    compare(
        "12 contact types, each with 12 origins and all methods",
        || all.iter().map(|grid| forecast(grid, &none, HORIZON_DAYS, None)).collect::<Vec<_>>(),
        || all.par_iter().map(|grid| forecast(grid, &none, HORIZON_DAYS, None)).collect::<Vec<_>>(),
    );
}
