//! The simulated days of a trial one by one: on how many every target holds, and what tells days that hold
//! from days that break. It is read from the days that were played: nothing is simulated again.
//!
//! What differs from day to day is how many contacts of each type come and how long each team's contacts
//! take. Of each of these the days are put in order and cut into thirds; a difference between the outer
//! thirds that luck alone would hardly make (three standard errors) is told.

use barometer_simulate::{SingleDay, Summary};
use serde::{Deserialize, Serialize};

use super::TrialInputs;
use super::holding_days::HoldingDays;
use super::patience_effect::LessPatience;
use crate::rules::Target;
use crate::threshold::Threshold;

/// Days without which nothing is said.
const LEAST_DAYS: usize = 30;

/// Standard errors of a difference that counts.
const SURE: f64 = 3.0;

/// The days of a trial, one by one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DayByDay {
    /// Simulated days that are kept one by one, and those of them on which every target holds.
    pub held: HoldingDays,
    /// Every target, the one that holds on the fewest days first; not empty.
    pub targets: Vec<TargetByDay>,
}

/// A target on the days of a trial.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TargetByDay {
    /// Which target.
    pub target: Target,
    /// Whose: the place of a contact type, or of a team of the strategy where it is occupancy; `None` for all
    /// teams together.
    pub of: Option<usize>,
    /// The share that was promised.
    pub wanted: f64,
    /// Days on which it holds.
    pub held: HoldingDays,
    /// What decides whether it holds, the strongest first.
    pub drivers: Vec<Driver>,
    /// What less patience would do; `None` where that cannot be told from these days.
    #[serde(default)]
    pub less_patience: Option<LessPatience>,
}

/// Something that differs from day to day and decides with it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Driver {
    /// What it is.
    pub what: DriverOfDay,
    /// The third of days with the least of it.
    pub least: Third,
    /// The third of days with the most of it.
    pub most: Third,
    /// Above how much of it the target breaks, where that tells days well.
    pub threshold: Option<Threshold>,
}

/// What differs from day to day.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum DriverOfDay {
    /// Contacts offered of the contact type at this place.
    Contacts(usize),
    /// Mean handle time in seconds of the team at this place of the strategy.
    HandleSecs(usize),
}

/// A third of the days.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Third {
    /// What separates it from the days between: its own value nearest to them.
    pub edge: f64,
    /// The target's share over these days.
    pub share: f64,
    /// Days on which the target holds, as a share of these days.
    pub holding: f64,
}

impl DayByDay {
    /// Of a trial's sums. `None` where fewer than thirty days are known one by one, or where there is no target.
    pub fn of(inputs: &TrialInputs, summary: &Summary) -> Option<Self> {
        let days = summary.single_days();
        if days.len() < LEAST_DAYS {
            return None;
        }
        let mut targets = targets_by_day(inputs);
        let mut held_on = vec![true; days.len()];
        for target in &mut targets {
            let holds: Vec<bool> = days.iter().map(|day| target.holds_on(day)).collect();
            held_on.iter_mut().zip(&holds).for_each(|(all, holds)| *all &= holds);
            target.held = HoldingDays::of(&holds);
        }
        // Of two that hold as often, the one that is nearer to its promise.
        targets.sort_by(|one, other| {
            let by_days = one.held.holding.cmp(&other.held.holding);
            by_days.then(one.room(days).total_cmp(&other.room(days)))
        });
        for target in &mut targets {
            target.drivers =
                what_differs(days).filter_map(|what| Driver::of(what, days, target)).collect();
            target.drivers.sort_by(|one, other| other.effect().total_cmp(&one.effect()));
            target.less_patience = LessPatience::of(target, inputs, days);
        }
        if targets.is_empty() {
            return None;
        }
        Some(Self { held: HoldingDays::of(&held_on), targets })
    }
}

/// Every target of a trial, before days are counted.
pub(crate) fn targets_by_day(inputs: &TrialInputs) -> Vec<TargetByDay> {
    let target = |target, of, wanted| {
        let held = HoldingDays { holding: 0, days: 0 };
        TargetByDay { target, of, wanted, held, drivers: Vec::new(), less_patience: None }
    };
    let of_types = inputs.types.iter().enumerate().flat_map(|(kind, each)| {
        let rules = &each.rules;
        let level = target(Target::ServiceLevel, Some(kind), rules.service_level);
        let lost = rules.abandonment.map(|most| target(Target::Abandonment, Some(kind), most));
        std::iter::once(level).chain(lost)
    });
    if let [only] = inputs.types.as_slice() {
        let busy = only.rules.occupancy.map(|most| target(Target::Occupancy, None, most));
        return of_types.chain(busy).collect();
    }
    let of_teams = inputs.strategy.teams.iter().enumerate().filter_map(|(place, team)| {
        let most = inputs.teams.iter().find(|each| each.team == team.id)?.occupancy?;
        Some(target(Target::Occupancy, Some(place), most))
    });
    of_types.chain(of_teams).collect()
}

fn what_differs(days: &[SingleDay]) -> impl Iterator<Item = DriverOfDay> + use<> {
    let (types, teams) = days.first().map_or((0, 0), |day| (day.types.len(), day.teams.len()));
    (0..types).map(DriverOfDay::Contacts).chain((0..teams).map(DriverOfDay::HandleSecs))
}

