//! How far a forecast may be off: bands from past errors, and what trials draw their days from.
//!
//! A day's contacts are taken as `forecast × day factor`, an interval's as a Poisson count around
//! `forecast × day factor × interval noise`. Neither factor is taken to be normal: their spread and
//! their quantiles are those of the errors that the forecast made on days it was not shown.
//! Formulas: `docs/methods/bands.md`.

use crate::robust::{median, quantile};
use crate::trial_runs::JUDGED_DAYS;

/// The shares for which quantiles are kept.
pub const PROBABILITIES: [f64; 17] = [
    0.005, 0.01, 0.025, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.975, 0.99, 0.995,
];
/// Standard normal quantiles at [`PROBABILITIES`].
const NORMAL: [f64; 17] = [
    -2.5758, -2.3263, -1.96, -1.6449, -1.2816, -0.8416, -0.5244, -0.2533, 0.0, 0.2533, 0.5244,
    0.8416, 1.2816, 1.6449, 1.96, 2.3263, 2.5758,
];
/// Errors whose worth a normal distribution has beside the observed ones.
const PRIOR_DAYS: f64 = 12.0;
const PRIOR_INTERVALS: f64 = 40.0;
/// Variance of the log of a level before anything is known of it: a tenth either way.
const PRIOR_VARIANCE: f64 = 0.01;
/// Stretches of four weeks that this guess is worth.
const PRIOR_STRETCHES: f64 = 0.25;
/// Groups of intervals by the size of their forecast, each with quantiles of its own.
const SIZE_GROUPS: usize = 5;
/// Least intervals in such a group.
const GROUP_INTERVALS: usize = 150;
/// An error counts no more than this many typical ones when a spread is measured.
const LARGEST_SQUARE: f64 = 16.0;

/// A forecast and what came instead, on a day that was held out.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Error {
    /// Days ahead, 1 for the first.
    pub ahead: usize,
    pub forecast: f64,
    pub came: f64,
    /// Variance of the log of what the calendar says of the day.
    pub calendar_variance: f64,
}

/// The spread of future contacts around the forecast.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Uncertainty {
    /// Variance of the log day factor, beyond counting noise.
    day_variance: Growing,
    /// Quantiles of standardised log day errors at [`PROBABILITIES`].
    day_quantiles: Vec<f64>,
    /// Variance of an interval's relative error, beyond counting noise, day factor included.
    interval_variance: Growing,
    /// Quantiles of standardised interval errors, by size of the forecast.
    interval_quantiles: Vec<SizeGroup>,
}

/// A variance by days ahead: a straight line as far as errors were seen, and beyond that as if the
/// level wandered at random.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
struct Growing {
    start: f64,
    per_day: f64,
    seen_days: f64,
}

impl Growing {
    fn at(&self, ahead: usize) -> f64 {
        let (ahead, seen) = (ahead as f64, self.seen_days.max(1.0));
        (self.start + self.per_day * ahead.min(seen)) * (ahead / seen).max(1.0)
    }
}

#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
struct SizeGroup {
    /// The median forecast of the group's intervals.
    contacts: f64,
    quantiles: Vec<f64>,
}

/// A forecast's 80 % and 95 % bands.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Band {
    /// 2.5 % of the time fewer come.
    pub p2_5: f64,
    /// 10 % of the time fewer come.
    pub p10: f64,
    /// 10 % of the time more come.
    pub p90: f64,
    /// 2.5 % of the time more come.
    pub p97_5: f64,
}

impl Band {
    /// The band of a multiple of the contacts.
    #[must_use]
    pub fn scaled(self, factor: f64) -> Self {
        Self {
            p2_5: self.p2_5 * factor,
            p10: self.p10 * factor,
            p90: self.p90 * factor,
            p97_5: self.p97_5 * factor,
        }
    }

    /// The band moved with its number from `before` to `after` contacts. Where nothing was expected
    /// before, what is added is taken as a Poisson count: its normal approximation.
    #[must_use]
    pub fn moved(self, before: f64, after: f64) -> Self {
        if before > 0.0 && after > 0.0 {
            return self.scaled(after / before);
        }
        let spread = after.sqrt();
        let at = |z: f64| (after + z * spread).max(0.0);
        Self { p2_5: at(-1.96), p10: at(-1.2816), p90: at(1.2816), p97_5: at(1.96) }
    }
}

impl Band {
    fn at(quantile: impl Fn(f64) -> f64) -> Self {
        Self {
            p2_5: quantile(0.025),
            p10: quantile(0.1),
            p90: quantile(0.9),
            p97_5: quantile(0.975),
        }
    }

    /// Whether the 80 % band holds this count.
    pub fn holds_80(&self, came: f64) -> bool {
        (self.p10..=self.p90).contains(&came)
    }

    /// Whether the 95 % band holds this count.
    pub fn holds_95(&self, came: f64) -> bool {
        (self.p2_5..=self.p97_5).contains(&came)
    }
}

