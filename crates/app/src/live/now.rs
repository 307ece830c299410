//! The day that is going on, put together for the core: what is expected of its rest, who is really there.

use barometer_forecast::{Uncertainty, departure_lately, rest_of_day};
use barometer_plan::{DayNow, PlannedBreak, TrialType};
use barometer_simulate::{DemandLuck, TypeCounts};
use barometer_store::{Break, Centre, Store};
use barometer_wire::SwitchState;
use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};

use super::day_plan::{Luck, planned_day};
use crate::AppError;
use crate::planning::span;

/// Day factors from which the rest of a day is drawn.
const FACTORS: usize = 40;
/// Contacts that must have been handled before today's handle time is taken for the rest of the day.
const HANDLED: f64 = 30.0;

/// A contact type's day until now, beside its forecast.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TypeNow {
    /// Contacts that were forecast for the intervals that are over.
    pub forecast: f64,
    /// Contacts that came in them.
    pub came: f64,
    /// What the day is to its forecast, as far as can be said.
    pub factor: f64,
    /// Contacts that were forecast for the whole day.
    pub whole_day: f64,
}

/// The day that is going on, by the strategy that is live.
#[derive(Clone, Debug)]
pub struct Today {
    /// Which day, in the centre's zone.
    pub date: Date,
    /// For the engine.
    pub now: DayNow,
    /// Beside it, in the order of its contact types.
    pub types: Vec<TypeNow>,
    /// The people who are planned, by team and interval.
    pub planned: Vec<Vec<u32>>,
    /// Contacts that are forecast, by contact type and interval.
    pub forecast: Vec<Vec<f64>>,
    /// Intervals of the day that come before those of the inputs.
    pub before: usize,
    /// Breaks that are still to begin, in the order of those of `now`.
    pub breaks: Vec<Break>,
}

impl Today {
    /// The day as it is with a state of the switch.
    ///
    /// # Errors
    ///
    /// [`AppError::Refused`] says what is not planned; another when the database fails.
    pub async fn of(store: &Store, centre: &Centre, state: &SwitchState) -> Result<Self, AppError> {
        let Some(live) = store.live_release(centre.id).await? else {
            return Err(AppError::Refused("No strategy is live.".to_owned()));
        };
        let strategy = store.strategy(live.version_id).await?;
        let date = state.clock.date;
        let mut inputs = planned_day(store, centre, &strategy, (date, Luck::None)).await?;
        let (start, _) = span(date, 1, &centre.zone)?;
        let secs = inputs.interval_secs;
        let offset_secs = inputs.start.duration_since(start).as_secs_f64();
        let before = (offset_secs / secs).round() as usize;
        let present = state.present.clone().moved(offset_secs, secs, secs);
        let interval = (present.at_secs / secs).max(0.0) as usize;
        let planned = inputs.teams.iter().map(|team| team.agents.clone()).collect();
        let forecast = inputs.types.iter().map(|each| {
            each.intervals.iter().map(|interval| interval.contacts).collect::<Vec<f64>>()
        });
        let forecast: Vec<Vec<f64>> = forecast.collect();
        for team in &mut inputs.teams {
            let Some(there) = state.teams.iter().find(|each| each.team == team.team) else {
                continue;
            };
            // The share that is missing now, or there besides, is so for the rest of the day.
            let now = team.agents.get(interval).copied().unwrap_or(0);
            if now > 0 {
                let share = f64::from(there.on_shift) / f64::from(now);
                for people in team.agents.iter_mut().skip(interval).filter(|people| **people > 0) {
                    *people = (f64::from(*people) * share).round().max(1.0) as u32;
                }
            }
        }
        let all = store.contact_types(centre.id).await?;
        let (mut so_far, mut types) = (Vec::new(), Vec::new());
        for (of_type, forecast) in inputs.types.iter_mut().zip(&forecast) {
            let there = state.types.iter().find(|each| each.contact_type == of_type.name);
            let rows = there.map(|each| each.intervals.as_slice()).unwrap_or_default();
            let known = all.iter().find(|each| each.name == of_type.name);
            let head = match known {
                Some(known) => store.forecast(known.id).await?,
                None => None,
            };
            let uncertainty = head.and_then(|head| head.uncertainty);
            let today = rows.get(before.min(rows.len())..).unwrap_or_default();
            let over = &today[..interval.min(today.len())];
            types.push(expect(of_type, forecast, over, secs, uncertainty.as_ref()));
            so_far.push(rows.iter().sum());
        }
        let end = at_secs(inputs.start, secs * inputs.interval_count() as f64);
        let breaks = store.breaks_between(centre.id, state.clock.now, end).await?;
        // A break of people who are at work for a contact type that the strategy does not know is nobody's.
        let of_team = |each: &Break| {
            let name = &all.iter().find(|known| known.id == each.contact_type)?.name;
            let kind = inputs.types.iter().position(|kind| kind.name == *name)?;
            let after = |at: Timestamp| at.duration_since(inputs.start).as_secs_f64();
            Some(PlannedBreak {
                team: inputs.home_of(kind)?.team.clone(),
                from_secs: after(each.from),
                until_secs: after(each.until),
                work_ends_secs: after(each.work_ends),
            })
        };
        let (breaks, planned_breaks) =
            breaks.into_iter().filter_map(|each| Some((each, of_team(&each)?))).unzip();
        let now = DayNow { inputs, present, so_far, breaks: planned_breaks };
        Ok(Self { date, now, types, planned, forecast, before, breaks })
    }
}

