//! Sessions outlive a restart, end when their time has come, and never meet another's.

use barometer_store::Store;
use sqlx::PgPool;
use time::{Duration, OffsetDateTime};
use tower_sessions_core::SessionStore;
use tower_sessions_core::session::{Id, Record};

async fn store(pool: PgPool) -> Store {
    let store = Store::on(pool);
    store.migrate().await.unwrap();
    store
}

fn record(expires_in: Duration) -> Record {
    // A fixed day long after any test: sessions are compared with the database's clock.
    let far = OffsetDateTime::from_unix_timestamp(4_000_000_000).unwrap();
    let expiry_date =
        if expires_in.is_negative() { OffsetDateTime::UNIX_EPOCH } else { far + expires_in };
    let mut record = Record { id: Id::default(), data: Default::default(), expiry_date };
    record.data.insert("who".to_owned(), serde_json::json!("planner"));
    record
}

#[sqlx::test(migrations = false)]
async fn a_session_is_kept_changed_and_deleted(pool: PgPool) {
    let sessions = store(pool.clone()).await.sessions();
    let mut made = record(Duration::hours(1));
    sessions.create(&mut made).await.unwrap();
    // Another pool is another process: what was kept is there.
    let elsewhere = Store::on(pool).sessions();
    assert_eq!(elsewhere.load(&made.id).await.unwrap().unwrap().data, made.data);
    made.data.insert("theme".to_owned(), serde_json::json!("dark"));
    elsewhere.save(&made).await.unwrap();
    assert_eq!(sessions.load(&made.id).await.unwrap().unwrap().data["theme"], "dark");
    sessions.delete(&made.id).await.unwrap();
    assert!(sessions.load(&made.id).await.unwrap().is_none());
}

#[sqlx::test(migrations = false)]
async fn a_new_session_never_takes_the_key_of_another(pool: PgPool) {
    let sessions = store(pool).await.sessions();
    let mut first = record(Duration::hours(1));
    sessions.create(&mut first).await.unwrap();
    let mut second = Record { id: first.id, ..record(Duration::hours(2)) };
    second.data.clear();
    sessions.create(&mut second).await.unwrap();
    assert_ne!(first.id, second.id);
    assert_eq!(sessions.load(&first.id).await.unwrap().unwrap().data, first.data);
}

#[sqlx::test(migrations = false)]
async fn an_expired_session_is_not_found_and_forgotten_in_time(pool: PgPool) {
    let store = store(pool).await;
    let sessions = store.sessions();
    let (mut alive, mut over) = (record(Duration::hours(1)), record(Duration::hours(-1)));
    sessions.create(&mut alive).await.unwrap();
    sessions.create(&mut over).await.unwrap();
    assert!(sessions.load(&over.id).await.unwrap().is_none());
    assert_eq!(store.forget_expired_sessions().await.unwrap(), 1);
    assert!(sessions.load(&alive.id).await.unwrap().is_some());
}
