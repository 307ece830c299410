//! What a day was planned to be, who was on shift, and its account.

use barometer_plan::{AccountInputs, DayAccount, Rules, TrialInputs, customers_of};
use barometer_store::{OpeningPlan, ReleaseAnswer, RunState};
use barometer_strategy::{Duration, Strategy};
use barometer_wire::StaffingRow;
use jiff::civil::date;
use jiff::tz::TimeZone;
use sqlx::PgPool;

use crate::fixture::{Fixture, at, fixture};

fn inputs() -> TrialInputs {
    let rules = Rules::STARTING;
    let customers = customers_of(&rules, &Duration::exponential(180.0));
    let strategy = Strategy::plain("Bookings");
    TrialInputs::of_one_type(strategy, rules, &TimeZone::UTC, 1800.0, ("Bookings", customers), &[])
}

fn account() -> AccountInputs {
    AccountInputs {
        planned: inputs(),
        replanned: vec![Vec::new()],
        present: vec![Vec::new()],
        most_present: vec![Vec::new()],
        actual: vec![Vec::new()],
        releases: Vec::new(),
        until: 0,
    }
}

#[sqlx::test(migrations = false)]
async fn staffing_is_kept_once_whatever_is_told_twice(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool).await;
    let row = |sequence: u64, start: &str, staffed_secs: f64| StaffingRow {
        sequence,
        team: "bookings".to_owned(),
        start: at(start),
        secs: 1800.0,
        staffed_secs,
        busy_secs: 100.0,
        most_on_shift: (sequence == 2).then_some(5),
    };
    assert_eq!(store.last_staffing_row("one").await.unwrap(), 0);
    let told = [row(1, "2026-11-23T09:00:00Z", 7200.0), row(2, "2026-11-23T09:30:00Z", 9000.0)];
    assert_eq!(store.add_staffing_rows(centre, "one", &told).await.unwrap(), 2);
    let more = [told[1].clone(), row(3, "2026-11-23T10:00:00Z", 5400.0)];
    assert_eq!(store.add_staffing_rows(centre, "one", &more).await.unwrap(), 1);
    assert_eq!(store.last_staffing_row("one").await.unwrap(), 3);
    // A switch that has begun again numbers from the start: its rows count for the same intervals.
    let other = [row(1, "2026-11-23T10:00:00Z", 3600.0)];
    assert_eq!(store.add_staffing_rows(centre, "two", &other).await.unwrap(), 1);
    let (from, to) = (at("2026-11-23T09:30:00Z"), at("2026-11-24T00:00:00Z"));
    let kept = store.staffing_rows(centre, from, to).await.unwrap();
    let starts: Vec<_> = kept.iter().map(|row| row.start).collect();
    assert_eq!(starts, [at("2026-11-23T09:30:00Z"), at("2026-11-23T10:00:00Z")]);
    assert_eq!((kept[0].most_on_shift, kept[1].most_on_shift), (Some(5), None), "as it was told");
}

#[sqlx::test(migrations = false)]
async fn the_plan_with_which_a_day_begins_stays(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool).await;
    let version =
        store.add_strategy_version(centre, &Strategy::plain("Bookings"), None).await.unwrap();
    let day = date(2026, 11, 23);
    let first = OpeningPlan { kept_at: at("2026-11-23T00:00:04Z"), version, inputs: inputs() };
    store.keep_opening_plan(centre, day, &first).await.unwrap();
    let mut later = first.clone();
    later.kept_at = at("2026-11-23T12:00:00Z");
    store.keep_opening_plan(centre, day, &later).await.unwrap();
    assert_eq!(store.opening_plan(centre, day).await.unwrap(), Some(first));
    assert_eq!(store.opening_plan(centre, date(2026, 11, 24)).await.unwrap(), None);
}

#[sqlx::test(migrations = false)]
async fn a_day_has_one_account_until_a_time_and_another_try_if_it_failed(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let (day, end) = (date(2026, 11, 23), at("2026-11-24T00:00:00Z"));
    let noon = at("2026-11-23T12:00:00Z");
    let first = store.queue_account(centre, (day, noon), &account(), Some(planner)).await.unwrap();
    let again = store.queue_account(centre, (day, noon), &account(), None).await.unwrap();
    assert_eq!(first, again, "however many servers ask");
    store.fail_run(first, "no reason").await.unwrap();
    let second = store.queue_account(centre, (day, noon), &account(), None).await.unwrap();
    assert_ne!(first, second);
    let whole = store.queue_account(centre, (day, end), &account(), None).await.unwrap();
    assert!(store.has_account(centre, day, end).await.unwrap());
    assert_eq!(store.account_inputs(whole).await.unwrap(), account());
    let listed = store.accounts(centre, day, 7).await.unwrap();
    assert_eq!(listed.len(), 1, "the longest of a day");
    assert_eq!((listed[0].id, listed[0].run.state), (whole, RunState::Queued));
    // One that was cancelled gets no result, whenever it comes.
    store.begin_run(second).await.unwrap();
    store.cancel_run(second).await.unwrap();
    let found = DayAccount { types: Vec::new(), teams: Vec::new() };
    store.end_account(second, &found).await.unwrap();
    store.end_account(whole, &found).await.unwrap();
    assert_eq!(store.run(second).await.unwrap().state, RunState::Cancelled);
    let listed = store.accounts(centre, day, 7).await.unwrap();
    assert_eq!(listed[0].account.as_ref(), Some(&found));
    assert_eq!(listed[0].run.state, RunState::Done);
    assert_eq!(store.accounts(centre, date(2026, 11, 22), 7).await.unwrap().len(), 0);
}

#[sqlx::test(migrations = false)]
async fn what_went_live_during_a_day_is_told_by_the_clock_of_the_switch(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool).await;
    let mut versions = Vec::new();
    for (places, since) in [(3, "2026-11-23T08:00:00Z"), (4, "2026-11-23T13:00:00Z")] {
        let mut strategy = Strategy::plain("Bookings");
        strategy.first_queue_mut().unwrap().places = Some(places);
        let version = store.add_strategy_version(centre, &strategy, None).await.unwrap();
        store.go_live(version, None, None, "a test").await.unwrap();
        let number = store.live_release(centre).await.unwrap().unwrap().number;
        store.note_release_answer(number, &ReleaseAnswer::Live(at(since))).await.unwrap();
        versions.push(version);
    }
    let between = store
        .releases_between(centre, at("2026-11-23T09:00:00Z"), at("2026-11-24T00:00:00Z"))
        .await
        .unwrap();
    assert_eq!(between, [(at("2026-11-23T13:00:00Z"), versions[1])]);
}
