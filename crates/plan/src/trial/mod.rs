//! A trial as it is kept: everything it depends on, and what it came to beside theory.

mod day_by_day;
mod followed;
mod holding_days;
mod of_centre;
mod patience_effect;
mod result;
mod theory;

use barometer_simulate::{
    Arrivals, Cover, Demand, DemandInterval, DemandLuck, Experiment, ExperimentError, People,
    Summary, TeamCover, TypeDemand,
};
use barometer_strategy::{Channel, Customers, Duration, Strategy};
use std::ops::Range;

use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use serde::{Deserialize, Serialize};

use crate::IntervalLoad;
use crate::need::Model;
use crate::rules::Rules;
pub(crate) use day_by_day::targets_by_day;
pub use day_by_day::{DayByDay, Driver, DriverOfDay, TargetByDay, Third};
pub use followed::{Followed, FollowedEnd, followed};
pub use holding_days::{HoldingDays, share_of_ten};
pub use of_centre::{AssemblyError, TeamPeople, TypePlan};
pub use patience_effect::LessPatience;
pub use result::{Judged, TrialDigest, TrialOutcome, TrialResult};
pub use theory::Theory;

/// Parts of a trial, at most, and replications of a part, at least.
const MOST_PARTS: u32 = 40;
const LEAST_PART: u32 = 25;

/// Days that are played at a time, between two looks whether anybody still wants the answer.
const AT_A_TIME: u32 = 25;

/// Everything that a trial's numbers follow from. Kept with the trial, never changed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialInputs {
    /// The strategy tried.
    pub strategy: Strategy,
    /// When the first interval begins.
    pub start: Timestamp,
    /// IANA name of the centre's zone.
    pub zone: String,
    /// Length of an interval in seconds.
    pub interval_secs: f64,
    /// Who comes.
    pub types: Vec<TrialType>,
    /// Who is at work.
    pub teams: Vec<TrialTeam>,
    /// Half-width of the service level's 95% confidence interval at which the trial may stop
    /// before all replications are played; `None` to play them all.
    #[serde(default)]
    pub precision: Option<f64>,
    /// Simulated days, at most.
    pub replications: u32,
    /// Seed of all randomness.
    pub seed: u64,
}

/// What comes of one contact type.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialType {
    /// Its name.
    pub name: String,
    /// The targets by which it is judged.
    pub rules: Rules,
    /// What its contacts are like.
    pub customers: Customers,
    /// Interval by interval, without gaps.
    pub intervals: Vec<DemandInterval>,
    /// Whether contacts come at random around these numbers, or were counted.
    #[serde(default)]
    pub arrivals: Arrivals,
    /// How far days may be off the forecast; the forecast is exact when none.
    #[serde(default)]
    pub luck: Option<DemandLuck>,
}

/// The people of one team.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialTeam {
    /// The team's id in the strategy.
    pub team: String,
    /// People at work, interval by interval.
    pub agents: Vec<u32>,
    /// The most occupied it may be: the lowest ceiling of the contact types at home with it.
    #[serde(default)]
    pub occupancy: Option<f64>,
}

/// One interval of a day for one contact type and one team.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialInterval {
    /// When it starts.
    pub start: Timestamp,
    /// What is expected of it.
    pub load: IntervalLoad,
    /// People on the phones.
    pub agents: u32,
}

/// How contacts of a type come in, from its rules: work with a deadline, calls one at a time, or chats.
pub const fn channel_of(rules: &Rules) -> Channel {
    match (rules.model, rules.concurrency) {
        (Some(Model::Deadline), _) => Channel::Task,
        (_, 1) => Channel::Call,
        _ => Channel::Chat,
    }
}

/// What the contacts of a type are like, from its rules and how its handle times spread.
pub fn customers_of(rules: &Rules, handling: &Duration) -> Customers {
    let mut customers = Customers::calls(handling.mean_secs(), rules.patience_secs);
    (customers.channel, customers.handling) = (channel_of(rules), handling.clone());
    customers
}

impl TrialInputs {
    /// A trial of one contact type whose intervals, without gaps, say who is at work in the team at
    /// home with it: 200 days, seed 1.
    pub fn of_one_type(
        strategy: Strategy,
        rules: Rules,
        zone: &TimeZone,
        interval_secs: f64,
        contacts: (&str, Customers),
        intervals: &[TrialInterval],
    ) -> Self {
        let (name, customers) = contacts;
        let home = strategy.home_team(name, customers.channel).or(strategy.teams.first());
        let team = home.map(|team| team.id.clone()).unwrap_or_default();
        let loads = intervals.iter().map(|interval| DemandInterval {
            contacts: interval.load.contacts,
            handle_secs: interval.load.handle_secs,
        });
        Self {
            start: intervals.first().map_or(Timestamp::UNIX_EPOCH, |first| first.start),
            zone: zone.iana_name().unwrap_or("UTC").to_owned(),
            interval_secs,
            types: vec![TrialType {
                name: name.to_owned(),
                rules,
                customers,
                intervals: loads.collect(),
                arrivals: Arrivals::Random,
                luck: None,
            }],
            teams: vec![TrialTeam {
                team,
                agents: intervals.iter().map(|interval| interval.agents).collect(),
                occupancy: rules.occupancy,
            }],
            precision: None,
            replications: 200,
            seed: 1,
            strategy,
        }
    }

