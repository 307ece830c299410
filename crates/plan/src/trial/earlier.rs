//! Trials that were kept before there were several contact types and teams.

use barometer_simulate::{Arrivals, DemandLuck};
use barometer_strategy::{Duration, Strategy};
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

/// The present form, as it stands in JSON.
#[derive(Deserialize)]
pub(super) struct Now {
    strategy: Strategy,
    rules: Rules,
    start: Timestamp,
    zone: String,
    interval_secs: f64,
    types: Vec<TrialType>,
    teams: Vec<TrialTeam>,
    #[serde(default)]
    precision: Option<f64>,
    replications: u32,
    seed: u64,
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
        let Now { strategy, rules, start, zone, interval_secs, types, teams, .. } = now;
        let Now { precision, replications, seed, .. } = now;
        Self {
            strategy,
            rules,
            start,
            zone,
            interval_secs,
            types,
            teams,
            precision,
            replications,
            seed,
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
