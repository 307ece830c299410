//! Samplers: distributions of durations, drawn from by key and purpose.

use barometer_strategy::Duration;

use crate::draws::{Key, Purpose, open_unit};

/// A duration made ready to be drawn from.
#[derive(Clone, Debug)]
pub(crate) enum Sampler {
    Constant(f64),
    Exponential(f64),
    LogNormal { log_mean: f64, log_deviation: f64 },
    Gamma { shape: f64, scale: f64 },
    Weibull { scale: f64, inverse_shape: f64 },
    Empirical(Box<[f64]>),
}

impl From<&Duration> for Sampler {
    fn from(duration: &Duration) -> Self {
        match duration {
            Duration::Constant { secs } => Self::Constant(*secs),
            Duration::Exponential { mean_secs } => Self::Exponential(*mean_secs),
            // A log-normal with log-variance v has the mean exp(log-mean + v/2).
            Duration::LogNormal { mean_secs, variation } => {
                let log_variance = libm::log1p(variation * variation);
                Self::LogNormal {
                    log_mean: libm::log(*mean_secs) - 0.5 * log_variance,
                    log_deviation: log_variance.sqrt(),
                }
            }
            Duration::Gamma { mean_secs, variation } => {
                let shape = 1.0 / (variation * variation);
                Self::Gamma { shape, scale: mean_secs / shape }
            }
            Duration::Weibull { mean_secs, shape } => Self::Weibull {
                scale: mean_secs / libm::tgamma(1.0 + 1.0 / shape),
                inverse_shape: 1.0 / shape,
            },
            Duration::Empirical { secs } => Self::Empirical(secs.clone().into()),
        }
    }
}

impl Sampler {
    /// The seconds that `key` draws for `purpose`.
    #[inline(always)]
    pub fn secs(&self, key: Key, purpose: Purpose) -> f64 {
        match self {
            Self::Constant(secs) => *secs,
            Self::Exponential(mean) => mean * key.exponential(purpose),
            Self::LogNormal { log_mean, log_deviation } => {
                libm::exp(log_mean + log_deviation * normal(key, purpose, 0))
            }
            Self::Gamma { shape, scale } => scale * gamma(*shape, key, purpose),
            Self::Weibull { scale, inverse_shape } => {
                scale * libm::pow(key.exponential(purpose), *inverse_shape)
            }
            Self::Empirical(secs) => {
                let place = (key.uniform(purpose) * secs.len() as f64) as usize;
                secs[place.min(secs.len() - 1)]
            }
        }
    }
}

/// A standard normal (Box and Muller 1958).
fn normal(key: Key, purpose: Purpose, nth: u64) -> f64 {
    let radius = (-2.0 * libm::log(open_unit(key.bits(purpose, 2 * nth)))).sqrt();
    radius * libm::cos(std::f64::consts::TAU * open_unit(key.bits(purpose, 2 * nth + 1)))
}

/// A gamma with scale 1 (Marsaglia and Tsang 2000): a normal is cubed, and kept with the chance
/// that makes the result exact; below shape 1 the draw for shape + 1 is scaled down.
pub(crate) fn gamma(shape: f64, key: Key, purpose: Purpose) -> f64 {
    if shape < 1.0 {
        let boost = libm::pow(open_unit(key.bits(purpose, 1 << 40)), 1.0 / shape);
        return boost * gamma(shape + 1.0, key, purpose);
    }
    let d = shape - 1.0 / 3.0;
    let c = 1.0 / (9.0 * d).sqrt();
    let mut nth = 0;
    loop {
        let x = normal(key, purpose, nth);
        let v = (1.0 + c * x).powi(3);
        let u = open_unit(key.bits(purpose, (1 << 41) + nth));
        if v > 0.0 && libm::log(u) < 0.5 * x * x + d - d * v + d * libm::log(v) {
            return d * v;
        }
        nth += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Mean and standard deviation of 200,000 draws.
    fn moments(duration: &Duration) -> (f64, f64) {
        let sampler = Sampler::from(duration);
        let draws: Vec<f64> = (0..200_000)
            .map(|contact| sampler.secs(Key::of_replication(5, 1).of(contact), Purpose::HANDLING))
            .collect();
        let mean = draws.iter().sum::<f64>() / draws.len() as f64;
        let square = draws.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / draws.len() as f64;
        (mean, square.sqrt())
    }

    #[test]
    fn every_distribution_has_the_mean_and_the_spread_that_it_says() {
        // The standard error of a mean with variation 1 is 0.22 of 100; the bound is 4.5 of them,
        // and 3 % for standard deviations.
        let mean_secs = 100.0;
        let wanted = [
            (Duration::Constant { secs: 100.0 }, 0.0),
            (Duration::Exponential { mean_secs }, 100.0),
            (Duration::LogNormal { mean_secs, variation: 0.7 }, 70.0),
            (Duration::Gamma { mean_secs, variation: 0.5 }, 50.0),
            (Duration::Gamma { mean_secs, variation: 1.2 }, 120.0),
            // Γ(1 + 2/k) / Γ(1 + 1/k)² − 1 with k = 2 is 4/π − 1.
            (Duration::Weibull { mean_secs, shape: 2.0 }, 52.272_320),
            (Duration::Empirical { secs: vec![50.0, 150.0] }, 50.0),
        ];
        for (duration, deviation) in wanted {
            let got = moments(&duration);
            assert!((got.0 - 100.0).abs() < 1.0, "{duration:?}: mean {}", got.0);
            assert!((got.1 - deviation).abs() <= 0.03 * deviation, "{duration:?}: {}", got.1);
        }
    }
}
