//! The methods behind one trait.
//!
//! Each sees the same [`Past`] and gives contacts per slot for the days to come. Those that
//! forecast daily totals spread them by the weekday's shape, so intervals always sum to their day.

mod decomposition;
mod regression;
mod seasonal_naive;
mod smoothing;
mod weekday_average;
mod year_ago;

use std::fmt;

use crate::past::Past;

/// A way to continue a past.
pub trait Method: Sync {
    /// Which method this is.
    fn name(&self) -> MethodName;

    /// Contacts per slot for `days` days after the past, day by day; 0 where closed. `None` when
    /// the past is too short for this method.
    fn forecast(&self, past: &Past, days: usize) -> Option<Vec<f64>>;
}

/// The methods by name.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize,
)]
#[serde(rename_all = "kebab-case")]
pub enum MethodName {
    /// The same slot a week before.
    SeasonalNaive,
    /// Means of the same slot on past same weekdays, the latest counting most.
    WeekdayMeans,
    /// Medians of the same slot on past same weekdays.
    WeekdayMedians,
    /// Exponential smoothing of daily totals with a damped trend and a weekly season.
    Smoothing,
    /// Level, weekday factors and the season of the years before, each by robust averages.
    Decomposition,
    /// Robust regression of daily totals on weekday, time of year, day of month and trend.
    Regression,
    /// The same weeks a year before, times the growth since.
    YearAgo,
    /// All of them, weighted by how well they did.
    Combination,
}

impl MethodName {
    /// Every method, the combination last.
    pub const ALL: [Self; 8] = [
        Self::SeasonalNaive,
        Self::WeekdayMeans,
        Self::WeekdayMedians,
        Self::Smoothing,
        Self::Decomposition,
        Self::Regression,
        Self::YearAgo,
        Self::Combination,
    ];

    /// As people call it.
    pub fn title(self) -> &'static str {
        match self {
            Self::SeasonalNaive => "Week before",
            Self::WeekdayMeans => "Weekday means",
            Self::WeekdayMedians => "Weekday medians",
            Self::Smoothing => "Exponential smoothing",
            Self::Decomposition => "Decomposition",
            Self::Regression => "Calendar regression",
            Self::YearAgo => "Year before, with growth",
            Self::Combination => "Weighted combination",
        }
    }

    /// The method's name in addresses and files, such as `weekday-means`.
    pub fn slug(self) -> &'static str {
        match self {
            Self::SeasonalNaive => "seasonal-naive",
            Self::WeekdayMeans => "weekday-means",
            Self::WeekdayMedians => "weekday-medians",
            Self::Smoothing => "smoothing",
            Self::Decomposition => "decomposition",
            Self::Regression => "regression",
            Self::YearAgo => "year-ago",
            Self::Combination => "combination",
        }
    }

    /// The method with this [`slug`](Self::slug).
    pub fn from_slug(slug: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|name| name.slug() == slug)
    }
}

impl fmt::Display for MethodName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.title())
    }
}

/// The methods that can stand alone, in the order of [`MethodName::ALL`].
pub(crate) const METHODS: [&dyn Method; 7] = [
    &seasonal_naive::SeasonalNaive,
    &weekday_average::WeekdayMeans,
    &weekday_average::WeekdayMedians,
    &smoothing::Smoothing,
    &decomposition::Decomposition,
    &regression::Regression,
    &year_ago::YearAgo,
];

/// The scale on which daily totals have about the same spread whatever their size.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Scale {
    /// For days of some dozens and more: effects multiply.
    Log,
    /// For days of few contacts: Poisson noise is even.
    Root,
}

impl Scale {
    /// The scale that suits totals of this size.
    pub(crate) fn of(totals: &[f64]) -> Self {
        let (sum, count) = totals
            .iter()
            .filter(|total| total.is_finite())
            .fold((0.0, 0.0), |all, total| (all.0 + total, all.1 + 1.0));
        if sum > 30.0 * count { Self::Log } else { Self::Root }
    }

    pub(crate) fn to(self, total: f64) -> f64 {
        match self {
            Self::Log => total.ln_1p(),
            Self::Root => (total + 0.25).sqrt(),
        }
    }

    pub(crate) fn from(self, value: f64) -> f64 {
        match self {
            Self::Log => value.min(30.0).exp_m1().max(0.0),
            Self::Root => (value.max(0.0).powi(2) - 0.25).max(0.0),
        }
    }
}