impl DriverOfDay {
    /// How much of it there was on a day; `None` where there was nothing to take it from.
    fn on(self, day: &SingleDay) -> Option<f64> {
        match self {
            Self::Contacts(kind) => day.types.get(kind).map(|kind| f64::from(kind.offered)),
            Self::HandleSecs(team) => {
                let team = day.teams.get(team).filter(|team| team.answered > 0)?;
                Some(f64::from(team.busy_secs) / f64::from(team.answered))
            }
        }
    }
}

impl TargetByDay {
    /// Whether it is about a contact type's contacts, and not about how busy people are.
    pub(super) fn is_of_contacts(&self) -> bool {
        self.target != Target::Occupancy
    }

    /// Top and bottom of its share on a day.
    pub(super) fn counts_on(&self, day: &SingleDay) -> (f64, f64) {
        if self.target == Target::Occupancy {
            let is_meant = |place: usize| self.of.is_none_or(|of| of == place);
            let teams = day.teams.iter().enumerate().filter(|(place, _)| is_meant(*place));
            return teams.fold((0.0, 0.0), |(busy, staffed), (_, team)| {
                (busy + f64::from(team.busy_secs), staffed + f64::from(team.staffed_secs))
            });
        }
        let Some(kind) = self.of.and_then(|of| day.types.get(of)) else { return (0.0, 0.0) };
        let top = match self.target {
            Target::Abandonment => kind.abandoned,
            _ => kind.answered_in_time,
        };
        (f64::from(top), f64::from(kind.offered))
    }

    /// By how much a share is on the right side of what was promised; negative where it is not.
    pub fn score(&self, share: f64) -> f64 {
        match self.target {
            Target::ServiceLevel => share - self.wanted,
            _ => self.wanted - share,
        }
    }

    /// Where nothing was offered nothing was missed.
    fn holds_on(&self, day: &SingleDay) -> bool {
        let (top, bottom) = self.counts_on(day);
        bottom <= 0.0 || self.score(top / bottom) >= 0.0
    }

    /// The share over several days.
    fn share(&self, days: &[&SingleDay]) -> f64 {
        let sum = days.iter().map(|day| self.counts_on(day));
        let (top, bottom) = sum.fold((0.0, 0.0), |sum, day| (sum.0 + day.0, sum.1 + day.1));
        if bottom > 0.0 { top / bottom } else { f64::NAN }
    }

    /// How far the share over all days is from what was promised; infinite where nothing was offered.
    pub(crate) fn room(&self, days: &[SingleDay]) -> f64 {
        let room = self.score(self.share(&days.iter().collect::<Vec<_>>()));
        if room.is_nan() { f64::INFINITY } else { room }
    }
}

impl Driver {
    /// `None` where it does not differ, or where it makes no difference that luck alone would not make.
    fn of(what: DriverOfDay, days: &[SingleDay], target: &TargetByDay) -> Option<Self> {
        let mut by_amount: Vec<(f64, &SingleDay)> =
            days.iter().filter_map(|day| Some((what.on(day)?, day))).collect();
        by_amount.sort_by(|one, other| one.0.total_cmp(&other.0));
        let third = by_amount.len() / 3;
        if third < LEAST_DAYS / 3 {
            return None;
        }
        let (first, last) = (&by_amount[..third], &by_amount[by_amount.len() - third..]);
        let least = Third::of(first, first[third - 1].0, target);
        let most = Third::of(last, last[0].0, target);
        if least.edge >= most.edge {
            return None;
        }
        let error = shares_variance(first, target) + shares_variance(last, target);
        let own = Self {
            what,
            least,
            most,
            threshold: Threshold::of(
                by_amount.iter().map(|(amount, day)| (*amount, target.holds_on(day))),
            ),
        };
        (own.effect() > SURE * error.sqrt()).then_some(own)
    }

    /// The difference that it makes to the target's share, between the outer thirds of days.
    pub fn effect(&self) -> f64 {
        (self.most.share - self.least.share).abs()
    }
}

impl Third {
    fn of(days: &[(f64, &SingleDay)], edge: f64, target: &TargetByDay) -> Self {
        let days: Vec<&SingleDay> = days.iter().map(|(_, day)| *day).collect();
        let holding = days.iter().filter(|day| target.holds_on(day)).count();
        Self { edge, share: target.share(&days), holding: holding as f64 / days.len() as f64 }
    }
}

/// The variance of a ratio of sums over independent days, by linearisation (Cochran 1977, 6.3).
fn shares_variance(days: &[(f64, &SingleDay)], target: &TargetByDay) -> f64 {
    let all: Vec<&SingleDay> = days.iter().map(|(_, day)| *day).collect();
    let share = target.share(&all);
    let (mut squares, mut bottoms) = (0.0, 0.0);
    for day in &all {
        let (top, bottom) = target.counts_on(day);
        squares += (top - share * bottom).powi(2);
        bottoms += bottom;
    }
    let n = all.len() as f64;
    if bottoms > 0.0 && n > 1.0 { squares * n / (n - 1.0) / (bottoms * bottoms) } else { 0.0 }
}
