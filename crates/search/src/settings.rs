//! Settings: each value is simulated with the people found so far, and the best is taken where it is
//! better by more than chance.

use crate::answer::ValueTried;
use crate::budget::{Bench, worst_of};
use crate::design::Design;
use crate::error::SearchError;
use crate::paired::mean_and_error;
use crate::play::Days;
use crate::question::{Question, SettingKnob};

/// Standard errors of the paired difference by which a value must gain to be taken.
const SURE: f64 = 2.5;

/// Combinations of settings that are each looked at by a proof, at most.
const MOST_COMBINATIONS: usize = 16;

/// Chooses the value of each setting in turn; gives, by setting, whether any value changed anything. What a unit of each
/// goal's score is worth is told by `prices`.
pub(crate) fn choose(bench: &mut Bench<'_>, prices: &[f64]) -> Result<Vec<bool>, SearchError> {
    let question = bench.question;
    let mut has_effect = vec![false; question.settings.len()];
    for (nth, knob) in question.settings.iter().enumerate() {
        let Some((_, design, days)) = bench.best.clone() else { break };
        let mut chosen: Option<(f64, Design, Days)> = None;
        for value in values_of(knob).filter(|value| *value != design.settings[nth]) {
            let mut other = design.clone();
            other.settings[nth] = value;
            let played = bench.evaluate(&other)?;
            has_effect[nth] |= played != days;
            let gain = gain(bench, prices, &days, &played);
            if gain > chosen.as_ref().map_or(0.0, |(best, ..)| *best) {
                chosen = Some((gain, other, played));
            }
        }
        if let Some((_, other, played)) = chosen {
            bench.best = Some((bench.cost(&other, &played), other, played));
        }
    }
    Ok(has_effect)
}

/// The trial's own value, and those to try beside it.
fn values_of(knob: &SettingKnob) -> impl Iterator<Item = Option<f64>> {
    std::iter::once(None).chain(knob.values.iter().copied().map(Some))
}

/// Every combination of the settings' values; only `found` where there are too many.
pub(crate) fn combinations(question: &Question, found: &[Option<f64>]) -> Vec<Vec<Option<f64>>> {
    let mut all: Vec<Vec<Option<f64>>> = vec![Vec::new()];
    for knob in &question.settings {
        let longer = |settings: Vec<Option<f64>>| {
            values_of(knob).map(move |value| [settings.as_slice(), &[value]].concat())
        };
        all = all.into_iter().flat_map(longer).collect();
        if all.len() > MOST_COMBINATIONS {
            return vec![found.to_vec()];
        }
    }
    all
}

/// What each value of each setting, the trial's own among them, does to a design: how far it may move before a target breaks.
pub(crate) fn values(
    bench: &mut Bench<'_>,
    design: &Design,
) -> Result<Vec<Vec<ValueTried>>, SearchError> {
    let question = bench.question;
    let mut all = Vec::new();
    for (nth, knob) in question.settings.iter().enumerate() {
        let mut tried = Vec::new();
        for value in values_of(knob) {
            let mut other = design.clone();
            other.settings[nth] = value;
            let days = bench.play(&other, 0..question.days)?;
            tried.push(ValueTried { value, worst: worst_of(&bench.goals.scores(&days)) });
        }
        all.push(tried);
    }
    Ok(all)
}

/// What a value gains: scores by what they are worth, and what contacts cost less; nothing where it is no more than chance,
/// or something breaks.
fn gain(bench: &Bench<'_>, prices: &[f64], before: &Days, after: &Days) -> f64 {
    let slacks = bench.goals.slacks(before);
    let binding = (0..slacks.len()).min_by(|&a, &b| slacks[a].total_cmp(&slacks[b]));
    let Some(binding) = binding.filter(|_| bench.holds(after)) else { return 0.0 };
    let is_known = prices.iter().any(|price| *price > 0.0);
    let worth = |goal: usize| match is_known {
        true => prices[goal],
        // Nobody knows what a point is worth: the goal that binds is what counts.
        false => f64::from(u8::from(goal == binding)),
    };
    let mut gained: Vec<f64> =
        (0..before.count()).map(|day| before.priced_on(day) - after.priced_on(day)).collect();
    for (nth, goal) in bench.goals.all.iter().enumerate().filter(|(nth, _)| worth(*nth) > 0.0) {
        let pairs = goal.by_day(after).into_iter().zip(goal.by_day(before));
        for (gained, (new, old)) in gained.iter_mut().zip(pairs) {
            *gained += worth(nth) * (new - old);
        }
    }
    let (mean, error) = mean_and_error(&gained);
    if mean <= SURE * error { 0.0 } else { mean }
}
