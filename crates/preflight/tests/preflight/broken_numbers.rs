//! Mistakes with numbers and recordings, one each.

use barometer_preflight::{Rule, recorded};
use barometer_strategy::{NumberPurpose, NumberRange, Recording, Strategy};

use crate::broken::{Broken, group, queue};
use crate::harbour::{finding, premises, rules_of, strategy};

/// A range of the short numbers of lines.
fn lines_range(from: &str, until: &str) -> NumberRange {
    let [id, name] = ["lines", "Line numbers"].map(str::to_owned);
    let (from, until) = (from.to_owned(), until.to_owned());
    NumberRange { id, name, from, until, purpose: NumberPurpose::Lines }
}

/// Short numbers of the queue of calls and of the group, and a range with free ones.
fn numbered(strategy: &mut Strategy, first: &str, second: &str) {
    queue(strategy, "bookings").short_number = Some(first.to_owned());
    group(strategy).short_number = Some(second.to_owned());
    strategy.number_ranges = vec![lines_range("600", "699")];
}

pub const BROKEN: &[Broken] = &[
    Broken {
        rule: Rule::NumberTwice,
        reason: "601 is the number of queue “Bookings queue” and of hunt group “Harbour offices”.",
        break_it: |strategy, _| numbered(strategy, "601", "6 01"),
    },
    Broken {
        rule: Rule::NumberHidden,
        reason: "A call to 601 reaches queue “Bookings queue”, whose number is 60, and never hunt group “Harbour offices”.",
        break_it: |strategy, _| {
            numbered(strategy, "60", "601");
            strategy.number_ranges = vec![lines_range("70", "79"), lines_range("60", "61")];
            strategy.number_ranges[1].id = "short".to_owned();
            let whole = NumberRange { id: "whole".to_owned(), ..lines_range("601", "699") };
            strategy.number_ranges.push(whole);
        },
    },
    Broken {
        rule: Rule::NumberOutsideRanges,
        reason: "701 of hunt group “Harbour offices” is in no range that is set aside for queues and hunt groups.",
        break_it: |strategy, _| numbered(strategy, "601", "701"),
    },
    Broken {
        rule: Rule::RangesOverlap,
        reason: "“Line numbers” (600 – 699) and “Desks” (690 – 720) have numbers in common.",
        break_it: |strategy, _| {
            strategy.number_ranges = vec![
                lines_range("600", "699"),
                NumberRange {
                    id: "desks".to_owned(),
                    name: "Desks".to_owned(),
                    purpose: NumberPurpose::People,
                    ..lines_range("690", "720")
                },
            ];
        },
    },
    Broken {
        rule: Rule::BlocksEverybody,
        reason: "“General line” blocks +*, which is everybody.",
        break_it: |strategy, _| {
            strategy.entries[0].blocked = vec!["+33*".to_owned(), "+*".to_owned()]
        },
    },
    Broken {
        rule: Rule::RecordedUntold,
        reason: "“Bookings queue” records 20 % of its conversations and tells nobody.",
        break_it: |strategy, _| {
            queue(strategy, "bookings").recording = Some(Recording {
                share: 0.2,
                is_announced: false,
                keep_days: 90,
                kilobits_per_sec: 64.0,
            });
        },
    },
];

#[test]
fn two_telephones_at_one_port_are_found_and_a_port_is_no_number() {
    let (mut strategy, premises) = (strategy(), premises());
    numbered(&mut strategy, "601", "602");
    let (name, id) = ("Ports".to_owned(), "ports".to_owned());
    strategy.number_ranges.push(NumberRange {
        id,
        name,
        purpose: NumberPurpose::Ports,
        ..lines_range("601", "648")
    });
    let desk = &mut strategy.teams[0].agents;
    (desk[0].port, desk[1].port) = (Some("601".to_owned()), Some("602".to_owned()));
    assert_eq!(rules_of(&strategy, &premises), [], "lines and ports have the same digits");
    strategy.teams[0].agents[1].port = Some("601".to_owned());
    assert_eq!(rules_of(&strategy, &premises), [Rule::NumberTwice]);
    let found = finding(&strategy, &premises, Rule::NumberTwice);
    assert_eq!(found.reason, "The telephones of “Ada” and of “Bram” are at one port, 601.");
    let mended = found.repairs[0].edit.apply(&strategy).expect("the repair can be applied");
    assert_eq!(mended.teams[0].agents[1].port.as_deref(), Some("602"));
    assert_eq!(rules_of(&mended, &premises), []);
}

#[test]
fn recordings_take_what_the_planned_contacts_of_their_line_take() {
    let (mut strategy, premises) = (strategy(), premises());
    assert_eq!(recorded(&strategy, &premises), []);
    let recording =
        Recording { share: 0.5, is_announced: true, keep_days: 30, kilobits_per_sec: 64.0 };
    queue(&mut strategy, "bookings").recording = Some(recording);
    let told = recorded(&strategy, &premises);
    let [line] = told[..] else { panic!("one line is recorded: {told:?}") };
    assert_eq!(strategy.steps[line.at].id, "bookings");
    // Only calls come there: half of them, each with its handle time, at 8,000 bytes a second.
    let calls = premises.types.iter().find(|each| each.name == "Calls").expect("calls are planned");
    let of_all: f64 = calls.contacts.iter().sum::<f64>() / (premises.intervals as f64 / 48.0);
    assert!(line.a_day > 0.0 && line.a_day < 0.5 * of_all, "{line:?} of {of_all}");
    assert!((line.bytes_a_day / (line.a_day * calls.handle_secs * 8_000.0) - 1.0).abs() < 1e-9);
    assert!((line.kept_bytes() - 30.0 * line.bytes_a_day).abs() < 1e-3);
}
