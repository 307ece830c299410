//! What special days do to the number of contacts, learnt from those that have been.
//!
//! The effect of a day is a factor on an ordinary day of its weekday. It is learnt as the mean
//! log ratio of what came to the median of the same weekdays around it, per name, and drawn
//! towards the mean of its class by how few occurrences there are (an empirical-Bayes estimate;
//! `docs/methods/special-days.md`). Where two special days coincide their factors multiply.

use std::collections::BTreeMap;

use jiff::civil::Date;

use crate::grid::{DayGrid, days_between};
use crate::robust::{median, median_and_spread};
use crate::special_days::{Calendar, SpecialDay};

/// Same weekdays on either side that an occurrence is compared with.
const BASELINE_DAYS: usize = 4;
/// Weeks on either side among which they are looked for.
const BASELINE_WEEKS: usize = 10;
/// Variance between names of one class before any was seen: a factor of about 1.5 either way.
const CLASS_VARIANCE: f64 = 0.16;
/// Variance between classes around "no effect".
const PRIOR_VARIANCE: f64 = 0.25;
/// Variance of one occurrence of a name around its mean, before any was seen twice.
const OCCURRENCE_VARIANCE: f64 = 0.02;
/// Rounds in which coinciding days are told apart.
const ROUNDS: usize = 4;
/// A factor is never below this: contacts cannot be divided by nothing.
const LEAST_FACTOR: f64 = 0.01;
/// A learnt factor is never above this. Where many names share their only days, what is told apart between them would
/// otherwise swing further with each round.
const MOST_FACTOR: f64 = 100.0;

/// What occurrences of one name do.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Effect {
    /// The name.
    pub name: String,
    /// Its class.
    pub class: String,
    /// Days from the occurrence itself.
    pub offset: i8,
    /// Factor on an ordinary such weekday.
    pub factor: f64,
    /// The factor's 80 % interval.
    pub between: (f64, f64),
    /// Occurrences in the history.
    pub seen: usize,
}

/// The effects of all special days of a calendar.
#[derive(Clone, Debug, Default)]
pub struct Effects {
    by_name: BTreeMap<Key, Estimate>,
    calendar: Calendar,
}

type Key = (String, String, i8);

#[derive(Clone, Copy, Debug)]
struct Estimate {
    log: f64,
    variance: f64,
    seen: usize,
}

fn key(special: &SpecialDay) -> Key {
    (special.class.clone(), special.name.clone(), special.offset)
}

/// A special day that history knows, with its log ratio to the ordinary days around it.
struct Occurrence {
    key: Key,
    day: usize,
    log_ratio: f64,
}

impl Effects {
    /// Learns from the days of `history` before day `until`.
    pub fn learn(history: &DayGrid, until: usize, calendar: &Calendar) -> Self {
        let seen = occurrences(history, until, calendar);
        let mut logs: Vec<f64> = seen.iter().map(|occurrence| occurrence.log_ratio).collect();
        let mut by_name = BTreeMap::new();
        for _ in 0..ROUNDS {
            by_name = estimates(calendar, seen.iter().map(|at| &at.key).zip(logs.iter().copied()));
            for estimate in by_name.values_mut() {
                estimate.log = estimate.log.clamp(LEAST_FACTOR.ln(), MOST_FACTOR.ln());
            }
            // What else falls on the same day takes its part of the ratio.
            let others = |at: &Occurrence| -> f64 {
                seen.iter()
                    .filter(|other| other.day == at.day && other.key != at.key)
                    .filter_map(|other| by_name.get(&other.key))
                    .map(|estimate: &Estimate| estimate.log)
                    .sum()
            };
            logs = seen.iter().map(|at| at.log_ratio - others(at)).collect();
        }
        Self { by_name, calendar: calendar.clone() }
    }

    /// The factor on an ordinary such weekday; 0 on a closed day.
    pub fn factor(&self, day: Date) -> f64 {
        let on = self.calendar.on(day);
        if on.iter().any(|special| special.closed) {
            return 0.0;
        }
        let together: f64 = on.iter().map(|special| self.factor_of(special)).product();
        // A factor that somebody typed is not bounded.
        if on.iter().any(|special| special.factor.is_some()) {
            return together;
        }
        together.clamp(LEAST_FACTOR, MOST_FACTOR)
    }

    /// By what a past day's contacts are divided to make it an ordinary day; `None` where that
    /// says nothing: a closed day, or one with an effect that was never measured.
    pub(crate) fn divisor(&self, day: Date) -> Option<f64> {
        let on = self.calendar.on(day);
        if on.is_empty() {
            return Some(1.0);
        }
        let factor = self.factor(day);
        // Ten times the noise of a day on which hardly anybody called teaches nothing.
        (factor > 0.25).then_some(factor)
    }

    /// Every effect, by class and name.
    pub fn all(&self) -> Vec<Effect> {
        const Z: f64 = 1.2816;
        self.by_name
            .iter()
            .map(|((class, name, offset), estimate)| {
                let at = |z: f64| (estimate.log + z * estimate.variance.sqrt()).exp();
                Effect {
                    name: name.clone(),
                    class: class.clone(),
                    offset: *offset,
                    factor: estimate.log.exp(),
                    between: (at(-Z), at(Z)),
                    seen: estimate.seen,
                }
            })
            .collect()
    }

    /// Variance of the log of [`factor`](Self::factor).
    pub(crate) fn variance(&self, day: Date) -> f64 {
        let known = |special: &SpecialDay| self.by_name.get(&key(special));
        self.calendar.on(day).iter().filter_map(known).map(|estimate| estimate.variance).sum()
    }

