//! Differences on the same days.

/// The mean of differences day by day, and its standard error; of one day the error is not a number.
pub(crate) fn mean_and_error(differences: &[f64]) -> (f64, f64) {
    let n = differences.len() as f64;
    let mean = differences.iter().sum::<f64>() / n;
    let variance = differences.iter().map(|each| (each - mean).powi(2)).sum::<f64>() / (n - 1.0);
    (mean, (variance / n).sqrt())
}
