//! Imports: a preview that tells the truth, then all of it or none.

use barometer_forecast::Grain;
use barometer_intake::{Layout, Role as Column};
use barometer_plan::Rules;
use barometer_store::{
    HistoryInterval, ImportRow, ImportState, ImportWriter, Role, Store, StoreError,
};
use futures_util::TryStreamExt;
use jiff::{Timestamp, ToSpan};
use sqlx::PgPool;
use uuid::Uuid;

/// How files of these tests are read.
fn headings() -> Layout {
    Layout::guess(&["interval_start", "offered"], &[]).layout
}

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
        let upload =
            self.store.begin_upload(&centre, "calls.csv", None, self.planner).await.unwrap();
        let import = upload.finish().await.unwrap();
        self.store.begin_reading(&centre, import, &layout()).await.unwrap()
    }
}

fn layout() -> Layout {
    Layout::guess(&["contact_type", "interval_start", "offered"], &[]).layout
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
        wrap_up_secs: None,
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
        wrap_up_secs: None,
        speed: None,
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
    let touched = store.confirm_import(id, &Rules::STARTING, None).await.unwrap();
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
    let again = store.confirm_import(id, &Rules::STARTING, None).await;
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
            wrap_up_secs: None,
            ..row(u64::from(quarter) + 2, "Calls", "2026-07-02T08:00:00Z", 10 * (quarter + 1))
        };
        import.add(&handled).await.unwrap();
    }
    for hour in ["2026-07-02T08:00:00Z", "2026-07-02T09:00:00Z"] {
        import.add(&row(6, "Chat", hour, 3)).await.unwrap();
    }
    let id = import.finish().await.unwrap();
    let lines = store.preview(id).await.unwrap();
    assert_eq!((lines.len(), lines[0].added, lines[0].file_minutes), (1, 2, 15));
    let refusals = store.refusals(id, 10).await.unwrap();
    assert!(refusals[0].reason.contains("60-minute intervals"), "{refusals:?}");
    store.confirm_import(id, &Rules::STARTING, None).await.unwrap();
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
    store.confirm_import(id, &Rules::STARTING, None).await.unwrap();
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
    assert!(store.confirm_import(id, &Rules::STARTING, None).await.is_err());
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

#[sqlx::test(migrations = false)]
async fn the_last_import_is_undone_to_the_row(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let Fixture { store, centre, .. } = &fixture;
    let calls =
        store.add_contact_type(*centre, "Calls", Grain::Half, &Rules::STARTING).await.unwrap();
    let (eight, half_past, nine) =
        ("2026-07-02T08:00:00Z", "2026-07-02T08:30:00Z", "2026-07-02T09:00:00Z");
    let save = async |rows: &[ImportRow<'_>]| {
        let mut import = fixture.begin().await;
        for row in rows {
            import.add(row).await.unwrap();
        }
        let id = import.finish().await.unwrap();
        store.confirm_import(id, &Rules::STARTING, None).await.unwrap();
        id
    };
    let first = save(&[row(2, "Calls", eight, 5), row(3, "Calls", half_past, 6)]).await;
    let second = save(&[
        row(2, "Calls", eight, 5),
        row(3, "Calls", half_past, 60),
        row(4, "Calls", nine, 7),
        row(5, "Ferry bus", nine, 1),
    ])
    .await;
    let offered = async || -> Vec<f64> {
        let seen = store.history_since(calls, Timestamp::UNIX_EPOCH).await.unwrap();
        seen.iter().map(|seen| seen.offered).collect()
    };
    assert_eq!(offered().await, [5.0, 60.0, 7.0]);
    let too_early = store.undo_import(*centre, first, None).await;
    assert!(matches!(too_early, Err(StoreError::NotFound)), "only the last one");
    assert_eq!(store.last_import(*centre).await.unwrap().unwrap().0, second);
    assert_eq!(store.undo_import(*centre, second, None).await.unwrap(), [calls]);
    assert_eq!(offered().await, [5.0, 6.0], "what was there before is there again");
    assert_eq!(store.contact_types(*centre).await.unwrap().len(), 1, "the new type went with it");
    assert_eq!(store.import(second).await.unwrap().state, ImportState::Undone);
    // What the first one brought went over to the second's replacements and is its own again.
    assert_eq!(store.undo_import(*centre, first, None).await.unwrap(), [calls]);
    assert_eq!(offered().await, [0.0; 0]);
    let left: i64 =
        sqlx::query_scalar("SELECT count(*) FROM replaced_history").fetch_one(&pool).await.unwrap();
    assert_eq!(left, 0);
}

