//! Each aggregate's story on a real database.

use barometer_forecast::Grain;
use barometer_plan::{
    CoverInterval, IntervalLoad, Rules, TrialInputs, TrialInterval, TrialResult, customers_of,
};
use barometer_simulate::Summary;
use barometer_store::{HistoryInterval, NewTrial, Role, RunState, Save, StoreError, Subject};
use barometer_strategy::{Duration, Strategy};
use jiff::civil::date;
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, at, fixture};

#[sqlx::test(migrations = false)]
async fn people_are_found_by_address_in_any_case_and_kept_apart(pool: PgPool) {
    let Fixture { store, planner, .. } = fixture(pool).await;
    let found = store.user_by_email("A@Example.org").await.unwrap().unwrap();
    assert_eq!((found.id, found.role), (planner, Role::Planner));
    assert!(store.user_by_email("nobody@example.org").await.unwrap().is_none());
    let twice = store.add_user("B", "A@EXAMPLE.ORG", "hash", Role::Viewer).await;
    assert!(matches!(twice, Err(StoreError::Taken)), "one address, one person");
}

#[sqlx::test(migrations = false)]
async fn a_centre_keeps_its_contact_types_in_order_and_goes_with_all_of_them(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = fixture(pool).await;
    store.add_contact_type(centre, "Chat", Grain::Quarter, &Rules::STARTING).await.unwrap();
    let rules = Rules { service_level: 0.9, abandonment: None, ..Rules::STARTING };
    store.save_rules(bookings, &rules, Save::OURS).await.unwrap();
    let types = store.contact_types(centre).await.unwrap();
    let names: Vec<_> = types.iter().map(|each| (each.name.as_str(), each.grain)).collect();
    assert_eq!(names, [("Bookings", Grain::Half), ("Chat", Grain::Quarter)]);
    assert_eq!(types[0].rules, rules);
    store.set_today(centre, date(2026, 11, 23)).await.unwrap();
    assert_eq!(store.centre().await.unwrap().unwrap().today, Some(date(2026, 11, 23)));
    store.remove_centre(centre).await.unwrap();
    assert!(store.centre().await.unwrap().is_none());
    assert!(matches!(store.contact_type(bookings).await, Err(StoreError::NotFound)));
}

#[sqlx::test(migrations = false)]
async fn history_is_added_up_by_local_day_and_by_period(pool: PgPool) {
    let Fixture { store, bookings, .. } = fixture(pool).await;
    let interval = |start, offered, answered, handle_secs| HistoryInterval {
        start: at(start),
        offered,
        answered,
        abandoned: offered - answered,
        handle_secs,
        wrap_up_secs: None,
        speed: None,
    };
    let history = [
        // 23:30 UTC is half past midnight of the next day on summer clocks.
        interval("2026-07-01T23:30:00Z", 5, 5, Some(100.0)),
        interval("2026-07-02T08:00:00Z", 10, 8, Some(200.0)),
        interval("2026-07-02T08:30:00Z", 3, 0, None),
    ];
    store.add_history(bookings, &history).await.unwrap();
    let zone = jiff::tz::TimeZone::get("Europe/London").unwrap();
    let days = store.daily_totals(bookings, &zone).await.unwrap();
    assert_eq!((days.len(), days[0].day, days[0].offered), (1, date(2026, 7, 2), 18));
    let came = store
        .came_between(bookings, at("2026-07-01T00:00:00Z"), at("2026-07-02T08:30:00Z"))
        .await
        .unwrap();
    assert_eq!((came.intervals, came.offered, came.abandoned), (2, 15, 2));
    assert!((came.handle_secs.unwrap() - (500.0 + 1600.0) / 13.0).abs() < 1e-9);
    assert_eq!(store.history_end(bookings).await.unwrap(), Some(at("2026-07-02T08:30:00Z")));
    assert!(store.add_history(bookings, &history[..1]).await.is_err(), "an interval stands once");
}

#[sqlx::test(migrations = false)]
async fn cover_is_planned_and_planned_again(pool: PgPool) {
    let Fixture { store, bookings, .. } = fixture(pool).await;
    let cover = |start, agents| CoverInterval { start: at(start), agents };
    let (eight, half_past) = ("2026-07-02T08:00:00Z", "2026-07-02T08:30:00Z");
    store.save_cover(bookings, &[cover(eight, 5), cover(half_past, 6)], Save::OURS).await.unwrap();
    store.save_cover(bookings, &[cover(half_past, 9)], Save::OURS).await.unwrap();
    let kept = store.cover_between(bookings, at(eight), at("2026-07-03T00:00:00Z")).await.unwrap();
    assert_eq!(kept, [cover(eight, 5), cover(half_past, 9)]);
}

