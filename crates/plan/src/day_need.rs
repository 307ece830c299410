//! How many people a whole day takes, so that it holds on a share of such days.
//!
//! An interval's need answers for that interval alone. A day has one factor by which all its contacts are off the
//! forecast, and its targets are kept over the day: quiet hours make up for a busy one. So the day is simulated, as
//! uncertain as its forecast, with the need of each interval under 0.70 to 2.00 times the expected contacts; the
//! smallest of these days of people that holds on the wanted share of days is its need.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::need::{Model, NeedError, NeedSearch};
use crate::schedule::agent_hours;
use crate::trial::{DayByDay, HoldingDays, TrialInputs};
use crate::{IntervalLoad, Rules};

/// Shares of the expected contacts that people are sized for, in per cent.
const LOADS: std::ops::RangeInclusive<u32> = 70..=200;

/// Halvings of the loads, the expected one and the planned people.
const MOST_DAYS_OF_PEOPLE: u32 = 8;

/// People interval by interval, and the days on which every target holds with them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SizedDay {
    /// People on the phones, interval by interval.
    pub agents: Vec<u32>,
    /// Simulated days on which every target holds.
    pub held: HoldingDays,
}

/// The smallest day of people that holds on a share of days.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SureDay {
    /// The share of days, 0 to 1.
    pub chance: f64,
    /// The people; `None` where the need of twice the expected contacts does not hold as often.
    pub people: Option<SizedDay>,
}

/// A day's need, by how surely the day is to hold.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DayNeed {
    /// With each interval's own need, of the expected contacts.
    pub own: SizedDay,
    /// With the people of the question, where anybody is planned.
    pub planned: Option<SizedDay>,
    /// For each share of days that was asked for.
    pub sure: Vec<SureDay>,
}

/// The most simulated days that [`day_need`] plays for this many shares of days.
pub(crate) fn steps(inputs: &TrialInputs, chances: usize) -> u32 {
    let days_of_people =
        2 + MOST_DAYS_OF_PEOPLE.saturating_mul(u32::try_from(chances).unwrap_or(u32::MAX));
    days_of_people.saturating_mul(inputs.replications)
}

/// The need of the day of `inputs`, a trial of one contact type with the planned people, for each share of days.
/// `goes_on` is told how many days are played, and `None` comes where it says no.
///
/// # Errors
///
/// Why the day cannot be sized or played, as people read it.
pub(crate) fn day_need(
    inputs: &TrialInputs,
    chances: &[f64],
    goes_on: &mut dyn FnMut(u32) -> bool,
) -> Result<Option<DayNeed>, String> {
    let [of] = inputs.types.as_slice() else {
        return Err("a day's need is that of one contact type".to_owned());
    };
    let home = inputs.home_of(0).map(|home| home.team.clone()).unwrap_or_default();
    let planned: Vec<u32> = inputs.home_of(0).map(|home| home.agents.clone()).unwrap_or_default();
    let need =
        |percent: u32| people_for(inputs, &of.rules, percent).map_err(|error| error.to_string());
    let mut days = Days { inputs, home, known: BTreeMap::new(), played: 0, goes_on };
    let Some(own) = days.with(need(100)?)? else { return Ok(None) };
    let planned = match planned.iter().any(|&people| people > 0) {
        true => match days.with(planned)? {
            Some(planned) => Some(planned),
            None => return Ok(None),
        },
        false => None,
    };
    let mut sure = Vec::with_capacity(chances.len());
    for &chance in chances {
        let (mut low, mut high) = (*LOADS.start(), *LOADS.end());
        let mut best = None;
        while low <= high {
            let middle = low.midpoint(high);
            let Some(day) = days.with(need(middle)?)? else { return Ok(None) };
            if day.held.share() >= chance {
                best = Some(day);
                high = middle - 1;
            } else {
                low = middle + 1;
            }
        }
        sure.push(SureDay { chance, people: best });
    }
    Ok(Some(DayNeed { own, planned, sure }))
}

/// Each interval's need when this share of the expected contacts comes.
fn people_for(inputs: &TrialInputs, rules: &Rules, percent: u32) -> Result<Vec<u32>, NeedError> {
    let mut search = NeedSearch::new(inputs.interval_secs, rules, Model::for_rules(rules))?;
    let intervals = inputs.types.iter().flat_map(|of| &of.intervals);
    intervals
        .map(|interval| {
            let contacts = interval.contacts * f64::from(percent) / 100.0;
            search.agents(IntervalLoad { contacts, handle_secs: interval.handle_secs })
        })
        .collect()
}

/// The same simulated days with different people.
struct Days<'a> {
    inputs: &'a TrialInputs,
    home: String,
    known: BTreeMap<Vec<u32>, HoldingDays>,
    played: u32,
    goes_on: &'a mut dyn FnMut(u32) -> bool,
}

impl SizedDay {
    /// Its people in agent-hours.
    pub fn agent_hours(&self, interval_secs: f64) -> f64 {
        agent_hours(self.agents.iter().copied(), interval_secs)
    }

    /// Most people at a time.
    pub fn peak(&self) -> u32 {
        self.agents.iter().copied().max().unwrap_or(0)
    }
}

impl Days<'_> {
    fn with(&mut self, agents: Vec<u32>) -> Result<Option<SizedDay>, String> {
        if let Some(&held) = self.known.get(&agents) {
            return Ok(Some(SizedDay { agents, held }));
        }
        let mut inputs = self.inputs.clone();
        if let Some(home) = inputs.teams.iter_mut().find(|team| team.team == self.home) {
            home.agents.clone_from(&agents);
        }
        let all = inputs.replications;
        let Some(summary) = inputs.played(all, self.played, self.goes_on)? else { return Ok(None) };
        self.played += all;
        let days = DayByDay::of(&inputs, &summary)
            .ok_or("the contact type has no target that a day can hold or miss")?;
        self.known.insert(agents.clone(), days.held);
        Ok(Some(SizedDay { agents, held: days.held }))
    }
}
