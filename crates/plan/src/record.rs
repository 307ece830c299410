//! The engine's own record: days of the past played again with the contacts that came and the people
//! who were there, beside what really happened.

use barometer_simulate::{Arrivals, ExperimentError, PlayError};
use barometer_strategy::{Duration, Strategy};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::IntervalLoad;
use crate::rules::Rules;
use crate::trial::{TrialInputs, TrialInterval, customers_of};

/// One interval of a day of the past.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct PastInterval {
    /// When it started.
    pub start: Timestamp,
    /// Contacts that came.
    pub offered: u32,
    /// Of those, contacts that nobody answered.
    pub unanswered: u32,
    /// Mean handle time in seconds; `None` where nobody was answered.
    pub handle_secs: Option<f64>,
    /// People who were at work.
    pub agents: u32,
}

/// A day as it was, and as the engine plays it.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct ReplayedDay {
    /// Contacts that came.
    pub offered: u32,
    /// Share that nobody answered.
    pub was: f64,
    /// Share that nobody answers on average when the day is played again.
    pub said: f64,
    /// The range in which 95 of 100 such days lie.
    pub range: (f64, f64),
}

impl ReplayedDay {
    /// Whether what happened lies where 95 of 100 such days do.
    pub fn is_expected(&self) -> bool {
        (self.range.0..=self.range.1).contains(&self.was)
    }
}

/// What all days together came to.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Record {
    /// Days on which what happened lies where 95 of 100 such days do.
    pub expected: usize,
    /// Share of all contacts that nobody answered.
    pub was: f64,
    /// Share that nobody answers on average when the days are played again.
    pub said: f64,
}

impl Record {
    /// The record of these days, each weighed by its contacts.
    pub fn of(days: impl IntoIterator<Item = ReplayedDay>) -> Self {
        let (mut offered, mut record) = (0.0, Self::default());
        for day in days {
            let contacts = f64::from(day.offered);
            offered += contacts;
            record.expected += usize::from(day.is_expected());
            record.was += contacts * day.was;
            record.said += contacts * day.said;
        }
        if offered > 0.0 {
            (record.was, record.said) = (record.was / offered, record.said / offered);
        }
        record
    }
}

/// Why a day cannot be played again.
#[derive(Debug, thiserror::Error)]
pub enum RecordError {
    /// It cannot be played.
    #[error(transparent)]
    Experiment(#[from] ExperimentError),
    /// It did not come to an end.
    #[error(transparent)]
    Play(#[from] PlayError),
}

/// Plays a day of the past so many times: exactly the contacts that came, at random moments of their
/// intervals, with the handle times and people of each; only patience and single handle times are
/// drawn. `intervals` are in order and without gaps. `None` where nothing came.
///
/// # Errors
///
/// [`RecordError`] when the day cannot be played.
pub fn replay_day(
    strategy: &Strategy,
    (name, rules): (&str, &Rules),
    interval_secs: f64,
    intervals: &[PastInterval],
    replications: u32,
) -> Result<Option<ReplayedDay>, RecordError> {
    let offered: u32 = intervals.iter().map(|interval| interval.offered).sum();
    let unanswered: u32 = intervals.iter().map(|interval| interval.unanswered).sum();
    let handled: Vec<f64> = intervals.iter().filter_map(|interval| interval.handle_secs).collect();
    if offered == 0 || handled.is_empty() {
        return Ok(None);
    }
    let usual = handled.iter().sum::<f64>() / handled.len() as f64;
    let played: Vec<TrialInterval> = intervals
        .iter()
        .map(|interval| TrialInterval {
            start: interval.start,
            load: IntervalLoad {
                contacts: f64::from(interval.offered),
                handle_secs: interval.handle_secs.unwrap_or(usual),
            },
            agents: interval.agents,
        })
        .collect();
    let handling = Duration::LogNormal { mean_secs: usual, variation: HANDLE_VARIATION };
    let mut inputs = TrialInputs::of_one_type(
        strategy.clone(),
        *rules,
        &TimeZone::UTC,
        interval_secs,
        (name, customers_of(rules, &handling)),
        &played,
    );
    inputs.types.iter_mut().for_each(|each| each.arrivals = Arrivals::Counted);
    inputs.replications = replications;
    let days = inputs.experiment()?.play_range(0..replications)?;
    let mut shares: Vec<f64> = days
        .iter()
        .map(|day| day.total())
        .map(|total| if total.offered > 0.0 { 1.0 - total.answered / total.offered } else { 0.0 })
        .collect();
    shares.sort_by(f64::total_cmp);
    let at = |share: f64| shares[((shares.len() - 1) as f64 * share).round() as usize];
    Ok(Some(ReplayedDay {
        offered,
        was: f64::from(unanswered) / f64::from(offered),
        said: shares.iter().sum::<f64>() / shares.len() as f64,
        range: (at(0.025), at(0.975)),
    }))
}

/// How much handle times spread around their mean where history keeps only means.
const HANDLE_VARIATION: f64 = 0.7;

/// What an interval without a record is taken for: nothing came.
pub fn without_gaps(
    first: Timestamp,
    count: usize,
    interval_secs: f64,
    known: impl Fn(Timestamp) -> Option<PastInterval>,
) -> Vec<PastInterval> {
    let step = jiff::SignedDuration::from_secs_f64(interval_secs);
    (0i32..)
        .take(count)
        .map(|nth| {
            let start = first + step * nth;
            let nothing =
                PastInterval { start, offered: 0, unanswered: 0, handle_secs: None, agents: 0 };
            known(start).unwrap_or(nothing)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(unanswered: u32) -> Vec<PastInterval> {
        without_gaps(Timestamp::UNIX_EPOCH, 8, 1800.0, |start| {
            // One interval was not recorded.
            (start.as_second() != 3600).then_some(PastInterval {
                start,
                offered: 60,
                unanswered,
                handle_secs: Some(240.0),
                agents: 8,
            })
        })
    }

    #[test]
    fn a_record_weighs_days_by_their_contacts() {
        let day = |offered, was, said| ReplayedDay { offered, was, said, range: (0.0, 0.1) };
        let record = Record::of([day(100, 0.05, 0.04), day(300, 0.25, 0.08)]);
        assert_eq!(record.expected, 1);
        assert!(
            (record.was - 0.2).abs() < 1e-12 && (record.said - 0.07).abs() < 1e-12,
            "{record:?}"
        );
        assert_eq!(Record::of([]), Record::default());
    }

    #[test]
    fn a_day_that_went_as_such_days_go_is_expected_and_another_is_not() {
        let replay = |unanswered| {
            let (plain, rules) = (Strategy::plain("Calls"), Rules::STARTING);
            replay_day(&plain, ("Calls", &rules), 1800.0, &day(unanswered), 200).unwrap().unwrap()
        };
        let usual = replay(7);
        assert_eq!(usual.offered, 7 * 60);
        assert!(usual.range.0 < usual.said && usual.said < usual.range.1, "{usual:?}");
        let (good, bad) = (replay(0), replay(40));
        assert_eq!(
            (good.said, bad.said),
            (usual.said, usual.said),
            "what is said does not depend on what was"
        );
        assert!(!bad.is_expected(), "{bad:?}");
        let as_said = (usual.said * 60.0).round() as u32;
        assert!(replay(as_said).is_expected(), "{usual:?}");
        let nothing =
            replay_day(&Strategy::plain("A"), ("A", &Rules::STARTING), 1800.0, &[], 5).unwrap();
        assert_eq!(nothing, None);
    }
}
