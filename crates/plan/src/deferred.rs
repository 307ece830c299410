//! Need and verdicts of work that can wait until a deadline.

use barometer_queueing::{DeferrableInterval, late_work, plan_by_deadline};
use jiff::{SignedDuration, Timestamp};

use crate::assess::{IntervalAssessment, pressure};
use crate::need::NeedError;
use crate::rules::Rules;
use crate::schedule::{ForecastInterval, PlannedInterval};
use crate::verdict::Verdict;

/// Late work below this share of an interval of one person is rounding.
const NOTHING: f64 = 1e-6;

/// The schedule of deferrable work: needs by the smoothest plan that keeps the deadline, and whether
/// the cover keeps it too. Intervals between those of the forecast are closed.
///
/// # Errors
///
/// [`NeedError::Deadline`] when no plan keeps the deadline.
pub(crate) fn schedule(
    forecast: &[ForecastInterval],
    agents_at: impl Fn(Timestamp) -> Option<u32>,
    interval_secs: f64,
    rules: &Rules,
) -> Result<Vec<PlannedInterval>, NeedError> {
    let (Some(first), Some(last)) = (forecast.first(), forecast.last()) else {
        return Ok(Vec::new());
    };
    let step = SignedDuration::from_secs(interval_secs as i64);
    let handle_secs = first.load.handle_secs;
    let closed = DeferrableInterval { contacts: 0.0, handle_secs, open: false };
    let mut row = Vec::new();
    let mut places = Vec::with_capacity(forecast.len());
    let mut at = first.start;
    let mut waiting = forecast.iter().peekable();
    while at <= last.start {
        match waiting.next_if(|interval| interval.start <= at) {
            Some(interval) => {
                places.push(row.len());
                row.push(DeferrableInterval {
                    contacts: interval.load.contacts,
                    // An agent who works on several at once gets that much more done.
                    handle_secs: interval.load.handle_secs / f64::from(rules.concurrency),
                    open: true,
                });
            }
            None => row.push(closed),
        }
        at += step;
    }
    let needs = plan_by_deadline(&row, interval_secs, rules.within_secs)?;
    let mut planned = vec![0; row.len()];
    let mut is_covered = false;
    for (interval, &place) in forecast.iter().zip(&places) {
        if let Some(agents) = agents_at(interval.start) {
            planned[place] = agents;
            is_covered = true;
        }
    }
    let late = late_work(&row, interval_secs, rules.within_secs, &planned)?;
    Ok(forecast
        .iter()
        .zip(&places)
        .map(|(interval, &place)| {
            let cover = agents_at(interval.start);
            let late_people = late[place].late_hours * 3600.0 / interval_secs;
            let verdict = cover.filter(|_| is_covered).map(|_| match late_people {
                none if none <= NOTHING => Verdict::Holds,
                little if little <= 1.0 => Verdict::Marginal,
                _ => Verdict::Breaks,
            });
            PlannedInterval {
                start: interval.start,
                load: interval.load,
                assessment: IntervalAssessment {
                    need: needs[place].agents,
                    with_need: None,
                    cover,
                    with_cover: None,
                    pressure: cover.map(|agents| {
                        pressure(interval.load, interval_secs, agents, rules.concurrency)
                    }),
                    verdict,
                    backlog_hours: Some(late[place].backlog_hours),
                },
            }
        })
        .collect())
}
