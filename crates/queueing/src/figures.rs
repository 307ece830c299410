//! What contacts meet, and the definitions of a service level.

/// What contacts and servers meet in a steady state. Shares are 0..=1 of the offered contacts,
/// times are seconds; a mean over nobody is zero.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Figures {
    /// Share that finds no place and is refused.
    pub blocked: f64,
    /// Share that finds every server busy and waits.
    pub wait_probability: f64,
    /// Share that is answered.
    pub answered: f64,
    /// Share that abandons.
    pub abandonment: f64,
    /// Mean wait of the answered (ASA).
    pub answer_secs: f64,
    /// Mean wait of those who abandon.
    pub abandon_secs: f64,
    /// Mean wait of everybody who was let in.
    pub mean_wait_secs: f64,
    /// Mean number waiting.
    pub mean_waiting: f64,
    /// Share of the servers' time spent on contacts.
    pub occupancy: f64,
}

/// What a service level is a share of. The contacts answered within the threshold are counted
/// against it.
#[derive(Clone, Copy, Debug, Default, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LevelOf {
    /// All offered contacts.
    #[default]
    Offered,
    /// The offered, less those who abandon within so many seconds: they gave nobody a chance.
    OfferedLessShort {
        /// Abandoned within this is short.
        short_secs: f64,
    },
    /// The answered contacts only.
    Answered,
}

impl LevelOf {
    /// The level from the shares answered in time and answered at all; `abandoned_within` gives the
    /// share that abandons within a number of seconds, and is asked only when it is needed.
    /// Nobody left to count is a level of 1.
    pub fn level(
        self,
        answered_in_time: f64,
        answered: f64,
        abandoned_within: impl FnOnce(f64) -> f64,
    ) -> f64 {
        let counted = match self {
            Self::Offered => 1.0,
            Self::OfferedLessShort { short_secs } => 1.0 - abandoned_within(short_secs),
            Self::Answered => answered,
        };
        if counted > 0.0 { (answered_in_time / counted).min(1.0) } else { 1.0 }
    }
}
