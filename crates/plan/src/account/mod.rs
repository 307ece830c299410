//! The account of a day: why it ended differently from its plan, cause by cause.
//!
//! The day is simulated as planned, and again with every subset of the causes set to what was measured: contacts
//! counted, handle times, staffing changes, people present. Each cause is charged its average effect over all orders
//! in which the causes could be introduced (the Shapley value: L. S. Shapley, "A value for n-person games", 1953),
//! so no order is favoured and the effects add up exactly to the simulated difference. What remains between the
//! simulation with every cause and the measured day is luck.

mod found;
mod record;
mod simulated;

use barometer_simulate::{Arrivals, DayTally, DemandInterval, Experiment};
use barometer_strategy::Strategy;
use serde::{Deserialize, Serialize};

pub use self::found::{
    Cause, CauseEffect, DayAccount, MeasureAccount, PlannedActual, TeamAccount, TypeAccount,
};
pub use self::record::{PredictionRecord, prediction_records};
use self::simulated::{Played, Simulated};
use crate::{TrialInputs, TrialType};

/// Simulated days per subset of causes.
pub const ACCOUNT_DAYS: u32 = 60;
/// Intervals after those that are covered in which contacts are simulated: they compete with those who still wait.
const INTERVALS_AFTER: usize = 2;
/// Fewer contacts than this in an interval's forecast do not need a measured interval.
const EXPECTED_CONTACTS: f64 = 0.5;

/// What was measured of a contact type in an interval.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ActualInterval {
    /// Contacts offered.
    pub offered: f64,
    /// Answered within the target's threshold.
    pub in_time: f64,
    /// Abandoned.
    pub abandoned: f64,
    /// Contacts handled.
    pub handled: f64,
    /// Their handle time in seconds, summed.
    pub handle_secs: f64,
}

/// A strategy that went live during the day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LaterRelease {
    /// Seconds after the start of the planned inputs.
    pub at_secs: f64,
    /// The strategy.
    pub strategy: Strategy,
}

/// Everything the account of a day depends on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AccountInputs {
    /// The day as planned when it began: forecast with its uncertainty, people, strategy.
    pub planned: TrialInputs,
    /// People as planned last, by team and interval in the order of the inputs.
    pub replanned: Vec<Vec<u32>>,
    /// People on shift on average, by team and interval; `None` where the switch reported nothing.
    pub present: Vec<Vec<Option<f64>>>,
    /// Most people on shift at the same time, in the same order; `None` where the switch does not tell.
    #[serde(default)]
    pub most_present: Vec<Vec<Option<f64>>>,
    /// What was measured, by contact type and interval; `None` where the interval is still open.
    pub actual: Vec<Vec<Option<ActualInterval>>>,
    /// Strategies that went live during the day, in order.
    pub releases: Vec<LaterRelease>,
    /// Intervals from the first one on that the account covers.
    pub until: usize,
}

/// The causes that are introduced in every order; a strategy's release has its own time and comes last.
const ORDERED: [Cause; 5] =
    [Cause::Volume, Cause::HandleTime, Cause::StaffingChange, Cause::Absence, Cause::Adherence];

impl AccountInputs {
    /// Simulates the day and takes it apart. `goes_on` is asked between subsets; `None` when it says no.
    ///
    /// # Errors
    ///
    /// What cannot be simulated, in words.
    pub fn account(
        &self,
        days: u32,
        mut goes_on: impl FnMut(u32, u32) -> bool,
    ) -> Result<Option<DayAccount>, String> {
        let causes = self.causes();
        let subsets = 1usize << causes.len();
        let steps = self.steps();
        let mut played = Vec::with_capacity(subsets);
        for subset in 0..subsets {
            if !goes_on(subset as u32, steps) {
                return Ok(None);
            }
            let inputs = self.with(|cause| is_in(subset, &causes, cause));
            played.push(self.play(&inputs, days)?);
        }
        if !goes_on(subsets as u32, steps) {
            return Ok(None);
        }
        let mut planned = TrialInputs { seed: SEED, ..self.planned.clone() };
        self.shorten(&mut planned);
        let prediction = self.play(&planned, days)?;
        let released = if self.releases.is_empty() {
            None
        } else {
            if !goes_on(subsets as u32 + 1, steps) {
                return Ok(None);
            }
            let everything = self.with(|_| true);
            Some(self.play_with_releases(&everything, days)?)
        };
        let simulated = Simulated { causes, played, prediction, released };
        let types = self.planned.types.iter().enumerate();
        let types = types.map(|(kind, of_type)| self.type_account(kind, of_type, &simulated));
        Ok(Some(DayAccount { types: types.collect(), teams: self.team_accounts() }))
    }

