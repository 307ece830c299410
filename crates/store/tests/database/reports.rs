//! Counts for reports, from history and from the switch; reports, their schedules and what they made.

use barometer_intake::Layout;
use barometer_plan::Recipient;
use barometer_report::{Days, Definition, Format, Ready, Report, Timing, TimingDays};
use barometer_store::{
    AnswerSpeed, EditionFile, HistoryInterval, ImportRow, MadeEdition, MeasuredCounts, NewEdition,
    NewMessage, NewSchedule, RunState, Save, Sending, Slots, StoreError,
};
use barometer_wire::{IntervalRow, StaffingRow};
use jiff::ToSpan;
use jiff::civil::{date, time};
use jiff::tz::TimeZone;
use sqlx::PgPool;

use crate::fixture::{Fixture, at, fixture};

fn london() -> TimeZone {
    TimeZone::get("Europe/London").unwrap()
}

fn measured(start: &str, offered: i32, speed: Option<AnswerSpeed>) -> HistoryInterval {
    HistoryInterval {
        start: at(start),
        offered,
        answered: offered - 2,
        abandoned: 2,
        handle_secs: Some(240.0),
        wrap_up_secs: Some(40.0),
        speed,
    }
}

fn told(sequence: u64, start: &str, offered: u32) -> IntervalRow {
    IntervalRow {
        sequence,
        contact_type: "Bookings".to_owned(),
        start: at(start),
        secs: 1800.0,
        offered,
        answered: offered - 1,
        in_time: offered - 3,
        abandoned: 1,
        elsewhere: 0,
        wait_secs: 100.0,
        handled: offered,
        handle_secs: 200.0 * f64::from(offered),
        wrap_up_secs: Some(50.0 * f64::from(offered)),
        outage: false,
    }
}

