//! Numbers: who has which, what is free, overlaps, and all of them as a file.

use barometer_strategy::{
    Agent, Campaign, Edit, NumberPurpose, NumberRange, Part, PartId, Recording, Strategy, dialled,
    merge,
};
use proptest::prelude::*;
use serde_json::json;

use crate::rich::rich;

fn range(id: &str, from: &str, until: &str, purpose: NumberPurpose) -> NumberRange {
    NumberRange {
        id: id.to_owned(),
        name: format!("Range {id}"),
        from: from.to_owned(),
        until: until.to_owned(),
        purpose,
    }
}

/// One line, one named agent, one campaign.
fn centre() -> Strategy {
    let mut strategy = Strategy::plain("Calls");
    strategy.entries[0].number = Some("+44 20 7946 0100".to_owned());
    strategy.teams[0].agents = vec![Agent {
        name: "Ada Wren".to_owned(),
        skills: None,
        ranks: Default::default(),
        short_number: Some("2001".to_owned()),
        port: None,
    }];
    strategy.campaigns.push(Campaign::named("news", "News", "team"));
    strategy.number_ranges = vec![
        range("lines", "600", "602", NumberPurpose::Lines),
        range("desks", "2000", "2009", NumberPurpose::People),
    ];
    strategy
}

#[test]
fn a_number_is_its_digits_whatever_stands_between_them() {
    for (typed, wanted) in [
        ("+44 20 7946-0100", Some("+442079460100")),
        ("(01632) 960 001", Some("01632960001")),
        ("601", Some("601")),
        ("", None),
        ("+", None),
        ("20+30", None),
        ("six", None),
        ("1234567890123456", None),
    ] {
        assert_eq!(dialled(typed).as_deref(), wanted, "{typed}");
    }
}

#[test]
fn the_next_free_number_is_the_first_that_nothing_has() {
    let mut strategy = centre();
    assert_eq!(strategy.faults(), []);
    assert_eq!(strategy.next_free_number(NumberPurpose::Lines).as_deref(), Some("600"));
    // Ada has 2001, so that 2000 is free, and then 2002.
    assert_eq!(strategy.next_free_number(NumberPurpose::People).as_deref(), Some("2000"));
    strategy.teams[0].agents[0].short_number = Some("2000".to_owned());
    assert_eq!(strategy.next_free_number(NumberPurpose::People).as_deref(), Some("2001"));
    assert_eq!(strategy.next_free_number(NumberPurpose::Entries), None, "no range is for them");
    let desks = strategy.number_ranges[1].clone();
    assert_eq!((desks.count(), strategy.use_of(&desks).used), (10, 1));
    let full = range("one", "2000", "2000", NumberPurpose::People);
    assert_eq!(strategy.use_of(&full).next_free, None);
    // 2000 would hide 20001, and 20 hides all of 20…
    strategy.teams[0].agents[0].short_number = Some("20001".to_owned());
    assert_eq!(strategy.next_free_number(NumberPurpose::People).as_deref(), Some("2001"));
    strategy.teams[0].agents[0].short_number = Some("20".to_owned());
    assert_eq!(strategy.next_free_number(NumberPurpose::People), None);
    strategy.teams[0].agents[0].short_number = Some("2000".to_owned());
    // Zeros in front stay.
    let zeros = range("zeros", "007", "012", NumberPurpose::People);
    assert_eq!(strategy.use_of(&zeros).next_free.as_deref(), Some("007"));
    // It is written as the range is.
    let published = range("own", "+44 20 7946-0100", "+442079460109", NumberPurpose::Entries);
    assert_eq!(strategy.use_of(&published).next_free.as_deref(), Some("+44 20 7946-0101"));
}

#[test]
fn ports_are_counted_on_their_own() {
    let mut strategy = centre();
    let ports = range("ports", "600", "609", NumberPurpose::Ports);
    strategy.number_ranges.push(ports.clone());
    strategy.teams[0].agents[0].port = Some("60".to_owned());
    // Port 60 hides no port, and is not the number of a line.
    assert_eq!(strategy.next_free_number(NumberPurpose::Ports).as_deref(), Some("600"));
    assert_eq!(strategy.next_free_number(NumberPurpose::Lines).as_deref(), Some("600"));
    let csv = strategy.numbers_csv().replace("port,Ada Wren,60", "port,Ada Wren,600");
    let after = strategy.edit_from_numbers_csv(&csv).unwrap().apply(&strategy).unwrap();
    assert_eq!(after.teams[0].agents[0].port.as_deref(), Some("600"));
    assert_eq!((after.use_of(&ports).used, after.faults()), (1, Vec::new()));
    assert_eq!(after.next_free_number(NumberPurpose::Ports).as_deref(), Some("601"));
    strategy.teams[0].agents[0].port = Some("behind the door".to_owned());
    assert_eq!(strategy.faults()[0].field, "teams[0].agents[0].port");
}

