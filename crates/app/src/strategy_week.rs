//! The week that a strategy is looked at with: who comes, who is on shift, as planned.

use barometer_forecast::Grain;
use barometer_plan::{CoverInterval, ForecastInterval, LineRules, Question};
use barometer_preflight::{ContactTypePremise, Finding, Premises, TeamPremise, preflight};
use barometer_store::{Centre, ContactType, KeptAnswer, Store, Waiver};
use barometer_strategy::{Edit, Strategy};
use futures_util::future::try_join_all;
use jiff::Timestamp;
use jiff::civil::Date;
use uuid::Uuid;

use crate::AppError;
use crate::live::day_plan::{Luck, planned_day};
use crate::planning::span;
use crate::trials;

/// Days that are looked at, from the Monday.
const DAYS: i64 = 7;
/// How often a day is played with and without an edit whose effect is asked for.
pub const EFFECT_DAYS: u32 = 40;

/// What preflight finds in a strategy in a planned week.
#[derive(Clone, Debug)]
pub struct Checked {
    /// What is planned.
    pub premises: Premises,
    /// What is found and not waived.
    pub findings: Vec<Finding>,
    /// What is found and somebody has decided to live with.
    pub waived: Vec<(Finding, Waiver)>,
}

/// Checks a strategy in the week that begins on this Monday.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn check(
    store: &Store,
    centre: &Centre,
    types: &[ContactType],
    strategy: &Strategy,
    monday: Date,
) -> Result<Checked, AppError> {
    let premises = premises(store, centre, types, strategy, monday).await?;
    let mut waivers = store.waivers(centre.id).await?;
    waivers.retain(|waiver| waiver.taken_back_by.is_none());
    let (mut findings, mut waived) = (Vec::new(), Vec::new());
    for finding in preflight(strategy, &premises) {
        let key = finding.key();
        match waivers.iter().find(|waiver| waiver.finding == key) {
            Some(waiver) => waived.push((finding, waiver.clone())),
            None => findings.push(finding),
        }
    }
    Ok(Checked { premises, findings, waived })
}

/// What an edit of a strategy does to a day with the people who are planned for it, or the run that works it out.
///
/// # Errors
///
/// [`AppError::Refused`] says what is not planned; another when the database fails.
pub async fn effect_of_edit(
    store: &Store,
    centre: &Centre,
    (strategy, edit): (&Strategy, &Edit),
    date: Date,
    (address, by): (&str, Uuid),
) -> Result<KeptAnswer, AppError> {
    let mut inputs = planned_day(store, centre, strategy, (date, Luck::AsMeasured)).await?;
    inputs.replications = EFFECT_DAYS;
    let question = Question::Edit { inputs: Box::new(inputs), edit: Box::new(edit.clone()) };
    Ok(store.ask(centre.id, &question, address, Some(by)).await?)
}

/// What is planned for a week, as preflight goes by it. A contact type without planned cover is taken
/// to have as many people as its forecast keeps busy: what is not planned is no fault of the strategy.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn premises(
    store: &Store,
    centre: &Centre,
    types: &[ContactType],
    strategy: &Strategy,
    monday: Date,
) -> Result<Premises, AppError> {
    let (from, to) = span(monday, DAYS, &centre.zone)?;
    let secs = types.iter().map(|each| each.grain.secs()).fold(f64::INFINITY, f64::min);
    let secs = if secs.is_finite() { secs } else { 1800.0 };
    let grid =
        Grid { from, secs, intervals: (to.duration_since(from).as_secs_f64() / secs) as usize };
    let planned = try_join_all(types.iter().map(async |each| {
        let forecast = store.forecast_between(each.id, from, to).await?;
        let cover = store.cover_between(each.id, from, to).await?;
        Ok::<_, AppError>((each, forecast, cover))
    }))
    .await?;
    let mut teams: Vec<TeamPremise> = strategy
        .teams
        .iter()
        .map(|team| TeamPremise { team: team.id.clone(), people: vec![0; grid.intervals] })
        .collect();
    let mut premises = Vec::with_capacity(types.len());
    for (each, forecast, cover) in &planned {
        let premise = grid.premise(each, forecast);
        let home = strategy.home_team(&each.name, premise.channel);
        if let Some(team) = home.and_then(|home| teams.iter_mut().find(|team| team.team == home.id))
        {
            grid.add_people(&mut team.people, &premise, each.grain, cover);
        }
        premises.push(premise);
    }
    let LineRules { lines, seats, licences, .. } = store.line_rules(centre.id).await?;
    Ok(Premises {
        zone: centre.zone.clone(),
        start: from,
        interval_secs: secs,
        intervals: grid.intervals,
        types: premises,
        teams,
        lines,
        seats,
        licences,
    })
}

/// The intervals of a week.
struct Grid {
    from: Timestamp,
    secs: f64,
    intervals: usize,
}

impl Grid {
    /// The places of an interval that begins at a time and may be longer than the grid's.
    fn places(&self, start: Timestamp, secs: f64) -> std::ops::Range<usize> {
        let first = (start.duration_since(self.from).as_secs_f64() / self.secs).max(0.0) as usize;
        let count = (secs / self.secs).round().max(1.0) as usize;
        first.min(self.intervals)..(first + count).min(self.intervals)
    }

    fn premise(&self, each: &ContactType, forecast: &[ForecastInterval]) -> ContactTypePremise {
        let customers = trials::customers(each, None);
        let mut contacts = vec![0.0; self.intervals];
        let (mut all, mut work) = (0.0, 0.0);
        for interval in forecast {
            let places = self.places(interval.start, each.grain.secs());
            let share = interval.load.contacts / places.len().max(1) as f64;
            places.for_each(|at| contacts[at] += share);
            all += interval.load.contacts;
            work += interval.load.contacts * interval.load.handle_secs;
        }
        ContactTypePremise {
            name: each.name.clone(),
            channel: customers.channel,
            patience: customers.patience,
            handle_secs: if all > 0.0 { work / all } else { 300.0 },
            has_own_wrap_up: false,
            at_once: each.rules.concurrency,
            profiles: Vec::new(),
            contacts,
        }
    }

    fn add_people(
        &self,
        people: &mut [u32],
        premise: &ContactTypePremise,
        grain: Grain,
        cover: &[CoverInterval],
    ) {
        if cover.is_empty() {
            for (people, contacts) in people.iter_mut().zip(&premise.contacts) {
                if *contacts > 0.0 {
                    let busy = contacts * premise.handle_secs / self.secs;
                    *people += busy.ceil().max(1.0) as u32;
                }
            }
        }
        for interval in cover {
            for at in self.places(interval.start, grain.secs()) {
                people[at] = people[at].saturating_add(interval.agents);
            }
        }
    }
}
