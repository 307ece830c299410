//! The contact type of a trial whose figures are shown, interval by interval, with theory beside it.

use barometer_plan::{Judged, Rules, Target, Theory, TrialResult};
use barometer_simulate::{Measures, Summary};
use barometer_store::Trial;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Serialize;

use crate::charts;
use crate::page_error::PageError;
use crate::words;

pub(super) struct IntervalRow {
    pub time: String,
    pub agents: u32,
    pub offered: String,
    pub level: String,
    pub theory: String,
    pub abandonment: String,
    pub answer: String,
    pub occupancy: String,
}

#[derive(Serialize)]
pub(super) struct TrialChart {
    labels: Vec<String>,
    trial: Vec<Option<f64>>,
    low: Vec<Option<f64>>,
    high: Vec<Option<f64>>,
    theory: Vec<Option<f64>>,
    theory_name: Option<&'static str>,
    target: f64,
}

/// The contact type whose figures are shown, beside theory.
pub(super) struct Shown<'a> {
    trial: &'a Trial,
    pub rules: &'a Rules,
    pub day: Measures,
    intervals: Vec<Measures>,
    people: Vec<u32>,
    pub judged: Vec<Judged>,
    pub theory: Option<Theory>,
    zone: &'a TimeZone,
}

impl<'a> Shown<'a> {
    /// The figures of the contact type at this place.
    pub fn of(
        trial: &'a Trial,
        result: &TrialResult,
        summary: Option<&Summary>,
        kind: usize,
        judged: &[Judged],
        zone: &'a TimeZone,
    ) -> Result<Self, PageError> {
        let contacts = trial.inputs.types.get(kind).ok_or(PageError::NotFound)?;
        let theory =
            trial.inputs.theory(kind).map_err(|error| PageError::Internal(Box::new(error)))?;
        let (mut day, mut intervals) = (result.outcome.day, result.intervals.clone());
        let (mut judged, mut people) = (judged.to_vec(), trial.inputs.people());
        if trial.inputs.types.len() > 1 {
            let home = trial.inputs.home_of(kind);
            let place = home.and_then(|home| {
                trial.inputs.strategy.teams.iter().position(|team| team.id == home.team)
            });
            if let Some(summary) = summary {
                (day, intervals) = (summary.of_type(kind), summary.type_intervals(kind));
                if let Some(at) = place {
                    day.occupancy = summary.of_team(at).occupancy;
                    let team = summary.team_intervals(at);
                    intervals
                        .iter_mut()
                        .zip(team)
                        .for_each(|(interval, team)| interval.occupancy = team.occupancy);
                }
            }
            let team = place.map(|at| &trial.inputs.strategy.teams[at].name);
            judged.retain(|each| match each.target {
                Target::Occupancy => each.of.as_ref() == team,
                _ => each.of.as_ref() == Some(&contacts.name),
            });
            people = home.map_or_else(Vec::new, |home| home.agents.clone());
        }
        Ok(Self { trial, rules: &contacts.rules, day, intervals, people, judged, theory, zone })
    }

    pub fn theory_name(&self) -> Option<&'static str> {
        self.theory.as_ref().map(|theory| words::model_name(theory.model))
    }

    /// When an interval begins: with its day where there are several.
    fn time(&self, start: Timestamp) -> String {
        match self.trial.subject.days {
            1 => words::clock(start, self.zone),
            _ => words::day_clock(start, self.zone),
        }
    }

    /// When the service level is lowest, where that is below the target.
    pub fn worst_interval(&self) -> String {
        let levels = self.trial.inputs.starts().zip(&self.intervals);
        let lowest = levels
            .filter_map(|(start, measures)| Some((start, measures.service_level?.mean)))
            .min_by(|(_, one), (_, other)| one.total_cmp(other));
        match lowest {
            Some((start, level)) if level < self.rules.service_level => format!(
                " The service level is lowest from {}: {}.",
                self.time(start),
                words::percent(level)
            ),
            _ => String::new(),
        }
    }

    pub fn chart(&self) -> TrialChart {
        let percent = |share: f64| charts::tenth((share * 100.0).clamp(0.0, 100.0));
        let levels = || self.intervals.iter().map(|interval| interval.service_level);
        let theory = self.theory.iter().flat_map(|theory| &theory.intervals);
        TrialChart {
            labels: self.trial.inputs.starts().map(|start| self.time(start)).collect(),
            trial: levels().map(|level| level.map(|level| percent(level.mean))).collect(),
            low: levels().map(|level| level.map(|level| percent(level.low()))).collect(),
            high: levels().map(|level| level.map(|level| percent(level.high()))).collect(),
            theory: theory
                .map(|outcome| outcome.map(|outcome| percent(outcome.service_level)))
                .collect(),
            theory_name: self.theory_name(),
            target: percent(self.rules.service_level),
        }
    }

    pub fn interval_rows(&self) -> Vec<IntervalRow> {
        let says = |interval: usize| {
            let outcome =
                self.theory.as_ref().and_then(|theory| *theory.intervals.get(interval)?);
            outcome.map_or_else(
                || words::NONE.to_owned(),
                |outcome| words::percent(outcome.service_level),
            )
        };
        let rows = self.trial.inputs.starts().zip(&self.intervals).enumerate();
        // The nights between several days are closed.
        let rows = rows.filter(|(interval, (_, measures))| {
            let people = self.people.get(*interval).copied().unwrap_or(0);
            people > 0 || measures.offered.mean > 0.0
        });
        rows.map(|(interval, (start, measures))| IntervalRow {
            time: self.time(start),
            agents: self.people.get(interval).copied().unwrap_or(0),
            offered: words::estimated_count(measures.offered),
            level: words::estimated_percent(measures.service_level),
            theory: says(interval),
            abandonment: words::estimated_percent(measures.abandonment),
            answer: words::estimated_secs(measures.answer_secs),
            occupancy: words::estimated_percent(measures.occupancy),
        })
        .collect()
    }
}
