//! Ways that are folded on the map: what nobody else passes is left out, and nothing else.

use barometer_strategy::{Journey, Link, Part, PartId, Stop, WayEnd};
use proptest::prelude::*;

use crate::rich::rich;

fn link(from: usize, to: usize, cause: &str) -> Link {
    Link { from, to, cause: cause.to_owned(), exit: Some(format!("/{cause}")) }
}

/// Two entries: the first leads over a menu of its own to a queue of its own and to one that both share.
///
/// ```text
/// 0 entry ─ 2 menu ┬ 3 own queue ┬ 6 answered
///                  └ 4 shared    ├ 7 abandoned
/// 1 entry ─────────┘             │
/// 5 campaign ────────────────────┘ answered
/// ```
fn two_entries() -> Journey {
    Journey {
        stops: vec![
            Stop::Entry(0),
            Stop::Entry(1),
            Stop::Step(0),
            Stop::Step(1),
            Stop::Step(2),
            Stop::Campaign(0),
            Stop::End(WayEnd::Answered),
            Stop::End(WayEnd::Abandoned),
        ],
        links: vec![
            link(0, 2, ""),
            link(1, 4, ""),
            link(2, 3, "Sailings"),
            link(2, 4, "Freight"),
            link(2, 7, "nothing chosen"),
            link(3, 6, "answered"),
            link(3, 7, "patience ended"),
            link(4, 6, "answered"),
            link(5, 6, "answered"),
        ],
    }
}

#[test]
fn a_folded_entry_leads_straight_to_what_others_pass_too() {
    let whole = two_entries();
    assert_eq!(whole.only_from(0), [2, 3], "the shared queue is the other entry's as well");
    assert_eq!(whole.only_from(1), [0usize; 0]);
    assert_eq!(whole.only_from(5), [0usize; 0], "a campaign that is answered at once has no steps");
    assert_eq!(whole.only_from(2), [0usize; 0], "only entries and campaigns are folded");
    assert_eq!(whole.only_from(99), [0usize; 0]);

    let folded = whole.folded(&[0]);
    assert_eq!(folded.behind[0], [2, 3]);
    assert_eq!(folded.place[3], 0, "the queue stands behind its entry");
    let journey = &folded.journey;
    assert_eq!(journey.stops.len(), 6);
    let told: Vec<(Stop, Stop, &str, Option<&str>)> = journey
        .links
        .iter()
        .map(|link| {
            let (from, to) = (journey.stops[link.from], journey.stops[link.to]);
            (from, to, link.cause.as_str(), link.exit.as_deref())
        })
        .collect();
    let (answered, abandoned) = (Stop::End(WayEnd::Answered), Stop::End(WayEnd::Abandoned));
    assert_eq!(
        told,
        [
            (Stop::Entry(1), Stop::Step(2), "", Some("/")),
            (Stop::Entry(0), Stop::Step(2), "Freight", None),
            // Two causes lead here: none of them is named.
            (Stop::Entry(0), abandoned, "", None),
            (Stop::Entry(0), answered, "answered", None),
            (Stop::Step(2), answered, "answered", Some("/answered")),
            (Stop::Campaign(0), answered, "answered", Some("/answered")),
        ]
    );
    assert_eq!(folded.stands_for[2], [4, 6]);
}

#[test]
fn with_nothing_to_fold_the_journey_is_as_it_was() {
    let whole = two_entries();
    for starts in [&[][..], &[1], &[2, 99], &[5]] {
        assert_eq!(whole.folded(starts).journey, whole, "{starts:?}");
    }
}

#[test]
fn a_strategy_with_one_entry_folds_to_its_ends_and_to_what_no_way_leads_to() {
    let mut strategy = rich();
    let folded =
        |strategy: &barometer_strategy::Strategy| strategy.journey().folded(&[0]).journey.stops;
    // No way leads to the outside number: it stays where it is.
    let outside = strategy.steps.iter().position(|step| step.id == "outside").unwrap();
    let steps = |stops: &[Stop]| -> Vec<usize> {
        let steps = stops.iter().filter_map(|stop| match stop {
            Stop::Step(at) => Some(*at),
            _ => None,
        });
        steps.collect()
    };
    assert!(steps(&folded(&strategy)).contains(&outside));
    let before = steps(&folded(&strategy)).len();
    assert!(before < strategy.steps.len(), "something was folded");
    // A second entry to the gate takes everything behind the gate along.
    let Part::Entry(mut second) = Part::new_entry(&strategy) else { panic!("an entry is made") };
    second.first = barometer_strategy::Next::step("gate");
    strategy.entries.push(second);
    assert!(steps(&folded(&strategy)).len() > before);
    let gate = strategy.stop_of(&PartId::Step("gate".to_owned())).unwrap();
    assert!(!strategy.journey().only_from(0).contains(&gate));
}