    /// Scenarios that are simulated: every subset of the causes, the prediction, the released strategies.
    pub fn steps(&self) -> u32 {
        (1 << self.causes().len()) + 1 + u32::from(!self.releases.is_empty())
    }

    /// Causes of which there is a trace; the others have no effect and cost no simulation.
    fn causes(&self) -> Vec<Cause> {
        let is_replanned =
            self.planned.teams.iter().zip(&self.replanned).any(|(team, last)| team.agents != *last);
        let is_missing = (0..self.planned.teams.len())
            .any(|team| (0..self.until).any(|interval| self.missing(team, interval).1 != 0.0));
        let has_trace = |cause: &Cause| match cause {
            Cause::StaffingChange => is_replanned,
            Cause::Adherence => is_missing,
            _ => true,
        };
        ORDERED.into_iter().filter(has_trace).collect()
    }

    /// People of a team who were there beside the last plan in an interval: whole ones, and what those who were there
    /// missed; both negative where people are missing. Where the switch does not tell how many were there at the same
    /// time, all of it is of whole ones.
    fn missing(&self, team: usize, interval: usize) -> (f64, f64) {
        let at = |rows: &[Vec<Option<f64>>]| rows.get(team)?.get(interval).copied().flatten();
        let Some(present) = at(&self.present) else { return (0.0, 0.0) };
        let last = self.last_planned(team, interval);
        // Agents who finish a contact after their shift count beyond the most on shift.
        let most = at(&self.most_present).map_or(present, |most| most.max(present));
        (most - last, present - most)
    }

    /// People of a team as they were planned last in an interval.
    fn last_planned(&self, team: usize, interval: usize) -> f64 {
        let replanned = self.replanned.get(team).and_then(|people| people.get(interval));
        let planned = || self.planned.teams.get(team)?.agents.get(interval);
        replanned.or_else(planned).map_or(0.0, |&people| f64::from(people))
    }

    /// The day with some of the causes as measured, and the others as planned.
    fn with(&self, is_actual: impl Fn(Cause) -> bool) -> TrialInputs {
        let mut inputs = TrialInputs { seed: SEED, ..self.planned.clone() };
        for (of_type, actual) in inputs.types.iter_mut().zip(&self.actual) {
            of_type.luck = None;
            if is_actual(Cause::Volume) {
                count_contacts(of_type, actual, self.until);
            }
            if is_actual(Cause::HandleTime) {
                take_handle_times(of_type, actual, self.until);
            }
        }
        for (nth, team) in inputs.teams.iter_mut().enumerate() {
            // People are whole in the simulation: what is left of one is carried to the next interval.
            let mut carried = 0.0;
            for (interval, people) in team.agents.iter_mut().enumerate().take(self.until) {
                let planned = if is_actual(Cause::StaffingChange) {
                    self.last_planned(nth, interval)
                } else {
                    f64::from(*people)
                };
                // Both are held against the last plan, so that people who were called in are not counted twice.
                let (absent, missed) = self.missing(nth, interval);
                let absent = if is_actual(Cause::Absence) { absent } else { 0.0 };
                let missed = if is_actual(Cause::Adherence) { missed } else { 0.0 };
                let there = planned + absent + missed + carried;
                *people = there.round().max(0.0) as u32;
                carried = if there > 0.0 { there - f64::from(*people) } else { 0.0 };
            }
        }
        self.shorten(&mut inputs);
        inputs
    }

    /// Lets nobody come long after the covered intervals: it is not counted, and costs time.
    fn shorten(&self, inputs: &mut TrialInputs) {
        for of_type in &mut inputs.types {
            for interval in of_type.intervals.iter_mut().skip(self.until + INTERVALS_AFTER) {
                interval.contacts = 0.0;
            }
        }
    }

    fn play(&self, inputs: &TrialInputs, days: u32) -> Result<Played, String> {
        let experiment = experiment(inputs, days)?;
        let played = experiment.play_range(0..days).map_err(|error| error.to_string())?;
        Ok(Played::of(played.iter().map(|day| self.counted(day)), inputs.types.len()))
    }

