//! Averages that one storm day does not move.

/// Turns a median absolute deviation into a standard deviation, for a normal distribution.
pub(crate) const MAD_TO_SD: f64 = 1.4826;

/// Middle value, or the mean of the two middle ones; `None` of nothing. Reorders `values`.
pub(crate) fn median(values: &mut [f64]) -> Option<f64> {
    let middle = values.len() / 2;
    if values.is_empty() {
        return None;
    }
    let is_odd = values.len() % 2 == 1;
    let (below, upper, _) = values.select_nth_unstable_by(middle, f64::total_cmp);
    let upper = *upper;
    if is_odd {
        return Some(upper);
    }
    let lower = below.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    Some(0.5 * (lower + upper))
}

/// Median and the median absolute deviation from it, scaled to a standard deviation.
pub(crate) fn median_and_spread(values: &mut [f64]) -> Option<(f64, f64)> {
    let middle = median(values)?;
    for value in values.iter_mut() {
        *value = (*value - middle).abs();
    }
    median(values).map(|deviation| (middle, MAD_TO_SD * deviation))
}

/// The value below which a share `p` of `sorted` lies, between neighbours by straight line.
///
/// The position is `p (n + 1)`, so that a new value of the same kind falls below it with
/// probability `p` for a small sample too; beyond the ends the end value stands.
pub(crate) fn quantile(sorted: &[f64], p: f64) -> Option<f64> {
    let last = sorted.len().checked_sub(1)?;
    let position = (p * (sorted.len() as f64 + 1.0) - 1.0).clamp(0.0, last as f64);
    let below = position.floor() as usize;
    let above = (below + 1).min(last);
    Some(sorted[below] + (position - below as f64) * (sorted[above] - sorted[below]))
}

/// Mean without the smallest and the largest value once there are six, in one pass.
#[derive(Clone, Copy, Debug)]
pub(crate) struct TrimmedMean {
    weights: f64,
    sum: f64,
    least: (f64, f64),
    most: (f64, f64),
    count: u32,
}

impl TrimmedMean {
    pub(crate) const EMPTY: Self = Self {
        weights: 0.0,
        sum: 0.0,
        least: (f64::INFINITY, 0.0),
        most: (f64::NEG_INFINITY, 0.0),
        count: 0,
    };

    pub(crate) fn add(&mut self, value: f64, weight: f64) {
        self.weights += weight;
        self.sum += weight * value;
        self.count += 1;
        if value < self.least.0 {
            self.least = (value, weight);
        }
        if value > self.most.0 {
            self.most = (value, weight);
        }
    }

    pub(crate) fn mean(&self) -> Option<f64> {
        let (mut sum, mut weights) = (self.sum, self.weights);
        if self.count >= 6 {
            for (value, weight) in [self.least, self.most] {
                sum -= value * weight;
                weights -= weight;
            }
        }
        (weights > 0.0).then(|| sum / weights)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_storm_day_does_not_move_the_averages() {
        let mut storm = [10.0, 11.0, 9.0, 500.0, 12.0, 8.0, 10.0, 10.0];
        let mut trimmed = TrimmedMean::EMPTY;
        storm.iter().for_each(|&value| trimmed.add(value, 1.0));
        assert!((trimmed.mean().unwrap() - 10.33).abs() < 0.01);
        assert_eq!(median(&mut storm), Some(10.0));
        assert_eq!(median_and_spread(&mut [1.0, 2.0, 3.0, 4.0, 90.0]), Some((3.0, MAD_TO_SD)));
        assert_eq!((median(&mut []), TrimmedMean::EMPTY.mean()), (None, None));
    }

    #[test]
    fn a_quantile_of_a_small_sample_leaves_room_for_the_next_value() {
        // Nine values: the tenth is as likely to fall into any of the ten gaps.
        let sorted: Vec<f64> = (1..=9).map(f64::from).collect();
        assert_eq!(quantile(&sorted, 0.1), Some(1.0));
        assert_eq!(quantile(&sorted, 0.5), Some(5.0));
        assert_eq!(quantile(&sorted, 0.95), Some(9.0), "no value lies beyond the last");
        assert_eq!(quantile(&[], 0.5), None);
    }
}
