//! What a planned cover will come to, interval by interval.

use barometer_queueing::Outcome;

use crate::IntervalLoad;
use crate::need::{Model, NeedError, need};
use crate::rules::Rules;
use crate::verdict::Verdict;

/// One interval: what it needs, what it has, and what that comes to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct IntervalAssessment {
    /// People on the phones that it needs.
    pub need: u32,
    /// What the need comes to.
    pub with_need: Option<Outcome>,
    /// People on the phones that are planned; `None` when nothing is planned.
    pub cover: Option<u32>,
    /// What the cover comes to; `None` without cover or when the line would grow without limit.
    pub with_cover: Option<Outcome>,
    /// Offered load over what the cover can handle at once; `None` without cover.
    pub pressure: Option<f64>,
    /// Whether the cover meets every target ([`Verdict::on_cover`]); `None` without cover.
    pub verdict: Option<Verdict>,
    /// Work left at the end of the interval with this cover, in hours; only of work that can wait.
    pub backlog_hours: Option<f64>,
}

impl IntervalAssessment {
    /// People missing from the cover; everybody who is needed when nothing is planned.
    pub fn shortfall(&self) -> u32 {
        self.need.saturating_sub(self.cover.unwrap_or(0))
    }
}

/// Offered load / people on the phones (times the contacts each handles at once). No people for
/// some load is infinite pressure, no load is none.
pub fn pressure(load: IntervalLoad, interval_secs: f64, agents: u32, concurrency: u32) -> f64 {
    let erlangs = load.contacts * load.handle_secs / interval_secs;
    if erlangs == 0.0 { 0.0 } else { erlangs / (f64::from(agents) * f64::from(concurrency)) }
}

/// Holds `cover` against the need of an interval of `interval_secs`.
///
/// # Errors
///
/// As [`need`].
pub fn assess(
    load: IntervalLoad,
    interval_secs: f64,
    cover: Option<u32>,
    rules: &Rules,
) -> Result<IntervalAssessment, NeedError> {
    let model = Model::for_rules(rules);
    let needed = need(load, interval_secs, rules, model)?;
    let with_cover = match cover {
        Some(agents) if load.contacts > 0.0 => {
            let traffic = barometer_queueing::Traffic::per_interval(
                load.contacts,
                interval_secs,
                load.handle_secs,
            )?;
            model.outcome(traffic, agents, rules)?
        }
        _ => None,
    };
    Ok(IntervalAssessment {
        need: needed.agents,
        with_need: needed.outcome,
        cover,
        with_cover,
        pressure: cover.map(|agents| pressure(load, interval_secs, agents, rules.concurrency)),
        verdict: cover.map(|agents| Verdict::on_cover(needed.agents, agents)),
        backlog_hours: None,
    })
}
