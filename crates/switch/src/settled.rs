//! Intervals that are over: all of whose contacts are done with.

use std::collections::HashSet;

use barometer_simulate::{DayCounts, Present, PresentAt, PresentErrand, TeamCounts, TypeCounts};
use barometer_wire::{DayPlan, Disturbance, IntervalRow, StaffingRow};
use jiff::{SignedDuration, Timestamp};

use crate::truth::{STEP_SECS, goes_on, span, steps_of};

/// A planned day among the steps of the world: its plan and the place of its first step.
pub(crate) struct PlannedDay<'a> {
    pub plan: &'a DayPlan,
    pub first_step: usize,
}

impl PlannedDay<'_> {
    /// What came of a contact type in an interval of the day.
    pub fn counts(&self, counts: &DayCounts, contact_type: &str, interval: usize) -> TypeCounts {
        self.sum(counts.types.get(contact_type), interval)
    }

    /// What was counted of a team in an interval of the day.
    fn staffing(&self, counts: &DayCounts, team: &str, interval: usize) -> TeamCounts {
        self.sum(counts.teams.get(team), interval)
    }

    /// Most people of a team who were on shift at the same time in an interval of the day: they come and go with
    /// steps.
    fn most_on_shift(&self, counts: &DayCounts, team: &str, interval: usize) -> u32 {
        let steps = self.steps(counts.teams.get(team), interval);
        let most = steps.map(|step| step.staffed_secs / STEP_SECS).fold(0.0, f64::max);
        most.round() as u32
    }

    fn sum<'r, T: std::iter::Sum<&'r T>>(&self, rows: Option<&'r Vec<T>>, interval: usize) -> T {
        self.steps(rows, interval).sum()
    }

    fn steps<'r, T>(
        &self,
        rows: Option<&'r Vec<T>>,
        interval: usize,
    ) -> impl Iterator<Item = &'r T> {
        let steps = steps_of(self.plan.interval_secs);
        let rows = rows.map(Vec::as_slice).unwrap_or_default();
        rows.iter().skip(self.first_step + interval * steps).take(steps)
    }

    fn start_of(&self, interval: usize) -> Timestamp {
        let secs = interval as f64 * self.plan.interval_secs;
        let later = SignedDuration::from_secs_f64(secs);
        self.plan.start.checked_add(later).unwrap_or(Timestamp::MAX)
    }
}

/// Contact types and steps of which somebody is still on the line or with an agent.
pub(crate) fn under_way(present: &Present) -> HashSet<(&str, usize)> {
    let here = present.contacts.iter().filter(|contact| {
        matches!(contact.errand, PresentErrand::Customer | PresentErrand::HandedOver)
            || matches!(
                (&contact.errand, &contact.at),
                (PresentErrand::Callback { .. }, PresentAt::WithAgent { .. })
            )
    });
    here.map(|contact| (contact.contact_type.as_str(), contact.interval as usize)).collect()
}

/// Rows of a day that can be told now and were not. With `all`, whatever is still open is told as it is: the day
/// is about to be forgotten.
pub(crate) fn rows(
    day: &PlannedDay<'_>,
    counts: &DayCounts,
    under_way: &HashSet<(&str, usize)>,
    disturbances: &[Disturbance],
    is_told: impl Fn(&str, Timestamp) -> bool,
    (now, all): (Timestamp, bool),
) -> Vec<IntervalRow> {
    let steps = steps_of(day.plan.interval_secs);
    let mut rows = Vec::new();
    for interval in 0..day.plan.len() {
        let start = day.start_of(interval);
        if day.start_of(interval + 1) > now {
            break;
        }
        for caller in &day.plan.callers {
            let name = caller.contact_type.as_str();
            let of = day.counts(counts, name, interval);
            let expected = caller.intervals.get(interval).map_or(0.0, |each| each.contacts);
            if is_told(name, start) || (of.offered == 0.0 && expected == 0.0) {
                continue;
            }
            let from = day.first_step + interval * steps;
            let is_open = (from..from + steps).any(|step| under_way.contains(&(name, step)));
            if is_open && !all {
                continue;
            }
            let moments = (0..steps).filter_map(|step| {
                let later = SignedDuration::from_secs_f64(step as f64 * STEP_SECS);
                start.checked_add(later).ok()
            });
            let is_out = |at: Timestamp| {
                disturbances.iter().any(|each| {
                    let (from, minutes) = span(each);
                    matches!(each, Disturbance::Outage { .. }) && goes_on(from, minutes, at)
                })
            };
            rows.push(IntervalRow {
                sequence: 0,
                contact_type: name.to_owned(),
                start,
                secs: day.plan.interval_secs,
                offered: of.offered as u32,
                answered: of.answered as u32,
                in_time: of.in_time as u32,
                abandoned: of.abandoned as u32,
                elsewhere: of.elsewhere as u32,
                wait_secs: of.wait_secs,
                handled: of.handled as u32,
                handle_secs: of.handle_secs,
                wrap_up_secs: (of.wrap_up_secs > 0.0).then_some(of.wrap_up_secs),
                outage: moments.into_iter().any(is_out),
            });
        }
    }
    rows
}

/// Who was on shift in intervals of a day that are over and were not told. A team for which nobody was planned and
/// nobody was there is left out.
pub(crate) fn staffing(
    day: &PlannedDay<'_>,
    counts: &DayCounts,
    is_told: impl Fn(&str, Timestamp) -> bool,
    now: Timestamp,
) -> Vec<StaffingRow> {
    let is_over = |interval: &usize| day.start_of(interval + 1) <= now;
    let mut rows = Vec::new();
    for interval in (0..day.plan.len()).take_while(is_over) {
        let start = day.start_of(interval);
        for team in &day.plan.teams {
            let TeamCounts { staffed_secs, busy_secs } = day.staffing(counts, &team.team, interval);
            let is_planned = team.people.get(interval).is_some_and(|people| *people > 0);
            if is_told(&team.team, start) || !(is_planned || staffed_secs > 0.0) {
                continue;
            }
            rows.push(StaffingRow {
                sequence: 0,
                team: team.team.clone(),
                start,
                secs: day.plan.interval_secs,
                staffed_secs,
                busy_secs,
                most_on_shift: Some(day.most_on_shift(counts, &team.team, interval)),
            });
        }
    }
    rows
}
