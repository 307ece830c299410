//! What the switch was told: what is live, who is planned, what goes wrong. Nothing here changes in place: what is
//! told makes another [`Known`], if it can be done.

use std::collections::BTreeMap;

use barometer_strategy::Strategy;
use barometer_wire::{Accepted, DayPlan, Disturbance, Live, Release, digest};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use serde::{Deserialize, Serialize};

use crate::span::start_of;
use crate::truth::{self, STEP_SECS};

/// Days whose plans are kept after they are over.
const DAYS_KEPT: i64 = 2;
/// Disturbances that are kept, at most.
const MOST_DISTURBANCES: usize = 200;

/// Everything that was told to the switch.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Known {
    /// Tells this switch from one that has begun anew.
    pub switch: String,
    pub release: Option<KnownRelease>,
    pub plans: BTreeMap<Date, DayPlan>,
    pub disturbances: Vec<Disturbance>,
    /// Contact types in the order in which they were met first: their numbers stay the same.
    pub types: Vec<String>,
    /// The day that the world is in; none before it has begun.
    pub date: Option<Date>,
}

/// What is live, and since when.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct KnownRelease {
    pub release: Release,
    pub accepted: Accepted,
}

/// Why something is not done.
#[derive(Debug)]
pub(crate) enum Refused {
    /// It contradicts what was told before.
    Conflict(String),
    /// It cannot be done.
    Impossible(String),
    /// The switch has failed.
    Failed(String),
}

pub(crate) type Answer<T> = Result<T, Refused>;

/// The strategy of a release.
pub(crate) fn read(release: &Release) -> Result<Strategy, String> {
    Strategy::from_json(&release.strategy.to_string()).map_err(|error| error.to_string())
}

impl Known {
    /// The zone in which days begin.
    pub fn zone(&self, otherwise: &TimeZone) -> TimeZone {
        let named = self.plans.values().next_back();
        let zone = named.and_then(|plan| TimeZone::get(&plan.zone).ok());
        zone.unwrap_or_else(|| otherwise.clone())
    }

    /// What is live, and which plans are there, for those who ask.
    pub fn live(&self) -> Live {
        let release = self.release.as_ref();
        Live {
            switch: self.switch.clone(),
            release: release.map(|known| known.accepted.clone()),
            version: release.map(|known| known.release.version),
            days: self.plans.iter().map(|(date, plan)| (*date, plan.digest())).collect(),
        }
    }

    /// What goes wrong at a moment.
    pub fn disturbances_at(&self, at: Timestamp) -> Vec<Disturbance> {
        let all = self.disturbances.iter().filter(|each| {
            let (from, minutes) = truth::span(each);
            truth::goes_on(from, minutes, at)
        });
        all.cloned().collect()
    }

    /// With a release made live. What is there already, or would be again, changes nothing.
    pub fn with_release(
        &self,
        release: Release,
        now: Timestamp,
        can_play: impl FnOnce(&Self) -> Result<(), String>,
    ) -> Answer<(Accepted, Option<Self>)> {
        if digest(&release.strategy) != release.digest {
            return Err(Refused::Impossible("the digest is not that of the strategy".to_owned()));
        }
        if let Some(live) = &self.release {
            let (there, number) = (live.release.number, release.number);
            if there == number && live.release.digest == release.digest {
                return Ok((live.accepted.clone(), None));
            }
            if there == number {
                return Err(Refused::Conflict(format!(
                    "release {number} stands for another strategy already"
                )));
            }
            if number < there {
                return Err(Refused::Conflict(format!(
                    "release {there} is live, which is later than {number}"
                )));
            }
        }
        let strategy = read(&release).map_err(Refused::Impossible)?;
        if let Some(fault) = strategy.faults().into_iter().next() {
            let message = format!("{}: {}", fault.field, fault.message);
            return Err(Refused::Impossible(message));
        }
        let accepted =
            Accepted { number: release.number, digest: release.digest.clone(), since: now };
        let known = KnownRelease { release, accepted: accepted.clone() };
        let next = Self { release: Some(known), ..self.clone() };
        can_play(&next).map_err(Refused::Impossible)?;
        Ok((accepted, Some(next)))
    }

