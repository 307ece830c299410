//! Every reader of a file, asked directly: thousands of damaged files each, in seconds, without a server.
//!
//! A damaged file is read or refused. A refusal says something and not endlessly much; what is read is sound by
//! itself: it can be written and read again, its numbers are numbers, its times are in order.

use barometer_dialling::records::CallRecords;
use barometer_intake::{
    Layout, PrefixZones, RosterRefusal, RosterShift, RowReader, calendar_days, roster_calendar,
    roster_rows,
};
use barometer_plan::SheetDocument;
use barometer_strategy::{Agent, Channel, CustomersFile, Edit, Strategy};
use barometer_walk::{Expectation, Scene, read_expectations, write_expectations};
use jiff::civil::date;
use jiff::tz::TimeZone;
use rand::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;

use super::commands::{CUSTOMERS, STRATEGY};
use super::doors::{CALENDAR, ROSTER, SHIFTS};
use super::mutation::Sound;

/// Damaged files for each reader.
const FILES: u64 = 4_000;
/// Characters of all that a refusal says.
const LONGEST_REFUSAL: usize = 200_000;

const HISTORY: &str = "contact_type,interval_start,offered,answered,abandoned,handle_secs,wrap_up_secs\n\
    Calls,2026-09-07T09:00,20,19,1,240.5,30\nCalls,2026-09-07T09:30,22,20,2,238,31\n\
    Web chat,2026-09-07T09:00,5,5,0,400,\nCalls,2026-09-07T10:00+01:00,1200,1100,100,250,20\n";
const CALLS: &str = "dialled_at,outcome,ring_secs,talk_secs,wrap_up_secs\n2026-09-07T09:00,answered,12,130,20\n\
    2026-09-07T09:01,no answer,25,,\n2026-09-07T09:02,machine,18,,\n2026-09-07T09:03,busy,2,,\n";
const SCENE: &str = r#"{"at":"2026-11-30T09:10:00","caller":{"contact_type":"Calls","number":"01632 960001","keys":["Sailings"],"attributes":{"tier":"gold"}},"people":[{"team":"desk","people":2,"busy":1}]}"#;
/// Sends damaged files of one kind to its reader, which looks at what it reads itself.
fn damage<E: ToString>(sound: &str, read: impl Fn(&[u8]) -> Result<(), E>) {
    assert!(
        read(sound.as_bytes()).map_err(|error| error.to_string()) == Ok(()),
        "{sound} is sound"
    );
    let sound = Sound::Text(sound.as_bytes().to_vec());
    let (mut refused, mut rng) = (0, Xoshiro256PlusPlus::seed_from_u64(20261130));
    for _ in 0..FILES {
        let file = sound.damaged(&mut rng).unwrap();
        if let Err(error) = read(&file) {
            let told = error.to_string();
            let as_text = String::from_utf8_lossy(&file);
            assert!(!told.trim().is_empty(), "refused without a word: {as_text}");
            assert!(told.len() < LONGEST_REFUSAL, "{} characters about {as_text}", told.len());
            refused += 1;
        }
    }
    assert!(refused > FILES / 10, "hardly any of the files were damaged: {refused}");
}

fn text(file: &[u8]) -> Result<&str, String> {
    std::str::from_utf8(file).map_err(|error| error.to_string())
}

fn lines(refusals: Vec<String>) -> String {
    refusals.join("\n")
}

#[test]
fn strategies() {
    damage(STRATEGY, |file| {
        let strategy = Strategy::from_json(text(file)?).map_err(|error| error.to_string())?;
        assert_eq!(Strategy::from_json(&strategy.to_json()).unwrap(), strategy);
        // Whatever is read can be drawn, told and asked.
        let journey = strategy.journey();
        let starts: Vec<usize> = (0..journey.stops.len()).collect();
        assert!(journey.folded(&starts).journey.stops.len() <= journey.stops.len());
        assert_eq!(Edit::between(&strategy, &strategy).apply(&strategy), Ok(strategy.clone()));
        Ok::<_, String>(())
    });
}

#[test]
fn tables_of_a_strategys_people_and_numbers() {
    let mut strategy = Strategy::from_json(STRATEGY).unwrap();
    strategy.entries[0].number = Some("+44 20 7946 0100".to_owned());
    strategy.teams[0].agents = ["Ada Wren", "Ben Tarn"]
        .map(|name| Agent {
            name: name.to_owned(),
            skills: None,
            ranks: Default::default(),
            short_number: None,
            port: None,
        })
        .to_vec();
    let applied = |edit: Result<Edit, Vec<String>>| {
        // What the table alone cannot know is refused by the strategy.
        if let Ok(after) = edit.map_err(lines)?.apply(&strategy) {
            assert_eq!(Strategy::from_json(&after.to_json()).unwrap(), after);
        }
        Ok::<_, String>(())
    };
    damage(&strategy.people_csv(), |file| applied(strategy.edit_from_people_csv(text(file)?)));
    damage(&strategy.numbers_csv(), |file| applied(strategy.edit_from_numbers_csv(text(file)?)));
}

