//! On centres that are small enough, every design that is cheaper than the one found is tried.

use barometer_plan::{Searchable, TrialInputs, TrialOutcome};
use barometer_search::{Answer, Claim, Question, SettingKnob, TriedWhat, search};

use crate::fixture::{n_design, one_team, question};

/// Whether every target holds with these people in a trial, over days that no search has seen.
fn holds(
    question: &Question,
    base: &TrialInputs,
    answer: &Answer,
    people: &[u32],
    days: u32,
) -> bool {
    let mut inputs = base.clone();
    for (block, &count) in answer.blocks.iter().zip(people) {
        let id = &question.teams[block.knob].team;
        let team = inputs.teams.iter_mut().find(|team| &team.team == id).unwrap();
        team.agents[block.from..block.until].fill(count);
    }
    (inputs.seed, inputs.replications) = (77, days);
    let summary = inputs.experiment().unwrap().play_part(0..days).unwrap();
    TrialOutcome::of(&summary).holds_on_average(&inputs)
}

/// Every design within a budget to which nobody can be added within it: if none of them holds, no
/// design within the budget does, since more people never serve worse.
fn fullest_within(budget: f64, answer: &Answer) -> Vec<Vec<u32>> {
    let blocks = &answer.blocks;
    let cost = |people: &[u32]| -> f64 {
        blocks.iter().zip(people).map(|(block, &count)| block.cost * f64::from(count)).sum()
    };
    let mut designs: Vec<Vec<u32>> = vec![Vec::new()];
    for block in blocks {
        designs = designs
            .into_iter()
            .flat_map(|design| {
                (block.least..=block.most).map(move |count| {
                    let mut longer = design.clone();
                    longer.push(count);
                    longer
                })
            })
            .collect();
    }
    designs.retain(|people| {
        let left = budget - cost(people);
        let is_full = blocks
            .iter()
            .zip(people)
            .all(|(block, &count)| count == block.most || block.cost > left);
        left >= 0.0 && is_full
    });
    designs
}

fn assert_nothing_cheaper_holds(question: &Question, answer: &Answer, share: f64) {
    assert_nothing_cheaper_holds_in(question, &question.base, answer, share);
}

fn assert_nothing_cheaper_holds_in(
    question: &Question,
    base: &TrialInputs,
    answer: &Answer,
    share: f64,
) {
    let budget = answer.best.cost * (1.0 - share) - 1e-9;
    let cheaper = fullest_within(budget, answer);
    assert!(!cheaper.is_empty());
    for people in cheaper {
        // Most fail by far; what holds on a few days must hold on many.
        let is_held = [200, 5000].iter().all(|&days| holds(question, base, answer, &people, days));
        assert!(!is_held, "{people:?} holds within {budget}, found {:?}", answer.best);
    }
}

#[test]
fn what_is_proven_to_be_the_cheapest_is() {
    let question =
        Question { fresh_days: 20_000, most_days: 400_000, ..question(one_team(), 3, 11, &[1.0]) };
    for seed in 1..=2 {
        let answer = search(&Question { seed, ..question.clone() }, |_| None).unwrap();
        assert_eq!(answer.claim, Claim::Holds, "seed {seed}");
        assert!(answer.proof.is_some_and(|proof| proof.designs < 20), "{:?}", answer.proof);
        assert_nothing_cheaper_holds(&question, &answer, 0.0);
    }
}

#[test]
fn a_proof_says_nothing_where_it_was_not_brought_to_its_end() {
    let question = question(one_team(), 3, 11, &[1.0]);
    let whole = search(&question, |_| None).unwrap();
    assert!(whole.proof.is_some());
    let before = whole.tried.iter().take_while(|tried| tried.what != TriedWhat::Proof);
    let days = before.map(|tried| u64::from(tried.days)).sum::<u64>() + 500;
    let cut = search(&Question { most_days: days, ..question }, |_| None).unwrap();
    assert_eq!((cut.proof, cut.is_cut_short), (None, false));
}

#[test]
fn dear_people_who_can_do_more_are_used_where_they_are_worth_it() {
    let question = question(n_design(), 3, 9, &[1.0, 1.3]);
    let answer = search(&question, |_| None).unwrap();
    assert_eq!(answer.claim, Claim::Holds);
    assert_nothing_cheaper_holds(&question, &answer, 0.03);
}

#[test]
fn settings_and_people_are_proven_together() {
    // People of either team may answer both, once a contact has waited: that may save people, and only trying tells.
    let base = n_design();
    let all = Searchable::all(&base.strategy);
    let knob = |name: &str| {
        let found = all.iter().find(|each| each.name == name).unwrap();
        SettingKnob { setting: found.setting.clone(), values: found.other_options() }
    };
    let settings = vec![knob("“Groups queue”, asks for less")];
    let mut asked = question(n_design(), 2, 14, &[1.0, 1.3]);
    asked.teams.remove(0);
    let alone = search(&asked, |_| None).unwrap();
    let question =
        Question { settings, days: 200, fresh_days: 4000, most_days: 2_000_000, ..asked };
    let answer = search(&question, |_| None).unwrap();
    assert_eq!(answer.claim, Claim::Holds);
    assert!(answer.best.cost <= alone.best.cost, "{} {}", answer.best.cost, alone.best.cost);
    assert!(answer.proof.is_some_and(|proof| proof.of_all_settings), "{:?}", answer.proof);
    let setting = &question.settings[0].setting;
    for value in [None, Some(1.0), Some(2.0), Some(3.0)] {
        let base = value.map_or(base.clone(), |value| setting.set(&base, value).unwrap());
        assert_nothing_cheaper_holds_in(&question, &base, &answer, 0.0);
    }
}
