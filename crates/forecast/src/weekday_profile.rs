//! The method: a level, a weekday factor, a season of the year and a profile over the day.

use jiff::Timestamp;
use jiff::civil::Date;

use crate::grid::{DayGrid, intervals_of_day};
use crate::handle_time::HandleTimes;
use crate::robust::{median, trimmed_mean};

/// Same weekdays that shape a profile, at most.
const PROFILE_WEEKS: usize = 12;
/// Weeks that shape level and weekday factors, at most.
const LEVEL_WEEKS: usize = 8;
/// What a week counts for the level, relative to the week after it.
const LEVEL_DECAY: f64 = 0.6;
/// How far the season of last year is trusted, as a power of its ratio.
const SEASON_DAMPING: f64 = 0.7;
/// The season moves the level by no more than this factor either way.
const SEASON_LIMIT: f64 = 1.8;
/// A slot is open on a weekday when at least this share of those weekdays has history for it.
const OPEN_SHARE: f64 = 0.25;
/// The least history a forecast is made from.
const LEAST_DAYS: usize = 7;

/// Why there is no forecast.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ForecastError {
    /// Not even one week.
    #[error("a forecast needs at least {LEAST_DAYS} days of history, and there are {days}")]
    TooShort {
        /// Days of history there are.
        days: usize,
    },
    /// The last weeks are empty.
    #[error(
        "the last {LEVEL_WEEKS} weeks of history hold no contacts, so there is nothing to go by"
    )]
    Silent,
}

/// A weekday profile that has seen its history; only this can forecast.
#[derive(Clone, Debug)]
pub struct WeekdayProfile {
    level: f64,
    weekday_factor: [f64; 7],
    /// Share of the day per slot, per weekday; `None` where closed.
    profile: Vec<Vec<Option<f64>>>,
    /// Deseasonalised daily totals of the whole history, for last year's season.
    calm_totals: Vec<Option<f64>>,
    handle_times: HandleTimes,
}

/// The forecast of one interval.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct IntervalForecast {
    /// When the interval starts.
    pub start: Timestamp,
    /// Expected contacts.
    pub contacts: f64,
    /// Expected handle time in seconds.
    pub handle_secs: f64,
}

impl WeekdayProfile {
    /// Learns from `history` up to its end.
    ///
    /// # Errors
    ///
    /// [`ForecastError`] when there is too little to learn from.
    pub fn fit(history: &DayGrid) -> Result<Self, ForecastError> {
        if history.days() < LEAST_DAYS {
            return Err(ForecastError::TooShort { days: history.days() });
        }
        let profile: Vec<_> = (0..7).map(|weekday| day_profile(history, weekday)).collect();
        let totals: Vec<_> = (0..history.days())
            .map(|day| day_total(history, day, &profile[history.weekday(day)]))
            .collect();
        let weekday_factor = weekday_factors(history, &totals);
        let calm_totals: Vec<Option<f64>> = totals
            .iter()
            .enumerate()
            .map(|(day, total)| {
                let factor = weekday_factor[history.weekday(day)];
                total.filter(|_| factor > 0.0).map(|total| total / factor)
            })
            .collect();
        Ok(Self {
            level: recent_level(&calm_totals).ok_or(ForecastError::Silent)?,
            weekday_factor,
            profile,
            calm_totals,
            handle_times: HandleTimes::fit(history),
        })
    }

    /// Contacts per slot on the day `ahead` days after the end of the history (0 is the first).
    pub fn contacts(&self, history: &DayGrid, ahead: usize) -> Vec<Option<f64>> {
        let day = history.days() + ahead;
        let weekday = history.weekday(day);
        let total = self.level * self.season(day) * self.weekday_factor[weekday];
        self.profile[weekday].iter().map(|share| share.map(|share| share * total)).collect()
    }

    /// The forecast of every open interval of `days` days after the end of the history, in order.
    pub fn forecast(&self, history: &DayGrid, days: usize) -> Vec<IntervalForecast> {
        (0..days)
            .flat_map(|ahead| {
                let date: Date = history.day(history.days() + ahead);
                let contacts = self.contacts(history, ahead);
                intervals_of_day(date, history.grain(), history.zone()).into_iter().filter_map(
                    move |(start, slot)| {
                        Some(IntervalForecast {
                            start,
                            contacts: contacts[slot]?,
                            handle_secs: self.handle_times.secs(slot),
                        })
                    },
                )
            })
            .collect()
    }

