//! A made-up centre of any size: contact types with a weekly shape, a season and the luck of the day.

use std::time::Instant;

use anyhow::{Result, bail};
use barometer_forecast::Grain;
use barometer_plan::Rules;
use barometer_store::{HistoryInterval, Store};
use clap::Args;
use jiff::ToSpan;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use rand::{RngExt, SeedableRng};
use rand_distr::{Distribution, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;

const ZONE: &str = "Europe/London";
/// Contacts of a usual half-hour at noon, of the smallest and the largest contact type.
const AT_NOON: (f64, f64) = (2.0, 120.0);
/// How much a day differs from what its weekday and season say.
const DAY_SPREAD: f64 = 0.08;

#[derive(Args)]
pub struct Options {
    /// An empty database.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: String,
    /// Contact types.
    #[arg(long, default_value_t = 1000)]
    contact_types: u32,
    /// Years of history, in half-hours around the clock.
    #[arg(long, default_value_t = 5)]
    years: u32,
    /// Contact types of which a forecast is made at once, the first ones.
    #[arg(long, default_value_t = 0)]
    forecasts: u32,
    /// What is drawn from.
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

/// Fills a database.
pub async fn run(options: Options) -> Result<()> {
    let store = Store::connect(&options.database_url, 8).await?;
    store.migrate().await?;
    if store.centre().await?.is_some() {
        bail!("this database has a centre already; give an empty one");
    }
    let begun = Instant::now();
    let zone = TimeZone::get(ZONE)?;
    let centre = store.add_centre("Centre of scale", ZONE).await?;
    let today = zone.to_datetime(barometer_app::clock::now()).date();
    let first = today.saturating_sub(i64::from(options.years).years());
    for (email, role) in crate::people::PEOPLE {
        let hash = barometer_app::passwords::hash_password(crate::people::PASSWORD)?;
        store.add_user(role.word(), email, &hash, role).await?;
    }
    let mut intervals = 0;
    for nth in 0..options.contact_types {
        let name = format!("Contact type {:04}", nth + 1);
        let id = store.add_contact_type(centre, &name, Grain::Half, &Rules::STARTING).await?;
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(options.seed ^ (u64::from(nth) << 20));
        let share = f64::from(nth) / f64::from(options.contact_types.max(2) - 1);
        let at_noon = AT_NOON.0 * (AT_NOON.1 / AT_NOON.0).powf(share);
        let history = history((first, today), at_noon, &zone, &mut rng);
        intervals += history.len();
        store.add_history(id, &history).await?;
        if nth < options.forecasts {
            let contact_type = store.contact_type(id).await?;
            barometer_app::demand::refresh_forecast(&store, &contact_type, &zone).await?;
        }
        if (nth + 1) % 100 == 0 {
            println!(
                "{} contact types, {intervals} intervals, {:.0} s",
                nth + 1,
                begun.elapsed().as_secs_f64()
            );
        }
    }
    println!(
        "filled: {} contact types, {intervals} intervals of history from {first} on, in {:.0} s",
        options.contact_types,
        begun.elapsed().as_secs_f64()
    );
    Ok(())
}

/// Contacts that are expected of a half-hour, as a share of those of a usual noon.
fn shape(day: Date, half: u32) -> f64 {
    let hour = f64::from(half) / 2.0;
    let of_day = (-((hour - 12.0) / 4.5).powi(2)).exp();
    let of_week = [1.15, 1.05, 1.0, 1.0, 0.95, 0.55, 0.4]
        [usize::try_from(day.weekday().to_monday_zero_offset()).unwrap_or(0) % 7];
    let of_year = 1.0 + 0.2 * (std::f64::consts::TAU * f64::from(day.day_of_year()) / 365.25).cos();
    of_day * of_week * of_year
}

fn history(
    (first, until): (Date, Date),
    at_noon: f64,
    zone: &TimeZone,
    rng: &mut Xoshiro256PlusPlus,
) -> Vec<HistoryInterval> {
    let mut intervals = Vec::new();
    let mut day = first;
    while day < until {
        let luck = 1.0 + DAY_SPREAD * rng.random_range(-1.7..1.7);
        let Ok(midnight) = zone.to_timestamp(day.at(0, 0, 0, 0)) else { break };
        for half in 0..48 {
            let expected = at_noon * luck * shape(day, half);
            let offered = draw(expected, rng);
            let abandoned = offered / 25;
            intervals.push(HistoryInterval {
                start: midnight + (30 * i64::from(half)).minutes(),
                offered,
                answered: offered - abandoned,
                abandoned,
                handle_secs: (offered > abandoned).then(|| rng.random_range(200.0..340.0)),
                wrap_up_secs: None,
                speed: None,
            });
        }
        day = day.saturating_add(1.day());
    }
    // On the day of 23 hours the last two half-hours are the next day's first.
    intervals.dedup_by_key(|interval| interval.start);
    intervals.sort_by_key(|interval| interval.start);
    intervals.dedup_by_key(|interval| interval.start);
    intervals
}

fn draw(expected: f64, rng: &mut Xoshiro256PlusPlus) -> i32 {
    Poisson::new(expected.max(1e-9)).map_or(0, |poisson| poisson.sample(rng) as i32)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn history_is_the_same_for_a_seed_in_order_and_has_its_volume() {
        let zone = TimeZone::get(ZONE).unwrap();
        let days = (jiff::civil::date(2026, 3, 1), jiff::civil::date(2026, 4, 12));
        let made = |seed| {
            let mut rng = Xoshiro256PlusPlus::seed_from_u64(seed);
            history(days, 40.0, &zone, &mut rng)
        };
        let one = made(1);
        assert_eq!(one, made(1));
        assert_ne!(one, made(2));
        assert!(
            one.windows(2).all(|pair| pair[0].start < pair[1].start),
            "also where clocks change"
        );
        let offered: i32 = one.iter().map(|interval| interval.offered).sum();
        let mut expected = 0.0;
        let mut day = days.0;
        while day < days.1 {
            expected += (0..48).map(|half| 40.0 * shape(day, half)).sum::<f64>();
            day = day.saturating_add(1.day());
        }
        assert!((f64::from(offered) / expected - 1.0).abs() < 0.05, "{offered} of {expected}");
    }
}
