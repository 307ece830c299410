//! A trial of several contact types, put together from what is planned for each.

use std::collections::BTreeMap;

use barometer_simulate::{Arrivals, DemandInterval, DemandLuck};
use barometer_strategy::{Customers, Strategy, Team};
use jiff::Timestamp;
use jiff::tz::TimeZone;

use super::{TrialInputs, TrialTeam, TrialType};
use crate::cover_choice::CoverChoice;
use crate::rules::Rules;
use crate::schedule::PlannedInterval;

/// A contact type as a trial takes it up.
#[derive(Clone, Debug)]
pub struct TypePlan {
    /// Its name, by which entries refer to it.
    pub name: String,
    /// The targets by which it is judged.
    pub rules: Rules,
    /// What its contacts are like.
    pub customers: Customers,
    /// Length of its intervals in seconds.
    pub interval_secs: f64,
    /// What is forecast, needed and planned, in order of time; closed stretches are left out.
    pub plan: Vec<PlannedInterval>,
    /// How far days may be off the forecast; the forecast is exact when none.
    pub luck: Option<DemandLuck>,
    /// Whether contacts come at random around the plan's numbers, or were counted.
    pub arrivals: Arrivals,
}

/// Who is at work in a trial. A team that contact types are at home with (see
/// [`Strategy::home_team`]) has the people of their plans; any other team has nobody.
#[derive(Clone, Debug, PartialEq)]
pub struct TeamPeople {
    /// Where the people of a plan come from.
    pub choice: CoverChoice,
    /// People more, or fewer, of a team, by its id: of a team with a plan in each of its intervals,
    /// of any other in every interval in which anything is open.
    pub more: BTreeMap<String, i32>,
}

/// Why a trial cannot be put together.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum AssemblyError {
    /// No contact type has anything forecast.
    #[error("nothing is forecast")]
    NothingForecast,
    /// Planned people are wanted, and none are planned for this contact type.
    #[error("no cover is planned for {0}")]
    NothingPlanned(String),
    /// A contact type comes in nowhere.
    #[error("the strategy has no entry for {0}")]
    NoEntry(String),
    /// Nobody can answer a contact type.
    #[error("no team of the strategy answers {0}")]
    NoTeam(String),
    /// People more or fewer are wanted of a team that is not there.
    #[error("the strategy has no team “{0}”")]
    UnknownTeam(String),
    /// The intervals of two contact types do not fit each other.
    #[error("intervals of {0} s and of {1} s do not fit into each other")]
    Grain(f64, f64),
}

/// The common intervals of a trial.
struct Grid {
    start: Timestamp,
    secs: f64,
    count: usize,
}

impl TrialInputs {
    /// A trial of these contact types with these people: 200 replications, seed 1. It goes from the
    /// first forecast interval of any contact type to the last.
    ///
    /// # Errors
    ///
    /// [`AssemblyError`] says what is missing.
    pub fn of_centre(
        strategy: Strategy,
        zone: &TimeZone,
        types: &[TypePlan],
        people: &TeamPeople,
    ) -> Result<Self, AssemblyError> {
        let grid = Grid::of(types)?;
        let mut teams: Vec<TrialTeam> = strategy
            .teams
            .iter()
            .map(|team| TrialTeam {
                team: team.id.clone(),
                agents: vec![0; grid.count],
                occupancy: None,
            })
            .collect();
        let mut open = vec![vec![false; grid.count]; teams.len()];
        for each in types {
            let home = home_of(&strategy, each)?;
            // A contact type that is closed on these days needs nobody.
            if each.plan.is_empty() {
                continue;
            }
            let agents = people
                .choice
                .agents(&each.plan, 0)
                .ok_or_else(|| AssemblyError::NothingPlanned(each.name.clone()))?;
            for (planned, agents) in each.plan.iter().zip(agents) {
                for at in grid.places(planned.start, each.interval_secs) {
                    let there = &mut teams[home].agents[at];
                    *there = match people.choice {
                        CoverChoice::Fixed(_) => agents,
                        _ => there.saturating_add(agents),
                    };
                    open[home][at] = true;
                }
            }
            let ceilings = [teams[home].occupancy, each.rules.occupancy];
            teams[home].occupancy = ceilings.into_iter().flatten().reduce(f64::min);
        }
        let known = |id: &str| strategy.teams.iter().any(|team| team.id == id);
        if let Some((unknown, _)) = people.more.iter().find(|(id, more)| **more != 0 && !known(id))
        {
            return Err(AssemblyError::UnknownTeam(unknown.clone()));
        }
        let any: Vec<bool> = (0..grid.count).map(|at| open.iter().any(|open| open[at])).collect();
        for (team, own) in teams.iter_mut().zip(&open) {
            let Some(&more) = people.more.get(&team.team) else { continue };
            let when = if own.contains(&true) { own } else { &any };
            let at_work = team.agents.iter_mut().zip(when).filter(|(_, is_open)| **is_open);
            at_work.for_each(|(agents, _)| *agents = agents.saturating_add_signed(more));
        }
        Ok(Self {
            start: grid.start,
            zone: zone.iana_name().unwrap_or("UTC").to_owned(),
            interval_secs: grid.secs,
            types: types.iter().map(|each| grid.demand(each)).collect(),
            teams,
            precision: None,
            replications: 200,
            seed: 1,
            strategy,
        })
    }
}

