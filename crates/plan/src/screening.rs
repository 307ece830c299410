//! Which settings of a strategy matter to its targets: each number is halved and doubled, each choice made otherwise, on the
//! same days.
//!
//! The customers are the same with and without (common random numbers), so a few days tell what changes nothing; what
//! changes most is played on more of them. One setting at a time: what two of them do only together is not seen
//! (Law 2015, ch. 12.1).

use barometer_simulate::{SingleDay, Summary};
use barometer_strategy::PartId;
use serde::{Deserialize, Serialize};

use crate::spread::mean_and_half_width;
use crate::sweep::{Searchable, Sweepable};
use crate::trial::{TargetByDay, TrialInputs, targets_by_day};

/// Days on which every setting is played, and those that change most.
const FIRST_DAYS: u32 = 8;
const MORE_DAYS: u32 = 40;

/// Settings that are played on more days.
const LOOKED_AT: usize = 12;

/// A value below which a number that is no whole one is a share.
const SHARE: f64 = 1.0;

/// A setting that was tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Screened {
    /// Which.
    pub setting: Sweepable,
    /// What it is, in the planner's words.
    pub name: String,
    /// Its value.
    pub now: f64,
    /// What other values do.
    pub values: Vec<ScreenedValue>,
}

/// What another value of a setting does.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct ScreenedValue {
    /// The value.
    pub value: f64,
    /// By how much the target that is worst now changes, as a share; more is better.
    pub change: f64,
    /// Half the width of its 95 % confidence interval.
    pub half_width: f64,
}

impl ScreenedValue {
    /// Whether it is more than luck.
    pub fn is_told(&self) -> bool {
        self.change.abs() > self.half_width
    }
}

impl Screened {
    /// The largest change that is more than luck; 0 where none is.
    pub fn effect(&self) -> f64 {
        let told = self.values.iter().filter(|value| value.is_told());
        told.map(|value| value.change.abs()).fold(0.0, f64::max)
    }
}

/// The values that a number is tried with: half and double. A share stays one, and a whole number whole.
fn others(now: f64) -> Vec<f64> {
    let is_share = now > 0.0 && now < SHARE;
    let is_whole = now.fract() == 0.0;
    let fitting = |value: f64| match (is_share, is_whole) {
        (true, _) => value.min(1.0),
        (_, true) => value.round(),
        _ => value,
    };
    // Of nothing there is no half.
    let tried =
        if now == 0.0 { vec![1.0, 30.0] } else { vec![fitting(now / 2.0), fitting(2.0 * now)] };
    tried.into_iter().filter(|value| *value != now).collect()
}

/// The settings that are tried, and the values that they are tried with.
fn candidates(inputs: &TrialInputs) -> Vec<(Searchable, Vec<f64>)> {
    let tried = |searchable: Searchable| {
        // How fast people answer, what they refuse, and which share of customers chooses what: facts, not choices.
        let is_fact = match &searchable.setting {
            Sweepable::Setting { part, setting } => {
                matches!(part, PartId::Team(_)) || setting.ends_with("share")
            }
            _ => false,
        };
        let values = match &searchable.setting {
            Sweepable::Choice { .. } => searchable.other_options(),
            _ => others(searchable.now?),
        };
        (!is_fact).then_some((searchable, values))
    };
    Searchable::all(&inputs.strategy).into_iter().filter_map(tried).collect()
}

/// The most days that [`screen`] plays.
pub(crate) fn steps(inputs: &TrialInputs) -> u32 {
    let mut values: Vec<u32> =
        candidates(inputs).iter().map(|(_, values)| values.len() as u32).collect();
    values.sort_unstable_by(|one, other| other.cmp(one));
    let all: u32 = values.iter().sum();
    let again: u32 = values.iter().take(LOOKED_AT).sum();
    (all + 1) * FIRST_DAYS + (again + 1) * MORE_DAYS
}