    /// The experiment that plays these inputs.
    ///
    /// # Errors
    ///
    /// [`ExperimentError`] says which part cannot be played.
    pub fn experiment(&self) -> Result<Experiment, ExperimentError> {
        let (demand, cover) = (self.demand(), self.cover());
        Experiment::new(&self.strategy, &demand, &cover, self.replications, self.seed)
    }

    /// The first days of this trial, a few at a time: `goes_on` is told how many days are played, after `before` others,
    /// and `None` comes where it says no.
    ///
    /// # Errors
    ///
    /// Why the trial cannot be played, as people read it.
    pub(crate) fn played(
        &self,
        days: u32,
        before: u32,
        goes_on: &mut dyn FnMut(u32) -> bool,
    ) -> Result<Option<Summary>, String> {
        let experiment = self.experiment().map_err(|error| error.to_string())?;
        let mut summary = experiment.summary();
        for from in (0..days).step_by(AT_A_TIME as usize) {
            if !goes_on(before + from) {
                return Ok(None);
            }
            let part = from..(from + AT_A_TIME).min(days);
            experiment.add_to(&mut summary, part).map_err(|error| error.to_string())?;
        }
        Ok(Some(summary))
    }

    /// Who comes.
    pub(crate) fn demand(&self) -> Demand {
        let types = self.types.iter().map(|each| TypeDemand {
            name: each.name.clone(),
            customers: each.customers.clone(),
            within_secs: each.rules.within_secs,
            intervals: each.intervals.clone(),
            arrivals: each.arrivals,
            luck: each.luck.clone(),
        });
        Demand {
            start: self.start,
            zone: TimeZone::get(&self.zone).unwrap_or(TimeZone::UTC),
            interval_secs: self.interval_secs,
            types: types.collect(),
        }
    }

    /// Who is at work.
    pub(crate) fn cover(&self) -> Cover {
        let teams = self.teams.iter().map(|each| TeamCover {
            team: each.team.clone(),
            people: People::Counted(each.agents.clone()),
        });
        Cover { teams: teams.collect() }
    }

    /// Replications of each part in which the trial is played. They depend on nothing but how many
    /// replications there are: sums of floating-point numbers depend on where they are split.
    pub fn parts(&self) -> Vec<Range<u32>> {
        let size = self.replications.div_ceil(MOST_PARTS).max(LEAST_PART);
        (0..self.replications.div_ceil(size))
            .map(|part| part * size..((part + 1) * size).min(self.replications))
            .collect()
    }

    /// Merges parts in order, until the wanted precision is reached. `None` while more parts are
    /// needed than there are.
    pub fn merged(&self, parts: &[Summary]) -> Option<Summary> {
        let mut parts = parts.iter();
        let mut merged = parts.next()?.clone();
        loop {
            if merged.replications() >= self.replications || self.is_precise(&merged) {
                return Some(merged);
            }
            merged.merge(parts.next()?);
        }
    }

    /// Whether the service level of every contact type that came is known as well as wanted.
    fn is_precise(&self, summary: &Summary) -> bool {
        let Some(wanted) = self.precision else { return false };
        let levels = (0..summary.type_count()).map(|kind| summary.of_type(kind).service_level);
        levels
            .flatten()
            .all(|level| level.half_width.is_some_and(|half_width| half_width <= wanted))
    }

    /// Lets so many times the contacts come.
    pub fn scale_volume(&mut self, factor: f64) {
        let intervals = self.types.iter_mut().flat_map(|each| &mut each.intervals);
        intervals.for_each(|interval| interval.contacts *= factor);
    }

    /// Lets so many people more, or fewer, be at work of a team: while it is at work, or, of a team
    /// that is not, while anybody is.
    pub fn add_people(&mut self, team: &str, more: i32) {
        let everybody = self.people();
        let Some(team) = self.teams.iter_mut().find(|each| each.team == team) else { return };
        let when = if team.agents.iter().any(|&people| people > 0) {
            team.agents.clone()
        } else {
            everybody
        };
        let at_work = team.agents.iter_mut().zip(when).filter(|(_, there)| *there > 0);
        at_work.for_each(|(people, _)| *people = people.saturating_add_signed(more));
    }

    /// How many intervals it has.
    pub fn interval_count(&self) -> usize {
        self.types.first().map_or(0, |each| each.intervals.len())
    }

    /// When each interval begins.
    pub fn starts(&self) -> impl Iterator<Item = Timestamp> {
        let step = SignedDuration::from_secs_f64(self.interval_secs);
        (0i32..).take(self.interval_count()).map(move |nth| self.start + step * nth)
    }

    /// The people of the team at home with a contact type.
    pub fn home_of(&self, kind: usize) -> Option<&TrialTeam> {
        let contacts = self.types.get(kind)?;
        let home = self.strategy.home_team(&contacts.name, contacts.customers.channel)?;
        self.teams.iter().find(|team| team.team == home.id)
    }

    /// People at work in each interval, all teams together.
    pub fn people(&self) -> Vec<u32> {
        let of = |interval: usize| {
            self.teams.iter().filter_map(|team| team.agents.get(interval)).sum::<u32>()
        };
        (0..self.interval_count()).map(of).collect()
    }
}
