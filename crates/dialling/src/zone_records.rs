//! What past calls say of time zones: where people answer more or fewer calls than at the same hour elsewhere.

use std::collections::BTreeMap;

use barometer_strategy::ZoneAnswers;

use crate::records::{HourEstimate, share_between};

/// Zones that are told apart, those with most calls.
const MOST_ZONES: usize = 50;
/// The least that zones are taken to differ from each other, as the variance of their factors.
const LEAST_VARIANCE: f64 = 1e-4;

/// Past calls to one zone by the hour, and how many of them people answered.
#[derive(Clone, Debug, Default)]
pub(crate) struct ZoneCalls {
    pub hours: [f64; 24],
    pub people: f64,
}

/// How calls to a zone are answered beside those to all zones at the same hours.
#[derive(Clone, Debug, PartialEq)]
pub struct ZoneEstimate {
    /// Which zone.
    pub zone: String,
    /// Calls to it.
    pub calls: f64,
    /// Factor on the share that people answered, drawn towards one where calls are few.
    pub factor: f64,
    /// Between these the factor lies in 95 of 100 cases, by what was counted (Wilson 1927).
    pub between: (f64, f64),
}

impl From<&ZoneEstimate> for ZoneAnswers {
    fn from(of: &ZoneEstimate) -> Self {
        Self { zone: of.zone.clone(), answered_factor: of.factor }
    }
}

/// Factors of zones by what was answered there, `O`, and what would have been at the shares of the hours, `E`. The
/// factors are taken as gamma distributed around one, whose variance follows from how much they differ beyond chance
/// (moments; Clayton and Kaldor, *Empirical Bayes estimates of age-standardized relative risks*, Biometrics 43,
/// 1987): `(O + 1/v) / (E + 1/v)`. None is above `most`.
pub(crate) fn estimate(
    zones: &BTreeMap<String, ZoneCalls>,
    hours: &[HourEstimate],
    most: f64,
) -> Vec<ZoneEstimate> {
    if zones.len() < 2 {
        return Vec::new();
    }
    let expected = |of: &ZoneCalls| {
        of.hours.iter().zip(hours).map(|(calls, hour)| calls * hour.share).sum::<f64>()
    };
    let known = zones.iter().map(|(zone, of)| (zone, of, expected(of)));
    let mut known: Vec<(&String, &ZoneCalls, f64)> = known.filter(|each| each.2 > 0.0).collect();
    known.sort_by(|a, b| b.2.total_cmp(&a.2));
    known.truncate(MOST_ZONES);
    let all: f64 = known.iter().map(|each| each.2).sum();
    let squares: f64 = known.iter().map(|each| each.2 * each.2).sum();
    let apart: f64 =
        known.iter().map(|(_, of, expects)| expects * (of.people / expects - 1.0).powi(2)).sum();
    let room = all - squares / all.max(1.0);
    let variance = if room > 0.0 { (apart - (known.len() as f64 - 1.0)) / room } else { 0.0 };
    let prior = 1.0 / variance.max(LEAST_VARIANCE);
    let estimate = |(zone, of, expects): (&String, &ZoneCalls, f64)| {
        let calls: f64 = of.hours.iter().sum();
        let (low, high) = share_between(of.people, calls);
        ZoneEstimate {
            zone: zone.clone(),
            calls,
            factor: ((of.people + prior) / (expects + prior)).min(most),
            between: (low * calls / expects, high * calls / expects),
        }
    };
    known.into_iter().map(estimate).collect()
}