async fn counts(fixture: &Fixture, from: &str, to: &str, slots: Slots) -> Vec<MeasuredCounts> {
    let between = (at(from), at(to));
    fixture.store.measured_counts(&[fixture.bookings], between, slots, &london()).await.unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_day_of_25_hours_is_one_day_and_its_double_hour_one_slot(pool: PgPool) {
    let fixture = fixture(pool).await;
    // On 25 October 2026 the clock shows 01:00 twice, at 00:00 and at 01:00 UTC.
    let history = [
        measured("2026-10-25T00:00:00Z", 10, None),
        measured("2026-10-25T01:00:00Z", 20, None),
        measured("2026-10-25T23:30:00Z", 5, None),
        measured("2026-10-26T00:00:00Z", 7, None),
    ];
    fixture.store.add_history(fixture.bookings, &history).await.unwrap();
    let (from, to) = ("2026-10-24T23:00:00Z", "2026-10-27T00:00:00Z");
    let days = counts(&fixture, from, to, Slots::Day).await;
    let told: Vec<_> = days.iter().map(|day| (day.at, day.counts.offered)).collect();
    let midnight = |day| date(2026, 10, day).at(0, 0, 0, 0);
    assert_eq!(told, [(midnight(25), 35.0), (midnight(26), 7.0)]);
    let slots = counts(&fixture, from, to, Slots::Interval).await;
    assert_eq!(slots[0].at, date(2026, 10, 25).at(1, 0, 0, 0));
    assert_eq!(slots[0].counts.offered, 30.0);
}

#[sqlx::test(migrations = false)]
async fn a_level_is_a_share_of_the_intervals_that_have_it(pool: PgPool) {
    let fixture = fixture(pool).await;
    let speed = AnswerSpeed { in_time: 6, wait_secs: 80.0 };
    let history = [
        measured("2026-11-02T09:00:00Z", 10, Some(speed)),
        measured("2026-11-02T09:30:00Z", 30, None),
    ];
    fixture.store.add_history(fixture.bookings, &history).await.unwrap();
    let day = counts(&fixture, "2026-11-02T00:00:00Z", "2026-11-03T00:00:00Z", Slots::Day).await;
    let counts = day[0].counts;
    assert_eq!((counts.offered, counts.timed_offered, counts.in_time), (40.0, 10.0, 6.0));
    assert_eq!((counts.service_level(), counts.speed_of_answer()), (Some(0.6), Some(10.0)));
    assert_eq!(counts.abandonment(), Some(0.1));
}

#[sqlx::test(migrations = false)]
async fn what_the_switch_told_counts_where_there_is_no_history_yet_and_once(pool: PgPool) {
    let fixture = fixture(pool).await;
    let (store, centre) = (&fixture.store, fixture.centre);
    store
        .add_history(fixture.bookings, &[measured("2026-11-02T09:00:00Z", 10, None)])
        .await
        .unwrap();
    let rows = [
        told(1, "2026-11-02T09:00:00Z", 99),
        told(2, "2026-11-02T09:30:00Z", 50),
        // A restarted switch tells an interval again: the later row counts.
        told(3, "2026-11-02T09:30:00Z", 20),
        IntervalRow { outage: true, ..told(4, "2026-11-02T10:00:00Z", 40) },
    ];
    store.add_switch_rows(centre, "one", &rows).await.unwrap();
    let (from, to) = ("2026-11-02T00:00:00Z", "2026-11-03T00:00:00Z");
    let day = counts(&fixture, from, to, Slots::Day).await;
    assert_eq!((day[0].counts.offered, day[0].counts.timed_offered), (30.0, 20.0));
    // Eight of history at 200 and 40 seconds, nineteen told at 150 and 50.
    assert_eq!(day[0].counts.wrapped_up, 27.0);
    assert!((day[0].counts.talk_secs - (8.0 * 200.0 + 19.0 * 150.0)).abs() < 1e-9);
    assert!((day[0].counts.wrap_up_secs - (8.0 * 40.0 + 19.0 * 50.0)).abs() < 1e-9);
    // Once the day is history it is told the same, speed and all.
    store.take_told_into_history(centre, at(from), at(to)).await.unwrap();
    assert_eq!(counts(&fixture, from, to, Slots::Day).await, day);
}

#[sqlx::test(migrations = false)]
async fn a_replaced_interval_loses_its_speed_and_undoing_brings_it_back(pool: PgPool) {
    let fixture = fixture(pool).await;
    let Fixture { store, centre, bookings, planner } = &fixture;
    let speed = AnswerSpeed { in_time: 6, wait_secs: 80.0 };
    let history = [measured("2026-11-02T09:00:00Z", 10, Some(speed))];
    store.add_history(*bookings, &history).await.unwrap();
    let (from, to) = ("2026-11-02T00:00:00Z", "2026-11-03T00:00:00Z");
    let before = counts(&fixture, from, to, Slots::Day).await;
    let own = store.centre().await.unwrap().unwrap();
    let upload = store.begin_upload(&own, "more.csv", None, *planner).await.unwrap();
    let upload = upload.finish().await.unwrap();
    let layout = Layout::guess(&["contact_type", "interval_start", "offered"], &[]).layout;
    let mut import = store.begin_reading(&own, upload, &layout).await.unwrap();
    import
        .add(&ImportRow {
            row_number: 2,
            contact_type: "Bookings",
            start: at("2026-11-02T09:00:00Z"),
            offered: 12,
            answered: 12,
            abandoned: 0,
            handle_secs: Some(200.0),
            wrap_up_secs: Some(20.0),
        })
        .await
        .unwrap();
    let import = import.finish().await.unwrap();
    store.confirm_import(import, &barometer_plan::Rules::STARTING, Some(*planner)).await.unwrap();
    let after = counts(&fixture, from, to, Slots::Day).await;
    assert_eq!((after[0].counts.offered, after[0].counts.timed_offered), (12.0, 0.0));
    assert_eq!((after[0].counts.talk(), after[0].counts.wrap_up()), (Some(180.0), Some(20.0)));
    store.undo_import(*centre, import, Some(*planner)).await.unwrap();
    assert_eq!(counts(&fixture, from, to, Slots::Day).await, before);
}

#[sqlx::test(migrations = false)]
async fn hours_of_teams_are_added_up_by_day(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool).await;
    let row = |sequence, start: &str, staffed: f64, busy: f64| StaffingRow {
        sequence,
        team: "harbour".to_owned(),
        start: at(start),
        secs: 1800.0,
        staffed_secs: staffed,
        busy_secs: busy,
        most_on_shift: None,
    };
    let rows = [
        row(1, "2026-11-02T09:00:00Z", 7200.0, 3600.0),
        row(2, "2026-11-02T09:30:00Z", 3600.0, 1800.0),
        row(3, "2026-11-03T09:00:00Z", 3600.0, 0.0),
    ];
    store.add_staffing_rows(centre, "one", &rows).await.unwrap();
    let between = (at("2026-11-02T00:00:00Z"), at("2026-11-04T00:00:00Z"));
    let hours = store.team_hours(centre, between, Slots::Day, &london()).await.unwrap();
    let told: Vec<_> = hours.iter().map(|day| (day.staffed_hours, day.busy_hours)).collect();
    assert_eq!(told, [(3.0, 1.5), (1.0, 0.0)]);
}

