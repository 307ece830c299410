//! What measured counts stand beside: the forecast, the plan or other days.

use std::collections::{BTreeMap, BTreeSet};
use std::iter::Sum;
use std::ops::Add;

use jiff::civil::{Date, DateTime};

use crate::facts::{Measured, TypeFacts};
use crate::told::Told;
use crate::{Against, Counts, Group, Grouping};

/// What stands beside the measured counts of the same time.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Beside {
    /// All of it.
    pub all: Counts,
    /// The part that may be held against what was measured: nothing of a day that is not over.
    pub judged: Counts,
    /// What was measured, of that part.
    pub measured: Counts,
}

impl Beside {
    fn of(all: Counts, measured: Option<Counts>) -> Self {
        match measured.filter(|_| all.offered > 0.0) {
            Some(measured) => Self { all, judged: all, measured },
            None => Self { all, ..Self::default() },
        }
    }

    /// Contacts, where there are any.
    pub fn contacts(&self) -> Option<f64> {
        (self.all.offered > 0.0).then_some(self.all.offered)
    }

    /// How far the measured contacts are off: 0.1 is a tenth more.
    pub fn change(&self) -> Option<f64> {
        (self.judged.offered > 0.0).then(|| self.measured.offered / self.judged.offered - 1.0)
    }

    /// A measure of the measured counts and of those beside them, for the same time.
    pub fn both(&self, measure: impl Fn(&Counts) -> Option<f64>) -> Option<(f64, f64)> {
        measure(&self.measured).zip(measure(&self.judged))
    }
}

impl Add for Beside {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self {
            all: self.all + other.all,
            judged: self.judged + other.judged,
            measured: self.measured + other.measured,
        }
    }
}

impl Sum for Beside {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        all.fold(Self::default(), Add::add)
    }
}

fn contacts(offered: f64) -> Counts {
    Counts { offered, ..Counts::default() }
}

impl TypeFacts {
    /// What the contact type's counts stand beside.
    pub(crate) fn beside(&self, against: Against) -> Beside {
        if against.is_past() {
            let compared = self.compared.iter().map(|it| it.counts).sum();
            return Beside::of(compared, (!self.measured.is_empty()).then(|| self.total()));
        }
        self.expected(against).map(|(_, beside)| beside).sum()
    }

    /// What was expected of intervals or days.
    fn expected(&self, against: Against) -> impl Iterator<Item = (DateTime, Beside)> {
        let forecast = self.forecast.iter().filter(move |_| against == Against::Forecast);
        let forecast =
            forecast.map(|it| (it.at, Beside::of(contacts(it.contacts), it.actual.map(contacts))));
        let planned = self.planned.iter().filter(move |_| against == Against::Plan);
        forecast.chain(planned.map(|it| (it.at, Beside::of(it.counts, it.actual))))
    }
}

impl Told<'_> {
    /// What every group stands beside.
    pub fn beside(&self) -> BTreeMap<Group, Beside> {
        let against = self.definition.against;
        if against.is_past() {
            let measured = self.measured();
            let beside = |(group, all)| (group, Beside::of(all, measured.get(&group).copied()));
            return self.other_days().into_iter().map(beside).collect();
        }
        self.by_group(self.facts.types.iter().flat_map(|each| each.expected(against)))
    }

    /// Whether service levels and handle times stand beside others: of a plan they do where one was kept.
    pub fn compares_service(&self) -> bool {
        let against = self.definition.against;
        against.is_past() || (against == Against::Plan && self.has_plan())
    }

    /// Whether anything is known of a plan.
    pub fn has_plan(&self) -> bool {
        self.facts.types.iter().any(|each| !each.planned.is_empty())
    }

    /// Days on which anything was measured.
    pub fn measured_days(&self) -> usize {
        let measured = self.facts.types.iter().flat_map(|each| &each.measured);
        measured.map(|it| it.at.date()).collect::<BTreeSet<Date>>().len()
    }

    /// Days of which measured contacts are held against what was expected of them.
    pub fn judged_days(&self) -> usize {
        let against = self.definition.against;
        let expected = self.facts.types.iter().flat_map(|each| each.expected(against));
        let judged = expected.filter(|(_, beside)| beside.judged.offered > 0.0);
        judged.map(|(at, _)| at.date()).collect::<BTreeSet<Date>>().len()
    }

    /// What all contact types stand beside.
    pub fn total_beside(&self) -> Beside {
        self.facts.types.iter().map(|each| each.beside(self.definition.against)).sum()
    }

    /// Counts of the days that are compared, each with the group that has its place in the period: the first beside
    /// the first, and so on.
    fn other_days(&self) -> BTreeMap<Group, Counts> {
        let Some(compared) = self.facts.compared else { return BTreeMap::new() };
        let all = self.facts.types.iter().flat_map(|each| &each.compared);
        let sums = self.by_group(all.map(|Measured { at, counts }| (*at, *counts)));
        let grouping = self.definition.grouping;
        match grouping {
            Grouping::Weekday => sums,
            Grouping::Interval => {
                let apart = self.facts.days.first - compared.first;
                let later = |(group, sum): (Group, _)| Some((group.later(apart)?, sum));
                sums.into_iter().filter_map(later).collect()
            }
            _ => {
                let places = grouping.groups(compared).into_iter();
                let places: BTreeMap<Group, Group> =
                    places.zip(grouping.groups(self.facts.days)).collect();
                let renamed = |(group, sum)| Some((*places.get(&group)?, sum));
                sums.into_iter().filter_map(renamed).collect()
            }
        }
    }
}
