//! Distributions fitted by maximum likelihood to waits of which some were cut short.

use barometer_strategy::Duration;
use statrs::distribution::{Continuous, ContinuousCDF, Normal};
use statrs::function::gamma::gamma;

/// Waits by their length: seconds, how many ended so by abandoning, and how many otherwise.
pub(super) struct Waits {
    pub rows: Vec<(f64, f64, f64)>,
}

/// A distribution, and how likely it makes what was seen.
pub(super) struct Fit {
    pub duration: Duration,
    pub log_likelihood: f64,
    pub parameters: f64,
}

impl Fit {
    /// Akaike's criterion: the smaller the better.
    pub fn aic(&self) -> f64 {
        2.0 * (self.parameters - self.log_likelihood)
    }
}

impl Waits {
    pub fn events(&self) -> f64 {
        self.rows.iter().map(|row| row.1).sum()
    }

    pub fn total_secs(&self) -> f64 {
        self.rows.iter().map(|(secs, events, others)| secs * (events + others)).sum()
    }
}

/// The mean is the time waited for each who abandoned.
pub(super) fn exponential(waits: &Waits) -> Fit {
    let (events, total) = (waits.events(), waits.total_secs());
    let mean_secs = total / events;
    Fit {
        duration: Duration::exponential(mean_secs),
        log_likelihood: -events * (libm::log(mean_secs) + 1.0),
        parameters: 1.0,
    }
}

/// Shapes between which a Weibull is looked for.
const SHAPES: (f64, f64) = (0.15, 20.0);

/// The shape solves Σ tᵏ ln t / Σ tᵏ − 1/k = mean of ln t over those who abandoned, whose left side grows with k.
pub(super) fn weibull(waits: &Waits) -> Option<Fit> {
    let events = waits.events();
    let logs = waits.rows.iter().map(|(secs, events, _)| events * libm::log(*secs)).sum::<f64>();
    let mean_log = logs / events;
    // Scaled by the longest wait, so that no power overflows.
    let longest = waits.rows.last()?.0;
    let sums = |shape: f64| {
        waits.rows.iter().fold((0.0, 0.0), |(powers, logs), &(secs, events, others)| {
            let power = (events + others) * libm::pow(secs / longest, shape);
            (powers + power, logs + power * libm::log(secs))
        })
    };
    let too_steep = |shape: f64| {
        let (powers, logs) = sums(shape);
        logs / powers - 1.0 / shape > mean_log
    };
    let (mut low, mut high) = SHAPES;
    if too_steep(low) || !too_steep(high) {
        return None;
    }
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        *if too_steep(middle) { &mut high } else { &mut low } = middle;
    }
    let shape = 0.5 * (low + high);
    let scale = longest * libm::pow(sums(shape).0 / events, 1.0 / shape);
    let log_likelihood =
        events * (libm::log(shape) - shape * libm::log(scale)) + (shape - 1.0) * logs - events;
    let mean_secs = scale * gamma(1.0 + 1.0 / shape);
    Some(Fit { duration: Duration::Weibull { mean_secs, shape }, log_likelihood, parameters: 2.0 })
}

/// Steps of the search for a log-normal, and the change of its parameters at which it ends.
const MOST_STEPS: usize = 20_000;
const CLOSE: f64 = 1e-9;
/// Variations of a log-normal that mean something.
const MOST_VARIATION: f64 = 20.0;

