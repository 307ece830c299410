//! The JSON form: stable to read, lossless, exact about what is wrong, and kept up to date.

use barometer_strategy::{
    Channel, ChannelSkill, CustomersFile, Duration, Entry, Next, Offering, Queue, ReadError,
    SCHEMA_VERSION, StepKind, Strategy, Team, changes,
};
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::rich::rich;

#[test]
fn a_plain_strategy_is_what_planners_keep_in_version_control() {
    let mut strategy = Strategy::plain("Bookings");
    strategy.first_queue_mut().unwrap().places = Some(30);
    let text = strategy.to_json();
    assert!(text.starts_with("{\n  \"schema_version\": 2,\n  \"name\": \"Bookings\""), "{text}");
    assert!(text.contains("\"places\": 30,\n          \"longest_wait_secs\": null"), "{text}");
    // What is left out of a file is as usual.
    let short = r#"{"schema_version": 2, "name": "Bookings",
        "entries": [{"name": "Bookings line", "first": {"step": "queue"}}],
        "steps": [{"id": "queue", "name": "Bookings queue", "does": {"queue": {"places": 30}}}],
        "teams": [{"id": "team", "name": "Bookings team"}]}"#;
    assert_eq!(Strategy::from_json(short).unwrap(), strategy);
}

#[test]
fn a_strategy_with_a_step_of_every_kind_has_no_faults_and_survives_its_way_through_json() {
    let strategy = rich();
    assert_eq!(strategy.faults(), []);
    assert_eq!(Strategy::from_json(&strategy.to_json()).unwrap(), strategy);
    assert_eq!(serde_json::from_str::<Strategy>(&strategy.to_json()).unwrap(), strategy);
}

#[test]
fn a_file_of_another_version_is_refused_by_its_version() {
    let text = rich().to_json();
    let other = text.replacen("\"schema_version\": 2", "\"schema_version\": 9", 1);
    let error = Strategy::from_json(&other).unwrap_err();
    assert!(matches!(error, ReadError::Version(_)));
    assert_eq!(error.to_string(), format!("schema_version: must be {SCHEMA_VERSION}, got 9"));
    assert!(serde_json::from_str::<Strategy>(&other).is_err());
    let without = text.replacen("\"schema_version\": 2,", "", 1);
    assert!(matches!(Strategy::from_json(&without), Err(ReadError::NoVersion)));
}

#[test]
fn a_refused_text_says_where_and_what_would_do() {
    let refused = |change: &dyn Fn(&mut Strategy)| {
        let mut strategy = rich();
        change(&mut strategy);
        Strategy::from_json(&strategy.to_json()).unwrap_err().to_string()
    };
    insta::assert_snapshot!(refused(&|strategy| strategy.first_queue_mut().unwrap().longest_wait_secs = Some(0.0)), @"steps[0].does.queue.longest_wait_secs: must be above 0 and up to 86400 seconds; leave it empty for no limit");
    insta::assert_snapshot!(refused(&|strategy| strategy.first_queue_mut().unwrap().exits.full = Next::step("nowhere")), @"steps[0].does.queue.exits.full: there is no step “nowhere”");
    insta::assert_snapshot!(refused(&|strategy| strategy.entries[0].first = Next::KeepRinging), @"entries[0].first: only a queue or a hunt group can keep ringing");
    insta::assert_snapshot!(refused(&|strategy| strategy.steps[1].id = "queue".to_owned()), @"entries[0].first: there is no step “gate”; steps[1].id: “queue” is used twice; each needs its own");
    insta::assert_snapshot!(refused(&|strategy| strategy.teams[0].channels[0].at_once = 0), @"teams[0].channels[0].at_once: must be 1 to 20 contacts at once");
    let typo = rich().to_json().replacen("longest_wait_secs", "longst_wait_secs", 1);
    let message = Strategy::from_json(&typo).unwrap_err().to_string();
    assert!(
        message.starts_with("steps[0].does.queue.longst_wait_secs: unknown field"),
        "{message}"
    );
    assert!(Strategy::from_json("{").unwrap_err().to_string().starts_with("this is not JSON"));
}

#[test]
fn a_loop_without_time_passing_is_refused_and_one_with_time_is_not() {
    let mut strategy = rich();
    let StepKind::Routing(routing) = &mut strategy.steps[4].does else { unreachable!() };
    routing.otherwise = Next::step("labels");
    let faults = strategy.faults();
    insta::assert_snapshot!(faults[0].message, @"contacts could go round without any time passing: The labels → The routes and back; let one of these ways lead elsewhere");
    let StepKind::Routing(routing) = &mut strategy.steps[4].does else { unreachable!() };
    // Hearing the menu again takes time.
    routing.otherwise = Next::step("menu");
    assert_eq!(strategy.faults(), []);
}

