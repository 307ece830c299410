//! Does it hold?

/// The answer to "will it hold?", from best to worst.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize,
)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Every target is met.
    Holds,
    /// A target is missed by what one more person mends, or by less than a trial can tell.
    Marginal,
    /// A target is missed.
    Breaks,
}

impl Verdict {
    /// The verdict in a word.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Holds => "holds",
            Self::Marginal => "marginal",
            Self::Breaks => "breaks",
        }
    }
}
