//! A report is kept until something that it tells of changes.

use barometer_plan::CoverInterval;
use barometer_report::{Days, Report};
use barometer_store::{Save, Store};
use jiff::civil::date;
use sqlx::PgPool;

use crate::fixture::{Fixture, at, fixture};

fn report(answer: &str) -> Report {
    let day = date(2026, 11, 20);
    Report {
        title: "Week review".to_owned(),
        centre: "Larkhaven Ferries".to_owned(),
        zone: "Europe/London".to_owned(),
        days: Days { first: day, last: day },
        covers: "all contact types".to_owned(),
        against: None,
        read_at: day.at(7, 0, 0, 0),
        answer: answer.to_owned(),
        out_of_target: Vec::new(),
        parts: Vec::new(),
        definitions: Vec::new(),
    }
}

async fn plan_four(fixture: &Fixture) {
    let four = CoverInterval { start: at("2026-11-20T09:00Z"), agents: 4 };
    fixture.store.save_cover(fixture.bookings, &[four], Save::OURS).await.unwrap();
}

/// Reads under a key; makes it where nothing is kept. Says which of the two.
async fn read(store: &Store, key: &[u8]) -> &'static str {
    let page = store.report_page(key).await.unwrap();
    if page.report.is_some() {
        return "kept";
    }
    store.keep_report_page(key, page.changes, &report("made")).await.unwrap();
    "made"
}

#[sqlx::test(migrations = false)]
async fn a_report_is_made_once_and_again_when_its_figures_change(pool: PgPool) {
    let fixture = fixture(pool).await;
    let store = &fixture.store;
    assert_eq!(read(store, b"week").await, "made");
    assert_eq!(read(store, b"week").await, "kept");
    assert_eq!(read(store, b"month").await, "made", "another definition is another report");
    assert_eq!(store.report_page(b"week").await.unwrap().report, Some(report("made")));
    let day = date(2026, 11, 20);
    plan_four(&fixture).await;
    assert_eq!(read(store, b"week").await, "made");
    store.set_today(fixture.centre, day).await.unwrap();
    assert_eq!(read(store, b"week").await, "made");
    store.forget_report_pages().await.unwrap();
    assert_eq!(read(store, b"week").await, "made");
}

#[sqlx::test(migrations = false)]
async fn what_changes_while_a_report_is_made_is_not_lost(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    let store = &fixture.store;
    // A long transaction has written and not committed when the figures are read …
    let mut import = pool.begin().await.unwrap();
    sqlx::query("UPDATE contact_types SET name = name").execute(&mut *import).await.unwrap();
    let page = store.report_page(b"week").await.unwrap();
    // … nobody who changes something else has to wait for it …
    plan_four(&fixture).await;
    let after = store.report_page(b"week").await.unwrap();
    assert_eq!(after.changes, page.changes + 1);
    store.keep_report_page(b"week", after.changes, &report("of old figures")).await.unwrap();
    // … and when it commits, what was made before is not taken for new.
    import.commit().await.unwrap();
    assert!(store.report_page(b"week").await.unwrap().report.is_none());
}

#[sqlx::test(migrations = false)]
async fn what_is_undone_changes_nothing(pool: PgPool) {
    let fixture = fixture(pool.clone()).await;
    assert_eq!(read(&fixture.store, b"week").await, "made");
    let mut undone = pool.begin().await.unwrap();
    sqlx::query("UPDATE contact_types SET name = name").execute(&mut *undone).await.unwrap();
    undone.rollback().await.unwrap();
    assert_eq!(read(&fixture.store, b"week").await, "kept");
    let touched: i64 =
        sqlx::query_scalar("SELECT count(*) FROM facts_touched").fetch_one(&pool).await.unwrap();
    assert_eq!(touched, 0);
}

#[sqlx::test(migrations = false)]
async fn every_table_tells_reports_of_its_changes_or_is_known_not_to_matter(pool: PgPool) {
    /// Nothing that a report tells of is read from these.
    const APART: [&str; 44] = [
        "_sqlx_migrations",
        "answers",
        "backups",
        "boards",
        "comparisons",
        "do_not_call",
        "draft_revisions",
        "drafts",
        "drawings",
        "expectations",
        "facts_changes",
        "facts_touched",
        "forecast_run_types",
        "form_keys",
        "frozen_forecasts",
        "import_chunks",
        "import_layouts",
        "import_refusals",
        "import_rows",
        "import_types",
        "imports",
        "interventions",
        "list_layouts",
        "list_people",
        "number_prefixes",
        "outbox",
        "past_calls",
        "replaced_history",
        "report_editions",
        "report_files",
        "report_links",
        "report_pages",
        "report_schedules",
        "reports",
        "run_parts",
        "runs",
        "saves",
        "searches",
        "sessions",
        "shift_searches",
        "special_days",
        "tokens",
        "trail",
        "waivers",
    ];
    drop(fixture(pool.clone()).await);
    let silent: Vec<String> = sqlx::query_scalar(
        "SELECT tables.table_name::text FROM information_schema.tables AS tables \
         WHERE table_schema = 'public' AND table_type = 'BASE TABLE' AND NOT EXISTS ( \
           SELECT FROM information_schema.triggers WHERE event_object_table = tables.table_name \
             AND trigger_name = 'tells_reports') \
         ORDER BY 1",
    )
    .fetch_all(&pool)
    .await
    .unwrap();
    assert_eq!(silent, APART);
}
