//! How long callers wait before they give up: named distributions in seconds.

use statrs::function::erf::erfc;
use statrs::function::gamma::{gamma, gamma_lr};

use crate::bend::bend;
use crate::traffic::{QueueError, positive, share};

/// A distribution of patience; every mean is in seconds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Patience {
    /// Memoryless: who has waited gives up as readily as who has just come.
    Exponential {
        /// Mean.
        mean_secs: f64,
    },
    /// Two kinds of callers, each memoryless: the hasty and the patient.
    HyperExponential {
        /// Share of callers of the first kind.
        first: f64,
        /// Mean of the first kind.
        first_mean_secs: f64,
        /// Mean of the second kind.
        second_mean_secs: f64,
    },
    /// Gives up ever more readily (shape above 1) or ever less (below 1).
    Weibull {
        /// Shape k.
        shape: f64,
        /// Mean.
        mean_secs: f64,
    },
    /// Few give up at once, some hold out very long.
    LogNormal {
        /// Mean.
        mean_secs: f64,
        /// Standard deviation / mean.
        variation: f64,
    },
    /// Everybody gives up after the same time, as with a longest wait.
    Constant {
        /// The time.
        secs: f64,
    },
}

impl Patience {
    /// Checks every parameter.
    ///
    /// # Errors
    ///
    /// [`QueueError::BadNumber`] for the first that is out of range.
    pub fn check(self) -> Result<Self, QueueError> {
        match self {
            Self::Exponential { mean_secs } => positive("mean patience in seconds", mean_secs)?,
            Self::HyperExponential { first, first_mean_secs, second_mean_secs } => {
                share("share of the first kind", first)?;
                positive("mean patience of the first kind in seconds", first_mean_secs)?;
                positive("mean patience of the second kind in seconds", second_mean_secs)?
            }
            Self::Weibull { shape, mean_secs } => {
                if !(0.1..=20.0).contains(&shape) {
                    let (what, wanted) = ("Weibull shape", "from 0.1 to 20");
                    return Err(QueueError::BadNumber { what, wanted, got: shape });
                }
                positive("mean patience in seconds", mean_secs)?
            }
            Self::LogNormal { mean_secs, variation } => {
                if !(0.01..=20.0).contains(&variation) {
                    let (what, wanted) = ("coefficient of variation", "from 0.01 to 20");
                    return Err(QueueError::BadNumber { what, wanted, got: variation });
                }
                positive("mean patience in seconds", mean_secs)?
            }
            Self::Constant { secs } => positive("patience in seconds", secs)?,
        };
        Ok(self)
    }

    /// Mean in seconds.
    pub fn mean_secs(self) -> f64 {
        match self {
            Self::Exponential { mean_secs }
            | Self::Weibull { mean_secs, .. }
            | Self::LogNormal { mean_secs, .. } => mean_secs,
            Self::HyperExponential { first, first_mean_secs, second_mean_secs } => {
                first * first_mean_secs + (1.0 - first) * second_mean_secs
            }
            Self::Constant { secs } => secs,
        }
    }

    /// Share that is still there after `secs`.
    pub fn outlasts(self, secs: f64) -> f64 {
        match self {
            Self::Exponential { mean_secs } => (-secs / mean_secs).exp(),
            Self::HyperExponential { first, first_mean_secs, second_mean_secs } => {
                first * (-secs / first_mean_secs).exp()
                    + (1.0 - first) * (-secs / second_mean_secs).exp()
            }
            Self::Weibull { shape, mean_secs } => {
                (-(secs / weibull_scale(shape, mean_secs)).powf(shape)).exp()
            }
            Self::LogNormal { mean_secs, variation } => {
                if secs <= 0.0 {
                    return 1.0;
                }
                let (mu, sigma) = log_normal(mean_secs, variation);
                above((secs.ln() - mu) / sigma)
            }
            Self::Constant { secs: all } => {
                if secs < all {
                    1.0
                } else {
                    0.0
                }
            }
        }
    }

    /// Share that has given up within `secs`: the complement without losing small digits.
    pub fn gives_up_within(self, secs: f64) -> f64 {
        match self {
            Self::Exponential { mean_secs } => -(-secs / mean_secs).exp_m1(),
            Self::HyperExponential { first, first_mean_secs, second_mean_secs } => {
                -first * (-secs / first_mean_secs).exp_m1()
                    - (1.0 - first) * (-secs / second_mean_secs).exp_m1()
            }
            Self::Weibull { shape, mean_secs } => {
                -(-(secs / weibull_scale(shape, mean_secs)).powf(shape)).exp_m1()
            }
            Self::LogNormal { mean_secs, variation } => {
                if secs <= 0.0 {
                    return 0.0;
                }
                let (mu, sigma) = log_normal(mean_secs, variation);
                above((mu - secs.ln()) / sigma)
            }
            Self::Constant { .. } => 1.0 - self.outlasts(secs),
        }
    }

