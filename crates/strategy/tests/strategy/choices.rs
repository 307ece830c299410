//! Settings that are chosen: which there are, and that each of their values can be played.

use barometer_strategy::{
    CallbackOffer, ChoiceSetting, Edit, Relaxation, Skill, StepKind, Strategy, WantedSkill,
};
use serde_json::json;

use crate::rich::rich;

fn choice(strategy: &Strategy, name: &str) -> ChoiceSetting {
    let all = strategy.choices();
    let names: Vec<&str> = all.iter().map(|choice| choice.name.as_str()).collect();
    all.iter().find(|choice| choice.name == name).unwrap_or_else(|| panic!("{names:?}")).clone()
}

fn words(strategy: &Strategy, name: &str) -> Vec<String> {
    choice(strategy, name).options.into_iter().map(|option| option.words).collect()
}

/// Two contact types whose teams can help each other: Bookings is asked for by name.
fn two_queues() -> Strategy {
    let parts = ["Bookings", "Groups"].map(|name| (name.to_owned(), Strategy::plain(name)));
    let mut strategy = Strategy::joined("Centre", parts);
    strategy.teams[1].skills.push(Skill { skill: "Bookings".to_owned(), level: Some(4) });
    strategy
}

#[test]
fn every_option_can_be_played_and_the_first_is_what_there_is() {
    for strategy in [rich(), two_queues(), Strategy::plain("Bookings")] {
        let choices = strategy.choices();
        assert!(!choices.is_empty());
        for ChoiceSetting { part, setting, name, options } in choices {
            for (nth, option) in options.iter().enumerate() {
                let (part, setting) = (part.clone(), setting.clone());
                let edit = Edit::Set { part, setting, to: option.to.clone() };
                let after = edit.apply(&strategy).unwrap_or_else(|faults| {
                    panic!("{name}, {}: {faults:?}", option.words);
                });
                let is_equal = after == strategy || strategy.choices() == after.choices();
                assert_eq!(is_equal, nth == 0, "{name}, {}", option.words);
                assert!(options[..nth].iter().all(|other| other.words != option.words));
            }
        }
    }
}

#[test]
fn orders_ranks_and_skills_are_told_as_planners_say_them() {
    let strategy = two_queues();
    assert_eq!(
        words(&strategy, "“Bookings queue”, offer order"),
        [
            "longest idle",
            "fewest answered",
            "top-down",
            "round robin that keeps its place",
            "round robin from a fresh start",
            "random",
            "all at once"
        ]
    );
    assert_eq!(
        words(&strategy, "“Bookings queue”, asks for"),
        ["Bookings", "nothing", "Bookings and Groups"]
    );
    assert_eq!(
        words(&strategy, "“Bookings queue”, asks for less"),
        ["never", "for nothing after 30 s", "for nothing after 60 s", "for nothing after 120 s"]
    );
    // Who answers a queue alone has no rank in it.
    assert_eq!(words(&strategy, "team “Groups team”, rank in “Bookings queue”"), ["1", "2", "3"]);
    let ranks = strategy.choices().into_iter().filter(|each| each.name.contains("rank in"));
    assert_eq!(ranks.count(), 2, "both teams answer Bookings, only one Groups");
}

#[test]
fn what_a_queue_asks_less_is_kept_beside_what_it_could() {
    let mut strategy = two_queues();
    let StepKind::Queue(queue) = &mut strategy.steps[0].does else { panic!("a queue first") };
    let skill = WantedSkill { skill: "Groups".to_owned(), at_least: Some(3) };
    queue.need.relaxations = vec![Relaxation { after_secs: 45.0, skills: vec![skill] }];
    let found = choice(&strategy, "“Bookings queue”, asks for less");
    assert_eq!(found.options[0].words, "as now, from 45 s on");
    assert_eq!(found.options[1].to, json!([]));
    assert_eq!(found.options.len(), 5);
}

#[test]
fn a_callback_can_be_left_out_or_offered_as_another_queue_offers_it() {
    let mut strategy = rich();
    let queue = strategy.steps.iter().position(|step| step.id == "queue").expect("a queue");
    let mut second = strategy.steps[queue].clone();
    (second.id, second.name) = ("second".to_owned(), "The second".to_owned());
    strategy.steps.push(second);
    let offer = CallbackOffer {
        after_secs: 90.0,
        if_expected_wait_secs: 0.0,
        accepted_share: 0.4,
        step: "callback".to_owned(),
    };
    let StepKind::Queue(queue) = &mut strategy.steps[queue].does else { panic!("a queue") };
    queue.callback = Some(offer.clone());
    assert_eq!(
        words(&strategy, "“Bookings queue”, callback"),
        ["offered after 90 s", "not offered"]
    );
    let copied = choice(&strategy, "“The second”, callback");
    assert_eq!(copied.options[0].to, json!(null));
    assert_eq!(copied.options[1].words, "offered after 90 s, as in “Bookings queue”");
    assert_eq!(copied.options[1].to, json!(offer));
}

#[test]
fn a_rank_by_a_queue_with_a_slash_in_its_id_is_set_where_it_belongs() {
    let mut strategy = two_queues();
    let id = "bookings/now~1".to_owned();
    let was = std::mem::replace(&mut strategy.steps[0].id, id.clone());
    let renamed = strategy.to_json().replace(&format!("\"{was}\""), &format!("\"{id}\""));
    let strategy = Strategy::from_json(&renamed).unwrap();
    let rank = choice(&strategy, "team “Groups team”, rank in “Bookings queue”");
    let to = rank.options[1].to.clone();
    let after = Edit::Set { part: rank.part, setting: rank.setting, to }.apply(&strategy).unwrap();
    assert_eq!(after.teams[1].ranks.get(&id), Some(&2), "{:?}", after.teams[1].ranks);
}
