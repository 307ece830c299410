//! Typed edits: what they make of a strategy, what they refuse, how they are undone, and what they say.

use barometer_strategy::{Edit, HuntGroup, Next, Part, PartId, StepKind, StepName, Strategy, Team};
use proptest::prelude::*;
use proptest::sample::Index;
use proptest::strategy::Strategy as _;
use serde_json::{Value, json};

use crate::rich::{rich, step};

fn queue() -> PartId {
    PartId::Step("queue".to_owned())
}

fn set(part: PartId, setting: &str, to: Value) -> Edit {
    Edit::Set { part, setting: setting.to_owned(), to }
}

fn connect(part: PartId, exit: &str, to: Option<Next>) -> Edit {
    Edit::Connect { part, exit: exit.to_owned(), to }
}

/// What an edit is refused with.
fn refused(edit: &Edit) -> String {
    let faults = edit.apply(&rich()).unwrap_err();
    faults
        .iter()
        .map(|fault| format!("{}: {}", fault.field, fault.message))
        .collect::<Vec<_>>()
        .join("; ")
}

#[test]
fn each_edit_changes_what_it_names_says_so_and_is_undone_by_its_inverse() {
    let new_team = Part::Team(Team::named("harbour", "Harbour"));
    let told: Vec<String> = [
        Edit::Rename("Winter".to_owned()),
        Edit::Add { part: new_team, at: Some(0) },
        Edit::Add { part: Part::new_entry(&rich()), at: None },
        Edit::Remove(PartId::Step("outside".to_owned())),
        Edit::Move { part: PartId::Step("outside".to_owned()), to: 0 },
        Edit::set_number(queue(), "/does/queue/places", 30.0),
        set(queue(), "/does/queue/offering/order", json!("round_robin")),
        set(PartId::Team("team".to_owned()), "/channels/0/at_once", json!(2)),
        set(queue(), "/does/queue/announcements", json!([{ "at_secs": 20, "secs": 5 }])),
        connect(queue(), "/does/queue/exits/full", Some(Next::step("voicemail"))),
        connect(queue(), "/does/queue/exits/no_staff_at_arrival", Some(Next::BusyTone)),
        connect(queue(), "/does/queue/exits/no_staff_at_arrival", None),
        connect(PartId::Entry(0), "/first", Some(Next::step("menu"))),
        set(PartId::Step("outside".to_owned()), "/id", json!("abroad")),
    ]
    .iter()
    .map(|edit| {
        let after = edit.apply(&rich()).unwrap_or_else(|faults| panic!("{edit:?}: {faults:?}"));
        let undone = edit.inverse(&rich()).unwrap().apply(&after).unwrap();
        assert_eq!(undone, rich(), "{edit:?}");
        edit.sentence(&rich())
    })
    .collect();
    assert_eq!(
        told,
        [
            "Renamed “Bookings” to “Winter”.",
            "Added team “Harbour”.",
            "Added entry “Entry 2”.",
            "Removed outside number “The outside”.",
            "Moved outside number “The outside” to place 1.",
            "Queue “Bookings queue”: places no limit → 30.",
            "Queue “Bookings queue”: offers, offer order longest idle → round robin that keeps its place.",
            "Team “Bookings team”: channels, 1, contacts at once 3 → 2.",
            "Queue “Bookings queue”: announcements, 1, at (s) not there → 20; announcements, 1, must be heard to the end not there → no; announcements, 1, patience factor not there → 1; and 3 more settings.",
            "Queue “Bookings queue”: exit, when it is full released → to “voicemail”.",
            "Queue “Bookings queue”: exit, when nobody is at work at arrival none → busy tone.",
            "No setting changed.",
            "Entry “Bookings line”: first step to “gate” → to “menu”.",
            "Outside number “The outside”: removed; added.",
        ]
    );
}

