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

/// Days of a whole year: from then on the regression knows the season.
pub(crate) const YEAR_DAYS: usize = 366;

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
///
/// What is averaged on a scale is not a mean once it is turned back: the mean of `ln(1 + X)` and of `√(X + ¼)` of a
/// Poisson count lies below that of its mean. [`Scale::from`] puts that back, so that counting noise leaves no bias
/// (to second order in 1/λ: Anscombe, *Biometrika* 35, 1948, for the root).
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Scale {
    /// For days of some dozens and more: effects multiply.
    Log,
    /// For days of few contacts: Poisson noise is even.
    Root,
    /// For days of hardly any: neither root nor logarithm is near a straight line there.
    Count,
}

/// Mean contacts a day from which each scale is used.
const LOG_FROM: f64 = 30.0;
const ROOT_FROM: f64 = 8.0;

impl Scale {
    /// The scale that suits totals of this size.
    pub(crate) fn of(totals: &[f64]) -> Self {
        match mean_of_known(totals) {
            mean if mean > LOG_FROM => Self::Log,
            mean if mean > ROOT_FROM => Self::Root,
            _ => Self::Count,
        }
    }

    pub(crate) fn to(self, total: f64) -> f64 {
        match self {
            Self::Log => total.ln_1p(),
            Self::Root => (total + 0.25).sqrt(),
            Self::Count => total,
        }
    }

    pub(crate) fn from(self, value: f64) -> f64 {
        match self {
            // Half of the variance of ln(1 + X), which is λ / (1 + λ)², on the scale of counts.
            Self::Log => {
                let total = value.min(30.0).exp_m1().max(0.0);
                total + 0.5 * total / (1.0 + total)
            }
            // The variance of √(X + ¼) is ¼: it cancels the ¼ that was added.
            Self::Root => value.max(0.0).powi(2),
            Self::Count => value.max(0.0),
        }
    }

    /// Whether outlying days can be told from counting noise, which has a long upper tail where counts are small.
    pub(crate) fn has_outliers(self) -> bool {
        self != Self::Count
    }
}

/// The mean of the known values; 0 of none.
pub(crate) fn mean_of_known(values: &[f64]) -> f64 {
    let known = values.iter().filter(|value| value.is_finite());
    let (sum, count) = known.fold((0.0, 0.0), |all, value| (all.0 + value, all.1 + 1.0));
    if count > 0.0 { sum / count } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_averaged_on_a_scale_is_a_mean_when_it_is_turned_back() {
        // The exact mean of the scaled Poisson count, turned back, against λ: within half a per cent.
        for (scale, lambdas) in [
            (Scale::Log, &[30.0, 60.0, 200.0][..]),
            (Scale::Root, &[8.0, 15.0, 30.0]),
            (Scale::Count, &[0.1, 2.0, 8.0]),
        ] {
            for &lambda in lambdas {
                let mut probability = f64::exp(-lambda);
                let mut mean = 0.0;
                for count in 0..1000 {
                    mean += probability * scale.to(f64::from(count));
                    probability *= lambda / f64::from(count + 1);
                }
                let back = scale.from(mean);
                assert!((back / lambda - 1.0).abs() < 0.005, "{scale:?} {lambda}: {back}");
            }
        }
    }
}
