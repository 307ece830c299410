//! Does it hold?

/// The answer to "will it hold?", from best to worst.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize,
)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Every target is met.
    Holds,
    /// A target is missed by a person or by 4% of the need, or by less than a trial can tell.
    Marginal,
    /// A target is missed.
    Breaks,
}

/// A cover short by this share of the need is marginal: less than forecasts are off by.
const MARGINAL_SHARE: f64 = 0.04;

impl Verdict {
    /// The verdict on `cover` people where `need` are needed. More people never make service worse,
    /// so the shortfall alone decides.
    pub fn on_cover(need: u32, cover: u32) -> Self {
        let bearable = ((f64::from(need) * MARGINAL_SHARE) as u32).max(1);
        match need.saturating_sub(cover) {
            0 => Self::Holds,
            short if short <= bearable => Self::Marginal,
            _ => Self::Breaks,
        }
    }

    /// The verdict in a word.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Holds => "holds",
            Self::Marginal => "marginal",
            Self::Breaks => "breaks",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_person_short_is_marginal_and_so_are_two_in_fifty() {
        let verdicts = |need: u32| [0, 1, 2, 3].map(|short| Verdict::on_cover(need, need - short));
        assert_eq!(
            verdicts(10),
            [Verdict::Holds, Verdict::Marginal, Verdict::Breaks, Verdict::Breaks]
        );
        assert_eq!(
            verdicts(50),
            [Verdict::Holds, Verdict::Marginal, Verdict::Marginal, Verdict::Breaks]
        );
        assert_eq!(Verdict::on_cover(3, 8), Verdict::Holds);
    }
}
