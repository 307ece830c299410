//! The plan of a day as the switch is told it.

use barometer_plan::{AssemblyError, CoverChoice, TeamPeople, TrialInputs};
use barometer_simulate::DemandInterval;
use barometer_store::{Centre, Store};
use barometer_strategy::Strategy;
use barometer_wire::{Caller, DayPlan, PlannedTeam};
use jiff::civil::Date;

use crate::AppError;
use crate::planning::{Basis, span};
use crate::trials::Scope;

/// Whether a planned day is to be as uncertain as forecasts have been.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Luck {
    /// The forecast is taken as exact.
    None,
    /// Days depart from the forecast as they have before.
    AsMeasured,
}

/// What a trial of a day with the planned people would play: everything that is forecast, and everybody who is
/// planned.
///
/// # Errors
///
/// [`AppError::Refused`] says what is not planned; another when the database fails.
pub(crate) async fn planned_day(
    store: &Store,
    centre: &Centre,
    strategy: &Strategy,
    (date, luck): (Date, Luck),
) -> Result<TrialInputs, AppError> {
    let all = store.contact_types(centre.id).await?;
    let scope = Scope::of(&all, &[]);
    let days = scope.days(date, 1);
    let basis = match luck {
        Luck::None => Basis::Exact,
        Luck::AsMeasured => Basis::Uncertain,
    };
    let mut plans = scope.plans(store, &centre.zone, &days, None, &basis).await?;
    // A contact type that this strategy does not receive comes in nowhere.
    plans.retain(|plan| strategy.entry_of(&plan.name).is_some());
    let people = TeamPeople::of(CoverChoice::Planned);
    TrialInputs::of_centre(strategy.clone(), &centre.zone, &plans, &people).map_err(|error| {
        match error {
            AssemblyError::NothingPlanned(name) => {
                AppError::Refused(format!("nobody is planned for {name} on {date}"))
            }
            error => AppError::Refused(format!("{date}: {error}")),
        }
    })
}

/// The same as a switch is told it: all intervals of the day.
///
/// # Errors
///
/// As [`planned_day`].
pub(super) async fn day_plan(
    store: &Store,
    centre: &Centre,
    strategy: &Strategy,
    date: Date,
) -> Result<DayPlan, AppError> {
    let planned = planned_day(store, centre, strategy, (date, Luck::None)).await?;
    let (start, end) = span(date, 1, &centre.zone)?;
    let secs = planned.interval_secs;
    let intervals = (end.duration_since(start).as_secs_f64() / secs).round() as usize;
    let before = (planned.start.duration_since(start).as_secs_f64() / secs).round() as usize;
    let teams = planned.teams.iter().map(|team| PlannedTeam {
        team: team.team.clone(),
        people: padded(&team.agents, before, intervals, 0, 0),
    });
    let callers = planned.types.iter().map(|each| {
        // Whoever tries again while it is closed takes as long as the nearest who came.
        let nobody = |like: Option<&DemandInterval>| DemandInterval {
            contacts: 0.0,
            handle_secs: like.map_or(0.0, |like| like.handle_secs),
        };
        let (first, last) = (nobody(each.intervals.first()), nobody(each.intervals.last()));
        Caller {
            contact_type: each.name.clone(),
            within_secs: each.rules.within_secs,
            customers: each.customers.clone(),
            intervals: padded(&each.intervals, before, intervals, first, last),
        }
    });
    Ok(DayPlan {
        date,
        zone: planned.zone.clone(),
        start,
        interval_secs: secs,
        teams: teams.collect(),
        callers: callers.collect(),
    })
}

fn padded<T: Copy>(rows: &[T], before: usize, all: usize, first: T, last: T) -> Vec<T> {
    let mut padded = vec![first; before.min(all)];
    padded.extend(rows.iter().take(all - padded.len()));
    padded.resize(all, last);
    padded
}
