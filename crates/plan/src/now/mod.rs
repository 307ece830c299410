//! A day seen from its middle: what it is going to be, and what would help.
//!
//! The engine begins from what is present at the switch, plays the rest of the day many times, and what came so
//! far is added: contacts are counted in both by when they arrived, so the sums are those of the whole day. Every
//! intervention is played on the same days, so its effect is told from luck.

mod candidates;
mod helps;

use barometer_simulate::{
    DayTally, DemandInterval, Experiment, ExperimentError, Present, TypeCounts,
};
use serde::{Deserialize, Serialize};

use crate::assess::pressure;
use crate::spread::{eight_in_ten, mean_and_half_width};
use crate::{IntervalLoad, TrialInputs};
pub use helps::{COME_AFTER_SECS, Help, HelpEffect, HelpKind};

/// A day that is going on, with everything that its rest follows from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DayNow {
    /// The whole day: contacts as they are expected now, and the people who are to be there.
    pub inputs: TrialInputs,
    /// What is present, in seconds after the inputs' start and with their intervals.
    pub present: Present,
    /// What came so far of each contact type, in the order of the inputs.
    pub so_far: Vec<TypeCounts>,
    /// Breaks of named people that are still to begin.
    pub breaks: Vec<PlannedBreak>,
}

/// A break of a named person, in seconds after the inputs' start.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedBreak {
    /// The team's id.
    pub team: String,
    /// When it begins.
    pub from_secs: f64,
    /// When it ends.
    pub until_secs: f64,
    /// When the work after it ends.
    pub work_ends_secs: f64,
}

/// What a contact type's day is going to be.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TypeEnd {
    /// The service level of the whole day, on average over the days played; `None` where nothing comes.
    pub level: Option<f64>,
    /// The level that one played day in ten stays under.
    pub low: Option<f64>,
    /// The level that one played day in ten is above.
    pub high: Option<f64>,
    /// The share that abandons of the whole day's contacts.
    pub abandonment: Option<f64>,
    /// The share of played days on which the service level reaches its target.
    pub chance: f64,
}

/// The rest of a day, played so many times.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PlayedRest {
    /// By played day and contact type: contacts of the whole day, answered in time, abandoned.
    days: Vec<Vec<[f64; 3]>>,
}

impl DayNow {
    fn experiment(&self, replications: u32, seed: u64) -> Result<Experiment, ExperimentError> {
        let mut inputs = self.inputs.clone();
        (inputs.replications, inputs.seed) = (replications, seed);
        inputs.experiment()?.from_present(&self.present)
    }

    /// Plays the rest of the day.
    ///
    /// # Errors
    ///
    /// What cannot be played, in words.
    pub fn play(&self, replications: u32, seed: u64) -> Result<PlayedRest, String> {
        let mut played = PlayedRest::default();
        self.play_on(&mut played, replications, seed)?;
        Ok(played)
    }

    /// Plays the rest of the day more often, up to this many times in all.
    fn play_on(&self, played: &mut PlayedRest, replications: u32, seed: u64) -> Result<(), String> {
        let experiment = self.experiment(replications, seed).map_err(|error| error.to_string())?;
        let before = u32::try_from(played.days.len()).unwrap_or(u32::MAX);
        let days = experiment.play_range(before..replications.max(before));
        let days = days.map_err(|error| error.to_string())?;
        played.days.extend(days.iter().map(|day| self.whole_day(day)));
        Ok(())
    }

    fn whole_day(&self, rest: &DayTally) -> Vec<[f64; 3]> {
        let came = rest.kinds().zip(&self.so_far);
        came.map(|(rest, so_far)| {
            [
                so_far.offered + rest.offered,
                so_far.in_time + rest.answered_in_time,
                so_far.abandoned + rest.abandoned,
            ]
        })
        .collect()
    }

    /// What planners call a team.
    fn name_of(&self, team: &str) -> String {
        let known = self.inputs.strategy.teams.iter().find(|each| each.id == team);
        known.map_or_else(|| team.to_owned(), |each| each.name.clone())
    }

