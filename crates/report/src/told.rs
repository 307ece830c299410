//! Facts under a definition: summed by group and by contact type.

use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::{Date, DateTime};

use crate::facts::{CampaignFacts, Facts, TypeFacts};
use crate::report::{About, Cell, Row};
use crate::{Counts, Definition, Group, Grouping, words};

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
            let expected = each.forecast.iter().map(|it| it.at);
            let expected = expected.chain(each.planned.iter().map(|it| it.at));
            groups.extend(expected.filter(in_period).map(group));
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

    /// What a group is called in a picture: by the clock alone where there is but one day.
    pub fn place(&self, group: Group) -> String {
        let is_clock =
            self.definition.grouping == Grouping::Interval && self.facts.days.count() == 1;
        if is_clock { group.clock() } else { self.name(group) }
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

    /// Whether the report covers a queue or a hunt group.
    pub fn covers_queue(&self, name: &str) -> bool {
        covers(&self.definition.queues, name)
    }

    /// The campaigns that the report covers.
    pub fn campaigns(&self) -> impl Iterator<Item = &'a CampaignFacts> {
        let chosen = &self.definition.campaigns;
        self.facts.campaigns.iter().filter(|campaign| covers(chosen, &campaign.name))
    }

    /// What was measured of everything.
    pub fn total(&self) -> Counts {
        self.facts.types.iter().map(TypeFacts::total).sum()
    }
}

fn covers(chosen: &[String], name: &str) -> bool {
    chosen.is_empty() || chosen.iter().any(|chosen| chosen == name)
}

/// The chosen names that are not among these, in a sentence; empty where all are.
pub(crate) fn gone<'n>(chosen: &[String], mut names: impl Iterator<Item = &'n str>) -> String {
    let mut gone = chosen.to_vec();
    while let Some(name) = names.next().filter(|_| !gone.is_empty()) {
        gone.retain(|chosen| chosen != name);
    }
    match gone.as_slice() {
        [] => String::new(),
        [one] => format!(" {one} is no longer part of the live strategy."),
        some => format!(" {} are no longer part of the live strategy.", words::listing(some)),
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
}