fn weekly() -> Timing {
    let monday = [true, false, false, false, false, false, false];
    Timing::new(TimingDays::Weekdays(monday), time(7, 0, 0, 0)).unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_report_is_kept_changed_scheduled_and_removed_with_what_it_made(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let definition = Ready::ALL[1].definition();
    let id = store.add_report(centre, &definition, Some(planner)).await.unwrap();
    let taken = store.add_report(centre, &definition, None).await;
    assert!(matches!(taken, Err(StoreError::Taken)));
    let kept = store.report(centre, id).await.unwrap();
    assert_eq!((&kept.definition, kept.keep_days), (&definition, 400));
    let renamed = barometer_report::Definition { title: "Harbour".into(), ..definition.clone() };
    store.change_report(centre, id, (&renamed, 30), Save::OURS).await.unwrap();
    assert_eq!(store.reports(centre).await.unwrap()[0].keep_days, 30);
    let sending = Sending {
        addresses: vec!["boss@example.org".to_owned()],
        roles: vec![barometer_store::Role::Approver],
        formats: vec![barometer_report::Format::Pdf],
        link_days: None,
        only_if_missed: true,
    };
    let due = at("2026-11-23T07:00:00Z");
    let timing = weekly();
    let new = NewSchedule {
        report: id,
        timing: &timing,
        sending: &sending,
        next_at: Some(due),
        by: planner,
    };
    let schedule = store.add_report_schedule(&new).await.unwrap();
    let read = store.report_schedule(schedule).await.unwrap();
    assert_eq!((&read.timing, &read.sending, read.is_on), (&timing, &sending, true));
    assert!(store.due_report_schedules(due - 1.second()).await.unwrap().is_empty());
    // Taken once, with its next time.
    let edition = NewEdition { centre, report: id, definition: &renamed, due_at: due, by: None };
    let next = timing.next(due, &london());
    let first = store.queue_scheduled_edition((&read, due), &edition, next).await.unwrap();
    assert!(first.is_some());
    let again = store.queue_scheduled_edition((&read, due), &edition, next).await.unwrap();
    assert_eq!(again, None, "another server was faster");
    assert_eq!(store.report_schedule(schedule).await.unwrap().next_at, next);
    // Switched off, it is never due.
    store.switch_report_schedule(id, schedule, None).await.unwrap();
    assert!(store.due_report_schedules(at("2030-01-01T00:00:00Z")).await.unwrap().is_empty());
    store.remove_report(centre, id).await.unwrap();
    assert!(store.open_runs().await.unwrap().is_empty(), "its runs go with it");
    assert!(matches!(store.report(centre, id).await, Err(StoreError::NotFound)));
}

/// A report without sections: what is kept of it is not this test's affair.
fn made(definition: &Definition) -> Report {
    let day = date(2026, 11, 23);
    Report {
        title: definition.title.clone(),
        centre: "Test centre".to_owned(),
        zone: "Europe/London".to_owned(),
        days: Days { first: day, last: day },
        covers: "all contact types".to_owned(),
        against: None,
        read_at: day.at(7, 0, 0, 0),
        answer: "12 contacts were offered.".to_owned(),
        out_of_target: Vec::new(),
        parts: Vec::new(),
        definitions: Vec::new(),
    }
}

#[sqlx::test(migrations = false)]
async fn a_made_report_is_kept_with_its_files_and_messages_or_not_at_all(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let definition = Ready::ALL[0].definition();
    let report = store.add_report(centre, &definition, Some(planner)).await.unwrap();
    let due = at("2026-11-23T07:00:00Z");
    let new =
        NewEdition { centre, report, definition: &definition, due_at: due, by: Some(planner) };
    let files = [EditionFile { format: Format::Csv, bytes: b"Offered\n12\n".to_vec() }];
    let messages = [NewMessage {
        recipient: Recipient::Mail("boss@example.org".to_owned()),
        subject: "Morning brief".to_owned(),
        body: "12 contacts were offered.".to_owned(),
        event: serde_json::json!({ "kind": "report" }),
    }];
    let told = made(&definition);
    let ended = MadeEdition {
        report: &told,
        files: &files,
        messages: &messages,
        are_attached: true,
        outcome: "sent to 1 person",
    };
    let first = store.queue_edition(&new).await.unwrap();
    store.end_edition((centre, first), &ended).await.unwrap();
    let kept = store.edition(first).await.unwrap();
    assert_eq!((kept.run.state, kept.report.as_ref()), (RunState::Done, Some(&told)));
    assert_eq!(store.edition_files(first).await.unwrap(), files);
    // A worker that makes it a second time sends nothing a second time.
    store.end_edition((centre, first), &ended).await.unwrap();
    let sent = store.messages(centre, 9).await.unwrap();
    assert_eq!((sent.len(), sent[0].edition), (1, Some(first)));
    // One that was cancelled meanwhile is not kept, and nobody hears of it.
    let second = store.queue_edition(&new).await.unwrap();
    store.begin_run(second).await.unwrap();
    store.cancel_run(second).await.unwrap();
    store.end_edition((centre, second), &ended).await.unwrap();
    let cancelled = store.edition(second).await.unwrap();
    assert_eq!((cancelled.run.state, cancelled.report), (RunState::Cancelled, None));
    assert!(store.edition_files(second).await.unwrap().is_empty());
    assert_eq!(store.messages(centre, 9).await.unwrap().len(), 1);
    let listed = store.editions(report, 9).await.unwrap();
    let line = listed.iter().find(|line| line.id == first).unwrap();
    assert_eq!(line.answer.as_deref(), Some("12 contacts were offered."));
    assert_eq!((line.formats.as_slice(), line.is_scheduled), (&[Format::Csv][..], false));
}

#[sqlx::test(migrations = false)]
async fn a_link_leads_to_one_made_report_until_its_moment(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool.clone()).await;
    let definition = Ready::ALL[0].definition();
    let report = store.add_report(centre, &definition, None).await.unwrap();
    let due = at("2026-11-23T07:00:00Z");
    let new = NewEdition { centre, report, definition: &definition, due_at: due, by: None };
    let (one, other) =
        (store.queue_edition(&new).await.unwrap(), store.queue_edition(&new).await.unwrap());
    let until = due + 24.hours();
    let secret = store.add_report_link(one, until).await.unwrap();
    let second = store.add_report_link(one, until + 1.hour()).await.unwrap();
    let elsewhere = store.add_report_link(other, until).await.unwrap();
    assert_ne!(secret, second);
    let leads_to = async |secret: &str, now| {
        store.edition_by_link(secret, now).await.unwrap().map(|(edition, _)| edition)
    };
    assert_eq!(leads_to(&secret, until - 1.second()).await, Some(one));
    assert_eq!(leads_to(&secret, until).await, None, "at its moment it is over");
    assert_eq!(leads_to(&second, until).await, Some(one));
    assert_eq!(leads_to("", due).await, None);
    assert_eq!(store.count_report_links(one, until).await.unwrap(), 1);
    // The secret itself is kept nowhere.
    let hashes: Vec<Vec<u8>> =
        sqlx::query_scalar("SELECT hash FROM report_links").fetch_all(&pool).await.unwrap();
    assert!(hashes.iter().all(|hash| hash.len() == 32 && hash != secret.as_bytes()));
    assert_eq!(store.end_report_links(one).await.unwrap(), 2);
    assert_eq!(leads_to(&second, due).await, None);
    assert_eq!(leads_to(&elsewhere, due).await, Some(other), "others stay");
}