/// Which settings change the target that is worst, those that change it most first; those without any effect are left
/// out. `goes_on` is told how many days are played, and `None` comes where it says no.
///
/// # Errors
///
/// Why the trial cannot be played, as people read it.
pub(crate) fn screen(
    inputs: &TrialInputs,
    goes_on: &mut dyn FnMut(u32) -> bool,
) -> Result<Option<Vec<Screened>>, String> {
    let mut played = Played { targets: targets_by_day(inputs), days: 0, goes_on };
    if played.targets.is_empty() {
        return Ok(Some(Vec::new()));
    }
    let candidates = candidates(inputs).into_iter().map(|(searchable, values)| {
        let Searchable { setting, name, now } = searchable;
        (Screened { setting, name, now: now.unwrap_or(0.0), values: Vec::new() }, values)
    });
    let candidates: Vec<(Screened, Vec<f64>)> = candidates.collect();
    let Some(first) = played.round(inputs, candidates, FIRST_DAYS)? else { return Ok(None) };
    let again = first.into_iter().take(LOOKED_AT).map(|screened| {
        let values = screened.values.iter().map(|value| value.value).collect();
        (Screened { values: Vec::new(), ..screened }, values)
    });
    let again: Vec<(Screened, Vec<f64>)> = again.collect();
    let Some(mut found) = played.round(inputs, again, MORE_DAYS)? else { return Ok(None) };
    found.retain(|screened| screened.effect() > 0.0);
    Ok(Some(found))
}

struct Played<'a> {
    targets: Vec<TargetByDay>,
    days: u32,
    goes_on: &'a mut dyn FnMut(u32) -> bool,
}

impl Played<'_> {
    /// Every setting with every value, on some days; those that change nothing at all are left out.
    fn round(
        &mut self,
        inputs: &TrialInputs,
        candidates: Vec<(Screened, Vec<f64>)>,
        days: u32,
    ) -> Result<Option<Vec<Screened>>, String> {
        let Some(base) = self.days_of(inputs, days)? else { return Ok(None) };
        let base = base.single_days().to_vec();
        let worst =
            self.targets.iter().min_by(|one, other| one.room(&base).total_cmp(&other.room(&base)));
        let Some(worst) = worst.cloned() else { return Ok(Some(Vec::new())) };
        let mut found = Vec::new();
        for (mut screened, values) in candidates {
            for value in values {
                // What cannot be set is no value of it.
                let Ok(with) = screened.setting.set(inputs, value) else { continue };
                let Some(with) = self.days_of(&with, days)? else { return Ok(None) };
                let with = with.single_days();
                if with == base {
                    continue;
                }
                screened.values.push(changed(&worst, value, &base, with));
            }
            if !screened.values.is_empty() {
                found.push(screened);
            }
        }
        let most =
            |of: &Screened| of.values.iter().map(|value| value.change.abs()).fold(0.0, f64::max);
        found.sort_by(|one, other| most(other).total_cmp(&most(one)));
        Ok(Some(found))
    }

    fn days_of(&mut self, inputs: &TrialInputs, days: u32) -> Result<Option<Summary>, String> {
        let summary = inputs.played(days, self.days, self.goes_on)?;
        self.days += days;
        Ok(summary)
    }
}

/// The change of a target's score over all days, and how sure it is: by the days' changes, each weighed by what was
/// offered on it.
fn changed(
    target: &TargetByDay,
    value: f64,
    base: &[SingleDay],
    with: &[SingleDay],
) -> ScreenedValue {
    let change = target.room(with) - target.room(base);
    let by_day: Vec<f64> = base
        .iter()
        .zip(with)
        .map(|(one, other)| {
            target.room(std::slice::from_ref(other)) - target.room(std::slice::from_ref(one))
        })
        .filter(|change| change.is_finite())
        .collect();
    let (_, half_width) = mean_and_half_width(&by_day);
    ScreenedValue { value, change: if change.is_finite() { change } else { 0.0 }, half_width }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_halved_and_doubled_as_what_they_are() {
        assert_eq!(others(60.0), [30.0, 120.0]);
        assert_eq!(others(5.0), [3.0, 10.0], "a whole number stays whole");
        assert_eq!(others(1.0), [2.0], "half of one is one again");
        assert_eq!(others(0.6), [0.3, 1.0], "a share stays one");
        assert_eq!(others(2.5), [1.25, 5.0]);
        assert_eq!(others(0.0), [1.0, 30.0]);
    }
}
