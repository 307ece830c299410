//! What less patience would do, told from days on which it was the same, beside trials in which it is less.

#![cfg(test)]

mod flat_day;

use barometer_plan::{DayByDay, LessPatience, Rules, Target, TrialInputs};
use barometer_simulate::DemandLuck;
use barometer_strategy::{Duration, QueueAnnouncement, StepKind, Strategy};

use flat_day::flat_day;

const DAYS: u32 = 1000;
const PATIENCE_SECS: f64 = 180.0;

/// Five hours with this number of agents, and exponential patience.
fn inputs(agents: u32) -> TrialInputs {
    let strategy = Strategy::plain("Bookings");
    let mut inputs = flat_day(strategy, Rules::STARTING, "2026-11-28T07:00:00Z", 10, agents);
    inputs.types[0].customers.patience = Some(Duration::exponential(PATIENCE_SECS));
    TrialInputs { replications: DAYS, ..inputs }
}

/// The effect that is told of a target, and its share over all days.
fn told(inputs: &TrialInputs, target: Target) -> (Option<LessPatience>, f64) {
    let summary = inputs.experiment().unwrap().play_part(0..DAYS).unwrap();
    let days = DayByDay::of(inputs, &summary).unwrap();
    let of_target = days.targets.iter().find(|each| each.target == target).unwrap();
    let kinds = summary.single_days().iter().map(|day| day.types[0]);
    let (top, bottom) = kinds.fold((0.0, 0.0), |(top, bottom), day| {
        let counted =
            if target == Target::Abandonment { day.abandoned } else { day.answered_in_time };
        (top + f64::from(counted), bottom + f64::from(day.offered))
    });
    (of_target.less_patience, top / bottom)
}

fn less_patient(inputs: &TrialInputs) -> TrialInputs {
    let mut other = inputs.clone();
    other.types[0].customers.patience = Some(Duration::exponential(0.9 * PATIENCE_SECS));
    other
}

#[test]
fn the_effect_is_that_of_a_trial_with_less_patience() {
    let steady = inputs(10);
    let mut uncertain = inputs(10);
    // Days that differ by a fifth: without taking off what contacts explain, that would drown everything.
    uncertain.types[0].luck =
        Some(DemandLuck { day_factors: vec![0.8, 0.9, 1.0, 1.1, 1.2], interval_variance: 0.0 });
    for inputs in [steady, uncertain] {
        for target in [Target::Abandonment, Target::ServiceLevel] {
            let (effect, before) = told(&inputs, target);
            let effect = effect.expect("exponential patience");
            // The same customers with less patience: their luck is shared, so this is nearly exact.
            let change = told(&less_patient(&inputs), target).1 - before;
            let off = (effect.change - change).abs();
            // 95 % either way of 2 in 4 would fail by chance: three standard errors, and the second order of a tenth.
            assert!(
                off < 1.5 * effect.half_width + 0.15 * change.abs(),
                "{target:?}: {effect:?} beside {change}"
            );
            assert!(effect.half_width < 0.01, "{target:?}: {effect:?}");
            if target == Target::Abandonment {
                assert!(effect.is_told() && effect.change > 0.0, "{effect:?} {change}");
            }
        }
    }
}

#[test]
fn nothing_is_said_where_patience_is_another_or_changed_on_the_way() {
    let mut weibull = inputs(10);
    weibull.types[0].customers.patience = Some(Duration::Weibull { mean_secs: 180.0, shape: 2.0 });
    assert_eq!(told(&weibull, Target::Abandonment).0, None);
    let mut endless = inputs(10);
    endless.types[0].customers.patience = None;
    assert_eq!(told(&endless, Target::Abandonment).0, None);
    let mut told_of = inputs(10);
    let queue = told_of.strategy.steps.iter_mut().find_map(|step| match &mut step.does {
        StepKind::Queue(queue) => Some(queue),
        _ => None,
    });
    let heard = QueueAnnouncement { at_secs: 30.0, patience_factor: 1.5, ..Default::default() };
    queue.unwrap().announcements.push(heard);
    assert_eq!(told(&told_of, Target::Abandonment).0, None);
}

#[test]
fn where_nobody_waits_less_patience_changes_nothing() {
    let (effect, _) = told(&inputs(40), Target::Abandonment);
    let effect = effect.unwrap();
    assert!((effect.change.abs(), effect.half_width) == (0.0, 0.0), "{effect:?}");
    assert!(!effect.is_told());
}