impl Today {
    /// Pressure at home of a contact type in an interval that is over: the work that came in it by the time of those
    /// who were there; `None` where either is not known.
    pub fn pressure_was(&self, state: &SwitchState, of: usize, interval: usize) -> Option<f64> {
        let kind = self.now.inputs.types.get(of)?;
        let home = self.now.inputs.home_of(of)?;
        let of_day = self.before + interval;
        let came = state.types.iter().find(|each| each.contact_type == kind.name)?;
        let team = state.teams.iter().find(|each| each.team == home.team)?;
        let counts = came.intervals.get(of_day)?;
        let staffed_secs = team.intervals.get(of_day)?.staffed_secs;
        let handle_secs =
            if counts.handled > 0.0 { counts.handle_secs / counts.handled } else { 0.0 };
        let work_secs = counts.offered * handle_secs / f64::from(kind.rules.concurrency.max(1));
        (staffed_secs > 0.0 && work_secs > 0.0).then(|| work_secs / staffed_secs)
    }
}

fn at_secs(start: Timestamp, secs: f64) -> Timestamp {
    start.checked_add(SignedDuration::from_secs_f64(secs)).unwrap_or(Timestamp::MAX)
}

/// Puts what is expected of the rest of the day into a contact type, from what came in the intervals that are over.
fn expect(
    of_type: &mut TrialType,
    forecast: &[f64],
    over: &[TypeCounts],
    interval_secs: f64,
    uncertainty: Option<&Uncertainty>,
) -> TypeNow {
    let came: Vec<Option<f64>> = over.iter().map(|counts| Some(counts.offered)).collect();
    let until_now: f64 = forecast.iter().take(came.len()).sum();
    let seen: f64 = came.iter().flatten().sum();
    let (mut factor, mut spread) = (1.0, 0.0);
    if let Some(uncertainty) = uncertainty {
        let rest = rest_of_day(forecast, &came, 1, uncertainty);
        (factor, spread) = (rest.factor, rest.factor_spread / rest.factor.max(1e-9));
    }
    let handled: TypeCounts = over.iter().sum();
    let planned_secs: f64 = over
        .iter()
        .zip(&of_type.intervals)
        .map(|(counts, expected)| counts.handled * expected.handle_secs)
        .sum();
    let slower = if handled.handled >= HANDLED && planned_secs > 0.0 {
        handled.handle_secs / planned_secs
    } else {
        1.0
    };
    let lately = departure_lately(forecast, &came, factor, interval_secs);
    let rest = of_type.intervals.iter_mut().skip(came.len());
    rest.zip(lately).for_each(|(expected, lately)| expected.contacts *= factor * lately);
    of_type.intervals.iter_mut().for_each(|expected| expected.handle_secs *= slower);
    of_type.luck = uncertainty.map(|uncertainty| DemandLuck {
        day_factors: (0..FACTORS)
            .map(|nth| {
                let share = (nth as f64 + 0.5) / FACTORS as f64;
                (1.0 + spread * barometer_plan::normal_quantile(share)).max(0.0)
            })
            .collect(),
        interval_variance: uncertainty.interval_noise(1),
    });
    TypeNow { forecast: until_now, came: seen, factor, whole_day: forecast.iter().sum() }
}