#[sqlx::test(migrations = false)]
async fn versions_count_up_and_the_one_that_went_live_last_is_live(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let mut strategy = Strategy::plain("Bookings");
    let first = store.add_strategy_version(centre, &strategy, Some(planner)).await.unwrap();
    store.go_live(first, None, None, "to begin with").await.unwrap();
    strategy.first_queue_mut().unwrap().places = Some(12);
    let second = store.add_strategy_version(centre, &strategy, Some(planner)).await.unwrap();
    let live = |versions: Vec<barometer_store::StrategyVersion>| -> Vec<(i32, bool)> {
        versions.iter().map(|version| (version.version, version.is_live)).collect()
    };
    assert_eq!(live(store.strategy_versions(centre).await.unwrap()), [(2, false), (1, true)]);
    store.go_live(second, None, Some(planner), "fewer places").await.unwrap();
    let versions = store.strategy_versions(centre).await.unwrap();
    assert_eq!(store.strategy(versions[0].id).await.unwrap(), strategy);
    assert_eq!(versions[0].name, "Bookings");
    assert_eq!(live(versions), [(2, true), (1, false)]);
    let past = store.latest_go_lives(5).await.unwrap();
    assert_eq!((past[0].version, past[0].note.as_str()), (2, "fewer places"));
}

#[sqlx::test(migrations = false)]
async fn a_contact_type_goes_with_its_history_and_trials_stay_as_they_are(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let Fixture { store, bookings, centre, .. } = &fixture;
    let kept =
        store.add_contact_type(*centre, "Kept", Grain::Half, &Rules::STARTING).await.unwrap();
    let interval = HistoryInterval {
        start: at("2026-07-02T08:00:00Z"),
        offered: 5,
        answered: 5,
        abandoned: 0,
        handle_secs: None,
        wrap_up_secs: None,
        speed: None,
    };
    for id in [*bookings, kept] {
        store.add_history(id, std::slice::from_ref(&interval)).await.unwrap();
    }
    let trial = queued(&fixture).await;
    store.archive_contact_type(*bookings, None).await.unwrap();
    store.remove_archived_type(*bookings).await.unwrap();
    assert!(matches!(store.contact_type(*bookings).await, Err(StoreError::NotFound)));
    let trial = store.trial(trial).await.unwrap();
    assert_eq!((trial.subject.name.as_str(), trial.inputs), ("Bookings", inputs()));
    assert_eq!(store.history_end(*bookings).await.unwrap(), None);
    assert!(store.history_end(kept).await.unwrap().is_some());
}

fn inputs() -> TrialInputs {
    let interval = TrialInterval {
        start: at("2026-07-02T08:00:00Z"),
        load: IntervalLoad { contacts: 0.1 + 0.2, handle_secs: 1.0 / 3.0 },
        agents: 4,
    };
    let inputs = TrialInputs::of_one_type(
        Strategy::plain("Bookings"),
        Rules::STARTING,
        &jiff::tz::TimeZone::UTC,
        1800.0,
        ("Bookings", customers_of(&Rules::STARTING, &Duration::exponential(1.0 / 3.0))),
        &[interval],
    );
    TrialInputs { replications: 60, seed: 1 << 53, ..inputs }
}

fn subject(fixture: &Fixture) -> Subject {
    Subject {
        centre: fixture.centre,
        contact_types: vec![fixture.bookings],
        name: "Bookings".to_owned(),
        day: date(2026, 7, 2),
        days: 1,
    }
}

pub async fn queued(fixture: &Fixture) -> Uuid {
    let Fixture { store, centre, planner, .. } = fixture;
    let version =
        store.add_strategy_version(*centre, &Strategy::plain("Bookings"), None).await.unwrap();
    let new = NewTrial {
        subject: subject(fixture),
        strategy_version: version,
        cover_words: "planned cover".to_owned(),
        inputs: inputs(),
        asked: serde_json::json!({ "seed": "7" }),
        set: None,
        created_by: *planner,
    };
    store.queue_trial(&new).await.unwrap()
}

/// The trial's parts, as workers bring them.
fn parts() -> Vec<Summary> {
    let experiment = inputs().experiment().unwrap();
    inputs().parts().into_iter().map(|part| experiment.play_part(part).unwrap()).collect()
}

