//! A database of an earlier version comes up to date, with everything that was in it.
//!
//! `tests/old/schema-29.dump` is the demo of 28 November 2026 as the program of that day made and played it, with ten
//! weeks of its history and two of its cover.

use std::process::Command;

use barometer_store::{RunState, Store};
use jiff::Timestamp;
use sqlx::PgPool;
use uuid::Uuid;

use crate::{address, run};

const OLD: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/old/schema-29.dump");

async fn number(pool: &PgPool, question: &'static str) -> i64 {
    sqlx::query_scalar(question).fetch_one(pool).await.unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_database_of_an_earlier_version_comes_up_to_date_with_everything(pool: PgPool) {
    let database = address(&pool).await;
    let restored = Command::new("pg_restore")
        .args(["--no-owner", "--exit-on-error", "--dbname", &database, OLD])
        .output()
        .unwrap();
    assert!(restored.status.success(), "{}", String::from_utf8_lossy(&restored.stderr));
    assert_eq!(number(&pool, "SELECT max(version) FROM _sqlx_migrations").await, 29);
    // Twice: the second finds nothing to do.
    for _ in 0..2 {
        let migrated = run(&database, &["migrate"], "");
        assert!(migrated.status.success(), "{}", String::from_utf8_lossy(&migrated.stderr));
    }
    assert_eq!(number(&pool, "SELECT count(*) FROM history").await, 12_953);
    assert_eq!(number(&pool, "SELECT sum(offered) FROM history").await, 770_374);
    assert_eq!(number(&pool, "SELECT count(*) FROM cover").await, 2_780);
    let store = Store::on(pool);
    let centre = store.centre().await.unwrap().unwrap();
    let types = store.contact_types(centre.id).await.unwrap();
    assert_eq!((types.len(), types[0].name.as_str()), (7, "Bookings"));
    for each in &types {
        assert!(store.forecast(each.id).await.unwrap().is_some(), "{}", each.name);
        let (from, to) = (Timestamp::UNIX_EPOCH, Timestamp::MAX);
        assert!(!store.made_intervals(each.id, from, to).await.unwrap().is_empty());
    }
    // What is kept as JSON or as sums is read by today's types, and played on by today's engine.
    let versions = store.strategy_versions(centre.id).await.unwrap();
    assert_eq!(versions.len(), 2);
    for version in &versions {
        let strategy = store.strategy(version.id).await.unwrap();
        assert!(strategy.faults().is_empty(), "{:?}", strategy.faults());
    }
    let drafts = store.drafts(centre.id).await.unwrap();
    assert_eq!(drafts.len(), 3);
    let trials = store.latest_trials(None, 10).await.unwrap();
    assert_eq!(trials.len(), 3);
    for line in &trials {
        let trial = store.trial(line.id).await.unwrap();
        assert_eq!(trial.run.state, RunState::Done);
        let summary = store.trial_summary(line.id).await.unwrap().expect("its sums are read");
        assert_eq!(summary.replications(), trial.inputs.replications);
        let experiment = trial.inputs.experiment().unwrap();
        assert!(!experiment.play_range(0..1).unwrap().is_empty());
    }
    let sheets = store.change_sheets(centre.id).await.unwrap();
    assert_eq!(sheets.len(), 1);
    assert!(sheets[0].sheet().is_some(), "its record is read");
    // What later versions added begins empty, and work goes on.
    assert_eq!(store.archived_types(centre.id).await.unwrap(), []);
    assert!(store.queue_missing_forecasts(centre.id).await.unwrap().is_none());
    barometer_app::runs::work_off_open(&store).await.unwrap();
    store.close().await;
    let folder = std::env::temp_dir().join(format!("barometer-old-{}", Uuid::new_v4()));
    let arguments = ["report", "week-review", "--period", "last-week", "--format", "json", "--out"];
    let arguments = [&arguments[..], &[folder.to_str().unwrap()]].concat();
    let report = run(&database, &arguments, "");
    assert!(report.status.success(), "{}", String::from_utf8_lossy(&report.stderr));
    std::fs::remove_dir_all(folder).unwrap();
}
