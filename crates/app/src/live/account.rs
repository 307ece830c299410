//! Why a day ended differently from its plan: puts together what was planned and what was measured.

use barometer_plan::{AccountInputs, ActualInterval, LaterRelease};
use barometer_store::{Centre, OpeningPlan, Store};
use barometer_strategy::Strategy;
use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};
use uuid::Uuid;

use super::day_plan::{Luck, planned_day};
use crate::AppError;
use crate::planning::span;

/// Keeps today's plan, unless one is kept already.
///
/// # Errors
///
/// [`AppError::Refused`] says what is not planned; another when the database fails.
pub(super) async fn keep_opening_plan(
    store: &Store,
    centre: &Centre,
    (version, strategy): (Uuid, &Strategy),
    (date, now): (Date, Timestamp),
) -> Result<(), AppError> {
    let inputs = planned_day(store, centre, strategy, (date, Luck::AsMeasured)).await?;
    let plan = OpeningPlan { kept_at: now, version, inputs };
    Ok(store.keep_opening_plan(centre.id, date, &plan).await?)
}

/// Queues the account of a day, or gives the one there is. A day that is going on is accounted for until its last
/// interval of which the switch has told everything; a day that is over, as a whole.
///
/// # Errors
///
/// [`AppError::Refused`] says what is missing; another when the database fails.
pub async fn queue_account(
    store: &Store,
    centre: &Centre,
    (date, now): (Date, Timestamp),
    by: Option<Uuid>,
) -> Result<Uuid, AppError> {
    let Some(opening) = store.opening_plan(centre.id, date).await? else {
        let message =
            format!("No plan was kept for {date}: Barometer did not hear the switch on that day.");
        return Err(AppError::Refused(message));
    };
    let (inputs, until) = inputs(store, centre, opening, (date, now)).await?;
    if inputs.until == 0 {
        let message = "No interval of the day has ended yet. Ask again in half an hour.";
        return Err(AppError::Refused(message.to_owned()));
    }
    Ok(store.queue_account(centre.id, (date, until), &inputs, by).await?)
}

async fn inputs(
    store: &Store,
    centre: &Centre,
    opening: OpeningPlan,
    (date, now): (Date, Timestamp),
) -> Result<(AccountInputs, Timestamp), AppError> {
    let planned = opening.inputs;
    let (day_from, day_to) = span(date, 1, &centre.zone)?;
    let starts: Vec<Timestamp> = planned.starts().collect();
    let place = |start: Timestamp| starts.binary_search(&start).ok();

    let rows = store.switch_rows(centre.id, day_from, day_to).await?;
    let mut actual: Vec<Vec<Option<ActualInterval>>> =
        vec![vec![None; starts.len()]; planned.types.len()];
    for row in rows {
        let kind = planned.types.iter().position(|each| each.name == row.contact_type);
        let (Some(kind), Some(interval)) = (kind, place(row.start)) else { continue };
        actual[kind][interval] = Some(ActualInterval {
            offered: f64::from(row.offered),
            in_time: f64::from(row.in_time),
            abandoned: f64::from(row.abandoned),
            handled: f64::from(row.handled),
            handle_secs: row.handle_secs,
        });
    }

    let rows = store.staffing_rows(centre.id, day_from, day_to).await?;
    let mut present: Vec<Vec<Option<f64>>> = vec![vec![None; starts.len()]; planned.teams.len()];
    let mut most_present = present.clone();
    for row in rows {
        let team = planned.teams.iter().position(|each| each.team == row.team);
        let (Some(team), Some(interval)) = (team, place(row.start)) else { continue };
        present[team][interval] = Some(row.staffed_secs / row.secs.max(1.0));
        most_present[team][interval] = row.most_on_shift.map(f64::from);
    }

    let is_over = now >= day_to;
    let until = if is_over { starts.len() } else { closed_intervals(&actual, &planned) };
    let until_at = starts.get(until).copied().unwrap_or(day_to);

    let releases = store.releases_between(centre.id, opening.kept_at, until_at).await?;
    let (mut later, mut live) = (Vec::new(), opening.version);
    for (at, version) in releases {
        let at_secs = at.duration_since(planned.start).as_secs_f64();
        if at_secs > 0.0 && version != live {
            later.push(LaterRelease { at_secs, strategy: store.strategy(version).await? });
        }
        live = version;
    }

    let live = later.last().map_or(&planned.strategy, |release| &release.strategy);
    let last = planned_day(store, centre, live, (date, Luck::None)).await;
    let replanned = planned.teams.iter().map(|team| match &last {
        Ok(last) => {
            let offset = planned.start.duration_since(last.start);
            let skipped = intervals_in(offset, last.interval_secs);
            let people = last.teams.iter().find(|each| each.team == team.team);
            let people = people.map(|each| each.agents.iter().copied().skip(skipped));
            let mut people: Vec<u32> = people.into_iter().flatten().collect();
            people.resize(starts.len(), 0);
            people
        }
        Err(_) => team.agents.clone(),
    });
    let replanned = replanned.collect();
    let inputs =
        AccountInputs { replanned, present, most_present, actual, releases: later, until, planned };
    Ok((inputs, until_at))
}

fn intervals_in(span: SignedDuration, interval_secs: f64) -> usize {
    (span.as_secs_f64() / interval_secs).round().max(0.0) as usize
}

/// Intervals from the first one on of which everything is known of every contact type that is answered at once.
/// Messages that are answered later do not hold the account up.
fn closed_intervals(
    actual: &[Vec<Option<ActualInterval>>],
    planned: &barometer_plan::TrialInputs,
) -> usize {
    let at_once = planned
        .types
        .iter()
        .zip(actual)
        .filter(|(of_type, _)| of_type.customers.channel != barometer_strategy::Channel::Task);
    let closed = at_once.map(|(of_type, actual)| {
        let expected = of_type.intervals.iter().map(|each| each.contacts > 0.0);
        let is_open = expected.zip(actual).position(|(expected, row)| expected && row.is_none());
        is_open.unwrap_or(actual.len())
    });
    closed.min().unwrap_or(0)
}
