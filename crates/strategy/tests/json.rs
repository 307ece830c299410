//! The JSON form: stable to read, lossless, and exact about what is wrong.

#![cfg(test)]

use barometer_strategy::{Entry, Exit, Queue, SCHEMA_VERSION, Strategy, Team, changes};
use proptest::prelude::*;

#[test]
fn the_json_form_is_what_planners_keep_in_version_control() {
    let mut strategy = Strategy::plain("Bookings");
    strategy.queue.places = Some(30);
    insta::assert_snapshot!(strategy.to_json(), @r#"
    {
      "schema_version": 1,
      "name": "Bookings",
      "entry": {
        "name": "Bookings line"
      },
      "queue": {
        "name": "Bookings queue",
        "places": 30,
        "longest_wait_secs": null,
        "when_full": "release",
        "when_too_long": "voicemail"
      },
      "team": {
        "name": "Bookings team",
        "concurrency": 1
      }
    }
    "#);
}

#[test]
fn a_refused_text_says_which_field_and_what_would_do() {
    let mut strategy = Strategy::plain("Chat");
    strategy.team.concurrency = 0;
    strategy.queue.longest_wait_secs = Some(0);
    insta::assert_snapshot!(
        Strategy::from_json(&strategy.to_json()).unwrap_err(),
        @"queue.longest_wait_secs: must be 1 to 86400 seconds; leave it empty for no limit; team.concurrency: must be 1 to 20 contacts at once"
    );
    let typo = Strategy::plain("Chat").to_json().replace("places", "plces");
    assert!(Strategy::from_json(&typo).unwrap_err().to_string().contains("plces"));
}

#[test]
fn a_difference_names_the_setting_and_both_values() {
    let before = Strategy::plain("Bookings");
    let mut after = before.clone();
    after.queue.longest_wait_secs = Some(300);
    after.queue.when_full = Exit::Voicemail;
    let told: Vec<_> = changes(&before, &after)
        .into_iter()
        .map(|change| format!("{}: {} -> {}", change.setting, change.before, change.after))
        .collect();
    assert_eq!(
        told,
        [
            "When the queue is full: message, then released -> to voicemail",
            "Longest wait: no limit -> 300 s",
        ]
    );
    assert!(changes(&before, &before).is_empty());
}

fn exit() -> impl proptest::strategy::Strategy<Value = Exit> {
    prop_oneof![Just(Exit::Voicemail), Just(Exit::Release)]
}

proptest! {
    #[test]
    fn json_loses_nothing(
        name in "[^\\s]{1,40}", places in proptest::option::of(0u32..=100_000),
        wait in proptest::option::of(1u32..=86_400), when_full in exit(), when_too_long in exit(),
        concurrency in 1u32..=20,
    ) {
        let strategy = Strategy {
            schema_version: SCHEMA_VERSION,
            name: name.clone(),
            entry: Entry { name: name.clone() },
            queue: Queue { name: name.clone(), places, longest_wait_secs: wait, when_full, when_too_long },
            team: Team { name, concurrency },
        };
        prop_assert_eq!(Strategy::from_json(&strategy.to_json()).unwrap(), strategy);
    }
}
