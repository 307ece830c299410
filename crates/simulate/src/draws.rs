//! Randomness: which numbers a replication and a contact draw.

use rand::{RngExt, SeedableRng};
use rand_distr::{Distribution, Exp1, Gamma, LogNormal};
use rand_xoshiro::Xoshiro256PlusPlus;

/// How durations spread around their mean.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Spread {
    /// Exponential: what the Erlang models assume.
    Exponential,
    /// Log-normal with this standard deviation as a share of the mean.
    LogNormal {
        /// Standard deviation divided by the mean.
        variation: f64,
    },
    /// Every duration is the mean.
    Constant,
}

impl Spread {
    /// A factor with mean 1 by which to multiply a mean duration.
    fn factor(self, rng: &mut Xoshiro256PlusPlus) -> f64 {
        match self {
            Self::Exponential => Exp1.sample(rng),
            // A log-normal with log-variance v has mean 1 when its log-mean is −v/2.
            Self::LogNormal { variation } => {
                let log_variance = (1.0 + variation * variation).ln();
                LogNormal::new(-0.5 * log_variance, log_variance.sqrt())
                    .map_or(1.0, |spread| spread.sample(rng))
            }
            Self::Constant => 1.0,
        }
    }
}

/// The stream of a replication from which arrival times come.
pub(crate) struct Arrivals(Xoshiro256PlusPlus);

impl Arrivals {
    pub fn new(seed: u64, replication: u32) -> Self {
        Self(Xoshiro256PlusPlus::seed_from_u64(mix(seed, replication, u64::MAX)))
    }

    /// A unit exponential: expected contacts until the next one comes.
    pub fn gap(&mut self) -> f64 {
        Exp1.sample(&mut self.0)
    }
}

/// How far a day's demand may be off its forecast, beyond the luck of counting.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct DemandLuck {
    /// Factors of the whole day, equally likely and in order, with mean 1.
    pub day_factors: Vec<f64>,
    /// Variance of each interval's own factor, which has mean 1 and a gamma distribution.
    pub interval_variance: f64,
}

impl DemandLuck {
    /// The factors of a replication's intervals: the day's, times each interval's own. From a
    /// stream of its own, so that whoever comes is the same contact as on a day without luck.
    pub(crate) fn factors(&self, seed: u64, replication: u32, intervals: usize) -> Vec<f64> {
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(mix(seed, replication, u64::MAX - 1));
        let place = rng.random::<f64>() * self.day_factors.len() as f64;
        let day = self.day_factors.get(place as usize).copied().unwrap_or(1.0);
        let variance = self.interval_variance;
        let own = (variance > 0.0).then(|| Gamma::new(1.0 / variance, variance).ok()).flatten();
        (0..intervals).map(|_| day * own.map_or(1.0, |own| own.sample(&mut rng))).collect()
    }
}

/// What one contact brings along, drawn when it arrives: the same in every strategy.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct ContactDraws {
    /// Times the mean handle time.
    pub handle_factor: f64,
    /// Times the mean patience.
    pub patience_factor: f64,
}

impl ContactDraws {
    pub fn new(seed: u64, replication: u32, contact: u64, handling: Spread) -> Self {
        let mut rng = Xoshiro256PlusPlus::seed_from_u64(mix(seed, replication, contact));
        // Patience first: a change of the handle times' spread leaves patience as it was.
        let patience_factor = Exp1.sample(&mut rng);
        let handle_factor = handling.factor(&mut rng);
        Self { handle_factor, patience_factor }
    }
}

/// A seed for one stream; the finaliser of SplitMix64 after each part keeps neighbours apart.
fn mix(seed: u64, replication: u32, stream: u64) -> u64 {
    finalise(finalise(seed ^ 0x9e37_79b9_7f4a_7c15).wrapping_add(u64::from(replication)))
        .wrapping_add(stream)
        .wrapping_mul(0x9e37_79b9_7f4a_7c15)
}

fn finalise(mut bits: u64) -> u64 {
    bits = (bits ^ (bits >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    bits = (bits ^ (bits >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    bits ^ (bits >> 31)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spreads_have_mean_one_and_the_stated_variation() {
        // 200,000 draws: the standard error of a mean with variation 1 is 0.0022; bound 4.5 of them.
        let wanted = [
            (Spread::Exponential, 1.0),
            (Spread::LogNormal { variation: 0.7 }, 0.7),
            (Spread::Constant, 0.0),
        ];
        for (spread, variation) in wanted {
            let draws: Vec<f64> = (0..200_000)
                .map(|contact| ContactDraws::new(5, 1, contact, spread).handle_factor)
                .collect();
            let mean = draws.iter().sum::<f64>() / draws.len() as f64;
            let square = draws.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / draws.len() as f64;
            assert!((mean - 1.0).abs() < 0.01, "{spread:?}: mean {mean}");
            assert!((square.sqrt() - variation).abs() < 0.02, "{spread:?}: {}", square.sqrt());
        }
    }

    #[test]
    fn a_contact_keeps_its_patience_when_handle_times_spread_otherwise() {
        let one = ContactDraws::new(9, 3, 17, Spread::Exponential);
        let other = ContactDraws::new(9, 3, 17, Spread::Constant);
        assert_eq!(one.patience_factor, other.patience_factor);
        assert_ne!(one, ContactDraws::new(9, 4, 17, Spread::Exponential));
    }
}