#[sqlx::test(migrations = false)]
async fn an_uploaded_file_comes_back_byte_by_byte_and_can_be_read_again(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let store = &fixture.store;
    let centre = store.centre().await.unwrap().unwrap();
    let file: Vec<u8> = (0..700_000_u32).map(|at| (at % 251) as u8).collect();
    let mut upload =
        store.begin_upload(&centre, "calls.csv", Some("Calls"), fixture.planner).await.unwrap();
    for part in file.chunks(10_000) {
        upload.add(part).await.unwrap();
    }
    let import = upload.finish().await.unwrap();
    let back: Vec<Vec<u8>> = store.uploaded_bytes(import).try_collect().await.unwrap();
    assert!(back.len() > 1, "in chunks");
    assert_eq!(back.concat(), file);
    let seen = store.import(import).await.unwrap();
    assert_eq!((seen.state, seen.contact_type.as_deref()), (ImportState::Uploaded, Some("Calls")));
    for offered in [3, 4] {
        let mut writer = store.begin_reading(&centre, import, &layout()).await.unwrap();
        writer.add(&row(2, "Calls", "2026-07-02T08:00:00Z", offered)).await.unwrap();
        writer.finish().await.unwrap();
    }
    assert_eq!(store.preview(import).await.unwrap()[0].added, 1, "read anew, not twice");
    store.confirm_import(import, &Rules::STARTING, None).await.unwrap();
    let chunks: i64 =
        sqlx::query_scalar("SELECT count(*) FROM import_chunks").fetch_one(&pool).await.unwrap();
    assert_eq!(chunks, 0, "a saved file is not kept");
}

#[sqlx::test(migrations = false)]
async fn a_layout_is_remembered_by_its_headings(pool: PgPool) {
    let Fixture { store, centre, .. } = fixture(pool).await;
    let mut layout = layout();
    let signature = Layout::signature(&["Contact Type", "interval start", "OFFERED"]);
    assert_eq!(store.remembered_layout(centre, &signature).await.unwrap(), None);
    store.remember_layout(centre, &signature, &layout).await.unwrap();
    layout.columns[2] = Column::Answered;
    store.remember_layout(centre, &signature, &layout).await.unwrap();
    let again = Layout::signature(&["contact_type", "Interval-Start", "offered"]);
    assert_eq!(store.remembered_layout(centre, &again).await.unwrap(), Some(layout));
}

#[sqlx::test(migrations = false)]
async fn a_token_is_known_by_its_secret_alone_until_it_is_ended(pool: PgPool) {
    let Fixture { store, centre, planner } = fixture(pool).await;
    let secret = store.add_token(centre, "Nightly export", planner).await.unwrap();
    assert_eq!(secret.len(), 64);
    assert_eq!(store.tokens(centre).await.unwrap()[0].used_at, None);
    assert_eq!(store.user_by_token(&secret).await.unwrap().unwrap().id, planner);
    assert!(store.user_by_token(&secret.to_uppercase()).await.unwrap().is_none());
    let token = &store.tokens(centre).await.unwrap()[0];
    assert_eq!((token.name.as_str(), token.by.as_str()), ("Nightly export", "A"));
    assert!(token.used_at.is_some());
    store.remove_token(centre, token.id).await.unwrap();
    assert!(store.user_by_token(&secret).await.unwrap().is_none());
}

#[sqlx::test(migrations = false)]
async fn only_one_reads_a_file_at_a_time_and_a_reading_that_broke_off_can_be_done_again(
    pool: PgPool,
) {
    let Fixture { store, planner, .. } = fixture(pool).await;
    let centre = store.centre().await.unwrap().unwrap();
    let mut upload =
        store.begin_upload(&centre, "calls.csv", Some("Calls"), planner).await.unwrap();
    upload.add(b"when,offered\n").await.unwrap();
    let import = upload.finish().await.unwrap();
    let layout = headings();
    let first = store.begin_reading(&centre, import, &layout).await.unwrap();
    let second = store.begin_reading(&centre, import, &layout).await;
    assert!(matches!(second, Err(StoreError::Busy)));
    assert!(!store.is_reading_broken_off(import).await.unwrap(), "it is being read");
    // The server is stopped in the middle.
    drop(first);
    let mut tries = 0;
    while !store.is_reading_broken_off(import).await.unwrap() {
        tries += 1;
        assert!(tries < 1000, "a dropped reading lets go of the file");
        tokio::task::yield_now().await;
    }
    assert_eq!(store.import(import).await.unwrap().state, ImportState::Uploaded);
    let again = store.begin_reading(&centre, import, &layout).await.unwrap();
    again.finish().await.unwrap();
    assert_eq!(store.import(import).await.unwrap().state, ImportState::Preview);
}

#[sqlx::test(migrations = false)]
async fn a_preview_that_nobody_confirms_within_a_day_cannot_be_confirmed_without_its_rows(
    pool: PgPool,
) {
    let Fixture { store, planner, .. } = fixture(pool.clone()).await;
    let centre = store.centre().await.unwrap().unwrap();
    let upload = store.begin_upload(&centre, "calls.csv", Some("Calls"), planner).await.unwrap();
    let import = upload.finish().await.unwrap();
    let reading = store.begin_reading(&centre, import, &headings()).await.unwrap();
    reading.finish().await.unwrap();
    sqlx::query("UPDATE imports SET created_at = now() - interval '25 hours'")
        .execute(&pool)
        .await
        .unwrap();
    let next = store.begin_upload(&centre, "more.csv", None, planner).await.unwrap();
    next.abandon().await.unwrap();
    assert_eq!(store.import(import).await.unwrap().state, ImportState::Discarded);
    let late = store.confirm_import(import, &Rules::STARTING, Some(planner)).await;
    assert!(matches!(late, Err(StoreError::NotFound)));
}