#[test]
fn an_edit_that_cannot_be_made_is_refused_with_the_place_and_the_reason() {
    let nowhere = PartId::Step("nowhere".to_owned());
    assert_eq!(refused(&Edit::Remove(nowhere.clone())), "steps: there is no step “nowhere”");
    assert_eq!(
        refused(&Edit::Move { part: queue(), to: 99 }),
        "steps: there are 10, so there is no place 100"
    );
    assert_eq!(
        refused(&Edit::Replace { part: queue(), with: Part::new_team(&rich()) }),
        "steps: is put in the place of a part of another kind"
    );
    assert_eq!(
        refused(&set(queue(), "/does/menu/retries", json!(1))),
        "steps[0]: there is no setting “/does/menu/retries”"
    );
    assert_eq!(
        refused(&set(queue(), "places", json!(1))),
        "steps[0]: there is no setting “places”"
    );
    assert_eq!(
        refused(&set(PartId::Team("team".to_owned()), "/channels/7", json!(1))),
        "teams[0]: there is no setting “/channels/7”"
    );
    let wrong_kind = refused(&set(queue(), "/does/queue/places", json!("many")));
    assert!(wrong_kind.starts_with("steps[0].does.queue.places: invalid type"), "{wrong_kind}");
    let fraction = refused(&Edit::set_number(queue(), "/does/queue/places", 2.5));
    assert!(fraction.starts_with("steps[0].does.queue.places: invalid type"), "{fraction}");
    let unknown = refused(&set(queue(), "/does/queue/paces", json!(1)));
    assert!(unknown.contains("unknown field `paces`"), "{unknown}");
    // What comes out must be playable.
    assert_eq!(
        refused(&connect(queue(), "/does/queue/exits/full", Some(Next::step("nowhere")))),
        "steps[0].does.queue.exits.full: there is no step “nowhere”"
    );
    assert!(refused(&connect(queue(), "/does/queue/exits/full", None)).contains("exits.full"));
    assert!(refused(&Edit::Remove(queue())).contains("there is no step “queue”"));
}

#[test]
fn several_edits_are_judged_by_what_comes_out_and_undone_in_one() {
    // Neither can be made alone: the voicemail is needed, and then nothing leads to the new queue.
    let voicemail = PartId::Step("voicemail".to_owned());
    let new = Part::Step(Box::new(step("later", StepKind::Queue(Default::default()))));
    let both = Edit::Several(vec![
        Edit::Remove(voicemail.clone()),
        Edit::Add { part: new, at: Some(3) },
        connect(
            PartId::Step("gate".to_owned()),
            "/does/hours_gate/closed",
            Some(Next::step("later")),
        ),
    ]);
    assert!(Edit::Remove(voicemail).apply(&rich()).is_err());
    let after = both.apply(&rich()).unwrap();
    assert_eq!(after.steps[3].id, "later");
    assert_eq!(both.inverse(&rich()).unwrap().apply(&after).unwrap(), rich());
    assert_eq!(
        both.sentence(&rich()),
        "Hours gate “The gate”: closed to “voicemail” → to “later”. Voicemail “The voicemail”: removed. Queue “The later”: added."
    );
}

#[test]
fn every_kind_of_part_can_be_added_as_it_is_and_has_an_id_of_its_own() {
    for mut strategy in [Strategy::plain("Bookings"), rich()] {
        let mut names = Vec::new();
        for kind in StepName::ALL.into_iter().chain(StepName::ALL) {
            let part = Part::new_step(&strategy, kind);
            names.push(part.name().to_owned());
            let add = Edit::Add { part: part.clone(), at: None };
            strategy = add.apply(&strategy).unwrap_or_else(|faults| panic!("{kind:?} {faults:?}"));
            let Part::Step(step) = part else { panic!("{kind:?} is a step") };
            assert_eq!(step.does.name(), kind);
        }
        names.sort();
        names.dedup();
        assert_eq!(names.len(), 2 * StepName::ALL.len(), "{names:?}");
        for _ in 0..2 {
            for part in [Part::new_entry(&strategy), Part::new_team(&strategy)] {
                strategy = Edit::Add { part, at: None }.apply(&strategy).unwrap();
            }
        }
    }
}

#[test]
fn a_contact_type_is_taken_in_by_adding_its_parts() {
    let edit = Edit::take_in(&rich(), "Groups", Strategy::plain("Groups"));
    let mut by_hand = rich();
    by_hand.take_in("Groups", Strategy::plain("Groups"));
    assert_eq!(edit.apply(&rich()).unwrap(), by_hand);
    assert_eq!(edit.inverse(&rich()).unwrap().apply(&by_hand).unwrap(), rich());
}

#[test]
fn parts_are_named_in_addresses_and_read_back() {
    for part in [PartId::Entry(3), queue(), PartId::Team("a.b".to_owned())] {
        assert_eq!(part.to_string().parse::<PartId>().unwrap(), part);
    }
    for odd in ["", "queue", "entry.x", "line.1", "entry.-1"] {
        assert!(odd.parse::<PartId>().unwrap_err().message.contains("names no entry"), "{odd}");
    }
}