fn replications(parts: &[Summary], part: u32) -> u32 {
    parts[part as usize].replications()
}

fn whole() -> Summary {
    inputs().merged(&parts()).unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_trial_is_queued_played_and_kept_to_the_last_digit(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let store = &fixture.store;
    let id = queued(&fixture).await;
    let jobs: i64 =
        sqlx::query_scalar("SELECT count(*) FROM apalis.jobs").fetch_one(&pool).await.unwrap();
    assert_eq!(jobs, 3, "a job for every part is there with the trial");
    assert!(store.begin_run(id).await.unwrap());
    let parts = parts();
    // Parts come in any order, also twice.
    for part in [2, 0, 2] {
        store
            .keep_run_part(id, part, replications(&parts, part), &parts[part as usize])
            .await
            .unwrap();
    }
    assert_eq!(store.trial_parts(id).await.unwrap(), parts[..1], "the second is missing");
    assert_eq!(inputs().merged(&parts[..1]), None);
    let running = store.trial(id).await.unwrap();
    assert_eq!((running.run.state, running.run.work_done), (RunState::Running, 35));
    assert_eq!(running.inputs, inputs());
    assert!(running.run.running_secs.is_some());
    store.keep_run_part(id, 1, replications(&parts, 1), &parts[1]).await.unwrap();
    let merged = inputs().merged(&store.trial_parts(id).await.unwrap()).unwrap();
    store.finish_trial(id, &merged).await.unwrap();
    let done = store.trial(id).await.unwrap();
    assert_eq!((done.run.state, done.run.work_done), (RunState::Done, 60));
    assert_eq!(done.result, Some(TrialResult::of(&whole())));
    assert_eq!(store.trial_summary(id).await.unwrap(), Some(whole()), "to the last bit");
    assert_eq!(store.count_run_parts(id).await.unwrap(), 0, "the parts are not needed any more");
    assert_eq!(store.latest_trials(None, 5).await.unwrap().len(), 1);
}

/// Sums that an earlier version kept, which had no single days at their end.
#[sqlx::test(migrations = false)]
async fn sums_that_were_kept_without_single_days_are_still_read(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let store = &fixture.store;
    let id = queued(&fixture).await;
    assert!(store.begin_run(id).await.unwrap());
    let without = whole().in_short();
    assert!(without.single_days().is_empty());
    store.finish_trial(id, &without).await.unwrap();
    let bytes: Vec<u8> = sqlx::query_scalar("SELECT summary FROM trials WHERE id = $1")
        .bind(id)
        .fetch_one(&pool)
        .await
        .unwrap();
    let mut earlier = bytes[..bytes.len() - 1].to_vec();
    assert_eq!(
        (earlier[5], bytes.last()),
        (5, Some(&0)),
        "the layout, and an empty list at the end"
    );
    earlier[5] = 4;
    sqlx::query("UPDATE trials SET summary = $2 WHERE id = $1")
        .bind(id)
        .bind(earlier)
        .execute(&pool)
        .await
        .unwrap();
    assert_eq!(store.trial_summary(id).await.unwrap(), Some(without));
}

#[sqlx::test(migrations = false)]
async fn a_cancelled_trial_stays_cancelled(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let waiting = queued(&fixture).await;
    store.cancel_run(waiting).await.unwrap();
    assert_eq!(store.trial(waiting).await.unwrap().run.state, RunState::Cancelled);
    let running = queued(&fixture).await;
    assert!(store.begin_run(running).await.unwrap());
    store.cancel_run(running).await.unwrap();
    assert!(!store.begin_run(running).await.unwrap(), "the worker is told to stop");
    store.stop_run(running).await.unwrap();
    store.finish_trial(running, &whole()).await.unwrap();
    assert_eq!(store.trial(running).await.unwrap().run.state, RunState::Cancelled);
}

#[sqlx::test(migrations = false)]
async fn a_comparison_is_queued_reported_stopped_or_kept_with_its_result(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let Fixture { store, planner, .. } = &fixture;
    let candidates = [1.0, 2.0]
        .map(|volume| {
            let mut inputs = inputs();
            inputs.scale_volume(volume * 10.0);
            barometer_plan::Candidate { name: format!("{volume}"), inputs }
        })
        .to_vec();
    let new = barometer_store::NewComparison {
        subject: subject(&fixture),
        title: "Volume".to_owned(),
        inputs: barometer_plan::ComparisonInputs::Chosen { candidates },
        created_by: *planner,
    };
    let kept = store.queue_comparison(&new).await.unwrap();
    let jobs: i64 =
        sqlx::query_scalar("SELECT count(*) FROM apalis.jobs").fetch_one(&pool).await.unwrap();
    let work = new.inputs.parts();
    assert_eq!(jobs, work.len() as i64, "a job for each part is there with the comparison");
    assert!(store.begin_run(kept).await.unwrap());
    for (nth, part) in (0u32..).zip(&work) {
        let played = new.inputs.play_part(part, || true).unwrap().unwrap();
        // Played twice by two workers, kept once.
        for _ in 0..2 {
            store.keep_run_part(kept, nth, 1, &played).await.unwrap();
        }
        assert!(store.has_run_part(kept, nth).await.unwrap());
        let running = store.comparison(kept).await.unwrap();
        let share = f64::from(nth + 1) / work.len() as f64;
        assert_eq!((running.run.state, running.run.progress()), (RunState::Running, share));
    }
    assert_eq!(store.comparison(kept).await.unwrap().inputs, new.inputs);
    let result = new.inputs.result_of(store.comparison_parts(kept).await.unwrap());
    assert_eq!(result, new.inputs.play(|_| true).unwrap());
    store.end_comparison(kept, result.as_ref().unwrap()).await.unwrap();
    assert_eq!(store.count_run_parts(kept).await.unwrap(), 0, "the result is enough");
    let done = store.comparison(kept).await.unwrap();
    assert_eq!((done.run.state, &done.result), (RunState::Done, &result));
    // One that nobody has begun is stopped at once, one under way is told to stop.
    let waiting = store.queue_comparison(&new).await.unwrap();
    store.cancel_run(waiting).await.unwrap();
    assert_eq!(store.comparison(waiting).await.unwrap().run.state, RunState::Cancelled);
    let begun = store.queue_comparison(&new).await.unwrap();
    assert!(store.begin_run(begun).await.unwrap());
    store.cancel_run(begun).await.unwrap();
    assert!(!store.begin_run(begun).await.unwrap());
    // What was worked out meanwhile comes too late.
    store.end_comparison(begun, done.result.as_ref().unwrap()).await.unwrap();
    let over = store.comparison(begun).await.unwrap();
    assert_eq!((over.run.state, over.result), (RunState::Cancelled, None));
    assert_eq!(store.latest_comparisons(9).await.unwrap().len(), 3);
}

#[sqlx::test(migrations = false)]
async fn expectations_are_kept_by_name_all_or_none(pool: sqlx::PgPool) {
    use barometer_walk::{Expectation, Outcome, Scene, WalkEnd};
    let fixture = crate::fixture::fixture(pool).await;
    let (store, centre) = (&fixture.store, fixture.centre);
    let at = jiff::civil::date(2026, 11, 30).at(9, 30, 0, 0);
    let expectation = |name: &str, end| Expectation {
        name: name.to_owned(),
        scene: Scene::plain("Bookings", at, Vec::new()),
        expects: Outcome { end: Some(end), ..Outcome::default() },
    };
    let both = [expectation("b", WalkEnd::Answered), expectation("a", WalkEnd::Voicemail)];
    store.save_expectations(centre, &both, None).await.unwrap();
    let kept = store.expectations(centre).await.unwrap();
    let names: Vec<&str> = kept.iter().map(|(_, each)| each.name.as_str()).collect();
    assert_eq!(names, ["a", "b"]);
    assert_eq!(kept[1].1, both[0], "without loss");
    // The same name takes the place of what was there, and keeps its key.
    store.save_expectations(centre, &[expectation("a", WalkEnd::Released)], None).await.unwrap();
    let again = store.expectations(centre).await.unwrap();
    assert_eq!((again.len(), again[0].0), (2, kept[0].0));
    assert_eq!(again[0].1.expects.end, Some(WalkEnd::Released));
    // One that cannot be kept keeps the others out.
    let bad = [expectation("c", WalkEnd::Answered), expectation("zero\0byte", WalkEnd::Answered)];
    assert!(store.save_expectations(centre, &bad, None).await.is_err());
    assert_eq!(store.expectations(centre).await.unwrap().len(), 2);
    store.remove_expectation(centre, kept[0].0).await.unwrap();
    store.remove_expectation(centre, kept[0].0).await.unwrap();
    assert_eq!(store.expectations(centre).await.unwrap().len(), 1);
}