#[test]
fn ranges_hold_what_has_as_many_digits_and_overlap_where_a_number_is_in_both() {
    let own = range("a", "+44 20 7946 0100", "+442079460139", NumberPurpose::Entries);
    for (number, is_in) in [
        ("+44 20 7946 0120", true),
        ("+442079460140", false),
        ("442079460120", false),
        ("0120", false),
    ] {
        assert_eq!(own.contains(number), is_in, "{number}");
    }
    let other =
        |from: &str, until: &str| own.overlaps(&range("b", from, until, NumberPurpose::Campaigns));
    assert!(other("+44 20 7946 0139", "+44 20 7946 0150"));
    assert!(!other("+44 20 7946 0140", "+44 20 7946 0150"));
    assert!(!other("0100", "0139"));
}

#[test]
fn what_is_no_number_no_range_or_no_announcement_is_refused() {
    let refused = |change: &dyn Fn(&mut Strategy), wanted: &str| {
        let mut strategy = centre();
        change(&mut strategy);
        let faults: Vec<String> = strategy
            .faults()
            .into_iter()
            .map(|fault| format!("{}: {}", fault.field, fault.message))
            .collect();
        assert!(faults.len() == 1 && faults[0].starts_with(wanted), "{wanted}: {faults:?}");
    };
    refused(
        &|s| s.entries[0].number = Some("call us".to_owned()),
        "entries[0].number: “call us” is no telephone number",
    );
    refused(
        &|s| s.entries[0].announcement = Some("nowhere".to_owned()),
        "entries[0].announcement: there is no step",
    );
    refused(
        &|s| s.entries[0].announcement = Some("queue".to_owned()),
        "entries[0].announcement: “queue” is no announcement",
    );
    refused(&|s| s.entries[0].label = Some(" ".to_owned()), "entries[0].label: needs a name");
    refused(
        &|s| s.entries[0].blocked = vec!["+44x".to_owned()],
        "entries[0].blocked[0]: “+44x” may hold",
    );
    refused(
        &|s| s.number_ranges[0].until = "6000".to_owned(),
        "number_ranges[0].until: “6000” has to have as many digits",
    );
    refused(
        &|s| s.number_ranges[0].until = "599".to_owned(),
        "number_ranges[0].until: must not be before",
    );
    refused(
        &|s| s.number_ranges[1].id = "lines".to_owned(),
        "number_ranges[1].id: “lines” is used twice",
    );
    refused(
        &|s| s.teams[0].agents[0].short_number = Some("desk".to_owned()),
        "teams[0].agents[0].short_number",
    );
    let record = |share, kilobits_per_sec| {
        move |s: &mut Strategy| {
            let recording =
                Recording { share, is_announced: true, keep_days: 30, kilobits_per_sec };
            let barometer_strategy::StepKind::Queue(queue) = &mut s.steps[0].does else { return };
            queue.recording = Some(recording);
        }
    };
    refused(&record(1.2, 64.0), "steps[0].does.queue.recording.share");
    refused(&record(1.0, f64::NAN), "steps[0].does.queue.recording.kilobits_per_sec");
}

#[test]
fn recordings_take_what_their_seconds_take() {
    let recording =
        Recording { share: 0.5, is_announced: true, keep_days: 30, kilobits_per_sec: 64.0 };
    // Half of 200 contacts of five minutes, at 8,000 bytes a second.
    assert_eq!(recording.bytes_of(200.0 * 300.0), 100.0 * 300.0 * 8_000.0);
}

#[test]
fn numbers_come_in_from_a_file_all_or_none() {
    let strategy = centre();
    let text = strategy.numbers_csv();
    assert_eq!(
        text,
        "for,name,number\nentry,Calls line,+44 20 7946 0100\nqueue,Calls queue,\nagent,Ada Wren,2001\ncampaign,News,\nport,Ada Wren,\n"
    );
    let filled =
        "number,name,for\n600,Calls queue,queue\n,Ada Wren,Agent\n+44 20 7946 0140,News,campaign\n";
    let edit = strategy.edit_from_numbers_csv(filled).unwrap();
    let after = edit.apply(&strategy).unwrap();
    let numbers: Vec<Option<String>> =
        after.number_places().into_iter().map(|place| place.number).collect();
    let number = |text: &str| Some(text.to_owned());
    assert_eq!(
        numbers,
        [number("+44 20 7946 0100"), number("600"), None, number("+44 20 7946 0140"), None]
    );
    assert_eq!(edit.inverse(&strategy).unwrap().apply(&after).unwrap(), strategy);
    let wrong =
        "for,name,number\nqueue,Night queue,601\nagent,Ada Wren,desk\nagent,Ada Wren,2002\n";
    assert_eq!(
        strategy.edit_from_numbers_csv(wrong).unwrap_err(),
        [
            "row 2, name: there is no queue “Night queue”",
            "row 3, number: “desk” is no telephone number",
            "row 4, name: agent “Ada Wren” is there twice",
        ]
    );
    assert_eq!(
        strategy.edit_from_numbers_csv("for,name\nqueue,Calls queue\n").unwrap_err(),
        ["the column “number” is missing"]
    );
    assert_eq!(
        strategy.edit_from_numbers_csv("for,name,number\n,Calls queue,601\n").unwrap_err(),
        ["row 2, for: “” is none of entry, queue, hunt group, agent, campaign, port"]
    );
    // A spreadsheet's own mark in front of the file is no part of its first heading.
    let marked = format!("\u{feff}{}", strategy.numbers_csv());
    assert_eq!(strategy.edit_from_numbers_csv(&marked), Ok(Edit::Several(Vec::new())));
}

