//! Settings: each value is simulated with the people found so far, and the best is taken where it is
//! better by more than chance.

use crate::answer::ValueTried;
use crate::budget::{Bench, worst_of};
use crate::design::Design;
use crate::error::SearchError;
use crate::play::Days;

/// Standard errors of the paired difference by which a value must gain to be taken.
const SURE: f64 = 2.5;

/// Chooses the value of each setting in turn; gives, by setting, whether any value changed anything.
pub(crate) fn choose(bench: &mut Bench<'_>) -> Result<Vec<bool>, SearchError> {
    let question = bench.question;
    let mut has_effect = vec![false; question.settings.len()];
    for (nth, knob) in question.settings.iter().enumerate() {
        let Some((_, design, days)) = bench.best.clone() else { break };
        let mut chosen: Option<(f64, Design, Days)> = None;
        for &value in &knob.values {
            let mut other = design.clone();
            other.settings[nth] = Some(value);
            let played = bench.evaluate(&other)?;
            has_effect[nth] |= played != days;
            let gain = gain(bench, &days, &played);
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

/// What each value of each setting, the trial's own among them, does to a design: how far it may move before a target breaks.
pub(crate) fn values(
    bench: &mut Bench<'_>,
    design: &Design,
) -> Result<Vec<Vec<ValueTried>>, SearchError> {
    let question = bench.question;
    let mut all = Vec::new();
    for (nth, knob) in question.settings.iter().enumerate() {
        let mut tried = Vec::new();
        for value in std::iter::once(None).chain(knob.values.iter().copied().map(Some)) {
            let mut other = design.clone();
            other.settings[nth] = value;
            let days = bench.play(&other, 0..question.days)?;
            tried.push(ValueTried { value, worst: worst_of(&bench.goals.scores(&days)) });
        }
        all.push(tried);
    }
    Ok(all)
}

/// By how much the worst goal gains; nothing where it is no more than chance, or something breaks.
fn gain(bench: &Bench<'_>, before: &Days, after: &Days) -> f64 {
    let slacks = bench.goals.slacks(before);
    let Some(binding) = (0..slacks.len()).min_by(|&a, &b| slacks[a].total_cmp(&slacks[b])) else {
        return 0.0;
    };
    let after_slacks = bench.goals.slacks(after);
    if worst_of(&after_slacks) < 0.0 {
        return 0.0;
    }
    let goal = &bench.goals.all[binding];
    let pairs: Vec<f64> =
        goal.by_day(after).iter().zip(goal.by_day(before)).map(|(new, old)| new - old).collect();
    let n = pairs.len() as f64;
    let mean = pairs.iter().sum::<f64>() / n;
    let variance = pairs.iter().map(|each| (each - mean).powi(2)).sum::<f64>() / (n - 1.0);
    if mean <= SURE * (variance / n).sqrt() {
        return 0.0;
    }
    worst_of(&after_slacks) - worst_of(&slacks)
}
