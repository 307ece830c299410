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

/// A level that misses its target by no more than this is marginal.
const MARGINAL_LEVEL: f64 = 0.02;

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

    /// The verdict on a service level, as a share, against its target: a point or two short is marginal.
    pub fn on_level(level: f64, wanted: f64) -> Self {
        match wanted - level {
            short if short <= 0.0 => Self::Holds,
            short if short <= MARGINAL_LEVEL => Self::Marginal,
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
    fn a_level_is_held_against_its_target() {
        let verdicts = [0.80, 0.79, 0.75].map(|level| Verdict::on_level(level, 0.80));
        assert_eq!(verdicts, [Verdict::Holds, Verdict::Marginal, Verdict::Breaks]);
    }

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
