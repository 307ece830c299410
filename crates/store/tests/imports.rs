//! Imports: a preview that tells the truth, then all of it or none.

#![cfg(test)]

use barometer_forecast::Grain;
use barometer_plan::Rules;
use barometer_store::{
    HistoryInterval, ImportRow, ImportState, ImportWriter, Role, Store, StoreError,
};
use jiff::{Timestamp, ToSpan};
use sqlx::PgPool;
use uuid::Uuid;

struct Fixture {
    store: Store,
    centre: Uuid,
    planner: Uuid,
}

async fn fixture(pool: PgPool) -> Fixture {
    let store = Store::on(pool);
    store.migrate().await.unwrap();
    let centre = store.add_centre("Test centre", "Europe/London").await.unwrap();
    let planner = store.add_user("A", "a@example.org", "hash", Role::Planner).await.unwrap();
    Fixture { store, centre, planner }
}

impl Fixture {
    async fn begin(&self) -> ImportWriter {
        let centre = self.store.centre().await.unwrap().unwrap();
        self.store.begin_import(&centre, "calls.csv", self.planner).await.unwrap()
    }
}

fn row<'a>(row_number: u64, contact_type: &'a str, start: &str, offered: u32) -> ImportRow<'a> {
    ImportRow {
        row_number,
        contact_type,
        start: start.parse().unwrap(),
        offered,
        answered: offered,
        abandoned: 0,
        handle_secs: (offered > 0).then_some(200.0),
    }
}

#[sqlx::test(migrations = false)]
async fn a_preview_tells_added_replaced_unchanged_missing_and_refused(pool: PgPool) {
    let fixture = fixture(pool).await;
    let Fixture { store, centre, .. } = &fixture;
    let bookings =
        store.add_contact_type(*centre, "Bookings", Grain::Half, &Rules::STARTING).await.unwrap();
    let kept = |start: &str, offered| HistoryInterval {
        start: start.parse().unwrap(),
        offered,
        answered: offered,
        abandoned: 0,
        handle_secs: Some(200.0),
    };
    let history = [kept("2026-07-02T08:00:00Z", 5), kept("2026-07-02T08:30:00Z", 6)];
    store.add_history(bookings, &history).await.unwrap();
    let mut import = fixture.begin().await;
    for each in [
        row(2, "bookings", "2026-07-02T08:00:00Z", 5),
        row(3, "bookings", "2026-07-02T08:30:00Z", 60),
        row(4, "bookings", "2026-07-02T09:30:00Z", 7),
        row(5, "Bookings", "2026-07-02T09:30:00Z", 8),
        row(6, "Odd\tname \\ here", "2026-07-02T09:00:00Z", 1),
    ] {
        import.add(&each).await.unwrap();
    }
    import.refuse(7, "offered", "“x” is not a whole number".to_owned());
    let id = import.finish().await.unwrap();
    let seen = store.import(id).await.unwrap();
    assert_eq!((seen.rows_read, seen.refused, seen.state), (6, 2, ImportState::Preview));
    let lines = store.preview(id).await.unwrap();
    assert_eq!(lines.len(), 2);
    let line = &lines[0];
    assert_eq!((line.contact_type.as_str(), line.is_new), ("Bookings", false));
    assert_eq!((line.added, line.replaced, line.unchanged, line.missing), (1, 1, 1, 1));
    assert_eq!((lines[1].contact_type.as_str(), lines[1].is_new), ("Odd\tname \\ here", true));
    let refusals = store.refusals(id, 10).await.unwrap();
    assert_eq!((refusals[0].row_number, refusals[1].row_number), (5, 7));
    assert_eq!(refusals[0].reason, "repeats the interval of row 4; keep one of them");
    // Nothing is saved before it is confirmed.
    let end = store.history_end(bookings).await.unwrap().unwrap();
    assert_eq!(end, "2026-07-02T08:30:00Z".parse::<Timestamp>().unwrap());
    let touched = store.confirm_import(id, &Rules::STARTING).await.unwrap();
    assert_eq!(touched.len(), 2);
    let came = store
        .came_between(
            bookings,
            "2026-07-02T00:00:00Z".parse().unwrap(),
            "2026-07-03T00:00:00Z".parse().unwrap(),
        )
        .await
        .unwrap();
    assert_eq!((came.intervals, came.offered), (3, 72));
    let again = store.confirm_import(id, &Rules::STARTING).await;
    assert!(matches!(again, Err(StoreError::NotFound)), "an import is saved once");
}