#[test]
fn numbers_are_found_with_their_names_and_set_by_them() {
    let numbers = rich().numbers();
    let names: Vec<&str> = numbers.iter().map(|number| number.name.as_str()).collect();
    for name in [
        "“Bookings queue”, places",
        "“Bookings queue”, offers, ring window (s)",
        "“The menu”, choices, 1, share",
        "“The callback”, retry after (s)",
        "team “Bookings team”, channels, 1, contacts at once",
    ] {
        assert!(names.contains(&name), "{name} is not in {names:?}");
    }
    let places = numbers.iter().find(|number| number.name.ends_with("queue”, places")).unwrap();
    // The setting stays the same one when steps change their order.
    let mut turned = rich();
    turned.steps.reverse();
    let set = places.set(5.0).apply(&turned).unwrap();
    assert_eq!(set.first_queue().unwrap().1.places, Some(5));
}

/// One random edit of a strategy, which may be impossible.
fn any_edit(strategy: &Strategy, (what, which, where_to, value): &Draw) -> Edit {
    let parts: Vec<PartId> = (0..strategy.entries.len())
        .map(PartId::Entry)
        .chain(strategy.steps.iter().map(|step| PartId::Step(step.id.clone())))
        .chain(strategy.teams.iter().map(|team| PartId::Team(team.id.clone())))
        .collect();
    let part = parts[which.index(parts.len())].clone();
    let next = match where_to.index(strategy.steps.len() + 2) {
        0 => Next::Release,
        1 => Next::KeepRinging,
        at => Next::step(&strategy.steps[at - 2].id),
    };
    match what {
        0 => Edit::Rename(format!("Name {value}")),
        1 => Edit::Remove(part),
        2 => Edit::Move { part, to: where_to.index(4) },
        3 => {
            let kind = StepName::ALL[which.index(StepName::ALL.len())];
            Edit::Add { part: Part::new_step(strategy, kind), at: Some(where_to.index(3)) }
        }
        4 => Edit::Add { part: Part::new_entry(strategy), at: None },
        5 => Edit::Add { part: Part::new_team(strategy), at: Some(0) },
        6 => {
            let from = &strategy.steps[which.index(strategy.steps.len())];
            let part = PartId::Step(from.id.clone());
            let exit = match &from.does {
                StepKind::HuntGroup(HuntGroup { .. }) => "/does/hunt_group/exits/too_long",
                StepKind::HoursGate(_) => "/does/hours_gate/open",
                StepKind::Menu(_) => "/does/menu/no_choice",
                _ => "/does/queue/exits/full",
            };
            Edit::Connect { part, exit: exit.to_owned(), to: Some(next) }
        }
        7 => {
            let fresh = Part::new_step(strategy, StepName::ALL[where_to.index(11)]);
            Edit::Replace { part, with: fresh }
        }
        _ => {
            let numbers = strategy.numbers();
            numbers[which.index(numbers.len())].set(*value)
        }
    }
}

type Draw = (u8, Index, Index, f64);

fn draws() -> impl proptest::strategy::Strategy<Value = Vec<Draw>> {
    let value = prop_oneof![(0u32..40).prop_map(f64::from), -5.0..200.0f64];
    proptest::collection::vec((0u8..12, any::<Index>(), any::<Index>(), value), 1..12)
}

proptest! {
    #[test]
    fn random_edits_are_refused_whole_or_made_undone_told_and_kept(draws in draws()) {
        let first = rich();
        let mut strategy = first.clone();
        let mut made = Vec::new();
        for draw in &draws {
            let edit = any_edit(&strategy, draw);
            let Ok(after) = edit.apply(&strategy) else { continue };
            let inverse = edit.inverse(&strategy).unwrap();
            prop_assert_eq!(&inverse.apply(&after).unwrap(), &strategy, "{:?}", &edit);
            prop_assert!(edit.sentence(&strategy).ends_with('.'));
            let kept: Edit =
                serde_json::from_str(&serde_json::to_string(&edit).unwrap()).unwrap();
            prop_assert_eq!(&kept, &edit);
            made.push(edit);
            strategy = after;
        }
        prop_assert_eq!(&Strategy::from_json(&strategy.to_json()).unwrap(), &strategy);
        let between = Edit::between(&first, &strategy);
        prop_assert_eq!(&between.apply(&first).unwrap(), &strategy);
        let all = Edit::Several(made);
        prop_assert_eq!(&all.apply(&first).unwrap(), &strategy);
        prop_assert_eq!(&all.inverse(&first).unwrap().apply(&strategy).unwrap(), &first);
    }
}
