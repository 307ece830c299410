//! Interval lengths.

use jiff::SignedDuration;

/// How long an interval is.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize,
)]
#[serde(into = "i16", try_from = "i16")]
pub enum Grain {
    /// 15 minutes.
    Quarter,
    /// 30 minutes.
    Half,
    /// 60 minutes.
    Hour,
}

/// A number of minutes that is no interval length.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("an interval lasts 15, 30 or 60 minutes, not {0}")]
pub struct UnknownGrain(pub i16);

impl Grain {
    /// Every interval length, shortest first.
    pub const ALL: [Self; 3] = [Self::Quarter, Self::Half, Self::Hour];

    /// Minutes in an interval.
    pub const fn minutes(self) -> i16 {
        match self {
            Self::Quarter => 15,
            Self::Half => 30,
            Self::Hour => 60,
        }
    }

    /// Seconds in an interval.
    pub fn secs(self) -> f64 {
        f64::from(self.minutes()) * 60.0
    }

    /// Intervals in a day of 24 hours.
    pub const fn slots_per_day(self) -> usize {
        1440 / self.minutes() as usize
    }

    /// The length as a duration.
    pub fn duration(self) -> SignedDuration {
        SignedDuration::from_mins(i64::from(self.minutes()))
    }
}

impl From<Grain> for i16 {
    fn from(grain: Grain) -> Self {
        grain.minutes()
    }
}

impl TryFrom<i16> for Grain {
    type Error = UnknownGrain;

    fn try_from(minutes: i16) -> Result<Self, UnknownGrain> {
        Self::ALL.into_iter().find(|grain| grain.minutes() == minutes).ok_or(UnknownGrain(minutes))
    }
}