impl Uncertainty {
    /// Learns from held-out days and intervals that cover so many stretches of four weeks. Without
    /// any, the spread is that of counting noise and a guess of a tenth.
    pub(crate) fn learn(days: &[Error], intervals: &[Error], stretches: f64) -> Self {
        let log_error = |error: &Error| ((error.came + 0.5) / (error.forecast + 0.5)).ln();
        let beyond_counting = |error: &Error| {
            log_error(error).powi(2) - 1.0 / (error.forecast + 0.5) - error.calendar_variance
        };
        let day_variance = line(days, PRIOR_VARIANCE, beyond_counting);
        let day_scores = days.iter().map(|error| {
            let variance = day_variance.at(error.ahead);
            log_error(error)
                / (variance + 1.0 / (error.forecast + 0.5) + error.calendar_variance).sqrt()
        });
        let relative = |error: &Error| {
            ((error.came - error.forecast).powi(2) - error.forecast) / error.forecast.powi(2)
        };
        // Large intervals tell the relative spread; small ones hardly more than counting noise.
        let mut sizes: Vec<f64> = intervals.iter().map(|error| error.forecast).collect();
        let middle = median(&mut sizes).unwrap_or(0.0);
        let large: Vec<Error> =
            intervals.iter().filter(|error| error.forecast >= middle.max(0.5)).copied().collect();
        let interval_variance = line(&large, 0.02, relative);
        let mut learnt = Self {
            day_variance,
            day_quantiles: quantiles(day_scores.collect(), PRIOR_DAYS),
            interval_variance,
            interval_quantiles: Vec::new(),
        };
        learnt.interval_quantiles = learnt.size_groups(intervals);
        // The level of a stretch is one draw, however many days it has: what few stretches showed
        // of it is as uncertain as any mean of few.
        let day_part = learnt.day_variance;
        if stretches > 0.0 {
            let more = 0.35 / stretches;
            learnt.day_variance = Growing {
                start: (1.0 + more) * day_part.start
                    + PRIOR_VARIANCE * PRIOR_STRETCHES / (stretches + PRIOR_STRETCHES),
                per_day: (1.0 + more) * day_part.per_day,
                ..day_part
            };
            learnt.interval_variance.start += learnt.day_variance.start - day_part.start;
            learnt.interval_variance.per_day += learnt.day_variance.per_day - day_part.per_day;
        }
        learnt
    }

    /// The bands of a day's contacts. What the calendar says of the day is unsure by
    /// `calendar_variance`, in the log, beside that.
    pub fn of_day(&self, ahead: usize, forecast: f64, calendar_variance: f64) -> Band {
        let spread = (self.day_variance.at(ahead) + 1.0 / (forecast + 0.5)).sqrt();
        Band::at(|p| {
            let own = spread * interpolate(&PROBABILITIES, &self.day_quantiles, p);
            let log = with_calendar(own, calendar_variance, p);
            ((forecast + 0.5) * log.exp() - 0.5).max(0.0)
        })
    }

    /// The bands of an interval's contacts.
    pub fn of_interval(&self, ahead: usize, forecast: f64, calendar_variance: f64) -> Band {
        if forecast <= 0.0 {
            return Band::at(|_| 0.0);
        }
        let spread = self.interval_spread(ahead, forecast);
        Band::at(|p| {
            let own = spread * self.interval_score(forecast, p);
            let of_calendar = calendar_variance * forecast * forecast;
            (forecast + with_calendar(own, of_calendar, p)).max(0.0)
        })
    }

    /// Standard deviation of the log day factor so many days ahead, beyond counting noise.
    pub fn day_spread(&self, ahead: usize) -> f64 {
        self.day_variance.at(ahead).sqrt()
    }

    /// A day factor with mean 1 for a number between 0 and 1.
    ///
    /// The quantiles are those of past days' errors, so that days that came out far higher than
    /// forecast come out so in trials too.
    pub fn day_factor(&self, ahead: usize, uniform: f64) -> f64 {
        let spread = self.day_spread(ahead);
        let factor = |p: f64| (spread * interpolate(&PROBABILITIES, &self.day_quantiles, p)).exp();
        // Mean over the quantile function, by its middle points.
        const POINTS: usize = 64;
        let mean: f64 =
            (0..POINTS).map(|at| factor((at as f64 + 0.5) / POINTS as f64)).sum::<f64>()
                / POINTS as f64;
        factor(uniform) / mean
    }

    /// So many equally likely day factors in order, with mean 1.
    pub fn day_factors(&self, ahead: usize, count: usize) -> Vec<f64> {
        let place = |at: usize| (at as f64 + 0.5) / count as f64;
        let factors: Vec<f64> = (0..count).map(|at| self.day_factor(ahead, place(at))).collect();
        let mean = factors.iter().sum::<f64>() / count.max(1) as f64;
        factors.into_iter().map(|factor| factor / mean).collect()
    }

    /// Variance of an interval's own factor around its day's, beyond counting noise.
    pub fn interval_noise(&self, ahead: usize) -> f64 {
        (self.interval_variance.at(ahead) - self.day_variance.at(ahead)).max(0.0)
    }

