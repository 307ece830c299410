//! The demo's history looks like real history, and always the same.

#![cfg(test)]

use std::sync::LazyLock;

use barometer_demo::{DemoContactType, FIRST_DAY, TODAY, ZONE, larkhaven};
use barometer_plan::{PastInterval, Record, replay_day, without_gaps};
use jiff::ToSpan;
use jiff::civil::{Date, date};
use jiff::tz::TimeZone;

static CENTRE: LazyLock<Vec<DemoContactType>> = LazyLock::new(|| larkhaven().unwrap());

fn contact_type(name: &str) -> &'static DemoContactType {
    CENTRE.iter().find(|found| found.character.name == name).unwrap()
}

fn offered_on(contact_type: &DemoContactType, day: Date) -> u32 {
    let zone = TimeZone::get(ZONE).unwrap();
    let of_day = |start: jiff::Timestamp| start.to_zoned(zone.clone()).date() == day;
    contact_type.history.iter().filter(|past| of_day(past.start)).map(|past| past.offered).sum()
}

#[test]
fn there_are_27_months_of_seven_contact_types_up_to_the_day_before_today() {
    assert_eq!(CENTRE.len(), 7);
    let months =
        (TODAY.year() - FIRST_DAY.year()) * 12 + i16::from(TODAY.month() - FIRST_DAY.month());
    assert_eq!(months, 27);
    for found in CENTRE.iter() {
        let last =
            found.history.last().unwrap().start.to_zoned(TimeZone::get(ZONE).unwrap()).date();
        assert!(last < TODAY && last >= date(2026, 11, 20), "{}: {last}", found.character.name);
    }
}

#[test]
fn it_is_the_same_every_time() {
    let again = larkhaven().unwrap();
    assert!(again.iter().zip(CENTRE.iter()).all(|(again, before)| again.history == before.history));
}

#[test]
fn storms_fill_the_sailing_changes_line_and_cost_it_callers() {
    let changes = contact_type("Sailing changes");
    let (storm, calm) = (date(2026, 11, 6), date(2026, 11, 13));
    assert!(offered_on(changes, storm) > 2 * offered_on(changes, calm));
    let zone = TimeZone::get(ZONE).unwrap();
    let lost = |day| {
        let of_day =
            changes.history.iter().filter(|past| past.start.to_zoned(zone.clone()).date() == day);
        let (lost, all) =
            of_day.fold((0, 0), |sum, past| (sum.0 + past.abandoned, sum.1 + past.offered));
        f64::from(lost) / f64::from(all)
    };
    assert!(lost(storm) > 0.15 && lost(calm) < 0.1, "{} {}", lost(storm), lost(calm));
}

#[test]
fn an_outage_a_level_shift_and_gaps_are_there_to_be_found() {
    let bookings = contact_type("Bookings");
    assert!(offered_on(bookings, date(2026, 3, 11)) < offered_on(bookings, date(2026, 3, 18)));
    let september =
        |year| (1..=28).map(|day| offered_on(bookings, date(year, 10, day))).sum::<u32>();
    let shift = f64::from(september(2025)) / f64::from(september(2024));
    assert!((0.78..0.92).contains(&shift), "20% fewer, 6% growth: {shift}");
    let zone = TimeZone::get(ZONE).unwrap();
    let of_lost_day = bookings
        .history
        .iter()
        .filter(|past| past.start.to_zoned(zone.clone()).date() == date(2025, 2, 5));
    assert_eq!(of_lost_day.count(), 10, "the afternoon is missing");
}

#[test]
fn every_interval_adds_up() {
    for past in CENTRE.iter().flat_map(|found| &found.history) {
        assert_eq!(past.offered, past.answered + past.abandoned);
        assert_eq!(past.handle_secs.is_some(), past.answered > 0);
    }
}

#[test]
fn the_roster_has_a_hole_on_friday_and_saturday_morning() {
    let changes = contact_type("Sailing changes");
    let at = |text: &str| {
        let start = text.parse().unwrap();
        changes.cover.iter().find(|(found, _)| *found == start).unwrap().1
    };
    assert!(at("2026-11-27T09:00:00Z") < at("2026-11-20T09:00:00Z".replace("20T", "24T").as_str()));
    assert!(at("2026-11-28T09:00:00Z") < at("2026-12-05T09:00:00Z"));
}

/// Of the last three weeks, the days that went as the engine expects, and the shares that nobody answered: as it was,
/// and as the engine says.
fn record(name: &str) -> (usize, f64, f64) {
    let found = contact_type(name);
    let zone = TimeZone::get(ZONE).unwrap();
    let grain = 1800.0;
    let days = (1..=21).filter_map(|ago| {
        let start = zone.to_timestamp(TODAY.saturating_sub(ago.days()).into()).unwrap();
        let intervals = without_gaps(start, 48, grain, |start| {
            let row = found.history.iter().find(|row| row.start == start)?;
            let agents = found.cover.iter().find(|(at, _)| *at == start)?.1;
            Some(PastInterval {
                start,
                offered: row.offered,
                unanswered: row.offered - row.answered,
                handle_secs: row.handle_secs,
                agents,
            })
        });
        let rules = &found.character.rules;
        replay_day(&barometer_demo::strategy(), (name, rules), grain, &intervals, 60).unwrap()
    });
    let days: Vec<_> = days.collect();
    let Record { expected, was, said } = Record::of(days.iter().copied());
    (expected, was, said)
}

#[test]
fn the_past_is_what_the_engine_makes_of_its_contacts_and_people() {
    for name in ["Bookings", "Sailing changes", "Vehicles & freight", "Assisted travel"] {
        let (expected, was, said) = record(name);
        // Nineteen of twenty days would be expected if the model were the same; the history is of a simpler one.
        assert!(expected >= 14, "{name}: {expected} of 21 days, {was} {said}");
        assert!((was - said).abs() < 0.01, "{name}: {was} {said}");
    }
}