    /// Mean time that is waited when nobody is made to wait longer than `secs`: E min(R, secs).
    pub(crate) fn mean_within(self, secs: f64) -> f64 {
        match self {
            Self::Exponential { mean_secs } => -mean_secs * (-secs / mean_secs).exp_m1(),
            Self::HyperExponential { first, first_mean_secs, second_mean_secs } => {
                -first * first_mean_secs * (-secs / first_mean_secs).exp_m1()
                    - (1.0 - first) * second_mean_secs * (-secs / second_mean_secs).exp_m1()
            }
            Self::Weibull { shape, mean_secs } => {
                let t = (secs / weibull_scale(shape, mean_secs)).powf(shape);
                if t <= 0.0 {
                    return 0.0;
                }
                mean_secs * gamma_lr(1.0 / shape, t)
            }
            Self::LogNormal { mean_secs, variation } => {
                if secs <= 0.0 {
                    return 0.0;
                }
                let (mu, sigma) = log_normal(mean_secs, variation);
                mean_secs * above((mu + sigma * sigma - secs.ln()) / sigma)
                    + secs * self.outlasts(secs)
            }
            Self::Constant { secs: all } => secs.min(all),
        }
    }

    /// `secs` − E min(R, secs), which grows from zero; without cancellation where it is known.
    pub(crate) fn lost_within(self, secs: f64) -> f64 {
        match self {
            Self::Exponential { mean_secs } => mean_secs * bend(secs / mean_secs),
            Self::HyperExponential { first, first_mean_secs, second_mean_secs } => {
                first * first_mean_secs * bend(secs / first_mean_secs)
                    + (1.0 - first) * second_mean_secs * bend(secs / second_mean_secs)
            }
            Self::Weibull { shape, mean_secs } => {
                let t = (secs / weibull_scale(shape, mean_secs)).powf(shape);
                if t > 0.5 {
                    return secs - self.mean_within(secs);
                }
                // ∫ 1 − e^(−u^k), term by term: the difference would lose all digits.
                let (mut term, mut sum) = (1.0, 0.0);
                for order in 1..40 {
                    term *= -t / f64::from(order);
                    sum -= term / (f64::from(order) * shape + 1.0);
                }
                secs * sum
            }
            Self::LogNormal { mean_secs, variation } => {
                if secs <= 0.0 {
                    return 0.0;
                }
                let (mu, sigma) = log_normal(mean_secs, variation);
                let z = (secs.ln() - mu) / sigma;
                if z > 0.0 {
                    return secs - self.mean_within(secs);
                }
                (secs * above(-z) - mean_secs * above(sigma - z)).max(0.0)
            }
            Self::Constant { secs: all } => (secs - all).max(0.0),
        }
    }

    /// Times around which callers give up, in order: between two of them the distribution is smooth on
    /// the scale of their distance. An integral that is cut there misses nothing.
    pub(crate) fn landmarks(self) -> Vec<f64> {
        const STEPS: [f64; 12] =
            [1e-6, 1e-5, 1e-4, 1e-3, 1e-2, 0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0];
        let mut times: Vec<f64> = match self {
            Self::Exponential { mean_secs } => STEPS.map(|step| step * mean_secs).to_vec(),
            Self::HyperExponential { first_mean_secs, second_mean_secs, .. } => STEPS
                .iter()
                .flat_map(|step| [step * first_mean_secs, step * second_mean_secs])
                .collect(),
            Self::Weibull { shape, mean_secs } => {
                let scale = weibull_scale(shape, mean_secs);
                // Where e^(−t) with t = (x / scale)^shape passes its own landmarks.
                STEPS.map(|step| scale * step.powf(1.0 / shape)).to_vec()
            }
            Self::LogNormal { mean_secs, variation } => {
                let (mu, sigma) = log_normal(mean_secs, variation);
                (-8..=8).map(|deviations| (mu + f64::from(deviations) * sigma).exp()).collect()
            }
            Self::Constant { secs } => vec![secs],
        };
        times.retain(|time| time.is_finite() && *time > 0.0);
        times.sort_by(f64::total_cmp);
        times
    }
}

fn weibull_scale(shape: f64, mean_secs: f64) -> f64 {
    mean_secs / gamma(1.0 + 1.0 / shape)
}

/// Mean and standard deviation of the logarithm.
fn log_normal(mean_secs: f64, variation: f64) -> (f64, f64) {
    let variance = (variation * variation).ln_1p();
    (mean_secs.ln() - 0.5 * variance, variance.sqrt())
}

/// Share of a standard normal above `z`.
fn above(z: f64) -> f64 {
    0.5 * erfc(z / std::f64::consts::SQRT_2)
}
