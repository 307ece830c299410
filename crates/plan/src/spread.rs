//! How far simulated days lie apart.

/// The mean of values, and half the width of its 95 % confidence interval (normal approximation).
pub(crate) fn mean_and_half_width(values: &[f64]) -> (f64, f64) {
    let n = values.len() as f64;
    let mean = values.iter().sum::<f64>() / n.max(1.0);
    if n < 2.0 {
        return (mean, 0.0);
    }
    let variance = values.iter().map(|each| (each - mean).powi(2)).sum::<f64>() / (n - 1.0);
    (mean, 1.96 * (variance / n).sqrt())
}

/// The range of eight in ten of the values: their 10 % and 90 % quantiles; `None` without values.
pub(crate) fn eight_in_ten(mut values: Vec<f64>) -> Option<(f64, f64)> {
    values.sort_by(f64::total_cmp);
    let at = |share: f64| {
        let place = (values.len().saturating_sub(1) as f64 * share).round() as usize;
        values.get(place).copied()
    };
    Some((at(0.1)?, at(0.9)?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_values_that_are_known_the_spread_is_known() {
        let (mean, half_width) = mean_and_half_width(&[1.0, 2.0, 3.0, 4.0, 5.0]);
        assert!((mean - 3.0).abs() < 1e-12);
        // Variance 2.5, of five values.
        assert!((half_width - 1.96 * 0.5_f64.sqrt()).abs() < 1e-12);
        assert_eq!(mean_and_half_width(&[7.0]), (7.0, 0.0));
        let values = (0..=100).rev().map(f64::from).collect();
        assert_eq!(eight_in_ten(values), Some((10.0, 90.0)));
        assert_eq!(eight_in_ten(Vec::new()), None);
    }
}
