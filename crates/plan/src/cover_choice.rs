//! Which people a trial plays with.

use jiff::SignedDuration;

use crate::schedule::PlannedInterval;
use crate::trial::TrialInterval;

/// The people of a trial, before some are added to or taken from every interval.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CoverChoice {
    /// Those who are planned; nobody where nothing is planned.
    Planned,
    /// As many as each interval needs.
    Need,
    /// The same number all day.
    Fixed(u32),
}

impl CoverChoice {
    /// People on the phones in each interval of `schedule`, with `more` in every one (fewer when
    /// negative, but never less than nobody). `None` when planned people are wanted and none are.
    pub fn agents(self, schedule: &[PlannedInterval], more: i32) -> Option<Vec<u32>> {
        let is_planned = schedule.iter().any(|interval| interval.assessment.cover.is_some());
        if self == Self::Planned && !is_planned {
            return None;
        }
        let chosen = |interval: &PlannedInterval| match self {
            Self::Planned => interval.assessment.cover.unwrap_or(0),
            Self::Need => interval.assessment.need,
            Self::Fixed(people) => people,
        };
        Some(schedule.iter().map(|interval| chosen(interval).saturating_add_signed(more)).collect())
    }

    /// The choice as planners say it: "the need, 2 more".
    pub fn words(self, more: i32) -> String {
        let chosen = match self {
            Self::Planned => "planned cover".to_owned(),
            Self::Need => "the need".to_owned(),
            Self::Fixed(people) => format!("{people} people all day"),
        };
        match more {
            0 => chosen,
            fewer if fewer < 0 => format!("{chosen}, {} fewer", fewer.unsigned_abs()),
            more => format!("{chosen}, {more} more"),
        }
    }
}

/// A schedule's intervals with the chosen people, in a row without gaps: closed stretches between
/// open ones have no contacts and nobody to answer them.
pub fn trial_intervals(
    schedule: &[PlannedInterval],
    agents: &[u32],
    interval: SignedDuration,
) -> Vec<TrialInterval> {
    let mut row: Vec<TrialInterval> = Vec::with_capacity(schedule.len());
    for (planned, &agents) in schedule.iter().zip(agents) {
        while let Some(last) = row.last().filter(|last| last.start + interval < planned.start) {
            let mut closed = *last;
            closed.start = last.start + interval;
            closed.load.contacts = 0.0;
            closed.agents = 0;
            row.push(closed);
        }
        row.push(TrialInterval { start: planned.start, load: planned.load, agents });
    }
    row
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schedule::{CoverInterval, ForecastInterval, schedule};
    use crate::{IntervalLoad, Rules};
    use jiff::Timestamp;

    const HALF: SignedDuration = SignedDuration::from_mins(30);

    fn split_day(cover: &[u32]) -> Vec<PlannedInterval> {
        let load = IntervalLoad { contacts: 20.0, handle_secs: 200.0 };
        let starts = [0, 1, 4].map(|half| Timestamp::UNIX_EPOCH + HALF * half);
        let forecast = starts.map(|start| ForecastInterval { start, load });
        let cover: Vec<_> = starts
            .iter()
            .zip(cover)
            .map(|(&start, &agents)| CoverInterval { start, agents })
            .collect();
        schedule(&forecast, &cover, 1800.0, &Rules::STARTING).unwrap()
    }

    #[test]
    fn people_are_chosen_shifted_and_never_fewer_than_nobody() {
        let day = split_day(&[3, 1]);
        assert_eq!(CoverChoice::Planned.agents(&day, -2), Some(vec![1, 0, 0]));
        assert_eq!(CoverChoice::Fixed(7).agents(&day, 1), Some(vec![8, 8, 8]));
        let need = day[0].assessment.need;
        assert_eq!(CoverChoice::Need.agents(&day, 0), Some(vec![need; 3]));
        assert_eq!(CoverChoice::Planned.agents(&split_day(&[]), 0), None);
        assert_eq!(CoverChoice::Need.words(2), "the need, 2 more");
        assert_eq!(CoverChoice::Fixed(9).words(-1), "9 people all day, 1 fewer");
    }

    #[test]
    fn a_closed_stretch_is_played_without_contacts_and_people() {
        let row = trial_intervals(&split_day(&[3, 1, 5]), &[3, 1, 5], HALF);
        let seen: Vec<_> = row.iter().map(|each| (each.load.contacts, each.agents)).collect();
        assert_eq!(seen, [(20.0, 3), (20.0, 1), (0.0, 0), (0.0, 0), (20.0, 5)]);
        assert!(row.windows(2).all(|pair| pair[1].start == pair[0].start + HALF));
    }
}
