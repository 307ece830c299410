//! How long contacts are handled.

use barometer_strategy::Duration;
use statrs::function::gamma::{digamma, ln_gamma};

use super::fits::Fit;

/// The fewest handle times from which a distribution is chosen.
const FEWEST_TO_CHOOSE: f64 = 50.0;
/// The shortest handle time that is told apart from none.
const SHORTEST_SECS: f64 = 0.5;

/// How long contacts are handled.
#[derive(Clone, Debug, PartialEq)]
pub struct HandlingEstimate {
    /// Contacts.
    pub contacts: usize,
    /// Mean in seconds.
    pub mean_secs: f64,
    /// Between these the mean lies in 95 of 100 cases (normal approximation).
    pub between: (f64, f64),
    /// Standard deviation divided by the mean.
    pub variation: f64,
    /// The distribution that fits best, by Akaike's criterion, of exponential, log-normal and gamma; exponential under
    /// fifty contacts.
    pub fit: Duration,
}

impl HandlingEstimate {
    pub(super) fn of(secs: impl Iterator<Item = f64>) -> Option<Self> {
        let all: Vec<f64> = secs.map(|secs| secs.max(SHORTEST_SECS)).collect();
        let count = all.len() as f64;
        if all.len() < 2 {
            return None;
        }
        let mean = all.iter().sum::<f64>() / count;
        let variance = all.iter().map(|secs| (secs - mean).powi(2)).sum::<f64>() / (count - 1.0);
        let half = 1.959_963_985 * (variance / count).sqrt();
        let exponential = Fit {
            duration: Duration::exponential(mean),
            log_likelihood: -count * (libm::log(mean) + 1.0),
            parameters: 1.0,
        };
        let others = [log_normal(&all), gamma(&all, mean)].into_iter().flatten();
        let others = others.filter(|_| count >= FEWEST_TO_CHOOSE);
        let best = std::iter::once(exponential)
            .chain(others)
            .min_by(|a, b| a.aic().total_cmp(&b.aic()))?;
        Some(Self {
            contacts: all.len(),
            mean_secs: mean,
            between: ((mean - half).max(0.0), mean + half),
            variation: variance.sqrt() / mean,
            // The mean is the contacts' own: forecasts give it interval by interval.
            fit: best.duration.with_mean(mean),
        })
    }
}

fn log_normal(all: &[f64]) -> Option<Fit> {
    let count = all.len() as f64;
    let logs = || all.iter().map(|secs| libm::log(*secs));
    let mean = logs().sum::<f64>() / count;
    let variance = logs().map(|log| (log - mean).powi(2)).sum::<f64>() / count;
    let variation = libm::expm1(variance).sqrt();
    if !(0.01..=20.0).contains(&variation) {
        return None;
    }
    let log_likelihood =
        -0.5 * count * (libm::log(std::f64::consts::TAU * variance) + 1.0) - count * mean;
    let mean_secs = libm::exp(mean + 0.5 * variance);
    Some(Fit {
        duration: Duration::LogNormal { mean_secs, variation },
        log_likelihood,
        parameters: 2.0,
    })
}

/// By Newton's method on ln k − ψ(k) = ln mean − mean of ln t (Choi and Wette, *Maximum likelihood estimation of the
/// parameters of the gamma distribution*, Technometrics 11, 1969).
fn gamma(all: &[f64], mean: f64) -> Option<Fit> {
    let count = all.len() as f64;
    let logs = all.iter().map(|secs| libm::log(*secs)).sum::<f64>() / count;
    let apart = libm::log(mean) - logs;
    if apart <= 1e-9 {
        return None;
    }
    let mut shape = (3.0 - apart + ((apart - 3.0).powi(2) + 24.0 * apart).sqrt()) / (12.0 * apart);
    for _ in 0..50 {
        let off = libm::log(shape) - digamma(shape) - apart;
        // The slope by a difference: it is smooth and far from zero.
        let step = 1e-5 * shape;
        let slope = (libm::log(shape + step) - digamma(shape + step) - apart - off) / step;
        let next = (shape - off / slope).max(0.1 * shape);
        if (next - shape).abs() < 1e-10 * shape {
            break;
        }
        shape = next;
    }
    let variation = 1.0 / shape.sqrt();
    if !(0.01..=20.0).contains(&variation) {
        return None;
    }
    let rate = shape / mean;
    let log_likelihood =
        count * (shape * libm::log(rate) - ln_gamma(shape) + (shape - 1.0) * logs - rate * mean);
    Some(Fit {
        duration: Duration::Gamma { mean_secs: mean, variation },
        log_likelihood,
        parameters: 2.0,
    })
}
