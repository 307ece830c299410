//! Histories made to order.

use barometer_forecast::{
    Calendar, DayGrid, Forecast, ForecastError, Grain, HORIZON_DAYS, Observation, forecast,
};
use jiff::ToSpan;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use rand::{RngExt, SeedableRng};
use rand_distr::{Distribution, Gamma, Poisson};
use rand_xoshiro::Xoshiro256PlusPlus;

pub fn london() -> TimeZone {
    TimeZone::get("Europe/London").unwrap()
}

/// Contacts that the made-up centre expects at a wall-clock hour: busy Mondays, quiet Sundays, a
/// morning peak, closed before 8 and after 20.
pub fn usual(day: Date, hour: i8) -> Option<f64> {
    let weekday = day.weekday().to_monday_zero_offset() as usize;
    let level = [1.4, 1.1, 1.0, 1.0, 1.2, 0.7, 0.4][weekday];
    (8..20)
        .contains(&hour)
        .then(|| level * (10.0 + 20.0 * (-(f64::from(hour) - 10.0).powi(2) / 8.0).exp()))
}

/// A history in the making: so many days from a first one, hour by hour.
pub struct Made {
    pub first: Date,
    pub days: i64,
    /// Times this on a day.
    pub factor: fn(Date) -> f64,
    /// Seed of the Poisson noise; exact means without.
    pub noise: Option<u64>,
    /// Relative standard deviation of a gamma-distributed day factor.
    pub day_spread: f64,
}

impl Made {
    pub fn exact(first: Date, days: i64) -> Self {
        Self { first, days, factor: |_| 1.0, noise: None, day_spread: 0.0 }
    }

    pub fn noisy(first: Date, days: i64, seed: u64) -> Self {
        Self { noise: Some(seed), ..Self::exact(first, days) }
    }

    pub fn observations(&self) -> Vec<Observation> {
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(self.noise.unwrap_or(0));
        let mut seen = Vec::new();
        for day in (0..self.days).map(|day| self.first.saturating_add(day.days())) {
            let luck = if self.day_spread > 0.0 {
                let variance = self.day_spread.powi(2);
                Gamma::new(1.0 / variance, variance).unwrap().sample(&mut rng)
            } else {
                1.0
            };
            for hour in 0..24 {
                let Some(expected) = usual(day, hour) else { continue };
                let expected = expected * (self.factor)(day) * luck;
                let offered = match self.noise {
                    Some(_) if expected > 0.0 => Poisson::new(expected).unwrap().sample(&mut rng),
                    Some(_) => 0.0,
                    None => expected,
                };
                let _: f64 = rng.random();
                seen.push(Observation {
                    start: day.at(hour, 0, 0, 0).to_zoned(london()).unwrap().timestamp(),
                    offered,
                    answered: offered,
                    handle_secs: Some(240.0),
                });
            }
        }
        seen
    }

    pub fn grid(&self) -> DayGrid {
        grid(&self.observations())
    }
}

pub fn grid(history: &[Observation]) -> DayGrid {
    DayGrid::new(history, Grain::Hour, &london()).unwrap()
}

/// Four weeks without any special days.
pub fn plain_forecast(history: &DayGrid) -> Result<Forecast, ForecastError> {
    forecast(history, &Calendar::default(), HORIZON_DAYS, None)
}