    fn factor_of(&self, special: &SpecialDay) -> f64 {
        if let Some(factor) = special.factor {
            return factor.max(LEAST_FACTOR);
        }
        let estimate = self.by_name.get(&key(special));
        estimate.map_or(1.0, |estimate| estimate.log.exp()).max(LEAST_FACTOR)
    }
}

fn occurrences(history: &DayGrid, until: usize, calendar: &Calendar) -> Vec<Occurrence> {
    let mut occurrences = Vec::new();
    for special in calendar.days() {
        if special.day < history.first_day() || special.closed {
            continue;
        }
        let day = days_between(history.first_day(), special.day);
        if day >= until {
            break;
        }
        if let Some(log_ratio) = ratio(history, until, calendar, day) {
            occurrences.push(Occurrence { key: key(special), day, log_ratio });
        }
    }
    occurrences
}

/// Log of what came on a day over the median of the ordinary same weekdays around it.
pub(crate) fn ratio(
    history: &DayGrid,
    until: usize,
    calendar: &Calendar,
    day: usize,
) -> Option<f64> {
    let ordinary = |other: usize| {
        (other < until && calendar.on(history.day(other)).is_empty())
            .then(|| known_total(history, other))
            .flatten()
    };
    let mut around: Vec<f64> = (1..=BASELINE_WEEKS)
        .filter_map(|weeks| ordinary(day.checked_sub(7 * weeks)?))
        .take(BASELINE_DAYS)
        .chain(
            (1..=BASELINE_WEEKS).filter_map(|weeks| ordinary(day + 7 * weeks)).take(BASELINE_DAYS),
        )
        .collect();
    if around.len() < 2 {
        return None;
    }
    let base = median(&mut around)?;
    let came = known_total(history, day)?;
    (base > 0.0).then(|| ((came + 0.5) / (base + 0.5)).ln())
}

/// Contacts of a day, as far as they are known; none where nothing is.
pub(crate) fn known_total(history: &DayGrid, day: usize) -> Option<f64> {
    let known = (0..history.slots()).filter_map(|slot| history.offered(day, slot));
    known.fold(None, |total, offered| Some(total.unwrap_or(0.0) + offered))
}

/// Two levels of shrinkage: occurrences to their name, names to their class.
fn estimates<'a>(
    calendar: &Calendar,
    occurrences: impl Iterator<Item = (&'a Key, f64)>,
) -> BTreeMap<Key, Estimate> {
    let mut by_key: BTreeMap<&Key, Vec<f64>> = BTreeMap::new();
    for (key, log_ratio) in occurrences {
        by_key.entry(key).or_default().push(log_ratio);
    }
    by_key.values_mut().for_each(|logs| draw_in(logs));
    let within = within_variance(by_key.values());
    let mut by_class: BTreeMap<(&str, i8), Vec<(f64, usize)>> = BTreeMap::new();
    for ((class, _, offset), logs) in &by_key {
        by_class.entry((class, *offset)).or_default().push((mean(logs), logs.len()));
    }
    let mut estimates = BTreeMap::new();
    for special in calendar.days() {
        let key = key(special);
        if estimates.contains_key(&key) {
            continue;
        }
        let names = by_class.get(&(special.class.as_str(), special.offset));
        let (class_mean, class_variance, between) =
            names.map_or((0.0, PRIOR_VARIANCE, CLASS_VARIANCE), |names| class(names, within));
        let logs = by_key.get(&key);
        let seen = logs.map_or(0, Vec::len);
        // Precisions: of the name's own mean, and of what its class says of it.
        let own = seen as f64 / within;
        let prior = 1.0 / (between + class_variance);
        let log =
            logs.map_or(class_mean, |logs| (own * mean(logs) + prior * class_mean) / (own + prior));
        estimates.insert(key, Estimate { log, variance: 1.0 / (own + prior) + within, seen });
    }
    estimates
}

/// Draws outlying occurrences in to four robust standard deviations: a storm on one of many
/// holidays is not what holidays are.
fn draw_in(logs: &mut [f64]) {
    if logs.len() < 6 {
        return;
    }
    let Some((middle, spread)) = median_and_spread(&mut logs.to_vec()) else { return };
    let limit = 4.0 * spread.max(0.02);
    logs.iter_mut().for_each(|log| *log = log.clamp(middle - limit, middle + limit));
}

/// Mean log effect of a class, that mean's variance, and the variance between its names.
fn class(names: &[(f64, usize)], within: f64) -> (f64, f64, f64) {
    let count = names.len() as f64;
    let middle = names.iter().map(|(log, _)| log).sum::<f64>() / count;
    let noise = names.iter().map(|&(_, seen)| within / seen as f64).sum::<f64>() / count;
    let squares: f64 = names.iter().map(|(log, _)| (log - middle).powi(2)).sum();
    // One prior name's worth of the usual variance, since two names tell little of it.
    let between = ((squares - (count - 1.0) * noise).max(0.0) + CLASS_VARIANCE) / count;
    let of_mean = (between + noise) / count;
    let kept = PRIOR_VARIANCE / (PRIOR_VARIANCE + of_mean);
    (kept * middle, kept * of_mean, between)
}

fn within_variance<'a>(names: impl Iterator<Item = &'a Vec<f64>>) -> f64 {
    // Two prior degrees of freedom keep the estimate from 0 when nothing was seen twice.
    let (mut squares, mut freedom) = (2.0 * OCCURRENCE_VARIANCE, 2.0);
    for logs in names {
        let middle = mean(logs);
        squares += logs.iter().map(|log| (log - middle).powi(2)).sum::<f64>();
        freedom += logs.len() as f64 - 1.0;
    }
    squares / freedom
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len() as f64
}
