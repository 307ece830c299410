//! Two queues answered as one: which may be, their load together, and what it would save.

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::IntervalLoad;
use crate::need::{Model, NeedError, need_of_all};
use crate::rules::Rules;
use crate::schedule::{CoverInterval, ForecastInterval};
use crate::what_if::{pooled, stricter};

/// Whether two contact types could be answered by the same people in the same way: both are answered at
/// once rather than by a deadline, an agent holds as many at the same time, and their intervals are equal.
pub fn may_pool(one: &Rules, other: &Rules, interval_secs: [f64; 2]) -> bool {
    interval_secs[0] == interval_secs[1]
        && one.concurrency == other.concurrency
        && [one, other].into_iter().all(|rules| Model::for_rules(rules) != Model::Deadline)
}

/// The contacts of both, interval by interval.
pub fn pooled_forecast(
    one: &[ForecastInterval],
    other: &[ForecastInterval],
) -> Vec<ForecastInterval> {
    let mut loads: BTreeMap<Timestamp, IntervalLoad> =
        one.iter().map(|each| (each.start, each.load)).collect();
    for each in other {
        loads
            .entry(each.start)
            .and_modify(|load| *load = pooled(*load, each.load))
            .or_insert(each.load);
    }
    loads.into_iter().map(|(start, load)| ForecastInterval { start, load }).collect()
}

/// The people of both, interval by interval.
pub fn pooled_cover(one: &[CoverInterval], other: &[CoverInterval]) -> Vec<CoverInterval> {
    let mut agents: BTreeMap<Timestamp, u32> =
        one.iter().map(|each| (each.start, each.agents)).collect();
    for each in other {
        *agents.entry(each.start).or_default() += each.agents;
    }
    agents.into_iter().map(|(start, agents)| CoverInterval { start, agents }).collect()
}

/// Agent-hours that two queues need apart, and as one under the stricter of both targets.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pooling {
    /// Each with people of its own.
    pub apart_hours: f64,
    /// Both with the same people.
    pub together_hours: f64,
}

/// What answering two queues as one would save.
///
/// # Errors
///
/// [`NeedError`] where no number of people would do.
pub fn pooling(
    (one, rules): (&[ForecastInterval], &Rules),
    (other, other_rules): (&[ForecastInterval], &Rules),
    interval_secs: f64,
) -> Result<Pooling, NeedError> {
    let hours = |forecast: &[ForecastInterval], rules: &Rules| {
        let loads: Vec<IntervalLoad> = forecast.iter().map(|each| each.load).collect();
        let agents = need_of_all(&loads, interval_secs, rules, Model::for_rules(rules))?;
        Ok::<_, NeedError>(agents.into_iter().map(f64::from).sum::<f64>() * interval_secs / 3600.0)
    };
    Ok(Pooling {
        apart_hours: hours(one, rules)? + hours(other, other_rules)?,
        together_hours: hours(&pooled_forecast(one, other), &stricter(rules, other_rules))?,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_small_queues_need_fewer_people_as_one() {
        let start = Timestamp::UNIX_EPOCH;
        let load = IntervalLoad { contacts: 12.0, handle_secs: 300.0 };
        let forecast = [ForecastInterval { start, load }];
        let rules = Rules::STARTING;
        let got = pooling((&forecast, &rules), (&forecast, &rules), 1800.0).unwrap();
        assert!(got.together_hours < got.apart_hours, "{got:?}");
        let both = pooled_forecast(&forecast, &forecast);
        assert_eq!((both.len(), both[0].load.contacts), (1, 24.0));
        let chats = Rules { concurrency: 3, ..rules };
        assert!(may_pool(&rules, &rules, [1800.0; 2]) && !may_pool(&rules, &chats, [1800.0; 2]));
        assert!(!may_pool(&rules, &rules, [1800.0, 900.0]));
    }
}
