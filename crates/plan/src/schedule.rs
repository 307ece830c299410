//! A forecast with its cover, interval by interval, and the holes in it.

use jiff::{SignedDuration, Timestamp};
use rayon::prelude::*;

use crate::IntervalLoad;
use crate::assess::{IntervalAssessment, assess};
use crate::deferred;
use crate::need::{Model, NeedError};
use crate::rules::Rules;
use crate::verdict::Verdict;

/// What is expected of the interval that starts at a time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ForecastInterval {
    /// When it starts.
    pub start: Timestamp,
    /// What is expected.
    pub load: IntervalLoad,
}

/// Who is planned for the interval that starts at a time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CoverInterval {
    /// When it starts.
    pub start: Timestamp,
    /// People on the phones.
    pub agents: u32,
}

/// One interval of a schedule.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlannedInterval {
    /// When it starts.
    pub start: Timestamp,
    /// What is expected.
    pub load: IntervalLoad,
    /// What that needs, who is planned, and what that comes to.
    pub assessment: IntervalAssessment,
}

/// A stretch in which the cover breaks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Hole {
    /// When its first interval starts.
    pub from: Timestamp,
    /// When its last interval ends.
    pub to: Timestamp,
    /// People missing in its worst interval.
    pub most_short: u32,
}

/// Joins `forecast` and `cover`, both in order of time, into what each forecast interval needs and
/// has. Cover of other intervals is left out.
///
/// # Errors
///
/// As [`need`](crate::need), for the first interval that has none.
pub fn schedule(
    forecast: &[ForecastInterval],
    cover: &[CoverInterval],
    interval_secs: f64,
    rules: &Rules,
) -> Result<Vec<PlannedInterval>, NeedError> {
    let agents_at = |start: Timestamp| {
        let found = cover.binary_search_by_key(&start, |planned| planned.start).ok()?;
        Some(cover[found].agents)
    };
    let forecast: Vec<ForecastInterval> = forecast
        .iter()
        .map(|interval| ForecastInterval { load: rules.load(interval.load), ..*interval })
        .collect();
    if Model::for_rules(rules) == Model::Deadline {
        return deferred::schedule(&forecast, agents_at, interval_secs, rules);
    }
    forecast
        .par_iter()
        .map(|&ForecastInterval { start, load }| {
            let assessment = assess(load, interval_secs, agents_at(start), rules)?;
            Ok(PlannedInterval { start, load, assessment })
        })
        .collect()
}

/// People interval by interval, in agent-hours.
pub fn agent_hours(people: impl IntoIterator<Item = u32>, interval_secs: f64) -> f64 {
    people.into_iter().map(f64::from).sum::<f64>() * interval_secs / 3600.0
}

/// Agent-hours of a schedule.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ScheduleHours {
    /// Of the need.
    pub need: f64,
    /// Of the cover.
    pub cover: f64,
    /// Of the cover, over the need.
    pub over: f64,
    /// Missing from the cover.
    pub under: f64,
}

impl ScheduleHours {
    /// Of a schedule's intervals; where nothing is planned, everybody who is needed is missing.
    pub fn of(schedule: &[PlannedInterval], interval_secs: f64) -> Self {
        let hours = |of: fn(u32, u32) -> u32| {
            let people = schedule
                .iter()
                .map(|each| of(each.assessment.need, each.assessment.cover.unwrap_or(0)));
            agent_hours(people, interval_secs)
        };
        Self {
            need: hours(|need, _| need),
            cover: hours(|_, cover| cover),
            over: hours(|need, cover| cover.saturating_sub(need)),
            under: hours(u32::saturating_sub),
        }
    }
}

/// The worst verdict of a schedule; `None` when nothing is planned.
pub fn worst(schedule: &[PlannedInterval]) -> Option<Verdict> {
    schedule.iter().filter_map(|interval| interval.assessment.verdict).max()
}

/// Stretches of breaking intervals, in order of time. A single better interval in between does not
/// end a hole: the roster was not mended there.
pub fn holes(schedule: &[PlannedInterval], interval: SignedDuration) -> Vec<Hole> {
    let mut holes: Vec<Hole> = Vec::new();
    let breaking = schedule.iter().filter(|each| each.assessment.verdict == Some(Verdict::Breaks));
    for each in breaking {
        let (from, to) = (each.start, each.start + interval);
        let short = each.assessment.shortfall();
        match holes.last_mut() {
            Some(hole) if from <= hole.to + interval => {
                hole.to = to;
                hole.most_short = hole.most_short.max(short);
            }
            _ => holes.push(Hole { from, to, most_short: short }),
        }
    }
    holes
}

#[cfg(test)]
mod tests {
    use super::*;

    const HALF: SignedDuration = SignedDuration::from_mins(30);

    fn at(half: i32) -> Timestamp {
        Timestamp::UNIX_EPOCH + HALF * half
    }

    /// Ten half-hours that need the same, with so many people each; `None` for none planned.
    fn schedule_of(cover: [Option<u32>; 10]) -> Vec<PlannedInterval> {
        let load = IntervalLoad { contacts: 100.0, handle_secs: 300.0 };
        let forecast: Vec<_> =
            (0..10).map(|half| ForecastInterval { start: at(half), load }).collect();
        let cover: Vec<_> = (0..10)
            .zip(cover)
            .filter_map(|(half, agents)| Some(CoverInterval { start: at(half), agents: agents? }))
            .collect();
        schedule(&forecast, &cover, 1800.0, &Rules::STARTING).unwrap()
    }

    #[test]
    fn cover_meets_its_own_interval_and_a_missing_one_is_not_a_zero() {
        let mut cover = [Some(40); 10];
        cover[3] = None;
        cover[4] = Some(0);
        let schedule = schedule_of(cover);
        assert_eq!(schedule[3].assessment.verdict, None);
        assert_eq!(schedule[4].assessment.verdict, Some(Verdict::Breaks));
        assert_eq!(schedule[5].assessment.cover, Some(40));
        assert_eq!(worst(&schedule), Some(Verdict::Breaks));
        assert_eq!(worst(&schedule[..4]), Some(Verdict::Holds));
        assert_eq!(worst(&schedule[3..4]), None);
    }

    #[test]
    fn hours_over_and_under_the_need_add_up_to_the_cover() {
        let need = schedule_of([None; 10])[0].assessment.need;
        let mut cover = [Some(need); 10];
        (cover[0], cover[1], cover[2]) = (Some(need + 4), Some(need - 3), None);
        let hours = ScheduleHours::of(&schedule_of(cover), 1800.0);
        assert_eq!((hours.over, hours.under), (2.0, 1.5 + 0.5 * f64::from(need)));
        assert_eq!(hours.need, 5.0 * f64::from(need));
        assert_eq!(hours.cover, hours.need + hours.over - hours.under);
        assert_eq!(ScheduleHours::of(&[], 1800.0), ScheduleHours::default());
        assert_eq!(agent_hours([3, 0, 5], 900.0), 2.0);
    }

    #[test]
    fn a_hole_goes_on_over_one_better_interval_and_ends_after_two() {
        let need = schedule_of([None; 10])[0].assessment.need;
        let (well, broken, worse) = (Some(need), Some(need - 3), Some(need - 5));
        let cover = [well, broken, well, worse, well, well, broken, well, well, well];
        let holes = holes(&schedule_of(cover), HALF);
        assert_eq!(
            holes,
            [
                Hole { from: at(1), to: at(4), most_short: 5 },
                Hole { from: at(6), to: at(7), most_short: 3 },
            ]
        );
    }
}
