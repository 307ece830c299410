//! Simulated days of a design, kept day by day and interval by interval: whatever is asked of them is
//! read from one table of counts.

use barometer_plan::TrialInputs;
use barometer_simulate::DayTally;

use crate::error::SearchError;
use crate::prices::Prices;
use crate::target::{Measure, Share, Target};

/// Counts of a contact type in an interval that are kept.
const OF_TYPE: usize = 3;
/// Counts of a team in an interval that are kept.
const OF_TEAM: usize = 2;

/// Days of a design.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Days {
    types: usize,
    teams: usize,
    intervals: usize,
    /// Of each day, its types' and then its teams' counts, and what its contacts cost, each interval by interval.
    days: Vec<Vec<f64>>,
}

impl Days {
    /// Plays the replications `from..until` of a trial.
    pub fn play(
        inputs: &TrialInputs,
        prices: &Prices,
        range: std::ops::Range<u32>,
    ) -> Result<Self, SearchError> {
        let mut inputs = inputs.clone();
        inputs.replications = range.end;
        let experiment = inputs.experiment()?;
        let tallies = experiment.play_range(range)?;
        let (types, teams) = (inputs.types.len(), inputs.strategy.teams.len());
        let intervals = inputs.interval_count();
        let days = tallies.iter().map(|tally| row(tally, prices, types, teams, intervals));
        let days = days.collect();
        Ok(Self { types, teams, intervals, days })
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
        let first = (self.types * OF_TYPE + self.teams * OF_TEAM) * self.intervals;
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
        let (top, bottom) = match target.measure {
            Measure::ServiceLevel => (self.of_type(target.of, 1), self.of_type(target.of, 0)),
            Measure::Abandonment => (self.of_type(target.of, 2), self.of_type(target.of, 0)),
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
        self.types * OF_TYPE + team * OF_TEAM + count
    }
}

/// The counts of a day that targets are about, and what its contacts cost.
fn row(
    tally: &DayTally,
    prices: &Prices,
    types: usize,
    teams: usize,
    intervals: usize,
) -> Vec<f64> {
    let mut row = Vec::with_capacity((types * OF_TYPE + teams * OF_TEAM + 1) * intervals);
    for kind in tally.types.chunks(intervals.max(1)).take(types) {
        row.extend(kind.iter().map(|each| each.offered));
        row.extend(kind.iter().map(|each| each.answered_in_time));
        row.extend(kind.iter().map(|each| each.abandoned));
    }
    for team in tally.teams.chunks(intervals.max(1)).take(teams) {
        row.extend(team.iter().map(|each| each.busy_secs));
        row.extend(team.iter().map(|each| each.staffed_secs));
    }
    let kinds = || tally.types.chunks(intervals.max(1)).take(types);
    row.extend((0..intervals).map(|at| kinds().map(|kind| prices.of(&kind[at])).sum::<f64>()));
    row
}
