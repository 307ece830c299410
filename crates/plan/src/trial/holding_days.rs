//! On how many simulated days every target holds: one sentence for the outlook, staffing, trials and searches.

use serde::{Deserialize, Serialize};

use crate::uncertain::normal_quantile;
use crate::verdict::Verdict;

/// Days on which every target holds, of the days that were simulated.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct HoldingDays {
    /// Days on which every target holds.
    pub holding: u32,
    /// Days simulated.
    pub days: u32,
}

/// A day that holds on at least this share of days holds; the planner's usual promise.
const SURE: f64 = 0.9;

/// A day that holds on fewer than this share of days breaks.
const EVEN: f64 = 0.5;

/// Within this share of none or all, tens are too coarse.
const NEAR_THE_ENDS: f64 = 0.05;

impl HoldingDays {
    /// Of days, each with whether it holds.
    pub fn of(days: &[bool]) -> Self {
        let count = |days: usize| u32::try_from(days).unwrap_or(u32::MAX);
        let holding = days.iter().filter(|holds| **holds).count();
        Self { holding: count(holding), days: count(days.len()) }
    }

    /// The share of days that hold, 0 to 1; 0 without days.
    pub fn share(self) -> f64 {
        f64::from(self.holding) / f64::from(self.days.max(1))
    }

    /// The 95 % confidence interval of the share (Wilson 1927), which stays within 0 and 1 where all days hold or none.
    pub fn range(self) -> (f64, f64) {
        let (n, share, z) = (f64::from(self.days), self.share(), normal_quantile(0.975));
        if n == 0.0 {
            return (0.0, 1.0);
        }
        let shrink = 1.0 + z * z / n;
        let middle = (share + z * z / (2.0 * n)) / shrink;
        let half = z / shrink * (share * (1.0 - share) / n + z * z / (4.0 * n * n)).sqrt();
        ((middle - half).max(0.0), (middle + half).min(1.0))
    }

    /// *Holds* on 9 of 10 days and more, *breaks* on more than half of them, *marginal* between.
    pub fn verdict(self) -> Verdict {
        match self.share() {
            share if share >= SURE => Verdict::Holds,
            share if share >= EVEN => Verdict::Marginal,
            _ => Verdict::Breaks,
        }
    }

    /// "9 of 10", near none and all "98 of 100", and "all 200" or "none of 200" where that is what was simulated.
    pub fn of_ten(self) -> String {
        match self.holding {
            0 => format!("none of {}", self.days),
            all if all == self.days => format!("all {}", self.days),
            _ => share_of_ten(self.share()),
        }
    }
}

/// A share of days between none and all: "9 of 10", near none and all "98 of 100".
pub fn share_of_ten(share: f64) -> String {
    if share > NEAR_THE_ENDS && share < 1.0 - NEAR_THE_ENDS {
        return format!("{} of 10", (10.0 * share).round());
    }
    format!("{} of 100", (100.0 * share).round().clamp(1.0, 99.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn of(holding: u32, days: u32) -> HoldingDays {
        HoldingDays { holding, days }
    }

    #[test]
    fn shares_are_said_in_tens_and_near_the_ends_in_hundreds() {
        let said = [0, 1, 9, 11, 29, 100, 179, 189, 191, 199, 200];
        let said = said.map(|holding| of(holding, 200).of_ten());
        let expected = [
            "none of 200",
            "1 of 100",
            "5 of 100",
            "1 of 10",
            "1 of 10",
            "5 of 10",
            "9 of 10",
            "9 of 10",
            "96 of 100",
            "99 of 100",
            "all 200",
        ];
        assert_eq!(said, expected);
    }

    #[test]
    fn nine_of_ten_hold_and_less_than_half_break() {
        let verdicts = [180, 179, 100, 99].map(|holding| of(holding, 200).verdict());
        assert_eq!(
            verdicts,
            [Verdict::Holds, Verdict::Marginal, Verdict::Marginal, Verdict::Breaks]
        );
    }

    #[test]
    fn the_interval_is_wilsons() {
        // Agresti and Coull 1998, section 1: none of ten gives 0 to 0.278.
        let (low, high) = of(0, 10).range();
        assert!(low.abs() < 1e-12 && (high - 0.2775).abs() < 1e-4, "{low} {high}");
        // Newcombe 1998, table I, score method: 81 of 263 gives 0.2553 to 0.3662.
        let (low, high) = of(81, 263).range();
        assert!((low - 0.2553).abs() < 5e-5 && (high - 0.3662).abs() < 5e-5, "{low} {high}");
        assert_eq!(of(0, 0).range(), (0.0, 1.0));
    }

    proptest! {
        #[test]
        fn what_is_said_is_near_the_share(days in 1_u32..5_000, holding in 0_u32..5_000) {
            let told = of(holding.min(days), days);
            let said = told.of_ten();
            let number = |word: &str| word.replace("all", "").replace("none", "0").trim().parse::<f64>();
            let share = match said.split_once(" of ") {
                Some((top, bottom)) => number(top).unwrap() / number(bottom).unwrap(),
                None => 1.0,
            };
            prop_assert!((share - told.share()).abs() <= 0.05 + 1e-9, "{said}");
            prop_assert_eq!(share == 0.0, told.holding == 0, "{}", said);
            prop_assert_eq!(share == 1.0, told.holding == told.days, "{}", said);
            let (low, high) = told.range();
            prop_assert!(low <= told.share() + 1e-12 && told.share() <= high + 1e-12);
        }
    }
}
