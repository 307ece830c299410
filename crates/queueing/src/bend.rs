//! e^−y − 1 + y, the bend of every density of waits, to full precision.

/// e^−y − 1 + y without cancellation near zero.
pub(crate) fn bend(y: f64) -> f64 {
    match y.abs() {
        small if small <= 0.125 => bend_series::<10>(y),
        medium if medium <= 1.0 => bend_series::<19>(y),
        _ => (-y).exp() - 1.0 + y,
    }
}

/// y²/2! − y³/3! + … of `TERMS` terms by Horner; the next term is below 1e-17 of the first for
/// |y| up to 1/8 with ten terms and up to 1 with nineteen.
fn bend_series<const TERMS: usize>(y: f64) -> f64 {
    let mut sum = 0.0;
    for reciprocal in RECIPROCAL_FACTORIALS[..TERMS].iter().rev() {
        sum = reciprocal - y * sum;
    }
    y * y * sum
}

/// 1/2!, 1/3!, … 1/20!.
const RECIPROCAL_FACTORIALS: [f64; 19] = {
    let mut reciprocals = [0.0; 19];
    // Factorials up to 20! fit into 64 bits, so each reciprocal is rounded once or twice only.
    let (mut at, mut factorial) = (0, 1_u64);
    while at < 19 {
        factorial *= at as u64 + 2;
        reciprocals[at] = 1.0 / factorial as f64;
        at += 1;
    }
    reciprocals
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bend_keeps_its_digits_near_zero() {
        let series = 0.5e-12 - 1e-18 / 6.0 + 1e-24 / 24.0;
        assert!((bend(1e-6) / series - 1.0).abs() < 1e-15);
        // Both branches meet at 1 and at -1.
        for y in [1.0f64, -1.0] {
            assert!((bend(y) - ((-y).exp() - 1.0 + y)).abs() < 4e-16);
        }
        // So do the short and the long series at 1/8.
        for y in [0.125f64, -0.125] {
            assert!((bend_series::<10>(y) / bend_series::<19>(y) - 1.0).abs() < 4e-16);
        }
    }
}
