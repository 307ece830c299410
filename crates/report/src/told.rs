//! Facts under a definition: summed by group and by contact type.

use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::{Date, DateTime};

use crate::facts::{Facts, TypeFacts};
use crate::report::{About, Cell, Row};
use crate::{Against, Counts, Definition, Group};

/// The facts of a report beside its definition.
pub(crate) struct Told<'a> {
    pub facts: &'a Facts,
    pub definition: &'a Definition,
}

impl<'a> Told<'a> {
    /// Every group that something was measured, forecast or planned for, in order.
    pub fn groups(&self) -> Vec<Group> {
        let group = |at: DateTime| self.definition.grouping.group(at);
        let mut groups = BTreeSet::new();
        for each in &self.facts.types {
            groups.extend(each.measured.iter().map(|measured| group(measured.at)));
            let in_period = |at: &DateTime| self.facts.days.contains(at.date());
            groups.extend(each.forecast.iter().map(|it| it.at).filter(in_period).map(group));
        }
        groups.into_iter().collect()
    }

    /// Whether all of its days have gone by.
    pub fn is_past(&self) -> bool {
        self.facts.days.last < self.facts.today
    }

    /// What a group is called.
    pub fn name(&self, group: Group) -> String {
        self.definition.grouping.name(group)
    }

    /// A row of a group, which leads to the day that it begins on.
    pub fn row(&self, group: Group, cells: Vec<Cell>) -> Row {
        let about = self.definition.grouping.first_day(group).map(About::Day);
        Row { cells, about }
    }

    /// Adds up by group.
    pub fn by_group<T: Default + std::ops::Add<Output = T> + Copy>(
        &self,
        items: impl Iterator<Item = (DateTime, T)>,
    ) -> BTreeMap<Group, T> {
        let mut sums: BTreeMap<Group, T> = BTreeMap::new();
        for (at, item) in items {
            let sum = sums.entry(self.definition.grouping.group(at)).or_default();
            *sum = *sum + item;
        }
        sums
    }

    /// Counts of all contact types by group.
    pub fn measured(&self) -> BTreeMap<Group, Counts> {
        let all = self.facts.types.iter().flat_map(|each| &each.measured);
        self.by_group(all.map(|measured| (measured.at, measured.counts)))
    }

    /// Counts of the days that are compared, each beside the group that has its place in the period: the
    /// first beside the first, and so on.
    pub fn compared<V>(&self, counts: impl Fn(&Counts) -> V) -> BTreeMap<Group, V> {
        if self.facts.compared.is_none() {
            return BTreeMap::new();
        }
        let all = self.facts.types.iter().flat_map(|each| &each.compared);
        let sums = self.by_group(all.map(|measured| (measured.at, measured.counts)));
        self.beside(sums).into_iter().map(|(group, sum)| (group, counts(&sum))).collect()
    }

    /// Groups of the days that are compared, renamed to those that they stand beside.
    fn beside<T>(&self, sums: BTreeMap<Group, T>) -> BTreeMap<Group, T> {
        let Some(compared) = self.facts.compared else { return sums };
        let grouping = self.definition.grouping;
        if grouping == crate::Grouping::Weekday {
            return sums;
        }
        let every = |days: crate::Days| -> Vec<Group> {
            let mut groups = BTreeSet::new();
            let mut day = days.first;
            while day <= days.last {
                groups.insert(grouping.group(day.at(0, 0, 0, 0)));
                match day.tomorrow() {
                    Ok(next) => day = next,
                    Err(_) => break,
                }
            }
            groups.into_iter().collect()
        };
        if grouping == crate::Grouping::Interval {
            let apart = self.facts.days.first - compared.first;
            return sums
                .into_iter()
                .filter_map(|(group, sum)| Some((group.later(apart)?, sum)))
                .collect();
        }
        let places: BTreeMap<Group, Group> =
            every(compared).into_iter().zip(every(self.facts.days)).collect();
        sums.into_iter().filter_map(|(group, sum)| Some((*places.get(&group)?, sum))).collect()
    }

    /// Contacts forecast by group.
    pub fn forecast(&self) -> BTreeMap<Group, f64> {
        let all = self.facts.types.iter().flat_map(|each| &each.forecast);
        self.by_group(all.map(|forecast| (forecast.at, forecast.contacts)))
    }

    /// Forecast and measured contacts by group, where both are known: of a day that is not over they are not.
    pub fn judged(&self) -> BTreeMap<Group, Judged> {
        let all = self.facts.types.iter().flat_map(|each| &each.forecast);
        self.by_group(
            all.filter_map(|it| {
                Some((it.at, Judged { forecast: it.contacts, actual: it.actual? }))
            }),
        )
    }

    /// What contacts stand beside, by group: the forecast or the days that are compared.
    pub fn contacts_beside(&self) -> BTreeMap<Group, f64> {
        match self.definition.against {
            Against::Nothing => BTreeMap::new(),
            Against::Forecast => self.forecast(),
            Against::Before | Against::YearAgo => self.compared(|counts| counts.offered),
        }
    }

    /// What was measured of everything.
    pub fn total(&self) -> Counts {
        self.facts.types.iter().map(TypeFacts::total).sum()
    }
}

/// Contacts that were forecast and that were measured of the same time.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Judged {
    pub forecast: f64,
    pub actual: f64,
}

impl std::ops::Add for Judged {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self { forecast: self.forecast + other.forecast, actual: self.actual + other.actual }
    }
}

impl TypeFacts {
    /// What was measured in the period.
    pub(crate) fn total(&self) -> Counts {
        self.measured.iter().map(|measured| measured.counts).sum()
    }

    /// What was measured in the days that are compared.
    pub(crate) fn compared_total(&self) -> Counts {
        self.compared.iter().map(|measured| measured.counts).sum()
    }

    /// Contacts forecast for the period.
    pub(crate) fn forecast_contacts(&self) -> f64 {
        self.forecast.iter().map(|forecast| forecast.contacts).sum()
    }

    /// Forecast and measured contacts by day, where both are known.
    pub(crate) fn judged_days(&self) -> BTreeMap<Date, Judged> {
        let mut days: BTreeMap<Date, Judged> = BTreeMap::new();
        for forecast in &self.forecast {
            if let Some(actual) = forecast.actual {
                let day = days.entry(forecast.at.date()).or_default();
                *day = *day + Judged { forecast: forecast.contacts, actual };
            }
        }
        days
    }

    /// Forecast and measured contacts, where both are known.
    pub(crate) fn judged(&self) -> Judged {
        self.judged_days().into_values().fold(Judged::default(), std::ops::Add::add)
    }

    /// What the contacts stand beside, with the measured contacts that may be held against it.
    pub(crate) fn beside(&self, against: Against) -> Option<(f64, f64)> {
        let (beside, measured) = match against {
            Against::Nothing => return None,
            Against::Forecast => {
                let Judged { forecast, actual } = self.judged();
                (forecast, actual)
            }
            Against::Before | Against::YearAgo => {
                (self.compared_total().offered, self.total().offered)
            }
        };
        (beside > 0.0).then_some((beside, measured))
    }
}
