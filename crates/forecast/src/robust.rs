//! Averages that one storm day does not move.

/// Middle value, or the mean of the two middle ones; `None` of nothing. Reorders `values`.
pub(crate) fn median(values: &mut [f64]) -> Option<f64> {
    if values.is_empty() {
        return None;
    }
    values.sort_by(f64::total_cmp);
    let middle = values.len() / 2;
    Some(if values.len() % 2 == 1 {
        values[middle]
    } else {
        0.5 * (values[middle - 1] + values[middle])
    })
}

/// Mean without the largest and the smallest eighth; `None` of nothing. Reorders `values`.
///
/// A median would be biased low on small counts, which are skewed; trimming an eighth keeps the
/// bias below the noise and still loses one storm day in twelve weeks.
pub(crate) fn trimmed_mean(values: &mut [f64]) -> Option<f64> {
    if values.is_empty() {
        return None;
    }
    values.sort_by(f64::total_cmp);
    let cut = values.len() / 8;
    let kept = &values[cut..values.len() - cut];
    Some(kept.iter().sum::<f64>() / kept.len() as f64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_storm_day_does_not_move_the_averages() {
        let calm = [10.0, 11.0, 9.0, 10.0, 12.0, 8.0, 10.0, 10.0];
        let mut storm = calm;
        storm[3] = 500.0;
        assert_eq!(median(&mut storm), Some(10.0));
        assert!((trimmed_mean(&mut storm).unwrap() - 10.0).abs() < 0.5);
        assert_eq!((median(&mut []), trimmed_mean(&mut [])), (None, None));
    }
}
