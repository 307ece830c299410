//! Simulated days of a design, kept day by day and interval by interval: whatever is asked of them is
//! read from one table of counts.

use barometer_plan::TrialInputs;
use barometer_simulate::DayTally;

use crate::error::SearchError;
use crate::prices::Prices;
use crate::question::Question;
use crate::target::{Measure, Share, Target};

/// Counts of a contact type in an interval that are kept.
const OF_TYPE: usize = 3;
/// Counts of a team in an interval that are kept.
const OF_TEAM: usize = 2;

/// Days of a design.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Days {
    types: usize,
    /// The trial's own days and other kinds of them.
    kinds: usize,
    teams: usize,
    intervals: usize,
    /// Of each day, its types' counts, then those of the same day of each other kind, its teams' counts, and what its contacts
    /// cost, each interval by interval.
    days: Vec<Vec<f64>>,
}

impl Days {
    /// Plays the replications `from..until` of a trial, and of the same days of each other kind.
    pub fn play(
        inputs: &TrialInputs,
        question: &Question,
        range: std::ops::Range<u32>,
    ) -> Result<Self, SearchError> {
        let played = |inputs: TrialInputs| -> Result<Vec<DayTally>, SearchError> {
            let inputs = TrialInputs { replications: range.end, ..inputs };
            Ok(inputs.experiment()?.play_range(range.clone())?)
        };
        let (types, teams) = (inputs.types.len(), inputs.strategy.teams.len());
        let intervals = inputs.interval_count();
        let of_types = |tally: &DayTally| type_counts(tally, types, intervals);
        let own = played(inputs.clone())?;
        let mut days: Vec<Vec<f64>> = own.iter().map(of_types).collect();
        for kind in &question.day_kinds {
            let others = played(kind.trial(inputs))?;
            for (day, other) in days.iter_mut().zip(&others) {
                day.extend(of_types(other));
            }
        }
        for (day, tally) in days.iter_mut().zip(&own) {
            day.extend(team_counts(tally, teams, intervals));
            day.extend(priced(tally, &question.prices, types, intervals));
        }
        Ok(Self { types, kinds: 1 + question.day_kinds.len(), teams, intervals, days })
    }

    /// The first few of these days.
    pub fn first(&self, count: usize) -> Self {
        Self { days: self.days[..count.min(self.days.len())].to_vec(), ..*self }
    }

    /// Adds days of the same design.
    pub fn append(&mut self, mut more: Self) {
        more.days.splice(0..0, std::mem::take(&mut self.days));
        *self = more;
    }

    pub fn count(&self) -> usize {
        self.days.len()
    }

    /// A target's share of a day.
    pub fn of_day(&self, target: &Target, day: usize) -> Share {
        self.share(target, &self.days[day])
    }

    /// A target's share of all days together.
    pub fn whole(&self, target: &Target) -> Share {
        let mut whole = Share::default();
        self.days.iter().for_each(|day| whole.add(self.share(target, day)));
        whole
    }

    /// What the contacts of a day cost.
    pub fn priced_on(&self, day: usize) -> f64 {
        let first = (self.kinds * self.types * OF_TYPE + self.teams * OF_TEAM) * self.intervals;
        self.days[day][first..].iter().sum()
    }

    /// What the contacts of a day cost on average.
    pub fn priced(&self) -> f64 {
        let sum: f64 = (0..self.count()).map(|day| self.priced_on(day)).sum();
        sum / self.count().max(1) as f64
    }

    /// Contacts of all types that arrived on a day.
    pub fn contacts(&self, day: usize) -> f64 {
        let row = |kind: usize| self.of_type(kind, 0) * self.intervals;
        (0..self.types)
            .flat_map(|kind| &self.days[day][row(kind)..row(kind) + self.intervals])
            .sum()
    }

    /// These days, with what arrived in `window` taken from the same days of another design: what they
    /// would be if that design differed only there.
    pub fn with_window(&self, other: &Self, window: std::ops::Range<usize>) -> Self {
        let mut mixed = self.clone();
        for (mixed, other) in mixed.days.iter_mut().zip(&other.days) {
            for first in (0..mixed.len()).step_by(self.intervals) {
                let place = first + window.start..first + window.end;
                mixed[place.clone()].copy_from_slice(&other[place]);
            }
        }
        mixed
    }

    fn share(&self, target: &Target, day: &[f64]) -> Share {
        let kind = target.day_kind.map_or(0, |nth| nth + 1) * self.types + target.of;
        let (top, bottom) = match target.measure {
            Measure::ServiceLevel => (self.of_type(kind, 1), self.of_type(kind, 0)),
            Measure::Abandonment => (self.of_type(kind, 2), self.of_type(kind, 0)),
            Measure::Occupancy => (self.of_team(target.of, 0), self.of_team(target.of, 1)),
        };
        let sum = |row: usize| -> f64 {
            let row = &day[row * self.intervals..(row + 1) * self.intervals];
            target.interval.map_or_else(|| row.iter().sum(), |interval| row[interval])
        };
        Share { top: sum(top), bottom: sum(bottom) }
    }

    /// The row of a count of a contact type.
    fn of_type(&self, kind: usize, count: usize) -> usize {
        kind * OF_TYPE + count
    }

    /// The row of a count of a team.
    fn of_team(&self, team: usize, count: usize) -> usize {
        debug_assert!(team < self.teams);
        self.kinds * self.types * OF_TYPE + team * OF_TEAM + count
    }
}

/// The counts of contact types that targets are about.
fn type_counts(tally: &DayTally, types: usize, intervals: usize) -> Vec<f64> {
    let mut counts = Vec::with_capacity(types * OF_TYPE * intervals);
    for kind in tally.types.chunks(intervals.max(1)).take(types) {
        counts.extend(kind.iter().map(|each| each.offered));
        counts.extend(kind.iter().map(|each| each.answered_in_time));
        counts.extend(kind.iter().map(|each| each.abandoned));
    }
    counts
}

/// The counts of teams that targets are about.
fn team_counts(tally: &DayTally, teams: usize, intervals: usize) -> Vec<f64> {
    let mut counts = Vec::with_capacity(teams * OF_TEAM * intervals);
    for team in tally.teams.chunks(intervals.max(1)).take(teams) {
        counts.extend(team.iter().map(|each| each.busy_secs));
        counts.extend(team.iter().map(|each| each.staffed_secs));
    }
    counts
}

/// What the contacts of each interval cost.
fn priced(
    tally: &DayTally,
    prices: &Prices,
    types: usize,
    intervals: usize,
) -> impl Iterator<Item = f64> {
    let kinds = move || tally.types.chunks(intervals.max(1)).take(types);
    (0..intervals).map(move |at| kinds().map(|kind| prices.of(&kind[at])).sum::<f64>())
}
