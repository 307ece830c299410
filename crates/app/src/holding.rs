//! On how many days like the planned ones every target holds: the days of the outlook and the need of a day, from the
//! same simulated days as a trial of them.

use barometer_plan::{CoverChoice, Model, Question, TeamPeople, TrialInputs};
use barometer_store::{Centre, ContactType, KeptAnswer, Store};
use barometer_strategy::Strategy;
use jiff::civil::Date;
use uuid::Uuid;

use crate::AppError;
use crate::live::day_plan::{Luck, planned_day};
use crate::planning::Basis;
use crate::trials::Scope;

/// Shares of days for which a day's need is worked out.
pub const CHANCES: [f64; 3] = [0.7, 0.8, 0.9];

/// Whether what nobody has asked yet is worked out now.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ask {
    /// It is queued for a worker.
    Now,
    /// Only what was asked before is told.
    KnownOnly,
}

/// A planned day.
#[derive(Debug)]
pub struct PlannedDay {
    /// Its date.
    pub date: Date,
    /// What a trial of it plays, and what its simulated days are, or the run that works them out, where that was asked;
    /// else what is not planned.
    pub asked: Result<(TrialInputs, Option<KeptAnswer>), String>,
}

/// How often the live strategy holds with the people who are planned for these days, every contact type included;
/// empty before anything is live.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn planned_days(
    store: &Store,
    centre: &Centre,
    dates: &[Date],
    ask: Ask,
    (address, by): (&str, Uuid),
) -> Result<Vec<PlannedDay>, AppError> {
    let Some(strategy) = live_strategy(store, centre.id).await? else { return Ok(Vec::new()) };
    let mut days = Vec::with_capacity(dates.len());
    for &date in dates {
        let asked = match planned_day(store, centre, &strategy, (date, Luck::AsMeasured)).await {
            Ok(inputs) => {
                let question = Question::Days { inputs: Box::new(inputs.clone()) };
                Ok((inputs, asked(store, centre.id, &question, ask, (address, by)).await?))
            }
            Err(AppError::Refused(why)) => Err(why),
            Err(error) => return Err(error),
        };
        days.push(PlannedDay { date, asked });
    }
    Ok(days)
}

/// How many people a day of one contact type takes in the live strategy, by how surely it is to hold; `None` where
/// nothing is live or forecast, where the strategy does not receive the contact type, or where its work can wait.
///
/// # Errors
///
/// [`AppError`] when the database fails.
pub async fn day_need(
    store: &Store,
    centre: &Centre,
    contact_type: &ContactType,
    date: Date,
    ask: Ask,
    (address, by): (&str, Uuid),
) -> Result<Option<(TrialInputs, Option<KeptAnswer>)>, AppError> {
    if Model::for_rules(&contact_type.rules) == Model::Deadline {
        return Ok(None);
    }
    let Some(strategy) = live_strategy(store, centre.id).await? else { return Ok(None) };
    let scope = Scope::of(std::slice::from_ref(contact_type), &[]);
    let days = scope.days(date, 1);
    let plans = scope.plans(store, &centre.zone, &days, None, &Basis::Uncertain).await?;
    if plans.iter().any(|plan| plan.luck.is_none()) {
        return Ok(None);
    }
    let with = |choice: CoverChoice| {
        TrialInputs::of_centre(strategy.clone(), &centre.zone, &plans, &TeamPeople::of(choice))
    };
    // Where nothing is planned, only the need is sized.
    let Ok(inputs) = with(CoverChoice::Planned).or_else(|_| with(CoverChoice::Fixed(0))) else {
        return Ok(None);
    };
    let question =
        Question::DayNeed { inputs: Box::new(inputs.clone()), chances: CHANCES.to_vec() };
    let kept = asked(store, centre.id, &question, ask, (address, by)).await?;
    Ok(Some((inputs, kept)))
}

async fn asked(
    store: &Store,
    centre: Uuid,
    question: &Question,
    ask: Ask,
    (address, by): (&str, Uuid),
) -> Result<Option<KeptAnswer>, AppError> {
    Ok(match ask {
        Ask::Now => Some(store.ask(centre, question, address, Some(by)).await?),
        Ask::KnownOnly => store.asked_before(centre, question).await?,
    })
}

async fn live_strategy(store: &Store, centre: Uuid) -> Result<Option<Strategy>, AppError> {
    match store.live_release(centre).await? {
        Some(live) => Ok(Some(store.strategy(live.version_id).await?)),
        None => Ok(None),
    }
}
