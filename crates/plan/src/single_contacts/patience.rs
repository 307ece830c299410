//! Patience from waits that ended by abandoning and waits that ended before.

use std::collections::BTreeMap;

use barometer_strategy::Duration;
use statrs::distribution::{ChiSquared, ContinuousCDF};

use super::fits::{Waits, exponential, log_normal, weibull};
use super::{ContactOutcome, SingleContact};

/// Waits are told apart to this many seconds; shorter ones that end by abandoning count as half of it.
const GRAIN_SECS: f64 = 0.1;
/// The fewest abandoned contacts from which a mean is estimated, and from which a distribution is chosen.
const FEWEST: f64 = 5.0;
const FEWEST_TO_CHOOSE: f64 = 50.0;
/// Points of the curve, at most.
const MOST_POINTS: usize = 160;
/// Shares below and above the interval.
const TAIL: f64 = 0.025;

/// The share of customers who would still wait after some seconds (Kaplan and Meier, *Nonparametric estimation
/// from incomplete observations*, JASA 53, 1958).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Survival {
    /// Seconds of waiting.
    pub secs: f64,
    /// Share who are still there.
    pub share: f64,
    /// Between these the share lies in 95 of 100 cases (Greenwood's variance on the log-log scale).
    pub between: (f64, f64),
}

/// How long customers wait before they abandon.
#[derive(Clone, Debug, PartialEq)]
pub struct PatienceEstimate {
    /// Contacts that waited, or could have.
    pub contacts: usize,
    /// Of these, those who abandoned.
    pub abandoned: usize,
    /// The curve, falling.
    pub curve: Vec<Survival>,
    /// The distribution that fits best, by Akaike's criterion; exponential under fifty who abandoned, none under five.
    pub fit: Option<Duration>,
    /// Between these the mean lies in 95 of 100 cases, as far as the fit is right: the exact interval of an exponential
    /// (Epstein and Sobel, *Life testing*, JASA 48, 1953), moved to the mean of the fit.
    pub between: (f64, f64),
}

impl PatienceEstimate {
    pub(super) fn of<'a>(contacts: impl Iterator<Item = &'a SingleContact>) -> Self {
        let mut by_secs: BTreeMap<u64, (f64, f64)> = BTreeMap::new();
        let (mut seen, mut abandoned) = (0, 0);
        for contact in contacts.filter(|each| each.outcome != ContactOutcome::Blocked) {
            let gave_up = contact.outcome == ContactOutcome::Abandoned;
            seen += 1;
            abandoned += usize::from(gave_up);
            let (events, others) =
                by_secs.entry((contact.waited_secs / GRAIN_SECS).round() as u64).or_default();
            *if gave_up { events } else { others } += 1.0;
        }
        let waits = by_secs.into_iter().map(|(grains, (events, others))| {
            let secs = (grains as f64 * GRAIN_SECS).max(0.5 * GRAIN_SECS);
            (secs, events, others)
        });
        let waits = Waits { rows: waits.collect() };
        let fit = choose(&waits);
        let between = fit.as_ref().map_or((0.0, f64::INFINITY), |fit| interval(&waits, fit));
        Self { contacts: seen, abandoned, curve: curve(&waits), fit, between }
    }
}

fn choose(waits: &Waits) -> Option<Duration> {
    let events = waits.events();
    if events < FEWEST {
        return None;
    }
    let simple = exponential(waits);
    if events < FEWEST_TO_CHOOSE {
        return Some(simple.duration);
    }
    let others = [weibull(waits), log_normal(waits)].into_iter().flatten();
    let best = std::iter::once(simple).chain(others).min_by(|a, b| a.aic().total_cmp(&b.aic()));
    best.map(|fit| fit.duration)
}

/// Twice the time waited over chi-square values of twice the number who abandoned, beside the mean of the fit.
fn interval(waits: &Waits, fit: &Duration) -> (f64, f64) {
    let (events, total) = (waits.events(), waits.total_secs());
    let at = |freedom: f64, share: f64| {
        ChiSquared::new(freedom).map_or(f64::NAN, |chi| chi.inverse_cdf(share))
    };
    let low = 2.0 * total / at(2.0 * events + 2.0, 1.0 - TAIL);
    let high = 2.0 * total / at(2.0 * events, TAIL);
    let moved = fit.mean_secs() * events / total;
    (low * moved, high * moved)
}

fn curve(waits: &Waits) -> Vec<Survival> {
    let mut at_risk: f64 = waits.rows.iter().map(|(_, events, others)| events + others).sum();
    let (mut share, mut variance) = (1.0, 0.0);
    let mut points = vec![Survival { secs: 0.0, share: 1.0, between: (1.0, 1.0) }];
    for &(secs, events, others) in &waits.rows {
        if events > 0.0 {
            share *= 1.0 - events / at_risk;
            if at_risk > events {
                variance += events / (at_risk * (at_risk - events));
            }
            points.push(Survival { secs, share, between: band(share, variance) });
        }
        at_risk -= events + others;
    }
    thinned(points)
}

/// The log-log interval, which stays between 0 and 1.
fn band(share: f64, variance: f64) -> (f64, f64) {
    if share <= 0.0 || share >= 1.0 {
        return (share, share);
    }
    let log = libm::log(share);
    let width = 1.959_963_985 * variance.sqrt() / log.abs();
    (libm::exp(log * libm::exp(width)), libm::exp(log * libm::exp(-width)))
}

/// At most [`MOST_POINTS`], the first and the last among them.
fn thinned(points: Vec<Survival>) -> Vec<Survival> {
    let every = points.len().div_ceil(MOST_POINTS).max(1);
    let last = points.len() - 1;
    let kept = points.into_iter().enumerate().filter(|(at, _)| at % every == 0 || *at == last);
    kept.map(|(_, point)| point).collect()
}