    /// Contacts that arrived in the covered intervals of a simulated day: offered, answered in time, abandoned.
    fn counted(&self, day: &DayTally) -> Vec<[f64; 3]> {
        let of_type = |intervals: &[barometer_simulate::TypeTally]| {
            intervals.iter().take(self.until).fold(
                [0.0; 3],
                |[offered, in_time, abandoned], each| {
                    [
                        offered + each.offered,
                        in_time + each.answered_in_time,
                        abandoned + each.abandoned,
                    ]
                },
            )
        };
        day.types.chunks(day.intervals.max(1)).map(of_type).collect()
    }

    /// The same, with every strategy adopted at its time by everybody who waits.
    fn play_with_releases(&self, inputs: &TrialInputs, days: u32) -> Result<Played, String> {
        let first = experiment(inputs, days)?;
        let later = self.releases.iter().map(|release| {
            let inputs = TrialInputs { strategy: release.strategy.clone(), ..inputs.clone() };
            Ok((release.at_secs, experiment(&inputs, days)?))
        });
        let later: Vec<(f64, Experiment)> = later.collect::<Result<_, String>>()?;
        let end = inputs.interval_count() as f64 * inputs.interval_secs;
        let play = |day: u32| {
            let mut live = first.live(day);
            for (at_secs, experiment) in &later {
                live.advance(*at_secs);
                live = experiment.live_from(day, &live.carry());
            }
            live.advance(end + AFTER_SECS);
            let counts = live.counts();
            let of_type = |of_type: &TrialType| {
                let rows = counts.types.get(&of_type.name).map(Vec::as_slice).unwrap_or_default();
                let sum = rows.iter().take(self.until).sum::<barometer_simulate::TypeCounts>();
                [sum.offered, sum.in_time, sum.abandoned]
            };
            inputs.types.iter().map(of_type).collect::<Vec<[f64; 3]>>()
        };
        Ok(Played::of((0..days).map(play), inputs.types.len()))
    }

    fn type_account(&self, kind: usize, of_type: &TrialType, simulated: &Simulated) -> TypeAccount {
        let actual = self.actual.get(kind).map(Vec::as_slice).unwrap_or_default();
        let covered = &actual[..self.until.min(actual.len())];
        let planned = &of_type.intervals[..self.until.min(of_type.intervals.len())];
        let is_closed = planned.iter().enumerate().all(|(interval, expected)| {
            expected.contacts < EXPECTED_CONTACTS
                || covered.get(interval).is_some_and(Option::is_some)
        });
        let sum =
            covered.iter().flatten().fold(ActualInterval::default(), |sum, each| ActualInterval {
                offered: sum.offered + each.offered,
                in_time: sum.in_time + each.in_time,
                abandoned: sum.abandoned + each.abandoned,
                handled: sum.handled + each.handled,
                handle_secs: sum.handle_secs + each.handle_secs,
            });
        let contacts: f64 = planned.iter().map(|each| each.contacts).sum();
        let work: f64 = planned.iter().map(|each| each.contacts * each.handle_secs).sum();
        let ratio = |top: f64, bottom: f64| if bottom > 0.0 { top / bottom } else { 0.0 };
        let measure = |measure: usize, counted: f64| {
            let is_known = is_closed && sum.offered > 0.0;
            is_known.then(|| simulated.measure(kind, measure, counted / sum.offered)).flatten()
        };
        TypeAccount {
            name: of_type.name.clone(),
            wanted: of_type.rules.service_level,
            contacts: PlannedActual { planned: contacts, actual: sum.offered },
            handle_secs: PlannedActual {
                planned: ratio(work, contacts),
                actual: ratio(sum.handle_secs, sum.handled),
            },
            level: measure(0, sum.in_time),
            abandonment: measure(1, sum.abandoned),
        }
    }