#[sqlx::test(migrations = false)]
async fn quarters_are_added_up_to_the_kept_halves_and_hours_are_refused(pool: PgPool) {
    let fixture = fixture(pool).await;
    let Fixture { store, centre, .. } = &fixture;
    let kept =
        store.add_contact_type(*centre, "Calls", Grain::Half, &Rules::STARTING).await.unwrap();
    store.add_contact_type(*centre, "Chat", Grain::Quarter, &Rules::STARTING).await.unwrap();
    let mut import = fixture.begin().await;
    let first: Timestamp = "2026-07-02T08:00:00Z".parse().unwrap();
    for quarter in 0..4_u32 {
        let handled = ImportRow {
            start: first + (15 * i64::from(quarter)).minutes(),
            handle_secs: Some(if quarter == 0 { 100.0 } else { 400.0 }),
            ..row(u64::from(quarter) + 2, "Calls", "2026-07-02T08:00:00Z", 10 * (quarter + 1))
        };
        import.add(&handled).await.unwrap();
    }
    for hour in ["2026-07-02T08:00:00Z", "2026-07-02T09:00:00Z"] {
        import.add(&row(6, "Chat", hour, 3)).await.unwrap();
    }
    let id = import.finish().await.unwrap();
    let lines = store.preview(id).await.unwrap();
    assert_eq!((lines.len(), lines[0].added, lines[0].grain), (1, 2, Grain::Quarter));
    let refusals = store.refusals(id, 10).await.unwrap();
    assert!(refusals[0].reason.contains("60-minute intervals"), "{refusals:?}");
    store.confirm_import(id, &Rules::STARTING).await.unwrap();
    let history = store.history_since(kept, Timestamp::UNIX_EPOCH).await.unwrap();
    assert_eq!((history.len(), history[0].offered, history[1].offered), (2, 30.0, 70.0));
    let weighed = (10.0 * 100.0 + 20.0 * 400.0) / 30.0;
    assert!((history[0].handle_secs.unwrap() - weighed).abs() < 1e-9);
}

#[sqlx::test(migrations = false)]
async fn a_correction_of_single_intervals_on_the_hour_is_not_taken_for_hours(pool: PgPool) {
    let fixture = fixture(pool).await;
    let Fixture { store, centre, .. } = &fixture;
    let kept =
        store.add_contact_type(*centre, "Calls", Grain::Half, &Rules::STARTING).await.unwrap();
    let mut import = fixture.begin().await;
    for (row_number, start) in [(2, "2026-07-02T08:00:00Z"), (3, "2026-07-02T12:00:00Z")] {
        import.add(&row(row_number, "Calls", start, 7)).await.unwrap();
    }
    let id = import.finish().await.unwrap();
    assert!(store.refusals(id, 10).await.unwrap().is_empty());
    store.confirm_import(id, &Rules::STARTING).await.unwrap();
    assert_eq!(store.history_since(kept, Timestamp::UNIX_EPOCH).await.unwrap().len(), 2);
}

#[sqlx::test(migrations = false)]
async fn a_discarded_or_abandoned_import_leaves_nothing(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let store = &fixture.store;
    let mut import = fixture.begin().await;
    import.add(&row(2, "Calls", "2026-07-02T08:00:00Z", 3)).await.unwrap();
    let id = import.finish().await.unwrap();
    store.discard_import(id).await.unwrap();
    assert_eq!(store.import(id).await.unwrap().state, ImportState::Discarded);
    assert!(store.confirm_import(id, &Rules::STARTING).await.is_err());
    let mut cut_off = fixture.begin().await;
    cut_off.add(&row(2, "Calls", "2026-07-02T08:00:00Z", 3)).await.unwrap();
    cut_off.abandon().await.unwrap();
    let left: i64 = sqlx::query_scalar(
        "SELECT (SELECT count(*) FROM import_rows) + (SELECT count(*) FROM contact_types)",
    )
    .fetch_one(&pool)
    .await
    .unwrap();
    assert_eq!(left, 0);
}
