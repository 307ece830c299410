//! What plans lead to: contacts, handle time and service level as a day began, beside what was measured.

use std::collections::BTreeMap;

use barometer_plan::{PlannedInterval, TrialInputs};
use barometer_report::facts::{Measured, Planned};
use barometer_report::{Counts, Days};
use barometer_store::{Centre, ContactType, Slots, Store};
use jiff::civil::{Date, DateTime};

use super::events::Accounted;
use super::{Reach, midnight};
use crate::planning::{Basis, expected};
use crate::{AppError, clock};

/// The plans of a report's days.
pub(super) struct Plans<'a> {
    /// Accounts of days that have gone by: they alone know the service level that a plan leads to.
    pub accounts: &'a [Accounted],
    /// Days as they were planned when they began.
    pub opening: Vec<(Date, TrialInputs)>,
}

impl Plans<'_> {
    /// What the plans say of a contact type: of days that have begun, as they began; of later ones, as they stand now.
    pub async fn of(
        &self,
        store: &Store,
        centre: &Centre,
        contact_type: &ContactType,
        measured: &[Measured],
        reach: &Reach,
    ) -> Result<Vec<Planned>, AppError> {
        let today = clock::today(centre);
        let mut plan: BTreeMap<DateTime, Counts> = match reach.slots {
            Slots::Interval => BTreeMap::new(),
            Slots::Day => self.accounted(contact_type),
        };
        let known: Vec<Date> = plan.keys().map(|at| at.date()).collect();
        for (_, inputs) in self.opening.iter().filter(|(day, _)| !known.contains(day)) {
            for (at, counts) in opened(inputs, contact_type, centre) {
                add(&mut plan, reach.slot(at), counts);
            }
        }
        let has_begun = self.opening.iter().any(|(day, _)| *day == today);
        let first_ahead = if has_begun { today.tomorrow().map_err(AppError::core)? } else { today };
        let ahead = Days { first: reach.days.first.max(first_ahead), ..reach.days };
        if ahead.first <= ahead.last {
            let days = (ahead.first, ahead.count());
            let found = expected(store, contact_type, days, &centre.zone, &Basis::Exact).await?;
            for interval in &found.plan {
                let at = reach.slot(centre.zone.to_datetime(interval.start));
                add(&mut plan, at, staffed(interval));
            }
        }
        let is_over = |at: DateTime| reach.slots == Slots::Interval || at.date() < today;
        let actual: BTreeMap<DateTime, Counts> =
            measured.iter().map(|measured| (measured.at, measured.counts)).collect();
        let beside = |(at, counts)| Planned {
            at,
            counts,
            actual: actual.get(&at).copied().filter(|_| is_over(at)),
        };
        Ok(plan.into_iter().map(beside).collect())
    }

    fn accounted(&self, contact_type: &ContactType) -> BTreeMap<DateTime, Counts> {
        let own = |accounted: &Accounted| {
            let types = &accounted.account.types;
            let own = types.iter().find(|each| each.name == contact_type.name)?;
            let level = own.level.as_ref().map(|level| level.planned);
            let abandonment = own.abandonment.as_ref().map(|share| share.planned);
            let counts = planned(own.contacts.planned, own.handle_secs.planned, level, abandonment);
            Some((midnight(accounted.day), counts))
        };
        self.accounts.iter().filter(|accounted| accounted.is_whole).filter_map(own).collect()
    }
}

/// Contacts and handle times of a contact type as a day began.
pub(super) fn opened(
    inputs: &TrialInputs,
    contact_type: &ContactType,
    centre: &Centre,
) -> Vec<(DateTime, Counts)> {
    let own = inputs.types.iter().find(|each| each.name == contact_type.name);
    let intervals = own.map_or(&[][..], |own| &own.intervals);
    let each = inputs.starts().zip(intervals).map(|(start, interval)| {
        let counts = planned(interval.contacts, interval.handle_secs, None, None);
        (centre.zone.to_datetime(start), counts)
    });
    each.collect()
}

/// An interval to come, under the people planned.
fn staffed(interval: &PlannedInterval) -> Counts {
    let outcome = interval.assessment.with_cover;
    planned(
        interval.load.contacts,
        interval.load.handle_secs,
        outcome.map(|outcome| outcome.service_level),
        outcome.map(|outcome| outcome.abandonment),
    )
}

/// Counts as planned. Where no level is planned, nobody counts as answered in time or not.
fn planned(
    contacts: f64,
    handle_secs: f64,
    level: Option<f64>,
    abandonment: Option<f64>,
) -> Counts {
    let abandoned = contacts * abandonment.unwrap_or(0.0);
    let answered = contacts - abandoned;
    Counts {
        offered: contacts,
        answered,
        abandoned,
        in_time: contacts * level.unwrap_or(0.0),
        timed_offered: level.map_or(0.0, |_| contacts),
        timed_answered: level.map_or(0.0, |_| answered),
        wait_secs: 0.0,
        handle_secs: answered * handle_secs,
        handled: answered,
        ..Counts::default()
    }
}

fn add(plan: &mut BTreeMap<DateTime, Counts>, at: DateTime, counts: Counts) {
    let sum = plan.entry(at).or_default();
    *sum = *sum + counts;
}
