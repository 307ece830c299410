//! A search for the cheapest design: queued, reported, told it is enough, ended.

use barometer_plan::{IntervalLoad, Rules, TrialInputs, TrialInterval, customers_of};
use barometer_search::{Progress, Question, Stopped, search};
use barometer_store::{NewSearch, RunKind, RunState, Subject};
use barometer_strategy::{Duration, Strategy};
use jiff::ToSpan;
use jiff::civil::date;
use jiff::tz::TimeZone;
use sqlx::PgPool;

use crate::fixture::{Fixture, at, fixture};

fn question() -> Question {
    let rules = Rules { occupancy: None, ..Rules::STARTING };
    let customers = customers_of(&rules, &Duration::exponential(240.0));
    let opening = at("2026-11-28T08:00:00Z");
    let intervals: Vec<_> = (0..2)
        .map(|nth| TrialInterval {
            start: opening + (30 * nth).minutes(),
            load: IntervalLoad { contacts: 40.0, handle_secs: 240.0 },
            agents: 8,
        })
        .collect();
    let contacts = ("Bookings", customers);
    let strategy = Strategy::plain("Bookings");
    let base =
        TrialInputs::of_one_type(strategy, rules, &TimeZone::UTC, 1800.0, contacts, &intervals);
    Question { days: 40, fresh_days: 300, ..Question::about(base) }
}

#[sqlx::test(migrations = false)]
async fn a_search_is_kept_with_its_question_and_ends_once(pool: PgPool) {
    let Fixture { store, centre, bookings, planner } = fixture(pool).await;
    let strategy_version =
        store.add_strategy_version(centre, &Strategy::plain("Bookings"), None).await.unwrap();
    let subject = Subject {
        centre,
        contact_types: vec![bookings],
        name: "Bookings".into(),
        day: date(2026, 11, 28),
        days: 1,
    };
    let new = NewSearch {
        subject: subject.clone(),
        title: "every target on average".into(),
        strategy_version,
        question: question(),
        created_by: planner,
    };
    let id = store.queue_search(&new).await.unwrap();
    let kept = store.search(id).await.unwrap();
    assert_eq!((kept.run.kind, kept.run.state), (RunKind::Search, RunState::Queued));
    assert_eq!((&kept.question, &kept.subject, kept.answer), (&question(), &subject, None));
    assert_eq!(u64::from(kept.run.work_total), question().most_days);
    let progress =
        Progress { days: 120, most_days: 1000, phase: "nearby designs", best_cost: Some(6.5) };
    assert_eq!(store.report_search(id, progress).await.unwrap(), None);
    let seen = store.search(id).await.unwrap();
    assert_eq!((seen.phase.as_deref(), seen.best_cost), (Some("nearby designs"), Some(6.5)));
    assert_eq!((seen.run.state, seen.run.work_done), (RunState::Running, 120));
    store.enough_of_search(id).await.unwrap();
    assert_eq!(store.report_search(id, progress).await.unwrap(), Some(Stopped::Enough));
    let answer = search(&question(), |_| None).unwrap();
    store.end_search(id, &answer).await.unwrap();
    let done = store.search(id).await.unwrap();
    assert_eq!((done.run.state, done.best_cost), (RunState::Done, Some(answer.best.cost)));
    assert_eq!(done.answer, Some(answer.clone()), "to the last bit");
    // One that was cancelled gets no answer, whenever it comes.
    let cancelled = store.queue_search(&new).await.unwrap();
    store.begin_run(cancelled).await.unwrap();
    store.cancel_run(cancelled).await.unwrap();
    assert_eq!(store.report_search(cancelled, progress).await.unwrap(), Some(Stopped::Cancelled));
    store.end_search(cancelled, &answer).await.unwrap();
    let ended = store.search(cancelled).await.unwrap();
    assert_eq!((ended.run.state, ended.answer), (RunState::Cancelled, None));
    let listed = store.latest_searches(5).await.unwrap();
    assert_eq!(listed.iter().map(|line| line.id).collect::<Vec<_>>(), [cancelled, id]);
}

#[sqlx::test(migrations = false)]
async fn fitted_shifts_of_before_get_their_break_on_each_day(pool: PgPool) {
    let Fixture { store, bookings, .. } = fixture(pool.clone()).await;
    let problem =
        barometer_plan::ShiftProblem { interval: 60, required: vec![0; 168], shapes: vec![] };
    let monday = date(2026, 11, 23);
    let id = store.queue_shift_search(bookings, monday, &problem, 5, None).await.unwrap();
    sqlx::query("UPDATE shift_searches SET roster = $2 WHERE id = $1")
        .bind(id)
        .bind(serde_json::json!({
            "shifts": [
                { "shape": 0, "start": 540, "break_at": 120, "people": 2,
                  "works": [true, true, false, false, false, true, false] },
                { "shape": 0, "start": 600, "break_at": null, "people": 1,
                  "works": [false, false, true, false, false, false, false] },
            ],
            "there": [], "cost": 1.0, "paid_hours": 1.0, "gap": 0.1,
        }))
        .execute(&pool)
        .await
        .unwrap();
    // The migration as it runs on a database of before.
    let migration = include_str!("../../migrations/0035_daily_breaks.sql");
    sqlx::raw_sql(migration).execute(&pool).await.unwrap();
    let roster = store.shift_search(id).await.unwrap().roster.unwrap();
    let (yes, no) = (Some(120), None);
    assert_eq!(roster.shifts[0].breaks, [yes, yes, no, no, no, yes, no]);
    assert_eq!(roster.shifts[1].breaks, [None; 7]);
    assert_eq!((roster.shifts[0].people, roster.shifts[1].start), (2, 600));
    assert!(roster.prices.is_empty());
}
