//! Other kinds of day: the same people must hold on them too.

use barometer_plan::TrialOutcome;
use barometer_search::{Claim, DayKind, GoalName, Promise, Question, search};

use crate::fixture::{n_design, on_share_of_days, one_team, question, with_luck};

fn storm() -> DayKind {
    DayKind {
        name: "Storm day".to_owned(),
        volume: 1.3,
        absent_share: 0.0,
        service_level: None,
        abandonment: None,
    }
}

#[test]
fn a_kind_of_day_that_asks_nothing_changes_nothing() {
    let alone = question(n_design(), 3, 9, &[1.0, 1.3]);
    let nothing = DayKind { service_level: Some(0.0), abandonment: Some(1.0), ..storm() };
    let beside = Question { day_kinds: vec![nothing], ..alone.clone() };
    let (alone, beside) = (search(&alone, |_| None).unwrap(), search(&beside, |_| None).unwrap());
    assert_eq!((beside.best.cost, &beside.best.design), (alone.best.cost, &alone.best.design));
    let own = |goal: &&barometer_search::GoalAnswer| matches!(goal.of, GoalName::ContactType(_));
    let beside_own: Vec<_> = beside.best.goals.iter().filter(own).copied().collect();
    // Of more cuts the solver's last digits differ.
    let got = |goals: &[barometer_search::GoalAnswer]| -> Vec<(f64, f64, f64)> {
        goals.iter().map(|goal| (goal.got, goal.half_width, goal.days_held)).collect()
    };
    assert_eq!(got(&beside_own), got(&alone.best.goals));
    assert_eq!(beside.best.days_held, alone.best.days_held, "of the trial's own days");
}

#[test]
fn a_storm_day_is_held_too_and_costs_what_it_costs() {
    let alone = question(one_team(), 3, 15, &[1.0]);
    let day_kinds = vec![DayKind { absent_share: 0.1, ..storm() }];
    let asked = Question { day_kinds, ..alone.clone() };
    let (alone, found) = (search(&alone, |_| None).unwrap(), search(&asked, |_| None).unwrap());
    assert_eq!(found.claim, Claim::Holds);
    assert!(found.proof.is_some());
    assert!(found.best.cost >= 1.15 * alone.best.cost, "{} {}", found.best.cost, alone.best.cost);
    // On days that no search has seen, by the trial itself.
    let inputs = found.best.design.inputs(&asked, &found.blocks).unwrap();
    let mut inputs = asked.day_kinds[0].trial(&inputs);
    (inputs.seed, inputs.replications) = (4_321, 4000);
    let summary = inputs.experiment().unwrap().play_part(0..4000).unwrap();
    assert!(TrialOutcome::of(&summary).holds_on_average(&inputs));
    let of_storm = GoalName::OnDayKind { contact_type: 0, day_kind: 0 };
    let told = found.best.goals.iter().find(|goal| goal.of == of_storm).unwrap();
    let level = TrialOutcome::of(&summary).types[0].service_level.unwrap().mean;
    // Both are estimates of the same level: each within two points of it at least.
    assert!((told.got - level).abs() < 0.02, "{} {level}", told.got);
}

#[test]
fn looser_targets_cost_less_and_hold_on_average_beside_a_promise_for_days() {
    let base = on_share_of_days(question(with_luck(one_team()), 3, 16, &[1.0]), 0.8);
    let cost = |level: f64| {
        let day_kinds =
            vec![DayKind { service_level: Some(level), abandonment: Some(1.0), ..storm() }];
        let answer = search(&Question { day_kinds, ..base.clone() }, |_| None).unwrap();
        assert_eq!(answer.claim, Claim::Holds, "{level}");
        answer.best.cost
    };
    assert_eq!(base.promise, Promise::OnShareOfDays(0.8));
    let (loose, strict) = (cost(0.3), cost(0.9));
    assert!(loose < strict, "{loose} {strict}");
}