/// A random journey: entries and campaigns are never led to, nothing leads on from an end.
fn any_journey() -> impl Strategy<Value = Journey> {
    let ways = proptest::collection::vec((0..14usize, 0..14usize, 0..3u8), 0..40);
    (1..4usize, 1..9usize, 0..2usize, ways).prop_map(|(entries, steps, campaigns, ways)| {
        let stops: Vec<Stop> = (0..entries)
            .map(Stop::Entry)
            .chain((0..steps).map(Stop::Step))
            .chain((0..campaigns).map(Stop::Campaign))
            .chain([Stop::End(WayEnd::Answered), Stop::End(WayEnd::Abandoned)])
            .collect();
        let links = ways.into_iter().filter_map(|(from, to, cause)| {
            let leads = matches!(stops.get(from), Some(stop) if !matches!(stop, Stop::End(_)));
            let is_led_to = matches!(stops.get(to), Some(Stop::Step(_) | Stop::End(_)));
            (leads && is_led_to)
                .then(|| link(from, to, ["full", "closed", "open"][usize::from(cause)]))
        });
        let links = links.collect();
        Journey { stops, links }
    })
}

proptest! {
    #[test]
    fn folding_hides_exactly_what_nobody_else_comes_to(journey in any_journey(), start in 0..14usize) {
        let reached = journey.reach(start.min(journey.stops.len() - 1), true);
        let others: Vec<Vec<bool>> = (0..journey.stops.len())
            .filter(|&at| !reached[at])
            .map(|at| journey.reach(at, true))
            .collect();
        // By definition: it is come to from here, and from no stop that is not.
        let expected: Vec<usize> = (0..journey.stops.len())
            .filter(|&at| matches!(journey.stops[at], Stop::Step(_)) && reached[at])
            .filter(|&at| others.iter().all(|other| !other[at]))
            .collect();
        let is_start = matches!(journey.stops.get(start), Some(Stop::Entry(_) | Stop::Campaign(_)));
        prop_assert_eq!(journey.only_from(start), if is_start { expected } else { Vec::new() });
    }

    #[test]
    fn every_way_of_the_whole_is_drawn_once_or_stands_behind_its_entry(
        journey in any_journey(),
        starts in proptest::collection::vec(0..14usize, 0..4),
    ) {
        let folded = journey.folded(&starts);
        let mut drawn = vec![0; journey.links.len()];
        for (link, stands_for) in folded.journey.links.iter().zip(&folded.stands_for) {
            prop_assert!(!stands_for.is_empty());
            for &at in stands_for {
                drawn[at] += 1;
                let whole = &journey.links[at];
                prop_assert_eq!((folded.place[whole.from], folded.place[whole.to]), (link.from, link.to));
            }
        }
        for (at, count) in drawn.into_iter().enumerate() {
            let link = &journey.links[at];
            let is_within = folded.place[link.from] == folded.place[link.to];
            let is_folded = !folded.behind[folded.place[link.from]].is_empty();
            prop_assert_eq!(count, usize::from(!(is_within && is_folded)));
        }
        // What an entry or campaign reaches among what is left is what it reached before.
        for (at, stop) in journey.stops.iter().enumerate() {
            if !matches!(stop, Stop::Entry(_) | Stop::Campaign(_)) { continue; }
            let (before, after) = (journey.reach(at, true), folded.journey.reach(folded.place[at], true));
            for (to, is_reached) in before.into_iter().enumerate() {
                if folded.behind.iter().all(|behind| !behind.contains(&to)) {
                    prop_assert_eq!(is_reached, after[folded.place[to]], "{} to {}", at, to);
                }
            }
        }
    }
}