    fn interval_spread(&self, ahead: usize, forecast: f64) -> f64 {
        (forecast + self.interval_variance.at(ahead) * forecast * forecast).sqrt()
    }

    fn interval_score(&self, forecast: f64, p: f64) -> f64 {
        let at = |group: &SizeGroup| interpolate(&PROBABILITIES, &group.quantiles, p);
        let above = self.interval_quantiles.partition_point(|group| group.contacts < forecast);
        match (above.checked_sub(1), self.interval_quantiles.get(above)) {
            (None, Some(first)) => at(first),
            (Some(last), None) => at(&self.interval_quantiles[last]),
            (Some(below), Some(upper)) => {
                let lower = &self.interval_quantiles[below];
                let share =
                    (forecast / lower.contacts).ln() / (upper.contacts / lower.contacts).ln();
                at(lower) + share.clamp(0.0, 1.0) * (at(upper) - at(lower))
            }
            (None, None) => interpolate(&PROBABILITIES, &NORMAL, p),
        }
    }

    fn size_groups(&self, intervals: &[Error]) -> Vec<SizeGroup> {
        let mut sorted: Vec<&Error> =
            intervals.iter().filter(|error| error.forecast > 0.0).collect();
        sorted.sort_by(|a, b| a.forecast.total_cmp(&b.forecast));
        let groups = (sorted.len() / GROUP_INTERVALS).clamp(1, SIZE_GROUPS);
        let size = sorted.len().div_ceil(groups).max(1);
        let mut made: Vec<SizeGroup> = sorted
            .chunks(size)
            .map(|group| SizeGroup {
                contacts: group[group.len() / 2].forecast,
                quantiles: quantiles(
                    group
                        .iter()
                        .map(|error| {
                            let own = self.interval_spread(error.ahead, error.forecast).powi(2);
                            let of_calendar =
                                error.calendar_variance * error.forecast * error.forecast;
                            let spread = (own + of_calendar).sqrt();
                            (error.came - error.forecast) / spread
                        })
                        .collect(),
                    PRIOR_INTERVALS,
                ),
            })
            .collect();
        made.dedup_by(|a, b| a.contacts <= b.contacts);
        made
    }
}

/// A quantile of two independent errors: `own`, and a normal one with this variance. Squares add
/// up, so that the heavy tails of the one do not make tails of the other.
fn with_calendar(own: f64, variance: f64, p: f64) -> f64 {
    if variance <= 0.0 {
        return own;
    }
    let normal = interpolate(&PROBABILITIES, &NORMAL, p);
    let both = (own * own + normal * normal * variance).sqrt();
    if p < 0.5 { -both } else { both }
}

/// A straight line through the errors' variances against days ahead: the value at 0 and the
/// growth per day, neither below 0.
fn line(errors: &[Error], guess: f64, variance: impl Fn(&Error) -> f64) -> Growing {
    let values: Vec<f64> = errors.iter().map(variance).collect();
    let mut sizes: Vec<f64> = values.iter().map(|value| value.abs()).collect();
    let seen_days = errors.iter().map(|error| error.ahead).max().unwrap_or(JUDGED_DAYS) as f64;
    let Some(typical) = median(&mut sizes) else {
        return Growing { start: guess, per_day: 0.0, seen_days };
    };
    let limit = LARGEST_SQUARE * typical;
    let count = values.len() as f64;
    let (mut x, mut y, mut xx, mut xy) = (0.0, 0.0, 0.0, 0.0);
    for (error, value) in errors.iter().zip(&values) {
        let (ahead, value) = (error.ahead as f64, value.clamp(-limit, limit));
        x += ahead / count;
        y += value / count;
        xx += ahead * ahead / count;
        xy += ahead * value / count;
    }
    let spread = xx - x * x;
    let growth = if spread > 0.0 { ((xy - x * y) / spread).max(0.0) } else { 0.0 };
    // A line that would start below 0 is turned around its middle until it starts at 0.
    let level = y.max(1e-6);
    let growth = growth.min(if x > 0.0 { level / x } else { 0.0 });
    Growing { start: level - growth * x, per_day: growth, seen_days }
}

/// Quantiles of standardised errors, drawn towards the normal ones while there are few.
fn quantiles(mut scores: Vec<f64>, prior: f64) -> Vec<f64> {
    scores.retain(|score| score.is_finite());
    scores.sort_by(f64::total_cmp);
    let count = scores.len() as f64;
    PROBABILITIES
        .iter()
        .zip(NORMAL)
        .map(|(&p, normal)| match quantile(&scores, p) {
            Some(seen) => (count * seen + prior * normal) / (count + prior),
            None => normal,
        })
        .collect()
}

fn interpolate(at: &[f64], values: &[f64], wanted: f64) -> f64 {
    let above = at.partition_point(|&x| x < wanted).clamp(1, at.len() - 1);
    let share = (wanted - at[above - 1]) / (at[above] - at[above - 1]);
    values[above - 1] + share.clamp(0.0, 1.0) * (values[above] - values[above - 1])
}