/// By expectation and maximization (Dempster, Laird and Rubin, JRSS B 39, 1977): who was cut short waits as long as
/// a normal above that point does, on the scale of logarithms.
pub(super) fn log_normal(waits: &Waits) -> Option<Fit> {
    let events = waits.events();
    let all: f64 = waits.rows.iter().map(|(_, events, others)| events + others).sum();
    let rows: Vec<(f64, f64, f64)> = waits
        .rows
        .iter()
        .map(|&(secs, events, others)| (libm::log(secs), events, others))
        .collect();
    let normal = Normal::standard();
    let beyond = |z: f64| {
        let tail = normal.sf(z);
        // Far out the ratio tends to z (Mills).
        if tail > 1e-300 { normal.pdf(z) / tail } else { z }
    };
    let mean = rows.iter().map(|(log, events, _)| events * log).sum::<f64>() / events;
    let (mut mean, mut deviation) = (mean + 1.0, 1.0);
    for _ in 0..MOST_STEPS {
        let (mut sum, mut squares) = (0.0, 0.0);
        for &(log, events, others) in &rows {
            let ratio = beyond((log - mean) / deviation);
            sum += events * log + others * (mean + deviation * ratio);
            let square = mean * mean + deviation * deviation + deviation * (log + mean) * ratio;
            squares += events * log * log + others * square;
        }
        let (before, spread) = (mean, deviation);
        mean = sum / all;
        deviation = (squares / all - mean * mean).max(1e-6).sqrt();
        if (mean - before).abs() + (deviation - spread).abs() < CLOSE {
            break;
        }
    }
    let log_likelihood = rows.iter().map(|&(log, events, others)| {
        let z = (log - mean) / deviation;
        events * (normal.ln_pdf(z) - libm::log(deviation) - log)
            + others * libm::log(normal.sf(z).max(1e-300))
    });
    let log_likelihood = log_likelihood.sum();
    let variance = deviation * deviation;
    let variation = libm::expm1(variance).sqrt();
    let mean_secs = libm::exp(mean + 0.5 * variance);
    let means_something = (0.01..=MOST_VARIATION).contains(&variation);
    let duration = Duration::LogNormal { mean_secs, variation };
    (means_something && duration.fault().is_none()).then_some(Fit {
        duration,
        log_likelihood,
        parameters: 2.0,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Weeks of remission under 6-mercaptopurine, with whether it ended (Freireich and others 1963): the textbook's
    /// example of times that were cut short.
    fn remissions() -> Waits {
        let rows = [
            (6.0, 3.0, 1.0),
            (7.0, 1.0, 0.0),
            (9.0, 0.0, 1.0),
            (10.0, 1.0, 1.0),
            (11.0, 0.0, 1.0),
            (13.0, 1.0, 0.0),
            (16.0, 1.0, 0.0),
            (17.0, 0.0, 1.0),
            (19.0, 0.0, 1.0),
            (20.0, 0.0, 1.0),
            (22.0, 1.0, 0.0),
            (23.0, 1.0, 0.0),
            (25.0, 0.0, 1.0),
            (32.0, 0.0, 2.0),
            (34.0, 0.0, 1.0),
            (35.0, 0.0, 1.0),
        ];
        Waits { rows: rows.to_vec() }
    }

    #[test]
    fn fits_of_the_textbooks_remissions_are_those_of_the_literature() {
        let waits = remissions();
        assert_eq!((waits.events(), waits.total_secs()), (9.0, 359.0));
        let simple = exponential(&waits);
        assert!((simple.duration.mean_secs() - 359.0 / 9.0).abs() < 1e-12);
        assert!((simple.log_likelihood - -42.17).abs() < 0.01, "{}", simple.log_likelihood);
        // Lawless, Statistical Models and Methods for Lifetime Data, gives shape 1.354 and scale 33.77.
        let fit = weibull(&waits).expect("there is one");
        let Duration::Weibull { mean_secs, shape } = fit.duration else { panic!("a Weibull") };
        assert!((shape - 1.354).abs() < 1e-3, "{shape}");
        let scale = mean_secs / gamma(1.0 + 1.0 / shape);
        assert!((scale - 33.77).abs() < 0.02, "{scale}");
        assert!(fit.log_likelihood > simple.log_likelihood, "one parameter more fits better");
    }

    #[test]
    fn the_search_for_a_log_normal_ends_where_nothing_near_is_likelier() {
        let waits = remissions();
        let fit = log_normal(&waits).expect("there is one");
        let Duration::LogNormal { mean_secs, variation } = fit.duration else { panic!("one") };
        let variance = libm::log1p(variation * variation);
        let mean = libm::log(mean_secs) - 0.5 * variance;
        let likelihood = |mean: f64, deviation: f64| {
            let normal = Normal::new(mean, deviation).expect("a normal");
            let rows = waits.rows.iter().map(|&(secs, events, others)| {
                let log = libm::log(secs);
                events * (normal.ln_pdf(log) - log) + others * libm::log(normal.sf(log))
            });
            rows.sum::<f64>()
        };
        let best = likelihood(mean, variance.sqrt());
        assert!((best - fit.log_likelihood).abs() < 1e-6);
        for (of_mean, of_deviation) in [(0.01, 0.0), (-0.01, 0.0), (0.0, 0.01), (0.0, -0.01)] {
            assert!(likelihood(mean + of_mean, variance.sqrt() + of_deviation) < best);
        }
    }

    #[test]
    fn where_nobody_was_cut_short_the_fits_are_the_plain_ones() {
        let secs = [12.0, 30.0, 31.0, 55.0, 90.0, 140.0];
        let waits = Waits { rows: secs.iter().map(|&secs| (secs, 1.0, 0.0)).collect() };
        let fit = log_normal(&waits).expect("there is one");
        let logs: Vec<f64> = secs.iter().map(|secs| libm::log(*secs)).collect();
        let mean = logs.iter().sum::<f64>() / 6.0;
        let variance = logs.iter().map(|log| (log - mean).powi(2)).sum::<f64>() / 6.0;
        let wanted = libm::exp(mean + 0.5 * variance);
        assert!((fit.duration.mean_secs() / wanted - 1.0).abs() < 1e-6, "{:?}", fit.duration);
        assert!((exponential(&waits).duration.mean_secs() - 358.0 / 6.0).abs() < 1e-9);
    }
}
