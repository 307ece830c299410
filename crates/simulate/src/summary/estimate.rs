//! Means and ratios over replications, and how sure they are.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, StudentsT};

/// A mean over replications with the half-width of its 95% confidence interval.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Estimate {
    /// The estimate.
    pub mean: f64,
    /// Half-width of the 95% confidence interval; `None` from a single replication.
    pub half_width: Option<f64>,
    /// Standard error; `None` from a single replication.
    #[serde(default)]
    pub error: Option<f64>,
}

impl Estimate {
    /// Nothing, for sure.
    pub const NOTHING: Self = Self { mean: 0.0, half_width: None, error: None };

    /// Lower end of the confidence interval.
    pub fn low(self) -> f64 {
        self.mean - self.half_width.unwrap_or(0.0)
    }

    /// Upper end of the confidence interval.
    pub fn high(self) -> f64 {
        self.mean + self.half_width.unwrap_or(0.0)
    }

    /// The estimate in another unit.
    #[must_use]
    pub fn scaled(self, factor: f64) -> Self {
        let scale = |width: Option<f64>| width.map(|width| width * factor);
        Self {
            mean: self.mean * factor,
            half_width: scale(self.half_width),
            error: scale(self.error),
        }
    }
}

/// Sums over replications of a numerator, a denominator and their products.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(crate) struct Pair {
    top: f64,
    bottom: f64,
    top_squared: f64,
    crossed: f64,
    bottom_squared: f64,
}

impl Pair {
    pub fn add(&mut self, top: f64, bottom: f64) {
        self.top += top;
        self.bottom += bottom;
        self.top_squared += top * top;
        self.crossed += top * bottom;
        self.bottom_squared += bottom * bottom;
    }

    pub fn merge(&mut self, other: &Self) {
        self.top += other.top;
        self.bottom += other.bottom;
        self.top_squared += other.top_squared;
        self.crossed += other.crossed;
        self.bottom_squared += other.bottom_squared;
    }

    /// The denominator's mean over `n` replications.
    pub fn bottom_mean(&self, n: f64) -> f64 {
        self.bottom / n
    }

    /// Σ top / Σ bottom with the half-width of the classical ratio estimator: the variance of
    /// top − ratio × bottom over replications (Law, *Simulation Modeling and Analysis*, ch. 9).
    pub fn ratio(&self, replications: u32) -> Option<Estimate> {
        if self.bottom <= 0.0 {
            return None;
        }
        let mean = self.top / self.bottom;
        let n = f64::from(replications);
        let squares =
            self.top_squared - 2.0 * mean * self.crossed + mean * mean * self.bottom_squared;
        let student = student_quantile(replications);
        let error = student.map(|_| {
            let error = (squares.max(0.0) / (n - 1.0) / n).sqrt();
            error / (self.bottom / n)
        });
        let half_width = student.zip(error).map(|(t, error)| t * error);
        Some(Estimate { mean, half_width, error })
    }

    /// The mean of the numerator per replication; the denominator counts replications.
    pub fn mean(&self, replications: u32) -> Estimate {
        self.ratio(replications).unwrap_or(Estimate::NOTHING)
    }
}

/// The 97.5% quantile of Student's t with one degree of freedom less than replications.
pub(crate) fn student_quantile(replications: u32) -> Option<f64> {
    let freedom = f64::from(replications.checked_sub(1).filter(|&freedom| freedom > 0)?);
    Some(StudentsT::new(0.0, 1.0, freedom).ok()?.inverse_cdf(0.975))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ratio_weighs_days_by_their_contacts_and_states_its_error() {
        let mut pair = Pair::default();
        for (top, bottom) in [(8.0, 10.0), (18.0, 20.0), (27.0, 30.0)] {
            pair.add(top, bottom);
        }
        let got = pair.ratio(3).unwrap();
        assert!((got.mean - 53.0 / 60.0).abs() < 1e-15);
        // Residuals −5/6, 1/3, 1/2: variance (25/36 + 4/36 + 9/36) / 2; t(2) = 4.302653.
        let error = (38.0f64 / 36.0 / 2.0 / 3.0).sqrt() / 20.0;
        assert!((got.half_width.unwrap() - 4.302_652_73 * error).abs() < 1e-8, "{got:?}");
        assert!((got.error.unwrap() - error).abs() < 1e-8 * error);
    }

    #[test]
    fn one_replication_claims_no_certainty_and_nothing_offered_no_level() {
        let mut pair = Pair::default();
        pair.add(5.0, 6.0);
        assert_eq!(pair.ratio(1).unwrap().half_width, None);
        assert_eq!(Pair::default().ratio(4), None);
    }

    #[test]
    fn parts_add_up_to_the_whole() {
        let (mut whole, mut first, mut second) =
            (Pair::default(), Pair::default(), Pair::default());
        for (place, (top, bottom)) in [(1.0, 2.0), (4.0, 5.0), (2.0, 8.0)].into_iter().enumerate() {
            whole.add(top, bottom);
            if place < 2 { first.add(top, bottom) } else { second.add(top, bottom) }
        }
        first.merge(&second);
        assert_eq!(first, whole);
    }
}
