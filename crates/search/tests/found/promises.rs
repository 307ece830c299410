//! What is promised holds: on average, on a share of days, and the same on every run.

use barometer_plan::{Sweepable, TrialOutcome};
use barometer_search::{Claim, Promise, Question, SettingKnob, Stopped, search};

use crate::fixture::{n_design, on_share_of_days, one_team, question, with_luck};

#[test]
fn a_surer_promise_costs_more_and_is_kept_on_days_nobody_has_seen() {
    let average = question(with_luck(n_design()), 1, 20, &[1.0, 1.3]);
    let often = on_share_of_days(average.clone(), 0.9);
    let (average, often) = (search(&average, |_| None).unwrap(), search(&often, |_| None).unwrap());
    assert!(often.best.cost > average.best.cost, "{} {}", often.best.cost, average.best.cost);
    assert_eq!(often.claim, Claim::Holds);
    assert!(often.best.days_held >= 0.9, "{}", often.best.days_held);
    assert!(average.best.days_held < often.best.days_held);
}

#[test]
fn the_same_question_has_the_same_answer() {
    let question = question(one_team(), 3, 11, &[1.0]);
    let answers: Vec<_> = (0..2).map(|_| search(&question, |_| None).unwrap()).collect();
    assert_eq!(answers[0], answers[1]);
}

#[test]
fn a_search_that_is_told_it_is_enough_answers_with_the_best_so_far() {
    let question = question(n_design(), 1, 11, &[1.0, 1.3]);
    let enough = |days: u64| {
        search(&question, |progress| (progress.days >= days).then_some(Stopped::Enough)).unwrap()
    };
    let (soon, late) = (enough(1500), enough(1_000_000));
    assert!(soon.is_cut_short && !late.is_cut_short);
    assert!(soon.best.cost >= late.best.cost, "{} {}", soon.best.cost, late.best.cost);
    let cancelled = search(&question, |_| Some(Stopped::Cancelled));
    assert!(cancelled.is_err());
}

#[test]
fn the_budget_is_kept() {
    let question = Question { most_days: 3000, ..question(n_design(), 1, 11, &[1.0, 1.3]) };
    let answer = search(&question, |_| None).unwrap();
    // One more simulation of the days of the search may have begun.
    assert!(answer.days <= 3000 + u64::from(question.days), "{}", answer.days);
    assert!(answer.is_cut_short);
}

#[test]
fn the_frontier_goes_from_cheap_to_safe_and_prices_stand_at_what_binds() {
    let answer = search(&question(n_design(), 1, 15, &[1.0, 1.3]), |_| None).unwrap();
    assert!(answer.frontier.len() >= 3, "{:?}", answer.frontier.len());
    for pair in answer.frontier.windows(2) {
        assert!(pair[0].cost <= pair[1].cost && pair[0].worst < pair[1].worst);
    }
    let priced: f64 = answer.best.goals.iter().map(|goal| goal.price_per_point).sum();
    assert!(priced > 0.0, "a target that binds has a price");
}

#[test]
fn every_interval_holds_by_itself_where_that_is_promised() {
    let average = Question { block_intervals: 1, ..question(one_team(), 1, 14, &[1.0]) };
    let every = Question { promise: Promise::InEveryInterval, ..average.clone() };
    let (average, found) = (search(&average, |_| None).unwrap(), search(&every, |_| None).unwrap());
    assert_eq!(found.claim, Claim::Holds);
    assert!(found.best.cost > average.best.cost, "{} {}", found.best.cost, average.best.cost);
    assert!(found.best.goals.iter().all(|goal| goal.interval.is_some() && goal.score() >= 0.0));
    let mut inputs = found.best.design.inputs(&every, &found.blocks).unwrap();
    (inputs.seed, inputs.replications) = (501, 4000);
    let days = inputs.experiment().unwrap().play_range(0..4000).unwrap();
    for interval in 0..4 {
        let sum = |of: fn(&barometer_simulate::TypeTally) -> f64| -> f64 {
            days.iter().map(|day| of(&day.types[interval])).sum()
        };
        let level = sum(|tally| tally.answered_in_time) / sum(|tally| tally.offered);
        // Its standard error is half a point at most.
        assert!(level > 0.795, "{interval}: {level}");
    }
}

#[test]
fn what_was_tried_is_told_with_its_people_and_what_other_values_would_do() {
    let base = one_team();
    let part = base.strategy.numbers();
    let wrap_up = part.iter().find(|number| number.setting.contains("wrap_up")).unwrap();
    let (part, setting) = (wrap_up.part.clone(), wrap_up.setting.clone());
    let setting =
        SettingKnob { setting: Sweepable::Setting { part, setting }, values: vec![0.0, 600.0] };
    let question = Question { settings: vec![setting], ..question(base, 3, 11, &[1.0]) };
    let answer = search(&question, |_| None).unwrap();
    for tried in &answer.tried {
        assert!((tried.hours.iter().sum::<f64>() - tried.cost).abs() < 1e-9, "an hour costs 1");
    }
    let [present, none, long] = answer.values[0].as_slice() else { panic!("{:?}", answer.values) };
    assert_eq!((present.value, none.value, long.value), (None, Some(0.0), Some(600.0)));
    assert_eq!(present.worst, none.worst, "no wrap-up is what there is");
    assert!(long.worst < -0.2, "ten minutes of wrap-up break it: {long:?}");
    assert_eq!(answer.ranges, [None], "nothing cannot be halved or doubled");
}

#[test]
fn a_number_is_told_as_far_as_it_may_move() {
    // Ninety seconds of wrap-up: less is never worse, and much more breaks it.
    let mut base = one_team();
    let wrap_up = base.strategy.numbers();
    let wrap_up = wrap_up.iter().find(|number| number.setting.contains("wrap_up")).unwrap();
    base.strategy = wrap_up.set(90.0).apply(&base.strategy).unwrap();
    let (part, setting) = (wrap_up.part.clone(), wrap_up.setting.clone());
    let setting = Sweepable::Setting { part, setting };
    let knob = SettingKnob { setting: setting.clone(), values: vec![91.0] };
    let question = Question { settings: vec![knob], ..question(base, 3, 11, &[1.0]) };
    let answer = search(&question, |_| None).unwrap();
    let Some(range) = answer.ranges[0] else { panic!("{:?}", answer.ranges) };
    assert_eq!(
        (range.down.holds, range.down.breaks),
        (12.0, None),
        "halved three times: 45, 23, 12"
    );
    let breaks = range.up.breaks.expect("some wrap-up is too long");
    assert!(90.0 <= range.up.holds && range.up.holds < breaks && breaks <= 720.0, "{range:?}");
    // At either end by the trial itself, on the days of the search.
    let holds = |value: f64| {
        let inputs = answer.best.design.inputs(&question, &answer.blocks).unwrap();
        let mut inputs = setting.set(&inputs, value).unwrap();
        inputs.replications = question.days;
        let summary = inputs.experiment().unwrap().play_part(0..question.days).unwrap();
        TrialOutcome::of(&summary).holds_on_average(&inputs)
    };
    assert_eq!((holds(range.up.holds), holds(breaks)), (true, false));
}
