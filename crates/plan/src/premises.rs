//! What preflight goes by: the numbers of a trial that may be played.

use barometer_preflight::{ContactTypePremise, Premises, TeamPremise};
use barometer_simulate::{Cover, Demand, People, TeamCover, TypeDemand};

use crate::trial::TrialInputs;

/// The premises that a demand and a cover make.
pub fn premises_of(demand: &Demand, cover: &Cover) -> Premises {
    let intervals = demand.types.iter().map(|each| each.intervals.len()).max().unwrap_or(0);
    let team = |team: &TeamCover| TeamPremise {
        team: team.team.clone(),
        people: people_of(&team.people, intervals, demand.interval_secs),
    };
    Premises {
        zone: demand.zone.clone(),
        start: demand.start,
        interval_secs: demand.interval_secs,
        intervals,
        types: demand.types.iter().map(type_premise).collect(),
        teams: cover.teams.iter().map(team).collect(),
        lines: None,
        seats: None,
        licences: None,
    }
}

fn type_premise(each: &TypeDemand) -> ContactTypePremise {
    let contacts: f64 = each.intervals.iter().map(|interval| interval.contacts).sum();
    let work: f64 =
        each.intervals.iter().map(|interval| interval.contacts * interval.handle_secs).sum();
    let usual = each.customers.handling.mean_secs();
    ContactTypePremise {
        name: each.name.clone(),
        channel: each.customers.channel,
        patience: each.customers.patience.clone(),
        handle_secs: if contacts > 0.0 { work / contacts } else { usual },
        has_own_wrap_up: !each.customers.wrap_up.is_nothing(),
        at_once: 1,
        profiles: each.customers.profiles.clone(),
        contacts: each.intervals.iter().map(|interval| interval.contacts).collect(),
    }
}

/// People on shift at the middle of each interval.
fn people_of(people: &People, intervals: usize, secs: f64) -> Vec<u32> {
    match people {
        People::Counted(people) => people.clone(),
        People::Rostered(stretches) => (0..intervals)
            .map(|interval| {
                let middle = (interval as f64 + 0.5) * secs;
                let there = stretches
                    .iter()
                    .filter(|each| (each.from_secs..each.until_secs).contains(&middle));
                there.count() as u32
            })
            .collect(),
    }
}

impl TrialInputs {
    /// What preflight goes by where this trial may be played.
    pub fn premises(&self) -> Premises {
        let mut premises = premises_of(&self.demand(), &self.cover());
        for (premise, each) in premises.types.iter_mut().zip(&self.types) {
            premise.at_once = each.rules.concurrency;
        }
        premises
    }
}
