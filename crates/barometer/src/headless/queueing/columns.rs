//! What the columns of a case mean: how numbers, laws and stretches are read from them, and the figures of a line.

use anyhow::Result;
use barometer_queueing::{Figures, LevelOf, Patience, QueueError, Stretch};

use super::case::{Case, Column};

pub(super) const fn needed(name: &'static str, about: &'static str) -> Column {
    Column { name, is_needed: true, about }
}

pub(super) const fn optional(name: &'static str, about: &'static str) -> Column {
    Column { name, is_needed: false, about }
}

pub(super) const LOAD: Column = needed("offered_erlangs", "offered load");
pub(super) const MAYBE_LOAD: Column =
    optional("offered_erlangs", "offered load, where contacts_per_hour is empty");
pub(super) const MAYBE_RATE: Column =
    optional("contacts_per_hour", "offered contacts, instead of offered_erlangs");
pub(super) const RATE: Column = needed("contacts_per_hour", "offered contacts");
pub(super) const HANDLE: Column = needed("handle_secs", "mean handle time");
pub(super) const SERVERS: Column = needed("servers", "agents or lines, whole");
pub(super) const WITHIN: Column = needed("within_secs", "threshold of the service level");
pub(super) const PATIENCE: Column = needed("patience_secs", "mean of the exponential patience");
pub(super) const MAYBE_PATIENCE: Column =
    optional("patience_secs", "mean of the exponential patience; empty: for ever");
pub(super) const SHORT: Column =
    optional("short_secs", "abandoned within this is short; 5 where empty");
pub(super) const BLOCKING: Column = needed("blocking_share", "share that may be refused, 0 to 1");
pub(super) const PLACES: Column = optional("places", "places to wait in; empty: no limit");
pub(super) const CASE: Column =
    needed("case", "rows with the same case, one after the other, belong together");

/// Results of every line with one kind of contact.
pub(super) const FIGURES: &[&str] = &[
    "result_blocking_share",
    "result_wait_share",
    "result_answered_share",
    "result_abandonment_share",
    "result_answer_secs",
    "result_abandon_secs",
    "result_mean_wait_secs",
    "result_mean_waiting",
    "result_occupancy_share",
    "result_level_of_offered_share",
    "result_level_less_short_share",
    "result_level_of_answered_share",
    "result_abandoned_within_share",
];

pub(super) const CHAT_FIGURES: &[&str] = &figures_and("result_mean_chats");

pub(super) const ERLANG_A_FIGURES: &[&str] = &figures_and("result_percentile_secs");

/// The figures of every line, and one more behind them.
const fn figures_and(one_more: &'static str) -> [&'static str; FIGURES.len() + 1] {
    let mut all = [one_more; FIGURES.len() + 1];
    let mut at = 0;
    while at < FIGURES.len() {
        all[at] = FIGURES[at];
        at += 1;
    }
    all
}

pub(super) fn row_of(figures: Figures) -> Vec<f64> {
    vec![
        figures.blocked,
        figures.wait_probability,
        figures.answered,
        figures.abandonment,
        figures.answer_secs,
        figures.abandon_secs,
        figures.mean_wait_secs,
        figures.mean_waiting,
        figures.occupancy,
    ]
}

pub(super) fn levels(case: &Case) -> Result<[LevelOf; 3], QueueError> {
    let short_secs = case.maybe("short_secs").unwrap_or(5.0);
    not_negative("short_secs", short_secs)?;
    Ok([LevelOf::Offered, LevelOf::OfferedLessShort { short_secs }, LevelOf::Answered])
}

pub(super) fn threshold(case: &Case) -> Result<f64, QueueError> {
    not_negative("within_secs", case.number("within_secs")?)
}

pub(super) fn not_negative(what: &'static str, got: f64) -> Result<f64, QueueError> {
    if got >= 0.0 && got.is_finite() {
        return Ok(got);
    }
    Err(QueueError::BadNumber { what, wanted: "zero or a finite number above it", got })
}

pub(super) fn patience(case: &Case) -> Result<Patience> {
    Ok(match case.text("distribution") {
        "exponential" => Patience::Exponential { mean_secs: case.number("patience_secs")? },
        "constant" => Patience::Constant { secs: case.number("patience_secs")? },
        "weibull" => Patience::Weibull {
            shape: case.number("shape")?,
            mean_secs: case.number("patience_secs")?,
        },
        "lognormal" => Patience::LogNormal {
            mean_secs: case.number("patience_secs")?,
            variation: case.number("shape")?,
        },
        "hyperexponential" => Patience::HyperExponential {
            first: case.number("first_share")?,
            first_mean_secs: case.number("first_patience_secs")?,
            second_mean_secs: case.number("second_patience_secs")?,
        },
        other => anyhow::bail!(
            "“{other}” is no distribution; use exponential, constant, hyperexponential, weibull or lognormal"
        ),
    })
}

/// Refuses a case whose rows differ in what holds for all of it.
pub(super) fn same_in_all(cases: &[Case], name: &'static str) -> Result<(), QueueError> {
    let first = cases[0].maybe(name);
    match cases.iter().find(|case| case.maybe(name) != first) {
        None => Ok(()),
        Some(other) => Err(QueueError::BadNumber {
            what: name,
            wanted: "the same in all rows of a case",
            got: other.maybe(name).unwrap_or(f64::NAN),
        }),
    }
}

pub(super) fn stretches(cases: &[Case], with_servers: bool) -> Result<Vec<Stretch>, QueueError> {
    cases
        .iter()
        .map(|case| {
            Ok(Stretch {
                secs: case.number("secs")?,
                contacts_per_sec: case.number("contacts_per_hour")? / 3600.0,
                handle_secs: case.number("handle_secs")?,
                servers: if with_servers { case.count("servers")? } else { 0 },
            })
        })
        .collect()
}
