//! What more or less of something would do: levels and their price, pooling, other days.

use barometer_queueing::Traffic;
use rayon::prelude::*;

use crate::IntervalLoad;
use crate::need::{Model, NeedError, need_of_all};
use crate::rules::Rules;

/// What a number of people over some intervals comes to, each contact counted once.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Service {
    /// People on the phones, in agent-hours.
    pub agent_hours: f64,
    /// Share answered within the threshold.
    pub service_level: f64,
    /// Share that abandons.
    pub abandonment: f64,
    /// Mean wait of the answered, in seconds.
    pub answer_secs: f64,
    /// Share of the people's time spent on contacts.
    pub occupancy: f64,
}

/// What `agents` per interval come to together. An interval whose line never settles answers nobody
/// in time, and keeps its people busy; `None` without contacts.
///
/// # Errors
///
/// [`NeedError::Queue`] for numbers out of range.
pub fn service_of(
    loads: &[IntervalLoad],
    agents: &[u32],
    interval_secs: f64,
    rules: &Rules,
) -> Result<Option<Service>, NeedError> {
    let model = Model::for_rules(rules);
    let mut sums = [0.0; 6];
    for (load, &agents) in loads.iter().zip(agents) {
        let people = f64::from(agents);
        let mut part = [0.0, people, load.contacts, 0.0, 0.0, 0.0];
        if load.contacts > 0.0 {
            let traffic = Traffic::per_interval(load.contacts, interval_secs, load.handle_secs)?;
            match model.outcome(traffic, agents, rules)? {
                Some(outcome) => {
                    part[0] = people * outcome.occupancy;
                    part[3] = load.contacts * outcome.service_level;
                    part[4] = load.contacts * outcome.abandonment;
                    part[5] = load.contacts * (1.0 - outcome.abandonment) * outcome.answer_secs;
                }
                None => part[0] = people,
            }
        }
        sums.iter_mut().zip(part).for_each(|(sum, part)| *sum += part);
    }
    let [busy, people, contacts, in_time, abandoned, waited] = sums;
    if contacts == 0.0 {
        return Ok(None);
    }
    let answered = contacts - abandoned;
    Ok(Some(Service {
        agent_hours: people * interval_secs / 3600.0,
        service_level: in_time / contacts,
        abandonment: abandoned / contacts,
        answer_secs: if answered > 0.0 { waited / answered } else { 0.0 },
        occupancy: if people > 0.0 { busy / people } else { 0.0 },
    }))
}

/// One promised service level and what keeping it in every interval takes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PricedLevel {
    /// The promise.
    pub promised: f64,
    /// What it takes, and what it really comes to: whole people overshoot.
    pub service: Service,
}

/// What each of `levels` would take, the other targets as they are.
///
/// # Errors
///
/// [`NeedError`] for numbers out of range or a level out of reach.
pub fn price_of_levels(
    loads: &[IntervalLoad],
    interval_secs: f64,
    rules: &Rules,
    levels: &[f64],
) -> Result<Vec<PricedLevel>, NeedError> {
    let priced: Vec<Option<PricedLevel>> = levels
        .par_iter()
        .map(|&promised| {
            let rules = Rules { service_level: promised, ..*rules };
            let agents = need_of_all(loads, interval_secs, &rules, Model::for_rules(&rules))?;
            let service = service_of(loads, &agents, interval_secs, &rules)?;
            Ok(service.map(|service| PricedLevel { promised, service }))
        })
        .collect::<Result<_, NeedError>>()?;
    Ok(priced.into_iter().flatten().collect())
}

/// Loads of two queues in one: contacts add up, handle times are weighed by them.
pub fn pooled(first: IntervalLoad, second: IntervalLoad) -> IntervalLoad {
    let contacts = first.contacts + second.contacts;
    let work = first.contacts * first.handle_secs + second.contacts * second.handle_secs;
    let handle_secs = if contacts > 0.0 { work / contacts } else { first.handle_secs };
    IntervalLoad { contacts, handle_secs }
}

/// Rules strict enough for both: of every target the stricter, of patience the shorter.
pub fn stricter(first: &Rules, second: &Rules) -> Rules {
    let least = |a: Option<f64>, b: Option<f64>| match (a, b) {
        (Some(a), Some(b)) => Some(a.min(b)),
        (a, b) => a.or(b),
    };
    Rules {
        service_level: first.service_level.max(second.service_level),
        within_secs: first.within_secs.min(second.within_secs),
        answer_secs: least(first.answer_secs, second.answer_secs),
        abandonment: least(first.abandonment, second.abandonment),
        occupancy: least(first.occupancy, second.occupancy),
        patience_secs: least(first.patience_secs, second.patience_secs),
        concurrency: first.concurrency.min(second.concurrency),
        ..*first
    }
}

/// The most people at once that each level would take: those of the busiest interval.
///
/// # Errors
///
/// [`NeedError`] where no number of people would do.
pub fn peak_of_levels(
    loads: &[IntervalLoad],
    interval_secs: f64,
    rules: &Rules,
    levels: &[f64],
) -> Result<Vec<u32>, NeedError> {
    // The busiest interval needs most under every level.
    let work = |load: &IntervalLoad| load.contacts * load.handle_secs;
    let Some(busiest) = loads.iter().max_by(|a, b| work(a).total_cmp(&work(b))) else {
        return Ok(vec![0; levels.len()]);
    };
    levels
        .iter()
        .map(|&level| {
            let rules = Rules { service_level: level, ..*rules };
            let agents = need_of_all(&[*busiest], interval_secs, &rules, Model::for_rules(&rules))?;
            Ok(agents.first().copied().unwrap_or(0))
        })
        .collect()
}
