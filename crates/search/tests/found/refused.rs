//! Questions that cannot be answered say why.

use barometer_plan::Sweepable;
use barometer_search::{Claim, Question, SettingKnob, TeamKnob, search};

use crate::fixture::{one_team, question};

fn refusal(question: &Question) -> String {
    search(question, |_| None).unwrap_err().to_string()
}

#[test]
fn targets_that_no_design_can_hold_are_said_to_be_out_of_reach_with_the_best_there_is() {
    let answer = search(&question(one_team(), 1, 5, &[1.0]), |_| None).unwrap();
    assert_eq!(answer.claim, Claim::OutOfReach);
    assert!(answer.best.design.people.iter().all(|&people| people == 5));
    assert!(answer.best.goals[0].got < answer.best.goals[0].wanted);
    assert_eq!(answer.bound, None);
}

#[test]
fn numbers_out_of_range_are_named_with_what_would_do() {
    let good = question(one_team(), 1, 5, &[1.0]);
    let with_team = |change: fn(&mut TeamKnob)| {
        let mut question = good.clone();
        change(&mut question.teams[0]);
        refusal(&question)
    };
    assert!(with_team(|team| team.cost_per_hour = 0.0).contains("must be above 0, got 0"));
    assert!(with_team(|team| team.least = 9).contains("must be 9 to 20000, got 5"));
    assert!(with_team(|team| team.team = "night".into()).contains("no team “night”"));
    let few = Question { days: 3, ..good.clone() };
    assert_eq!(refusal(&few), "days of the search must be 20 to 5000, got 3");
    let long = Question { block_intervals: 99, ..good.clone() };
    assert_eq!(refusal(&long), "intervals of a block must be 1 to 4, got 99");
    let nobody = Question { teams: Vec::new(), ..good };
    assert!(refusal(&nobody).contains("choose at least one"));
}

#[test]
fn too_many_numbers_of_people_say_what_to_leave_out() {
    let mut base = one_team();
    base.types[0].intervals = base.types[0].intervals.repeat(300);
    base.teams[0].agents = base.teams[0].agents.repeat(300);
    let question = Question { block_intervals: 1, ..question(base, 1, 9, &[1.0]) };
    let said = refusal(&question);
    assert!(said.contains("1200 numbers of people") && said.contains("30 minutes"), "{said}");
}

#[test]
fn a_setting_without_effect_is_named_as_such() {
    let base = one_team();
    let part = base.strategy.numbers();
    let wrap_up = part.iter().find(|number| number.setting.contains("wrap_up")).unwrap();
    let setting =
        Sweepable::Setting { part: wrap_up.part.clone(), setting: wrap_up.setting.clone() };
    let knob = |value| SettingKnob { setting: setting.clone(), values: vec![value] };
    let mut question = question(base, 3, 11, &[1.0]);
    // Ten minutes of wrap-up do harm; none is what there is.
    question.settings = vec![knob(0.0), knob(600.0)];
    let answer = search(&question, |_| None).unwrap();
    assert_eq!(answer.has_effect, [false, true]);
    assert_eq!(answer.best.design.settings, [None, None]);
}
