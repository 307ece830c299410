//! Sound strategies show nothing.

use barometer_preflight::{Premises, preflight};
use barometer_strategy::{StepKind, Strategy as Routes};
use jiff::tz::TimeZone;
use proptest::prelude::*;

use crate::harbour::{premises, strategy};

#[test]
fn a_sound_strategy_shows_nothing() {
    assert_eq!(preflight(&strategy(), &premises()), []);
}

#[test]
fn a_sound_strategy_shows_nothing_where_nothing_is_known_of_the_week() {
    let strategy = strategy();
    let found = preflight(&strategy, &Premises::unknown(&strategy, TimeZone::UTC));
    // Both types are taken for calls there, and the chat desk answers none.
    let found: Vec<&str> = found.iter().map(|finding| finding.reason.as_str()).collect();
    assert_eq!(found, ["“Chat queue” receives calls, and none of its members answers those."]);
}

#[test]
fn a_strategy_that_cannot_be_played_has_faults_instead() {
    let mut strategy = strategy();
    strategy.steps.clear();
    assert_eq!(preflight(&strategy, &premises()), []);
    assert!(!strategy.faults().is_empty());
}

/// The harbour, its numbers turned to anything.
fn turned() -> impl Strategy<Value = Routes> {
    let secs = || proptest::option::of(0.5..2000.0f64);
    (secs(), secs(), secs(), proptest::option::of(0..30u32), proptest::option::of(1..9u32), 0..11u8)
        .prop_map(|(limit, window, wave, places, offers, level)| {
            let mut strategy = strategy();
            for step in &mut strategy.steps {
                match &mut step.does {
                    StepKind::Queue(queue) => {
                        queue.longest_wait_secs = limit;
                        queue.places = places;
                        queue.offering.ring_window_secs = window;
                        queue.offering.most_offers = offers;
                        for wanted in &mut queue.need.skills {
                            wanted.at_least = Some(level).filter(|level| (1..=10).contains(level));
                        }
                    }
                    StepKind::HuntGroup(group) => {
                        group.group_limit_secs = limit;
                        group.offering.ring_window_secs = window;
                        group.offering.most_offers = offers;
                        group.waves_secs = vec![wave.unwrap_or(0.0)];
                    }
                    _ => {}
                }
            }
            strategy
        })
        .prop_filter("it can be played", |strategy| strategy.faults().is_empty())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    #[test]
    fn every_repair_can_be_made_and_undone_and_mends_what_was_found(strategy in turned()) {
        let premises = premises();
        for finding in preflight(&strategy, &premises) {
            for repair in &finding.repairs {
                let mended = repair.edit.apply(&strategy).expect("a repair that is offered can be made");
                let undone = repair.edit.inverse(&strategy).expect("it has an inverse").apply(&mended);
                prop_assert_eq!(undone.as_ref(), Ok(&strategy));
                let after = preflight(&mended, &premises);
                let is_left = after.iter().any(|each| each.key() == finding.key());
                prop_assert!(
                    !is_left,
                    "{:?} is still there after “{}”: {:?}",
                    finding.rule, repair.what, finding.reason
                );
            }
        }
    }
}

#[test]
fn at_half_past_nine_the_harbour_is_open_and_its_ranks_are_there() {
    use barometer_preflight::steps_now;
    let strategy = strategy();
    let now = |interval: usize| steps_now(&strategy, &premises(), interval);
    let at = |id: &str| strategy.steps.iter().position(|step| step.id == id).expect("it is there");
    let (morning, night) = (now(19), now(4));
    assert_eq!((morning[at("gate")].is_open, night[at("gate")].is_open), (Some(true), Some(false)));
    let group = &morning[at("group")];
    let ranks: Vec<(u32, u32, u32)> =
        group.ranks.iter().map(|rank| (rank.rank, rank.on_shift, rank.listed)).collect();
    assert_eq!(ranks, [(1, 2, 2), (2, 2, 2)]);
    // Thirty calls, of which a third of those who choose anything choose the harbours: 9.9; each is
    // 240 s of work, in half an hour with four people.
    assert!((group.contacts - 9.9).abs() < 1e-9, "{}", group.contacts);
    let pressure = group.pressure().expect("somebody is there");
    assert!((pressure - 9.9 * 240.0 / 1800.0 / 4.0).abs() < 1e-9);
    assert_eq!((night[at("group")].on_shift(), night[at("group")].pressure()), (0, None));
}

/// Contacts expected at a step in the interval from half past nine.
fn arriving(strategy: &Routes, premises: &Premises, id: &str) -> f64 {
    let at = strategy.steps.iter().position(|step| step.id == id).expect("it is there");
    barometer_preflight::steps_now(strategy, premises, 19)[at].contacts
}

#[test]
fn traffic_follows_menus_labels_and_assistants_in_numbers() {
    let (strategy, premises) = (strategy(), premises());
    let near = |id: &str, wanted: f64| {
        let got = arriving(&strategy, &premises, id);
        assert!((got - wanted).abs() < 1e-9, "{id}: {got}, not {wanted}");
    };
    // Of thirty calls nine in ten choose at the first hearing, and nine in ten of the rest at the second.
    near("menu", 30.0);
    near("labels", 30.0 * 0.66);
    near("group", 30.0 * 0.33);
    near("frequent", 30.0 * 0.66 * 0.2);
    near("bookings", 30.0 * (0.66 * 0.8 + 0.01));
    // An assistant settles three chats in ten.
    near("bot", 12.0);
    near("chat", 12.0 * 0.7);
    // Nothing is lost on ways that can be reckoned while somebody is on shift.
    near("mail", 0.0);
}

#[test]
fn a_choice_that_belongs_to_a_contact_type_is_taken_by_that_type_only() {
    let (mut strategy, mut premises) = (strategy(), premises());
    let mut freight = premises.types[0].clone();
    freight.name = "Freight".to_owned();
    premises.types.push(freight);
    strategy.entries[0].contact_types.push("Freight".to_owned());
    for step in &mut strategy.steps {
        if let StepKind::Menu(menu) = &mut step.does {
            menu.choices[0].contact_types = vec!["Calls".to_owned()];
            menu.choices[1].contact_types = vec!["Freight".to_owned()];
            menu.retries = 0;
        }
    }
    assert_eq!(strategy.faults(), []);
    assert!((arriving(&strategy, &premises, "labels") - 30.0 * 0.6).abs() < 1e-9);
    assert!((arriving(&strategy, &premises, "group") - 30.0 * 0.3).abs() < 1e-9);
}

#[test]
fn a_label_by_time_routes_only_at_its_time() {
    use barometer_strategy::{Condition, OpenHours};
    let (mut strategy, premises) = (strategy(), premises());
    let hours = |from: i8, until: i8| OpenHours {
        days: Vec::new(),
        from: jiff::civil::time(from, 0, 0, 0),
        until: jiff::civil::time(until, 0, 0, 0),
    };
    let mut labelled = |from, until| {
        for step in &mut strategy.steps {
            if let StepKind::Labelling(labelling) = &mut step.does {
                labelling.rules[0].when = Condition::Time(hours(from, until));
            }
        }
        arriving(&strategy, &premises, "frequent")
    };
    assert!((labelled(9, 10) - 30.0 * 0.66).abs() < 1e-9, "everybody, at half past nine");
    assert!(labelled(10, 12).abs() < 1e-9, "nobody before ten");
}
