//! What an operator does: waits for a database, keeps it, brings it back.

use std::time::{Duration, Instant};

use barometer_store::Store;
use sqlx::PgPool;
use uuid::Uuid;

use crate::{address, run};

#[test]
fn a_server_waits_for_its_database_and_says_so() {
    let begun = Instant::now();
    let nowhere = "postgres://nobody@127.0.0.1:1/none";
    let output = run(nowhere, &["worker", "--database-wait-secs", "3", "--log-format", "json"], "");
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(begun.elapsed() >= Duration::from_secs(3), "{said}");
    assert!(!output.status.success());
    let lines: Vec<&str> = said.trim().lines().collect();
    assert_eq!(lines.len(), 2, "{said}");
    let told: serde_json::Value = serde_json::from_str(lines[0]).unwrap();
    assert_eq!(told["message"], "the database does not answer yet; waiting for it");
    assert!(lines[1].contains("the database does not answer"), "{said}");
}

#[sqlx::test(migrations = false)]
async fn a_backup_is_checked_and_brings_everything_back(pool: PgPool) {
    let database = address(&pool).await;
    assert!(run(&database, &["demo"], "").status.success());
    let folder = std::env::temp_dir().join(format!("barometer-backup-{}", Uuid::new_v4()));
    let folder_name = folder.to_str().unwrap().to_owned();
    let made = run(&database, &["backup", &folder_name], "");
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    let said = String::from_utf8_lossy(&made.stdout).into_owned();
    assert!(said.contains("Checked: restored elsewhere, every table is the same."), "{said}");
    let noted = Store::on(pool.clone()).last_backup().await.unwrap().unwrap();
    assert_eq!((noted.folder.as_str(), noted.is_checked), (folder_name.as_str(), true));
    assert!(noted.rows > 10_000, "{noted:?}");
    let refused = |database: &str, arguments: &[&str], wanted: &str| {
        let output = run(database, arguments, "");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(wanted), "{arguments:?}: {said}");
        assert!(!said.contains("panicked"), "{said}");
    };
    refused(&database, &["backup", &folder_name], "a backup begins a new one");
    refused(&database, &["restore", &folder_name], "this database has tables already");
    refused(&database, &["restore", "/nowhere"], "is /nowhere a backup?");
    // In an empty database everything is there again, and goes on.
    let store = Store::on(pool);
    let name = format!("restored_{}", Uuid::new_v4().simple());
    store.make_database(&name).await.unwrap();
    let other = format!("{}/{name}", database.rsplit_once('/').unwrap().0);
    let back = run(&other, &["restore", &folder_name], "");
    assert!(back.status.success(), "{}", String::from_utf8_lossy(&back.stderr));
    let restored = Store::connect(&other, 2).await.unwrap();
    restored.migrate().await.unwrap();
    let trials = |store: Store| async move {
        let lines = store.latest_trials(None, 100).await.unwrap();
        let mut summaries = Vec::new();
        for line in lines {
            summaries.push((line.id, store.trial_summary(line.id).await.unwrap()));
        }
        format!("{summaries:?}")
    };
    assert_eq!(trials(restored.clone()).await, trials(store.clone()).await);
    restored.close().await;
    store.drop_database(&name).await.unwrap();
    // A damaged backup, and one of a later version, are refused; nothing is left behind.
    store.make_database(&name).await.unwrap();
    let manifest = folder.join("backup.json");
    let kept = std::fs::read_to_string(&manifest).unwrap();
    std::fs::write(&manifest, kept.replacen("\"schema\": ", "\"schema\": 9", 1)).unwrap();
    refused(&other, &["restore", &folder_name], "made by a newer version");
    std::fs::write(&manifest, &kept).unwrap();
    let dump = folder.join("barometer.dump");
    let whole = std::fs::read(&dump).unwrap();
    std::fs::write(&dump, &whole[..whole.len() / 2]).unwrap();
    refused(&other, &["restore", &folder_name], "pg_restore failed");
    let looked = Store::connect(&other, 2).await.unwrap();
    assert!(looked.snapshot().await.unwrap().sums().await.unwrap().is_empty());
    looked.close().await;
    store.drop_database(&name).await.unwrap();
    std::fs::remove_dir_all(folder).unwrap();
}