    /// With the plan of a day; none where it is the same as before.
    pub fn with_plan(
        &self,
        plan: DayPlan,
        can_play: impl FnOnce(&Self) -> Result<(), String>,
    ) -> Answer<Option<Self>> {
        check(&plan).map_err(Refused::Impossible)?;
        if self.plans.get(&plan.date) == Some(&plan) {
            return Ok(None);
        }
        let mut next = self.clone();
        for caller in &plan.callers {
            if !next.types.contains(&caller.contact_type) {
                next.types.push(caller.contact_type.clone());
            }
        }
        next.plans.insert(plan.date, plan);
        can_play(&next).map_err(Refused::Impossible)?;
        Ok(Some(next))
    }

    /// With more that goes wrong; none where all of it is known.
    pub fn with_disturbances(&self, disturbances: Vec<Disturbance>) -> Answer<Option<Self>> {
        for disturbance in &disturbances {
            check_disturbance(disturbance).map_err(Refused::Impossible)?;
        }
        let fresh: Vec<Disturbance> =
            disturbances.into_iter().filter(|each| !self.disturbances.contains(each)).collect();
        if fresh.is_empty() {
            return Ok(None);
        }
        let mut next = self.clone();
        next.disturbances.extend(fresh);
        if next.disturbances.len() > MOST_DISTURBANCES {
            let message = "disturbances: too much goes wrong already".to_owned();
            return Err(Refused::Impossible(message));
        }
        Ok(Some(next))
    }

    /// Goes on to a day, and forgets what is over.
    pub fn go_on_to(&mut self, date: Date, zone: &TimeZone) {
        self.date = Some(date);
        let kept_from = date.saturating_sub(DAYS_KEPT.days());
        self.plans.retain(|date, _| *date >= kept_from);
        let began = start_of(kept_from, zone);
        self.disturbances.retain(|each| {
            let (from, minutes) = truth::span(each);
            truth::goes_on(from, minutes, began) || from >= began
        });
    }
}

/// What does not add up in a plan.
fn check(plan: &DayPlan) -> Result<(), String> {
    let zone =
        TimeZone::get(&plan.zone).map_err(|_| format!("zone: “{}” is no time zone", plan.zone))?;
    if start_of(plan.date, &zone) != plan.start {
        return Err(format!("start: {} does not begin then in {}", plan.date, plan.zone));
    }
    let steps = plan.interval_secs / STEP_SECS;
    if !(1.0..=24.0).contains(&steps) || steps.fract() != 0.0 {
        return Err("interval_secs: a multiple of 300, at most 7200".to_owned());
    }
    let tomorrow = plan.date.tomorrow().map_err(|error| error.to_string())?;
    let day_secs = start_of(tomorrow, &zone).duration_since(plan.start).as_secs_f64();
    let intervals = (day_secs / plan.interval_secs).round() as usize;
    let people = plan.teams.iter().map(|team| (&team.team, team.people.len()));
    let expected = plan.callers.iter().map(|caller| (&caller.contact_type, caller.intervals.len()));
    for (name, got) in people.chain(expected) {
        if got != intervals {
            return Err(format!("{name}: {got} intervals, and the day has {intervals}"));
        }
    }
    Ok(())
}

fn check_disturbance(disturbance: &Disturbance) -> Result<(), String> {
    let (_, minutes) = truth::span(disturbance);
    if !(minutes > 0.0 && minutes <= 1440.0) {
        return Err("minutes: more than 0, at most 1440".to_owned());
    }
    match disturbance {
        Disturbance::Storm { factor, .. } | Disturbance::CampaignBurst { factor, .. }
            if !(*factor >= 0.0 && *factor <= 20.0) =>
        {
            Err("factor: 0 to 20".to_owned())
        }
        _ => Ok(()),
    }
}
