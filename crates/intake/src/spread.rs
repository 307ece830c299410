//! Whole days into intervals.

/// Spreads a day's answered, abandoned and other offered contacts over slots by their shares.
///
/// Returns offered, answered and abandoned per slot: whole numbers that sum to the day's, each as
/// close to its share as whole numbers can be when they are rounded along the day.
pub fn spread_day(
    answered: u32,
    abandoned: u32,
    offered: u32,
    shares: &[f64],
) -> Vec<(u32, u32, u32)> {
    let all: f64 = shares.iter().sum();
    let other = offered.saturating_sub(answered).saturating_sub(abandoned);
    let mut so_far = 0.0;
    let mut given = [0_u32; 3];
    shares
        .iter()
        .enumerate()
        .map(|(slot, share)| {
            so_far += share;
            let part = if slot + 1 == shares.len() || all <= 0.0 { 1.0 } else { so_far / all };
            let mut now = [0_u32; 3];
            for (at, total) in [answered, abandoned, other].into_iter().enumerate() {
                let until = ((f64::from(total) * part).round() as u32).min(total);
                now[at] = until.saturating_sub(given[at]);
                given[at] = given[at].max(until);
            }
            (now[0] + now[1] + now[2], now[0], now[1])
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_day_follows_its_shape() {
        let slots = spread_day(70, 10, 90, &[0.0, 1.0, 2.0, 1.0]);
        assert_eq!(slots, [(0, 0, 0), (24, 18, 3), (45, 35, 5), (21, 17, 2)]);
    }

    proptest! {
        #[test]
        fn nothing_is_lost_or_added(
            answered in 0..5000u32, abandoned in 0..500u32, other in 0..50u32,
            shares in proptest::collection::vec(0.0..1.0f64, 1..97),
        ) {
            let slots = spread_day(answered, abandoned, answered + abandoned + other, &shares);
            let sum = slots.iter().fold((0, 0, 0), |sum, slot| (sum.0 + slot.0, sum.1 + slot.1, sum.2 + slot.2));
            prop_assert_eq!(sum, (answered + abandoned + other, answered, abandoned));
            prop_assert!(slots.iter().all(|slot| slot.1 + slot.2 <= slot.0));
        }
    }
}
