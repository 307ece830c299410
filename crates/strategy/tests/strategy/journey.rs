//! The graph of a strategy, as the map draws it.

use barometer_strategy::{Next, PartId, Stop, Strategy, WayEnd};

use crate::rich::rich;

fn place(strategy: &Strategy, id: &str) -> usize {
    strategy.stop_of(&PartId::Step(id.to_owned())).expect("it is there")
}

#[test]
fn every_part_is_a_stop_and_every_way_a_link_with_its_cause() {
    let strategy = rich();
    let journey = strategy.journey();
    let (entries, steps) = (strategy.entries.len(), strategy.steps.len());
    assert_eq!(journey.stops[0], Stop::Entry(0));
    assert_eq!(journey.stops[entries], Stop::Step(0));
    let ends: Vec<WayEnd> = journey.stops[entries + steps..]
        .iter()
        .map(|stop| match stop {
            Stop::End(end) => *end,
            other => panic!("{other:?} stands among the ends"),
        })
        .collect();
    for end in [WayEnd::Answered, WayEnd::Abandoned, WayEnd::Released, WayEnd::Voicemail] {
        assert_eq!(ends.iter().filter(|each| **each == end).count(), 1, "{end:?} once");
    }
    let causes = |id: &str| -> Vec<(&str, Option<&str>)> {
        let from = place(&strategy, id);
        let links = journey.links.iter().filter(|link| link.from == from);
        links.map(|link| (link.cause.as_str(), link.exit.as_deref())).collect()
    };
    assert_eq!(
        causes("menu"),
        [
            ("Sailings", Some("/does/menu/choices/0/next")),
            ("nothing chosen", Some("/does/menu/no_choice")),
        ]
    );
    assert_eq!(
        causes("gate"),
        [("open", Some("/does/hours_gate/open")), ("closed", Some("/does/hours_gate/closed"))]
    );
    // A way on which a contact stays where it is is none.
    assert_eq!(
        causes("group"),
        [
            ("answered", None),
            ("patience ended", None),
            ("full", Some("/does/hunt_group/exits/full")),
            ("longest wait over", Some("/does/hunt_group/exits/too_long")),
        ]
    );
}

#[test]
fn what_a_stop_reaches_and_what_reaches_it_are_told_apart() {
    let strategy = rich();
    let journey = strategy.journey();
    let (gate, group) = (place(&strategy, "gate"), place(&strategy, "group"));
    let (after, before) = (journey.reach(gate, true), journey.reach(group, false));
    assert!(
        after[group] && before[gate] && before[0],
        "the entry leads over the gate to the group"
    );
    assert!(!journey.reach(group, true)[gate], "nothing leads back");
    let outside = place(&strategy, "outside");
    assert!(!after[outside], "no way leads to the outside number");
}

#[test]
fn a_way_to_a_step_that_is_not_there_is_left_out() {
    let mut strategy = rich();
    let all = strategy.journey().links.len();
    strategy.entries[0].first = Next::step("attic");
    assert_eq!(strategy.journey().links.len(), all - 1);
    assert_eq!(strategy.stop_of(&PartId::Team("team".to_owned())), None, "a team is no stop");
    assert_eq!(strategy.stop_of(&PartId::Entry(9)), None);
}

#[test]
fn ends_are_lost_or_not() {
    let lost = [WayEnd::Abandoned, WayEnd::Released, WayEnd::BusyTone];
    assert!(lost.iter().all(|end| end.is_lost()));
    let kept = [WayEnd::Answered, WayEnd::Contained, WayEnd::CalledBack, WayEnd::Voicemail];
    assert!(kept.iter().all(|end| !end.is_lost()));
}