#[test]
fn customers() {
    damage(CUSTOMERS, |file| CustomersFile::from_json(text(file)?).map(|_| ()));
}

#[test]
fn change_sheets() {
    let sound = r#"{"format":"1","number":1,"stage":"draft"}"#;
    let mut rng = Xoshiro256PlusPlus::seed_from_u64(20261130);
    let sound = Sound::Text(sound.as_bytes().to_vec());
    for _ in 0..FILES {
        let file = sound.damaged(&mut rng).unwrap();
        if let Ok(text) = text(&file) {
            let told =
                SheetDocument::from_json(text).expect_err("it has no strategies").to_string();
            assert!(!told.is_empty() && told.len() < LONGEST_REFUSAL);
        }
    }
}

#[test]
fn walks_and_expectations() {
    damage(SCENE, |file| Scene::from_json(text(file)?).map(|_| ()));
    let scene = Scene::from_json(SCENE).unwrap();
    let expectation = Expectation {
        name: "A gold caller".to_owned(),
        scene,
        expects: barometer_walk::Outcome {
            reaches: Some("Line".to_owned()),
            within_secs: Some(60.0),
            ..Default::default()
        },
    };
    let mut called = expectation.clone();
    called.name = "A call".to_owned();
    called.scene.called = Some(barometer_walk::Called {
        zone: Some("America/New_York".to_owned()),
        hours: Some(Default::default()),
        ..barometer_walk::Called::first_call("news")
    });
    damage(&write_expectations(&[expectation, called]), |file| {
        let read = read_expectations(text(file)?).map_err(lines)?;
        assert_eq!(read_expectations(&write_expectations(&read)), Ok(read));
        Ok::<_, String>(())
    });
}

#[test]
fn past_calls_and_prefixes() {
    damage(CALLS, |file| {
        let records = CallRecords::from_csv(text(file)?).map_err(lines)?;
        let estimate = records.estimate(&Default::default());
        let shares = &estimate.assumed.answered_share;
        assert!(shares.iter().all(|share| (0.0..=1.0).contains(share)), "{shares:?}");
        Ok::<_, String>(())
    });
    let prefixes: String =
        PrefixZones::SHIPPED.lines().take(30).map(|line| format!("{line}\n")).collect();
    damage(&prefixes, |file| {
        PrefixZones::from_csv(text(file)?).map(|_| ()).map_err(|error| error.to_string())
    });
}

#[test]
fn history() {
    let zone = TimeZone::get("Europe/London").unwrap();
    damage(HISTORY, |file| {
        let text = text(file)?;
        let mut rows = text.lines().map(|line| line.split(',').collect::<Vec<&str>>());
        let heading = rows.next().unwrap_or_default();
        let sample: Vec<Vec<String>> =
            text.lines().skip(1).map(|line| line.split(',').map(str::to_owned).collect()).collect();
        let layout = Layout::guess(&heading, &sample).layout;
        let mut reader = RowReader::new(&layout, &zone);
        let mut refused = Vec::new();
        for row in rows {
            let cells: Vec<&[u8]> = row.iter().map(|cell| cell.as_bytes()).collect();
            match reader.read(&cells, Some("Calls")) {
                Ok(read) => {
                    let secs = [read.handle_secs, read.wrap_up_secs].into_iter().flatten();
                    secs.for_each(|secs| assert!(secs.is_finite() && secs >= 0.0, "{row:?}"));
                }
                Err(refusal) => refused.push(refusal.reason),
            }
        }
        if refused.is_empty() { Ok(()) } else { Err(lines(refused)) }
    });
}

#[test]
fn calendars_and_rosters() {
    let zone = TimeZone::get("Europe/London").unwrap();
    let years = date(1990, 1, 1)..=date(2199, 12, 31);
    damage(CALENDAR, |file| {
        for days in calendar_days(file, &zone).map_err(|error| error.to_string())? {
            assert!(days.from <= days.to && years.contains(&days.from), "{days:?}");
        }
        Ok::<_, String>(())
    });
    let looked_at = |read: Result<Vec<RosterShift>, Vec<RosterRefusal>>| {
        let told = |refusals: Vec<RosterRefusal>| {
            lines(refusals.iter().map(ToString::to_string).collect())
        };
        for shift in read.map_err(told)? {
            assert!(shift.start < shift.end, "{shift:?}");
            assert!(shift.pause.is_none_or(|(from, to)| from < to), "{shift:?}");
            assert!(shift.contract_hours.is_none_or(f64::is_finite), "{shift:?}");
        }
        Ok::<_, String>(())
    };
    damage(ROSTER, |file| {
        let rows = text(file)?.lines().map(|line| line.split(',').map(str::to_owned).collect());
        looked_at(roster_rows(&rows.collect::<Vec<_>>(), &zone))
    });
    let shifts = SHIFTS.replace("RRULE:FREQ=DAILY;COUNT=4\r\n", "");
    damage(&shifts, |file| looked_at(roster_calendar(file, &zone)));
}

#[test]
fn channels_are_read_from_their_words_alone() {
    damage("\"chat\"", |file| {
        serde_json::from_slice::<Channel>(file).map(|_| ()).map_err(|error| error.to_string())
    });
}