    /// The interval that goes on now.
    pub fn interval(&self) -> usize {
        let passed = self.present.at_secs / self.inputs.interval_secs;
        (passed as usize).min(self.inputs.interval_count().saturating_sub(1))
    }

    /// Places of the breaks of a team that begin from now on within a time and may begin so much later, because work
    /// goes on after them.
    pub fn breaks_within(&self, team: &str, within_secs: f64, by_secs: f64) -> Vec<usize> {
        let now = self.present.at_secs;
        let is_about_to_begin = |each: &PlannedBreak| {
            let begins = (now..now + within_secs).contains(&each.from_secs);
            each.team == team && begins && each.until_secs + by_secs < each.work_ends_secs
        };
        let places = self.breaks.iter().enumerate();
        places.filter(|(_, each)| is_about_to_begin(each)).map(|(place, _)| place).collect()
    }

    /// Pressure in an interval at home of a contact type: the work of all types at home there by its people;
    /// `None` where there is nothing to do or nobody to do it.
    pub fn pressure(&self, kind: usize, interval: usize) -> Option<f64> {
        let home = self.inputs.home_of(kind)?;
        let at_home = (0..self.inputs.types.len()).filter(|&other| {
            self.inputs.home_of(other).is_some_and(|other| other.team == home.team)
        });
        let people = home.agents.get(interval).copied().unwrap_or(0);
        let secs = self.inputs.interval_secs;
        let pressures = at_home.filter_map(|other| {
            let of_type = &self.inputs.types[other];
            let DemandInterval { contacts, handle_secs } = *of_type.intervals.get(interval)?;
            let load = IntervalLoad { contacts, handle_secs };
            Some(pressure(load, secs, people, of_type.rules.concurrency))
        });
        let sum: f64 = pressures.sum();
        (people > 0 && sum > 0.0).then_some(sum)
    }
}

impl PlayedRest {
    /// The first of the days that were played: those that fewer days with the same seed would have been.
    pub fn first(&self, days: u32) -> Self {
        Self { days: self.days.iter().take(days as usize).cloned().collect() }
    }

    /// What a contact type's day is going to be, held against its target.
    pub fn end_of(&self, kind: usize, wanted: f64) -> TypeEnd {
        let of_kind = self.days.iter().filter_map(|day| day.get(kind));
        let came: Vec<&[f64; 3]> = of_kind.filter(|[offered, ..]| *offered > 0.0).collect();
        let levels: Vec<f64> = came.iter().map(|[offered, in_time, _]| in_time / offered).collect();
        let n = levels.len();
        let mean = |of: usize| {
            let (top, all) =
                came.iter().fold((0.0, 0.0), |(top, all), day| (top + day[of], all + day[0]));
            (all > 0.0).then(|| top / all)
        };
        let held = levels.iter().filter(|level| **level >= wanted).count();
        let range = eight_in_ten(levels);
        TypeEnd {
            level: mean(1),
            low: range.map(|(low, _)| low),
            high: range.map(|(_, high)| high),
            abandonment: mean(2),
            chance: if n == 0 { 1.0 } else { held as f64 / n as f64 },
        }
    }

    /// The difference in a contact type's service level to the same days without an intervention: its mean, and
    /// half the width of its 95 % confidence interval.
    fn difference(&self, without: &Self, kind: usize) -> Option<(f64, f64)> {
        let level = |day: &Vec<[f64; 3]>| {
            day.get(kind).filter(|[offered, ..]| *offered > 0.0).map(|day| day[1] / day[0])
        };
        let pairs = self.days.iter().zip(&without.days);
        let differences: Vec<f64> =
            pairs.filter_map(|(one, other)| Some(level(one)? - level(other)?)).collect();
        (differences.len() > 1).then(|| mean_and_half_width(&differences))
    }
}

#[cfg(test)]
mod tests;
