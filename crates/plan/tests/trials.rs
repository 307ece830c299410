//! From inputs to a verdict, and what theory says beside it.

#![cfg(test)]

mod flat_day;

use barometer_plan::{Rules, Target, TrialInputs, TrialResult, Verdict};
use barometer_strategy::{Channel, ChannelSkill, Strategy};

use flat_day::flat_day;

fn inputs(agents: u32) -> TrialInputs {
    let strategy = Strategy::plain("Bookings");
    flat_day(strategy, Rules::STARTING, "2026-11-28T07:00:00Z", 28, agents)
}

fn play(inputs: &TrialInputs) -> TrialResult {
    let experiment = inputs.experiment().unwrap();
    let mut summary = experiment.summary();
    experiment.play_range(0..inputs.replications).unwrap().iter().for_each(|day| summary.add(day));
    TrialResult::of(&summary)
}

fn verdict_on(result: &TrialResult, target: Target) -> Verdict {
    let judged = result.outcome.judge(&inputs(1));
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
    let (result, theory) = (play(&inputs), inputs.theory(0).unwrap().unwrap());
    let settled = result.intervals[10].service_level.unwrap();
    let expected = theory.intervals[10].unwrap().service_level;
    // 2.3 half-widths are 4.5 standard errors; 200 half-hours of 60 calls give about a point.
    let bound = 2.3 * settled.half_width.unwrap();
    assert!(bound < 0.065 && (settled.mean - expected).abs() < bound, "{settled:?} {expected}");
    let day = theory.day.unwrap();
    assert!((day.service_level - expected).abs() < 1e-12, "every interval is the same");
}

#[test]
fn theory_says_so_when_patient_callers_outnumber_the_people() {
    let mut inputs = inputs(8);
    inputs.types[0].customers.patience = None;
    let theory = inputs.theory(0).unwrap().unwrap();
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
    let level = result.outcome.day.service_level.unwrap();
    let judge = |wanted: f64| {
        let mut inputs = inputs(11);
        inputs.types[0].rules.service_level = wanted;
        let judged = result.outcome.judge(&inputs);
        judged.iter().find(|each| each.target == Target::ServiceLevel).unwrap().verdict
    };
    assert_eq!(judge(level.mean), Verdict::Marginal);
    assert_eq!(judge(level.low() - 1e-9), Verdict::Holds);
    assert_eq!(judge(level.high() + 1e-9), Verdict::Breaks);
}

#[test]
fn targets_that_nobody_set_are_not_judged() {
    let result = play(&inputs(11));
    let mut inputs = inputs(11);
    inputs.types[0].rules = Rules { abandonment: None, occupancy: None, ..Rules::STARTING };
    let judged = result.outcome.judge(&inputs);
    assert_eq!(judged.iter().map(|each| each.target).collect::<Vec<_>>(), [Target::ServiceLevel]);
}

#[test]
fn theory_counts_chats_at_once_as_servers_and_leaves_closed_intervals_out() {
    let mut inputs = inputs(6);
    let two = ChannelSkill { channel: Channel::Call, at_once: 2, slowing: 0.0 };
    inputs.strategy.teams[0].channels = vec![two];
    inputs.types[0].intervals[4].contacts = 0.0;
    let theory = inputs.theory(0).unwrap().unwrap();
    assert_eq!(theory.intervals[4], None);
    let load = inputs.types[0].intervals[3];
    let traffic = barometer_queueing::Traffic::per_interval(
        load.contacts,
        inputs.interval_secs,
        load.handle_secs,
    )
    .unwrap();
    let twelve =
        barometer_queueing::ErlangA::new(traffic, 12, inputs.types[0].rules.patience_secs.unwrap())
            .unwrap();
    let expected = twelve.outcome(inputs.types[0].rules.within_secs);
    assert_eq!(theory.intervals[3].unwrap(), expected);
    // The idle interval has people but no contacts: it weighs on occupancy alone.
    let day = theory.day.unwrap();
    assert!((day.service_level - expected.service_level).abs() < 1e-12);
    assert!(day.occupancy < expected.occupancy);
}

#[test]
fn theory_keeps_silent_where_a_second_team_helps_and_names_what_it_leaves_out() {
    let mut inputs = inputs(8);
    inputs.strategy.first_queue_mut().unwrap().places = Some(30);
    let theory = inputs.theory(0).unwrap().unwrap();
    assert_eq!(theory.left_out, ["the limit of places"]);
    let helpers = barometer_strategy::Team::named("helpers", "Helpers");
    inputs.strategy.teams.push(helpers);
    let agents = vec![2; inputs.interval_count()];
    inputs.teams.push(barometer_plan::TrialTeam {
        team: "helpers".to_owned(),
        agents,
        occupancy: None,
    });
    assert_eq!(inputs.theory(0).unwrap(), None);
    assert_eq!(inputs.people()[0], 10);
}
