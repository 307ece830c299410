//! Teams as the switch measured them, and agents as they are rostered.

use std::collections::BTreeMap;
use std::ops::Add;

use super::{by_name, over_groups};
use crate::facts::AgentHours;
use crate::report::{About, Column, Part, Picture, Row, Series, Table};
use crate::told::Told;
use crate::{Mark, Section, Unit, words};

/// Hours on shift, and of those with a contact.
#[derive(Clone, Copy, Default)]
struct Shift {
    staffed: f64,
    busy: f64,
}

impl Add for Shift {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self { staffed: self.staffed + other.staffed, busy: self.busy + other.busy }
    }
}

impl Shift {
    fn occupancy(&self) -> Option<f64> {
        (self.staffed > 0.0).then(|| self.busy / self.staffed)
    }
}

pub(super) fn teams(told: &Told<'_>) -> Part {
    let measured = &told.facts.teams;
    if measured.is_empty() {
        return Part::missing(
            Section::Teams,
            "The switch has told nothing of teams in this period: it tells hours on shift of the days since it was \
             connected.",
        );
    }
    let shift =
        |day: &crate::facts::TeamDay| Shift { staffed: day.staffed_hours, busy: day.busy_hours };
    let mut by_team: BTreeMap<&str, Shift> = BTreeMap::new();
    for day in measured {
        let sum = by_team.entry(&day.team).or_default();
        *sum = *sum + shift(day);
    }
    let by_group = told.by_group(measured.iter().map(|day| (day.at, shift(day))));
    let groups: Vec<_> = by_group.keys().copied().collect();
    let occupancy = by_group.values().map(Shift::occupancy).collect();
    let series = vec![("Occupancy", Mark::Line, occupancy)];
    let total = by_team.values().copied().fold(Shift::default(), Add::add);
    let columns = |first: &str| {
        vec![
            Column::new(first, Unit::Text),
            Column::new("On shift", Unit::Hours),
            Column::new("With a contact", Unit::Hours),
            Column::new("Occupancy", Unit::Share),
        ]
    };
    let row = |name: String, shift: &Shift| {
        Row::of(vec![
            name.into(),
            shift.staffed.into(),
            shift.busy.into(),
            shift.occupancy().into(),
        ])
    };
    let busiest = by_team
        .iter()
        .filter_map(|(team, shift)| Some((*team, shift.occupancy()?)))
        .max_by(|one, other| one.1.total_cmp(&other.1));
    let busiest = busiest.map_or_else(String::new, |(team, occupancy)| {
        format!("; {team} was busiest, at {}", words::percent(occupancy))
    });
    let heading = told.definition.grouping.heading();
    Part {
        section: Section::Teams,
        sentence: format!(
            "Agents were on shift for {} hours and busy for {} of that{busiest}.",
            words::count(total.staffed),
            total.occupancy().map_or_else(|| words::NONE.to_owned(), words::percent),
        ),
        is_missing: false,
        about: Some(About::Board),
        pictures: over_groups(told, ("Occupancy", Unit::Share), &groups, series)
            .into_iter()
            .collect(),
        tables: vec![
            Table {
                title: "Teams".to_owned(),
                columns: columns("Team"),
                rows: by_team.iter().map(|(team, shift)| row((*team).to_owned(), shift)).collect(),
                total: (by_team.len() > 1).then(|| row("All".to_owned(), &total)),
            },
            Table {
                title: format!("Occupancy by {}", heading.to_lowercase()),
                columns: columns(heading),
                rows: by_group.iter().map(|(group, shift)| row(told.name(*group), shift)).collect(),
                total: None,
            },
        ],
    }
}

pub(super) fn agents(told: &Told<'_>) -> Part {
    let Some(agents) = &told.facts.agents else {
        return Part::missing(
            Section::Agents,
            "Single agents are shown to those who have this right, and never in a report that is sent or shared.",
        );
    };
    if agents.is_empty() {
        return Part::missing(
            Section::Agents,
            "No agents are listed. Import a roster under Staffing to see their hours.",
        );
    }
    let weeks = told.facts.days.count() as f64 / 7.0;
    let rostered: f64 = agents.iter().map(|agent| agent.rostered_hours).sum();
    let contract: f64 = agents.iter().map(|agent| agent.contract_hours * weeks).sum();
    let rows = agents.iter().map(|agent| {
        let contract = agent.contract_hours * weeks;
        let row = Row::of(vec![
            agent.name.as_str().into(),
            agent.team.as_str().into(),
            contract.into(),
            agent.rostered_hours.into(),
            (agent.rostered_hours - contract).into(),
            f64::from(agent.shifts).into(),
            f64::from(agent.days_off).into(),
        ]);
        match agent.rostered_for {
            Some(contact_type) => row.about(About::Roster(contact_type, told.facts.days.first)),
            None => row,
        }
    });
    Part {
        section: Section::Agents,
        sentence: format!(
            "{} {} rostered for {} hours; contracts have {} hours.",
            words::counted(agents.len() as f64, "agent"),
            if agents.len() == 1 { "is" } else { "are" },
            words::decimals(rostered, 1),
            words::decimals(contract, 1),
        ),
        is_missing: false,
        about: None,
        pictures: hours_by_team(agents, weeks).into_iter().collect(),
        tables: vec![Table {
            title: "Agents".to_owned(),
            columns: vec![
                Column::new("Agent", Unit::Text),
                Column::new("Team", Unit::Text),
                Column::new("Contract", Unit::Hours),
                Column::new("Rostered", Unit::Hours),
                Column::new("Difference", Unit::Hours),
                Column::new("Shifts", Unit::Count),
                Column::new("Days off", Unit::Count),
            ],
            rows: rows.collect(),
            total: None,
        }],
    }
}

/// Hours of each team's agents, as rostered beside their contracts.
fn hours_by_team(agents: &[AgentHours], weeks: f64) -> Option<Picture> {
    let mut teams: BTreeMap<&str, (f64, f64)> = BTreeMap::new();
    for agent in agents {
        let (rostered, contract) = teams.entry(&agent.team).or_default();
        *rostered += agent.rostered_hours;
        *contract += agent.contract_hours * weeks;
    }
    let rostered = teams.iter().map(|(team, (rostered, _))| ((*team).to_owned(), Some(*rostered)));
    let mut picture = by_name(("Hours by team", Unit::Hours), "Rostered", rostered)?;
    picture.series.push(Series {
        name: "Contract".to_owned(),
        mark: Mark::Dashed,
        values: teams.values().map(|(_, contract)| Some(*contract)).collect(),
    });
    Some(picture)
}
