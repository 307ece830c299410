//! Durations as distributions.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How long something takes, in seconds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Duration {
    /// Always the same.
    Constant {
        /// Seconds.
        secs: f64,
    },
    /// Exponential: what the Erlang models assume.
    Exponential {
        /// Mean in seconds.
        mean_secs: f64,
    },
    /// Log-normal.
    LogNormal {
        /// Mean in seconds.
        mean_secs: f64,
        /// Standard deviation divided by the mean.
        variation: f64,
    },
    /// Gamma.
    Gamma {
        /// Mean in seconds.
        mean_secs: f64,
        /// Standard deviation divided by the mean: 1 is the exponential, 1/√k an Erlang-k.
        variation: f64,
    },
    /// Weibull.
    Weibull {
        /// Mean in seconds.
        mean_secs: f64,
        /// Shape: 1 is the exponential, above 1 spreads less.
        shape: f64,
    },
    /// One of these, each with equal chance.
    Empirical {
        /// Seconds that were seen.
        secs: Vec<f64>,
    },
}

/// More than any duration may last on average: thirty days.
const MOST_SECS: f64 = 30.0 * 86_400.0;
/// Values that an empirical distribution may have.
const MOST_VALUES: usize = 100_000;

impl Duration {
    /// No time at all.
    pub const fn nothing() -> Self {
        Self::Constant { secs: 0.0 }
    }

    /// Exponential with this mean.
    pub const fn exponential(mean_secs: f64) -> Self {
        Self::Exponential { mean_secs }
    }

    /// Mean in seconds.
    pub fn mean_secs(&self) -> f64 {
        match self {
            Self::Constant { secs } => *secs,
            Self::Exponential { mean_secs }
            | Self::LogNormal { mean_secs, .. }
            | Self::Gamma { mean_secs, .. }
            | Self::Weibull { mean_secs, .. } => *mean_secs,
            Self::Empirical { secs } => secs.iter().sum::<f64>() / secs.len().max(1) as f64,
        }
    }

    /// The same shape with another mean.
    #[must_use]
    pub fn with_mean(&self, mean_secs: f64) -> Self {
        match self {
            Self::Constant { .. } => Self::Constant { secs: mean_secs },
            Self::Exponential { .. } => Self::Exponential { mean_secs },
            Self::LogNormal { variation, .. } => {
                Self::LogNormal { mean_secs, variation: *variation }
            }
            Self::Gamma { variation, .. } => Self::Gamma { mean_secs, variation: *variation },
            Self::Weibull { shape, .. } => Self::Weibull { mean_secs, shape: *shape },
            Self::Empirical { secs } => {
                let factor = mean_secs / self.mean_secs();
                Self::Empirical { secs: secs.iter().map(|secs| secs * factor).collect() }
            }
        }
    }

    /// What is wrong with it, if anything, and what would do.
    pub fn fault(&self) -> Option<String> {
        let in_range = |secs: f64| secs.is_finite() && (0.0..=MOST_SECS).contains(&secs);
        let mean = match self {
            Self::Empirical { secs } if secs.is_empty() || secs.len() > MOST_VALUES => {
                return Some(format!("needs 1 to {MOST_VALUES} values, got {}", secs.len()));
            }
            Self::Empirical { secs } => {
                secs.iter().copied().find(|&secs| !in_range(secs)).unwrap_or(0.0)
            }
            other => other.mean_secs(),
        };
        if !in_range(mean) {
            return Some(format!("must last 0 to {MOST_SECS} seconds, got {mean}"));
        }
        match self {
            Self::LogNormal { variation, .. } | Self::Gamma { variation, .. }
                if !(0.01..=20.0).contains(variation) =>
            {
                Some(format!("needs a variation from 0.01 to 20, got {variation}"))
            }
            Self::Weibull { shape, .. } if !(0.1..=50.0).contains(shape) => {
                Some(format!("needs a shape from 0.1 to 50, got {shape}"))
            }
            _ => None,
        }
    }

    /// Whether it never takes any time.
    pub fn is_nothing(&self) -> bool {
        matches!(self, Self::Constant { secs } if *secs == 0.0)
    }
}
