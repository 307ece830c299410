//! What an operator asks of a database: who works, what waits, and whether two databases are the same.

use barometer_plan::{EvidenceKey, SheetAct, SheetText};
use barometer_store::{BackupLine, RunState, Store};
use jiff::civil::date;
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

async fn worker(pool: &PgPool, queue: &str, name: &str, silent: &str) {
    sqlx::query(
        "INSERT INTO apalis.workers (id, worker_type, storage_name, last_seen) \
         VALUES ($1, $2, 'test', now() - $3::text::interval)",
    )
    .bind(name)
    .bind(queue)
    .bind(silent)
    .execute(pool)
    .await
    .unwrap();
}

/// A run of all forecasts that waits.
async fn queued(fixture: &Fixture) -> Uuid {
    let Fixture { store, centre, planner, .. } = fixture;
    store.queue_forecast_run(*centre, Some(*planner)).await.unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_worker_that_is_silent_for_a_minute_counts_for_dead(pool: PgPool) {
    let store = fixture(pool.clone()).await.store;
    let (quick, long) = ("barometer-quick", "barometer-trials");
    worker(&pool, long, "alive", "5 seconds").await;
    worker(&pool, long, "silent", "3 minutes").await;
    worker(&pool, long, "long gone", "2 hours").await;
    let state = store.operating_state().await.unwrap();
    assert_eq!((state.workers, state.missing_migrations), (0, 0), "nobody makes forecasts");
    worker(&pool, quick, "alive as well", "7 seconds").await;
    worker(&pool, quick, "and another", "9 seconds").await;
    assert_eq!(store.operating_state().await.unwrap().workers, 1);
    let lines = store.workers().await.unwrap();
    let told: Vec<(&str, bool)> =
        lines.iter().map(|line| (line.name.as_str(), line.is_alive)).collect();
    assert_eq!(
        told,
        [("alive", true), ("alive as well", true), ("and another", true), ("silent", false)]
    );
}

#[sqlx::test(migrations = false)]
async fn a_database_without_tables_lacks_every_migration(pool: PgPool) {
    let state = Store::on(pool).operating_state().await.unwrap();
    assert!(state.missing_migrations > 40, "{state:?}");
}

#[sqlx::test(migrations = false)]
async fn a_failed_run_is_queued_once_more_from_its_beginning(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let run = queued(&fixture).await;
    assert!(store.operating_state().await.unwrap().oldest_waiting_secs.is_some());
    assert!(!store.retry_run(run).await.unwrap(), "it has not failed");
    store.report_run(run, 1).await.unwrap();
    store.fail_run(run, "the disk was full").await.unwrap();
    let failed = store.failed_runs(9).await.unwrap();
    assert_eq!(failed.len(), 1);
    assert_eq!(failed[0].failure.as_deref(), Some("the disk was full"));
    assert!(store.retry_run(run).await.unwrap());
    let again = store.run(run).await.unwrap();
    assert_eq!((again.state, again.work_done, again.failure), (RunState::Queued, 0, None));
    assert!(!store.retry_run(run).await.unwrap(), "it waits already");
    assert!(store.failed_runs(9).await.unwrap().is_empty());
    assert!(!store.retry_run(Uuid::new_v4()).await.unwrap());
}

#[sqlx::test(migrations = false)]
async fn a_cancelled_run_forgets_that_it_was_cancelled(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let run = queued(&fixture).await;
    store.cancel_run(run).await.unwrap();
    assert!(store.retry_run(run).await.unwrap());
    assert!(store.begin_run(run).await.unwrap(), "it goes on when a worker takes it up");
}

#[sqlx::test(migrations = false)]
async fn sums_differ_where_a_row_does_and_a_snapshot_does_not_move(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    let mut snapshot = store.snapshot().await.unwrap();
    let before = snapshot.sums().await.unwrap();
    assert_eq!(before["public.contact_types"].rows, 1);
    store.set_today(fixture.centre, date(2026, 11, 23)).await.unwrap();
    assert_eq!(snapshot.sums().await.unwrap(), before, "it holds on to its moment");
    let after = store.snapshot().await.unwrap().sums().await.unwrap();
    let differ: Vec<&String> =
        after.keys().filter(|table| before.get(*table) != after.get(*table)).collect();
    assert_eq!(differ, ["public.centres", "public.facts_changes"]);
    assert_eq!(after["public.centres"].rows, before["public.centres"].rows);
}

#[sqlx::test(migrations = false)]
async fn the_last_backup_is_told(pool: PgPool) {
    let store = fixture(pool).await.store;
    assert_eq!(store.last_backup().await.unwrap(), None);
    let made = |day: &str, is_checked| BackupLine {
        made_at: format!("{day}T08:00:00Z").parse().unwrap(),
        folder: format!("/backups/{day}"),
        rows: 12,
        is_checked,
    };
    let later = made("2026-11-29", false);
    for backup in [&later, &made("2026-11-28", true)] {
        store.note_backup(backup).await.unwrap();
    }
    assert_eq!(store.last_backup().await.unwrap(), Some(later));
}

/// Trials go when they are old, but not what a decision rests on.
#[sqlx::test(migrations = false)]
async fn old_runs_are_forgotten_unless_a_decision_rests_on_them(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let store = &fixture.store;
    let mut ids = Vec::new();
    for _ in 0..4 {
        let id = crate::stories::queued(&fixture).await;
        store.cancel_run(id).await.unwrap();
        ids.push(id);
    }
    let [old, evidence, released, young] = ids[..] else { panic!("four") };
    let waiting = crate::stories::queued(&fixture).await;
    for id in [old, evidence, released, waiting] {
        sqlx::query(
            "UPDATE runs SET created_at = now() - interval '50 days', \
               ended_at = CASE WHEN ended_at IS NOT NULL THEN now() - interval '40 days' END WHERE id = $1",
        )
        .bind(id)
        .execute(&pool)
        .await
        .unwrap();
    }
    let version: Uuid = sqlx::query_scalar("SELECT strategy_version_id FROM trials WHERE id = $1")
        .bind(old)
        .fetch_one(&pool)
        .await
        .unwrap();
    store.go_live(version, Some(released), None, "to begin with").await.unwrap();
    let text = SheetText { evidence: vec![EvidenceKey::Trial(evidence)], ..SheetText::default() };
    let drawn = SheetAct::DrawnUp(text);
    store.draw_up_sheet(fixture.centre, version, None, &drawn, fixture.planner).await.unwrap();
    assert_eq!(store.forget_old_runs(41).await.unwrap(), 0, "none is that old");
    assert_eq!(store.forget_old_runs(30).await.unwrap(), 1);
    for (id, stays) in
        [(old, false), (evidence, true), (released, true), (young, true), (waiting, true)]
    {
        assert_eq!(store.trial(id).await.is_ok(), stays, "{id}");
    }
}