    /// How much busier this day's weeks were a year before than the last weeks of history were a
    /// year before, damped; 1 without such history.
    fn season(&self, day: usize) -> f64 {
        let end = self.calm_totals.len();
        let then = |from: usize, to: usize| {
            let days = self.calm_totals.get(from.checked_sub(364)?..to.checked_sub(364)?)?;
            let mut known: Vec<f64> = days.iter().flatten().copied().collect();
            if known.len() < 10 { None } else { median(&mut known) }
        };
        // Around the day, and around the middle of the weeks that made the level.
        let target = then(day.saturating_sub(10), day + 11);
        let base = then(end.saturating_sub(20), end + 1);
        match (target, base) {
            (Some(target), Some(base)) if base > 0.0 && target > 0.0 => {
                (target / base).powf(SEASON_DAMPING).clamp(1.0 / SEASON_LIMIT, SEASON_LIMIT)
            }
            _ => 1.0,
        }
    }
}

/// The share of the day that falls into each slot of a weekday.
fn day_profile(history: &DayGrid, weekday: usize) -> Vec<Option<f64>> {
    let days: Vec<usize> = (0..history.days())
        .rev()
        .filter(|&day| history.weekday(day) == weekday)
        .take(PROFILE_WEEKS)
        .collect();
    let means: Vec<Option<f64>> = (0..history.slots())
        .map(|slot| {
            let mut seen: Vec<f64> =
                days.iter().filter_map(|&day| history.offered(day, slot)).collect();
            let open = seen.len() as f64 >= OPEN_SHARE * days.len() as f64;
            if open { trimmed_mean(&mut seen) } else { None }
        })
        .collect();
    let total: f64 = means.iter().flatten().sum();
    means
        .into_iter()
        .map(|mean| mean.map(|mean| if total > 0.0 { mean / total } else { 0.0 }))
        .collect()
}

/// The day's contacts, scaled up for slots that are missing; `None` when over half is missing.
fn day_total(history: &DayGrid, day: usize, profile: &[Option<f64>]) -> Option<f64> {
    let (mut contacts, mut share) = (0.0, 0.0);
    for (slot, expected) in profile.iter().enumerate() {
        if let (Some(expected), Some(offered)) = (expected, history.offered(day, slot)) {
            contacts += offered;
            share += expected;
        }
    }
    (share > 0.5).then(|| contacts / share)
}

/// What each weekday is to the mean of its week, from the last weeks; their mean is about 1.
fn weekday_factors(history: &DayGrid, totals: &[Option<f64>]) -> [f64; 7] {
    let mut ratios: [Vec<f64>; 7] = Default::default();
    for week in 1..=LEVEL_WEEKS {
        let Some(first) = totals.len().checked_sub(7 * week) else { break };
        let days = first..first + 7;
        let known: Vec<f64> = totals[days.clone()].iter().flatten().copied().collect();
        let mean = known.iter().sum::<f64>() / known.len().max(1) as f64;
        for day in days.filter(|_| mean > 0.0) {
            if let Some(total) = totals[day] {
                ratios[history.weekday(day)].push(total / mean);
            }
        }
    }
    ratios.map(|mut ratios| median(&mut ratios).unwrap_or(0.0))
}

/// Weekly medians of the deseasonalised totals, the latest weeks counting most.
fn recent_level(calm_totals: &[Option<f64>]) -> Option<f64> {
    let (mut sum, mut weights, mut weight) = (0.0, 0.0, 1.0);
    for week in 1..=LEVEL_WEEKS {
        let Some(first) = calm_totals.len().checked_sub(7 * week) else { break };
        let mut known: Vec<f64> = calm_totals[first..first + 7].iter().flatten().copied().collect();
        if let Some(level) = median(&mut known) {
            sum += weight * level;
            weights += weight;
        }
        weight *= LEVEL_DECAY;
    }
    (weights > 0.0 && sum > 0.0).then(|| sum / weights)
}
