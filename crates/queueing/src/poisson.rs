//! Poisson probabilities for uniformisation.

/// P(N = 0), P(N = 1), … of a Poisson count of mean `mean`, up to where less than 1e-17 is left.
///
/// # Source
///
/// Fox and Glynn, *Computing Poisson probabilities* (1988): weighed from the mode outwards, so that
/// nothing underflows, and divided by their sum.
pub(crate) fn weights(mean: f64) -> Vec<f64> {
    if mean <= 0.0 {
        return vec![1.0];
    }
    let mode = mean.floor() as usize;
    let last = (mean + 10.0 * mean.sqrt() + 30.0).ceil() as usize;
    let mut weights = vec![0.0; last + 1];
    weights[mode] = 1.0;
    for k in (0..mode).rev() {
        weights[k] = weights[k + 1] * (k + 1) as f64 / mean;
        if weights[k] < 1e-40 {
            break;
        }
    }
    for k in mode + 1..=last {
        weights[k] = weights[k - 1] * mean / k as f64;
        if weights[k] < 1e-20 {
            weights.truncate(k + 1);
            break;
        }
    }
    let total: f64 = weights.iter().sum();
    weights.iter_mut().for_each(|weight| *weight /= total);
    weights
}

/// P(N > 0), P(N > 1), …, summed from the far end so that small ones keep their digits.
pub(crate) fn tails(mean: f64) -> Vec<f64> {
    let mut tails = weights(mean);
    let mut sum = 0.0;
    for weight in tails.iter_mut().rev() {
        let own = *weight;
        *weight = sum;
        sum += own;
    }
    tails
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_are_poisson_and_tails_their_sums() {
        let weights = weights(3.0);
        assert!((weights[2] - 4.5 * (-3.0f64).exp()).abs() < 1e-16);
        let tails = tails(3.0);
        assert!((tails[0] - (1.0 - (-3.0f64).exp())).abs() < 1e-15);
        let mean: f64 = super::tails(5e5).iter().sum();
        assert!((mean / 5e5 - 1.0).abs() < 1e-12, "{mean}");
    }
}