fn home_of(strategy: &Strategy, each: &TypePlan) -> Result<usize, AssemblyError> {
    if strategy.entry_of(&each.name).is_none() {
        return Err(AssemblyError::NoEntry(each.name.clone()));
    }
    let home = strategy.home_team(&each.name, each.customers.channel);
    let place = |team: &Team| strategy.teams.iter().position(|other| other.id == team.id);
    home.and_then(place).ok_or_else(|| AssemblyError::NoTeam(each.name.clone()))
}

impl Grid {
    fn of(types: &[TypePlan]) -> Result<Self, AssemblyError> {
        let secs = types.iter().map(|each| each.interval_secs).fold(f64::INFINITY, f64::min);
        if let Some(odd) = types.iter().find(|each| each.interval_secs % secs != 0.0) {
            return Err(AssemblyError::Grain(secs, odd.interval_secs));
        }
        let ends = |each: &TypePlan| {
            let (first, last) = (each.plan.first()?, each.plan.last()?);
            let length = jiff::SignedDuration::from_secs_f64(each.interval_secs);
            Some((first.start, last.start + length))
        };
        let start = types.iter().filter_map(ends).map(|(from, _)| from).min();
        let end = types.iter().filter_map(ends).map(|(_, to)| to).max();
        let (start, end) = start.zip(end).ok_or(AssemblyError::NothingForecast)?;
        let count = (end.duration_since(start).as_secs_f64() / secs).ceil() as usize;
        Ok(Self { start, secs, count })
    }

    /// The places of an interval of `length_secs`.
    fn places(&self, start: Timestamp, length_secs: f64) -> std::ops::Range<usize> {
        let first = start.duration_since(self.start).as_secs_f64() / self.secs;
        let first = (first.max(0.0) as usize).min(self.count);
        first..(first + (length_secs / self.secs) as usize).min(self.count)
    }

    fn demand(&self, each: &TypePlan) -> TrialType {
        // Whoever tries again while it is closed takes as long as those before, or the first.
        let mut usual = each.plan.first().map_or(0.0, |first| first.load.handle_secs);
        let mut known = vec![None; self.count];
        for planned in &each.plan {
            let places = self.places(planned.start, each.interval_secs);
            let parts = places.len().max(1) as f64;
            for (nth, at) in places.enumerate() {
                // Of counted contacts a part has a whole number, and all parts have all of them.
                let until = |part: f64| match each.arrivals {
                    Arrivals::Counted => (planned.load.contacts * part / parts).round(),
                    Arrivals::Random => planned.load.contacts * part / parts,
                };
                known[at] = Some(DemandInterval {
                    contacts: until(nth as f64 + 1.0) - until(nth as f64),
                    handle_secs: planned.load.handle_secs,
                });
            }
        }
        let filled = known.into_iter().map(|interval| {
            let filled = interval.unwrap_or(DemandInterval { contacts: 0.0, handle_secs: usual });
            usual = filled.handle_secs;
            filled
        });
        TrialType {
            name: each.name.clone(),
            rules: each.rules,
            customers: each.customers.clone(),
            intervals: filled.collect(),
            arrivals: each.arrivals,
            luck: each.luck.clone(),
        }
    }
}

impl TeamPeople {
    /// The people of the plans, no more and no fewer.
    pub fn of(choice: CoverChoice) -> Self {
        Self { choice, more: BTreeMap::new() }
    }

    /// The choice as planners say it: "planned cover, Bookings team 2 more".
    pub fn words(&self, strategy: &Strategy) -> String {
        let changed = strategy.teams.iter().filter_map(|team| {
            let more = self.more.get(&team.id).copied().filter(|&more| more != 0)?;
            let way = if more < 0 { "fewer" } else { "more" };
            Some(format!("{} {} {way}", team.name, more.unsigned_abs()))
        });
        if strategy.teams.len() == 1 {
            return self.choice.words(self.more.values().sum());
        }
        let parts: Vec<String> = std::iter::once(self.choice.words(0)).chain(changed).collect();
        parts.join(", ")
    }
}
