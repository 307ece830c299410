//! From inputs to a verdict, and what theory says beside it.

#![cfg(test)]

use barometer_plan::{
    IntervalLoad, Rules, Target, TrialInputs, TrialInterval, TrialResult, Verdict,
};
use barometer_simulate::{Spread, Summary};
use barometer_strategy::Strategy;
use jiff::{Timestamp, ToSpan};

fn inputs(agents: u32) -> TrialInputs {
    let opening: Timestamp = "2026-11-28T07:00:00Z".parse().unwrap();
    TrialInputs {
        strategy: Strategy::plain("Bookings"),
        rules: Rules::STARTING,
        interval_secs: 1800.0,
        intervals: (0..28)
            .map(|half_hour| TrialInterval {
                start: opening + (30 * half_hour).minutes(),
                load: IntervalLoad { contacts: 60.0, handle_secs: 300.0 },
                agents,
            })
            .collect(),
        handling: Spread::Exponential,
        luck: None,
        replications: 200,
        seed: 1,
    }
}

fn play(inputs: &TrialInputs) -> TrialResult {
    let experiment = inputs.experiment().unwrap();
    let mut summary = Summary::new(inputs.intervals.len());
    experiment.play_range(0..inputs.replications).iter().for_each(|day| summary.add(day));
    TrialResult::of(&summary)
}

fn verdict_on(result: &TrialResult, target: Target) -> Verdict {
    let judged = result.judge(&Rules::STARTING);
    judged.iter().find(|judged| judged.target == target).unwrap().verdict
}

#[test]
fn enough_people_hold_and_too_few_break_every_target() {
    let (enough, few) = (play(&inputs(13)), play(&inputs(8)));
    for target in [Target::ServiceLevel, Target::Abandonment, Target::Occupancy] {
        assert_eq!(verdict_on(&enough, target), Verdict::Holds, "{target:?}");
        assert_eq!(verdict_on(&few, target), Verdict::Breaks, "{target:?}");
    }
}

#[test]
fn theory_and_trial_agree_on_an_even_day_once_it_has_settled() {
    let inputs = inputs(11);
    let (result, theory) = (play(&inputs), inputs.theory().unwrap());
    let settled = result.intervals[10].service_level.unwrap();
    let expected = theory.intervals[10].unwrap().service_level;
    // 2.3 half-widths are 4.5 standard errors; 200 half-hours of 60 calls give about a point.
    let bound = 2.3 * settled.half_width.unwrap();
    assert!(bound < 0.06 && (settled.mean - expected).abs() < bound, "{settled:?} {expected}");
    let day = theory.day.unwrap();
    assert!((day.service_level - expected).abs() < 1e-12, "every interval is the same");
}

#[test]
fn theory_says_so_when_patient_callers_outnumber_the_people() {
    let mut inputs = inputs(8);
    inputs.rules.patience_secs = None;
    let theory = inputs.theory().unwrap();
    assert_eq!((theory.day, theory.intervals[3]), (None, None));
}

#[test]
fn a_trial_survives_its_way_through_json() {
    let (inputs, result) = (inputs(11), play(&inputs(11)));
    let text = serde_json::to_string(&(&inputs, &result)).unwrap();
    let back: (TrialInputs, TrialResult) = serde_json::from_str(&text).unwrap();
    assert_eq!((inputs, result), back);
}

#[test]
fn a_target_within_the_confidence_interval_is_marginal() {
    let result = play(&inputs(11));
    let level = result.day.service_level.unwrap();
    let judge = |wanted: f64| {
        let rules = Rules { service_level: wanted, ..Rules::STARTING };
        let judged = result.judge(&rules);
        judged.iter().find(|each| each.target == Target::ServiceLevel).unwrap().verdict
    };
    assert_eq!(judge(level.mean), Verdict::Marginal);
    assert_eq!(judge(level.low() - 1e-9), Verdict::Holds);
    assert_eq!(judge(level.high() + 1e-9), Verdict::Breaks);
}

#[test]
fn targets_that_nobody_set_are_not_judged() {
    let result = play(&inputs(11));
    let rules = Rules { abandonment: None, occupancy: None, ..Rules::STARTING };
    let judged = result.judge(&rules);
    assert_eq!(judged.iter().map(|each| each.target).collect::<Vec<_>>(), [Target::ServiceLevel]);
}

#[test]
fn theory_counts_chats_at_once_as_servers_and_leaves_closed_intervals_out() {
    let mut inputs = inputs(6);
    inputs.strategy.team.concurrency = 2;
    inputs.intervals[4].load.contacts = 0.0;
    let theory = inputs.theory().unwrap();
    assert_eq!(theory.intervals[4], None);
    let load = inputs.intervals[3].load;
    let traffic = barometer_queueing::Traffic::per_interval(
        load.contacts,
        inputs.interval_secs,
        load.handle_secs,
    )
    .unwrap();
    let twelve =
        barometer_queueing::ErlangA::new(traffic, 12, inputs.rules.patience_secs.unwrap()).unwrap();
    let expected = twelve.outcome(inputs.rules.within_secs);
    assert_eq!(theory.intervals[3].unwrap(), expected);
    // The idle interval has people but no contacts: it weighs on occupancy alone.
    let day = theory.day.unwrap();
    assert!((day.service_level - expected.service_level).abs() < 1e-12);
    assert!(day.occupancy < expected.occupancy);
}