#[test]
fn a_difference_names_the_setting_and_both_values() {
    let before = rich();
    let mut after = before.clone();
    let queue = after.first_queue_mut().unwrap();
    queue.longest_wait_secs = Some(300.0);
    queue.exits.full = Next::step("voicemail");
    after.teams[0].agents.clear();
    after.steps.remove(10);
    after.steps.swap(1, 2);
    after.entries.push(Entry::named("Second line", vec!["Groups".to_owned()], Next::step("queue")));
    let told: Vec<_> = changes(&before, &after)
        .into_iter()
        .map(|change| {
            format!(
                "{} | {} | {} | {}",
                change.subject, change.setting, change.before, change.after
            )
        })
        .collect();
    assert_eq!(
        told,
        [
            "Entry “Second line” | The whole of it | not there | added",
            "Queue “Bookings queue” | Exit, when it is full | released | to “voicemail”",
            "Queue “Bookings queue” | Longest wait (s) | no limit | 300",
            "Outside number “The outside” | The whole of it | there | removed",
            "Team “Bookings team” | Agents, 1, name | Ada Quill | not there",
            "Team “Bookings team” | Agents, 1, skills | none | not there",
            "Team “Bookings team” | Agents | not there | none",
        ]
    );
    assert!(changes(&before, &before).is_empty());
}

#[test]
fn the_schema_knows_every_field_and_says_what_it_means() {
    let schema = Strategy::schema();
    for (kind, definition) in schema["$defs"].as_object().unwrap() {
        for (field, described) in definition["properties"].as_object().into_iter().flatten() {
            assert!(described["description"].is_string(), "{kind}.{field} is not described");
        }
    }
    let customers = CustomersFile::schema();
    assert!(customers["$defs"]["Customers"]["properties"]["patience"].is_object());
    for step in &rich().steps {
        let value = serde_json::to_value(step).unwrap();
        let kind = value["does"].as_object().unwrap().keys().next().unwrap().clone();
        let ways = schema["$defs"]["StepKind"]["oneOf"].as_array().unwrap();
        assert!(ways.iter().any(|way| way["properties"].get(&kind).is_some()), "{kind}");
    }
}

/// The places of a document that hold a value, as JSON pointers.
fn places_of(value: &Value, at: &str, places: &mut Vec<String>) {
    places.push(at.to_owned());
    match value {
        Value::Array(values) => values
            .iter()
            .enumerate()
            .for_each(|(nth, value)| places_of(value, &format!("{at}/{nth}"), places)),
        Value::Object(fields) => {
            fields
                .iter()
                .for_each(|(name, value)| places_of(value, &format!("{at}/{name}"), places));
        }
        _ => {}
    }
}

/// Values as files have them that were edited by hand.
fn odd_values() -> Vec<Value> {
    vec![
        Value::Null,
        json!(true),
        json!(-1),
        json!(0),
        json!(0.5),
        json!(1e300),
        json!(4_294_967_296_u64),
        json!(""),
        json!("queue"),
        json!("step \u{0} of nowhere"),
        json!("x".repeat(70_000)),
        json!([]),
        json!({}),
        json!([[]]),
        json!({ "constant": { "secs": -5 } }),
        json!({ "step": "queue" }),
    ]
}

proptest! {
    #[test]
    fn whatever_stands_in_a_file_it_is_read_without_faults_or_refused_with_a_place(
        edits in proptest::collection::vec(
            (any::<proptest::sample::Index>(), proptest::sample::select(odd_values())), 1..4),
    ) {
        let mut document: Value = serde_json::from_str(&rich().to_json()).unwrap();
        for (at, value) in edits {
            let mut places = Vec::new();
            places_of(&document, "", &mut places);
            let place = &places[at.index(places.len())];
            *document.pointer_mut(place).unwrap() = value;
        }
        match Strategy::from_json(&document.to_string()) {
            Ok(read) => {
                prop_assert_eq!(read.faults(), []);
                prop_assert_eq!(Strategy::from_json(&read.to_json()).unwrap(), read);
            }
            Err(refusal) => {
                let said = refusal.to_string();
                prop_assert!(!said.is_empty() && !said.contains('\n'), "{}", said);
            }
        }
    }

    #[test]
    fn any_text_is_refused_and_none_panics(text in "\\PC{0,200}", cut in any::<proptest::sample::Index>()) {
        prop_assert!(Strategy::from_json(&text).is_err());
        let whole = rich().to_json();
        let mut end = cut.index(whole.len());
        while !whole.is_char_boundary(end) {
            end -= 1;
        }
        prop_assert!(Strategy::from_json(&whole[..end]).is_err(), "a file that breaks off");
        let _ = CustomersFile::from_json(&text);
    }

    #[test]
    fn json_loses_nothing(
        name in "[\\p{L}\\p{N}\\p{P}\\p{S}]{1,40}", places in proptest::option::of(0u32..=100_000),
        wait in proptest::option::of(0.001..=86_400.0f64), ring in 0.001..=86_400.0f64,
        at_once in 1u32..=20, slowing in 0.0..=10.0f64, variation in 0.01..20.0f64,
    ) {
        let mut strategy = rich();
        strategy.name = name;
        let offering = Offering { ring_window_secs: Some(ring), ..Offering::default() };
        *strategy.first_queue_mut().unwrap() =
            Queue { places, longest_wait_secs: wait, offering, ..Queue::default() };
        let team: &mut Team = &mut strategy.teams[0];
        team.channels = vec![ChannelSkill { channel: Channel::Call, at_once, slowing }];
        team.answer_delay = Duration::Gamma { mean_secs: ring, variation };
        prop_assert_eq!(Strategy::from_json(&strategy.to_json()).unwrap(), strategy);
    }
}