#[test]
fn two_planners_who_add_ranges_and_numbers_lose_nothing() {
    let base = centre();
    let add = |strategy: &Strategy| {
        Edit::Add { part: Part::new_range(strategy), at: None }.apply(strategy).unwrap()
    };
    let (mut mine, mut theirs) = (add(&base), add(&base));
    mine.entries[0].number = Some("+44 20 7946 0101".to_owned());
    let set = |setting: &str, to| Edit::Set {
        part: PartId::Range("lines".to_owned()),
        setting: setting.to_owned(),
        to,
    };
    theirs = set("/until", json!("620")).apply(&theirs).unwrap();
    let merged = merge(&base, &mine, &theirs, &|_| None).unwrap();
    assert_eq!(merged.number_ranges.len(), 4);
    assert_eq!(merged.number_ranges[0].until, "620");
    assert_eq!(merged.entries[0].number.as_deref(), Some("+44 20 7946 0101"));
    assert_eq!(merged.faults(), []);
    // Every step of the way can be told and taken back.
    let edit = Edit::between(&base, &merged);
    assert_eq!(edit.apply(&base).unwrap(), merged);
    assert_eq!(edit.inverse(&base).unwrap().apply(&merged).unwrap(), base);
    assert!(set("/until", json!("620")).sentence(&base).contains("until 602 → 620"));
}

#[test]
fn a_copy_of_a_line_has_no_number_and_a_removed_announcement_is_told_no_more() {
    let mut strategy = rich();
    let told = strategy
        .steps
        .iter()
        .find(|step| matches!(step.does, barometer_strategy::StepKind::Announcement(_)));
    let told = told.unwrap().id.clone();
    strategy.entries[0].announcement = Some(told.clone());
    let line = strategy.steps.iter_mut().find(|step| step.id == "queue").unwrap();
    let barometer_strategy::StepKind::Queue(queue) = &mut line.does else { panic!("a queue") };
    queue.short_number = Some("601".to_owned());
    assert_eq!(strategy.faults(), []);
    let (copied, copy) = Edit::duplicate(&strategy, &PartId::Step("queue".to_owned())).unwrap();
    let after = copied.apply(&strategy).unwrap();
    let of_copy = after.number_places().into_iter().find(|place| place.part == copy).unwrap();
    assert_eq!(of_copy.number, None);
    let part = PartId::Step(told);
    let removed = Edit::remove_leading_to(&strategy, &part, &barometer_strategy::Next::Release);
    let after = removed.unwrap().apply(&strategy).unwrap();
    assert_eq!((after.entries[0].announcement.as_ref(), after.faults()), (None, Vec::new()));
}

proptest! {
    /// The next free number is in the range, nothing has it, and none before it is free.
    #[test]
    fn the_next_free_number_is_free_and_the_first(
        first in 100u64..120, length in 0u64..12, taken in proptest::collection::vec(95u64..140, 0..20),
    ) {
        let mut strategy = centre();
        strategy.teams[0].agents = taken.iter().enumerate().map(|(at, number)| Agent {
            name: format!("Agent {at}"),
            skills: None,
            ranks: Default::default(),
            short_number: Some(number.to_string()),
            port: None,
        }).collect();
        let last = first + length;
        let range = range("own", &first.to_string(), &last.to_string(), NumberPurpose::People);
        let wanted = (first..=last).find(|number| !taken.contains(number));
        let in_use = strategy.use_of(&range);
        prop_assert_eq!(in_use.next_free, wanted.map(|number| number.to_string()));
        let mut inside: Vec<u64> = taken.iter().copied().filter(|n| (first..=last).contains(n)).collect();
        inside.sort_unstable();
        inside.dedup();
        prop_assert_eq!(in_use.used, inside.len() as u64);
    }

    /// Whatever numbers are typed, their file gives them back, or says what is wrong; nothing panics.
    #[test]
    fn any_file_of_numbers_is_read_or_refused(text in "(for,name,number\n)?([a-z\",\n +0-9]{0,60})") {
        let strategy = centre();
        if let Ok(edit) = strategy.edit_from_numbers_csv(&text) {
            let after = edit.apply(&strategy);
            prop_assert!(after.is_ok_and(|after| after.faults().is_empty()));
        }
    }
}
