//! Trials that were kept before there were several contact types and teams.

use barometer_simulate::{Arrivals, DemandInterval, DemandLuck};
use barometer_strategy::{Customers, Duration, Strategy};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::{TrialInputs, TrialInterval, TrialTeam, TrialType, customers_of};
use crate::rules::Rules;

/// Inputs in whatever form they were kept.
#[derive(Deserialize)]
#[serde(untagged)]
pub(super) enum AnyInputs {
    Now(Now),
    Earlier(Earlier),
}

/// The present form, and the one before it, whose rules stood beside its contact types.
#[derive(Deserialize)]
pub(super) struct Now {
    strategy: Strategy,
    #[serde(default)]
    rules: Option<Rules>,
    start: Timestamp,
    zone: String,
    interval_secs: f64,
    types: Vec<NowType>,
    teams: Vec<TrialTeam>,
    #[serde(default)]
    precision: Option<f64>,
    replications: u32,
    seed: u64,
}

#[derive(Deserialize)]
struct NowType {
    name: String,
    #[serde(default)]
    rules: Option<Rules>,
    customers: Customers,
    intervals: Vec<DemandInterval>,
    #[serde(default)]
    arrivals: Arrivals,
    #[serde(default)]
    luck: Option<DemandLuck>,
}

/// One contact type and one team.
#[derive(Deserialize)]
pub(super) struct Earlier {
    strategy: Strategy,
    rules: Rules,
    interval_secs: f64,
    intervals: Vec<TrialInterval>,
    handling: Spread,
    #[serde(default)]
    luck: Option<DemandLuck>,
    replications: u32,
    seed: u64,
}

#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum Spread {
    Exponential,
    LogNormal { variation: f64 },
    Constant,
}

impl From<AnyInputs> for TrialInputs {
    fn from(inputs: AnyInputs) -> Self {
        match inputs {
            AnyInputs::Now(now) => now.into(),
            AnyInputs::Earlier(earlier) => earlier.into(),
        }
    }
}

impl From<Now> for TrialInputs {
    fn from(now: Now) -> Self {
        let types = now.types.into_iter().map(|each| TrialType {
            name: each.name,
            rules: each.rules.or(now.rules).unwrap_or(Rules::STARTING),
            customers: each.customers,
            intervals: each.intervals,
            arrivals: each.arrivals,
            luck: each.luck,
        });
        Self {
            strategy: now.strategy,
            start: now.start,
            zone: now.zone,
            interval_secs: now.interval_secs,
            types: types.collect(),
            teams: now.teams,
            precision: now.precision,
            replications: now.replications,
            seed: now.seed,
        }
    }
}

impl From<Earlier> for TrialInputs {
    fn from(earlier: Earlier) -> Self {
        let Earlier { strategy, rules, interval_secs, intervals, .. } = earlier;
        let mean_secs = 1.0;
        let handling = match earlier.handling {
            Spread::Exponential => Duration::Exponential { mean_secs },
            Spread::LogNormal { variation } => Duration::LogNormal { mean_secs, variation },
            Spread::Constant => Duration::Constant { secs: mean_secs },
        };
        let contacts = ("Contacts", customers_of(&rules, &handling));
        let utc = TimeZone::UTC;
        let mut inputs =
            Self::of_one_type(strategy, rules, &utc, interval_secs, contacts, &intervals);
        (inputs.replications, inputs.seed) = (earlier.replications, earlier.seed);
        for each in &mut inputs.types {
            (each.luck, each.arrivals) = (earlier.luck.clone(), Arrivals::Random);
        }
        inputs
    }
}
