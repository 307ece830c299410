//! A report of some queues and campaigns only.

use barometer_report::facts::Facts;
use barometer_report::{Cell, Definition, Section, make};

use crate::fixture::{definition, full_facts};
use crate::made::part;

fn names(definition: &Definition, facts: &Facts, section: Section) -> Vec<String> {
    let report = make(definition, facts);
    let part = part(&report, section);
    let rows = part.tables.first().map(|table| table.rows.as_slice()).unwrap_or_default();
    let name = |cell: &Cell| match cell {
        Cell::Text(name) => name.clone(),
        _ => String::new(),
    };
    rows.iter().map(|row| name(&row.cells[0])).collect()
}

#[test]
fn only_the_chosen_queues_are_told_with_the_ways_into_and_out_of_them() {
    let mut facts = full_facts();
    let simulated = facts.simulated.as_mut().unwrap();
    let mut freight = simulated.service_points[0].clone();
    freight.name = "Freight desk".to_owned();
    freight.service_level = Some(0.2);
    simulated.service_points.push(freight);
    let all = definition();
    assert_eq!(names(&all, &facts, Section::Queues), ["Bookings queue", "Freight desk"]);
    let bookings = Definition { queues: vec!["Bookings queue".to_owned()], ..all };
    assert_eq!(names(&bookings, &facts, Section::Queues), ["Bookings queue"]);
    assert_eq!(names(&bookings, &facts, Section::Flow), ["Menu"], "not the number to the menu");
    let report = make(&bookings, &facts);
    let said = &part(&report, Section::Queues).sentence;
    assert!(said.starts_with("Bookings queue has the lowest"), "{said}");
}

#[test]
fn a_queue_and_a_campaign_that_are_gone_are_named() {
    let gone = Definition {
        queues: ["Old queue", "Bookings queue"].map(str::to_owned).to_vec(),
        campaigns: vec!["Spring offers".to_owned()],
        ..definition()
    };
    let report = make(&gone, &full_facts());
    let queues = part(&report, Section::Queues);
    assert!(
        queues.sentence.contains(" Old queue is no longer part of the live strategy."),
        "{}",
        queues.sentence
    );
    assert_eq!(queues.tables[0].rows.len(), 1);
    let campaigns = part(&report, Section::Campaigns);
    assert!(campaigns.is_missing);
    assert_eq!(campaigns.sentence, "Spring offers is no longer part of the live strategy.");
    assert!(
        !report.out_of_target.iter().any(|said| said.contains("Cancelled sailings")),
        "what the report does not cover is not out of its target"
    );
}

#[test]
fn a_campaign_is_told_alone() {
    let one = Definition { campaigns: vec!["Rebooking".to_owned()], ..definition() };
    assert_eq!(names(&one, &full_facts(), Section::Campaigns), ["Rebooking"]);
    let report = make(&one, &full_facts());
    let said = &part(&report, Section::Campaigns).sentence;
    assert_eq!(said, "No trial has played the live strategy's campaigns yet.");
}