    /// The share of a team's paid time that is not spent on the phones. Paid are those who have to be rostered for the
    /// people planned, at the shrinkage of the contact type with most contacts at home there.
    fn shrinkage(
        &self,
        team: usize,
        planned_hours: f64,
        present_hours: f64,
    ) -> Option<PlannedActual> {
        let id = &self.planned.teams.get(team)?.team;
        let contacts = |kind: &usize| -> f64 {
            self.planned.types[*kind].intervals.iter().map(|each| each.contacts).sum()
        };
        let at_home = (0..self.planned.types.len())
            .filter(|&kind| self.planned.home_of(kind).is_some_and(|home| home.team == *id));
        let biggest = at_home.max_by(|one, other| contacts(one).total_cmp(&contacts(other)))?;
        let planned = self.planned.types[biggest].rules.shrinkage.total();
        let paid_hours = planned_hours / (1.0 - planned);
        let is_known = planned_hours > 0.0 && paid_hours.is_finite();
        is_known.then(|| PlannedActual { planned, actual: 1.0 - present_hours / paid_hours })
    }

    fn team_accounts(&self) -> Vec<TeamAccount> {
        let hours = self.planned.interval_secs / 3600.0;
        let teams = self.planned.teams.iter().enumerate().map(|(nth, team)| {
            let name = self.planned.strategy.teams.iter().find(|each| each.id == team.team);
            let sum = |people: &[u32]| -> f64 {
                people.iter().take(self.until).map(|&each| f64::from(each)).sum()
            };
            let of = |hours_of: &dyn Fn(usize) -> f64| -> f64 {
                hours * (0..self.until).map(hours_of).sum::<f64>()
            };
            let replanned_hours = of(&|interval| self.last_planned(nth, interval));
            let absent_hours = of(&|interval| self.missing(nth, interval).0);
            let missed_hours = of(&|interval| self.missing(nth, interval).1);
            let present_hours = replanned_hours + absent_hours + missed_hours;
            TeamAccount {
                name: name.map_or_else(|| team.team.clone(), |team| team.name.clone()),
                planned_hours: hours * sum(&team.agents),
                replanned_hours,
                present_hours,
                absent_hours,
                missed_hours,
                shrinkage: self.shrinkage(nth, replanned_hours, present_hours),
            }
        });
        teams.filter(|team| team.planned_hours + team.present_hours > 0.0).collect()
    }
}

/// Contacts that wait when the last interval ends are over after this.
const AFTER_SECS: f64 = 4.0 * 3600.0;
/// Chooses the simulated days: the same for all subsets.
const SEED: u64 = 1;

fn experiment(inputs: &TrialInputs, days: u32) -> Result<Experiment, String> {
    let inputs = TrialInputs { replications: days, ..inputs.clone() };
    inputs.experiment().map_err(|error| error.to_string())
}

fn is_in(subset: usize, causes: &[Cause], cause: Cause) -> bool {
    causes.iter().position(|each| *each == cause).is_some_and(|nth| subset >> nth & 1 == 1)
}

/// Exactly the contacts that were counted. Those who called again are among them, so nobody does in the simulation.
fn count_contacts(of_type: &mut TrialType, actual: &[Option<ActualInterval>], until: usize) {
    of_type.arrivals = Arrivals::Counted;
    of_type.customers.after_abandoning = None;
    of_type.customers.after_blocked = None;
    of_type.customers.repeat = None;
    for (nth, interval) in of_type.intervals.iter_mut().enumerate() {
        let counted = actual.get(nth).copied().flatten().filter(|_| nth < until);
        interval.contacts = counted.map_or(interval.contacts, |each| each.offered).round();
    }
}

/// The handle times that were measured; where nothing was handled, the day's departure from the forecast.
fn take_handle_times(of_type: &mut TrialType, actual: &[Option<ActualInterval>], until: usize) {
    let measured = |nth: usize| {
        let each = actual.get(nth).copied().flatten().filter(|_| nth < until)?;
        (each.handled > 0.0).then_some((each.handled, each.handle_secs))
    };
    let (mut secs, mut planned_secs) = (0.0, 0.0);
    for (nth, DemandInterval { handle_secs, .. }) in of_type.intervals.iter().enumerate() {
        if let Some((handled, sum)) = measured(nth) {
            secs += sum;
            planned_secs += handled * handle_secs;
        }
    }
    let departure = if planned_secs > 0.0 { secs / planned_secs } else { 1.0 };
    for (nth, interval) in of_type.intervals.iter_mut().enumerate() {
        interval.handle_secs = match measured(nth) {
            Some((handled, sum)) if sum > 0.0 => sum / handled,
            _ => interval.handle_secs * departure,
        };
    }
}

#[cfg(test)]
mod tests;
