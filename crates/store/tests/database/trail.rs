//! Who did what; it only grows.

use barometer_store::{Deed, Doer, Noted, Store, TrailFilter};
use sqlx::PgPool;

use crate::fixture::fixture;

async fn note(store: &Store, name: &str, did: Deed, change: Noted) {
    let from = Some("192.0.2.7".parse().unwrap());
    store.note(Doer { name, user: None, from }, did, &change).await.unwrap();
}

async fn found(store: &Store, filter: TrailFilter) -> Vec<String> {
    let entries = store.trail(&filter, 10).await.unwrap();
    entries
        .into_iter()
        .map(|entry| format!("{} {}", entry.by, entry.did.unwrap().words()))
        .collect()
}

#[sqlx::test(migrations = false)]
async fn entries_are_found_by_deed_and_by_text_and_page_by_page(pool: PgPool) {
    let store = fixture(pool).await.store;
    note(&store, "Ana", Deed::SignedIn, Noted::default()).await;
    note(&store, "Ana", Deed::RoleChanged, Noted::from_to("Nell Quay", "viewer", "planner")).await;
    note(&store, "Ben", Deed::TargetsChanged, Noted::about("100 % Bookings_A")).await;
    let all = ["Ben changed targets", "Ana changed a role", "Ana signed in"];
    assert_eq!(found(&store, TrailFilter::default()).await, all, "the latest first");
    let of = |text: &str| TrailFilter { text: text.to_owned(), ..TrailFilter::default() };
    assert_eq!(found(&store, of("nell")).await, all[1..2]);
    assert_eq!(found(&store, of("192.0.2.7")).await, all);
    assert_eq!(found(&store, of("PLANNER")).await, all[1..2], "what it became counts too");
    assert_eq!(found(&store, of("0 % B")).await, all[..1], "a percent sign is a percent sign");
    assert!(found(&store, of("k%A")).await.is_empty());
    let did = TrailFilter { did: Some(Deed::SignedIn), ..TrailFilter::default() };
    assert_eq!(found(&store, did).await, all[2..]);
    let latest = store.trail(&TrailFilter::default(), 1).await.unwrap();
    let before = TrailFilter { before: Some(latest[0].number), ..TrailFilter::default() };
    assert_eq!(found(&store, before).await, all[1..]);
}

#[sqlx::test(migrations = false)]
async fn no_entry_is_changed_or_removed(pool: PgPool) {
    let store = fixture(pool.clone()).await.store;
    note(&store, "Ana", Deed::TokenMade, Noted::about("Nightly export")).await;
    for statement in ["UPDATE trail SET done_by = 'Ben'", "DELETE FROM trail", "TRUNCATE trail"] {
        let refused = sqlx::query(statement).execute(&pool).await.unwrap_err();
        assert!(refused.to_string().contains("the trail only grows"), "{refused}");
    }
    assert_eq!(found(&store, TrailFilter::default()).await, ["Ana made a token"]);
}

#[test]
fn deeds_have_words_of_their_own() {
    let mut words: Vec<&str> = Deed::ALL.into_iter().map(Deed::words).collect();
    words.sort_unstable();
    words.dedup();
    assert_eq!(words.len(), Deed::ALL.len());
    assert!(Deed::ALL.into_iter().all(|deed| Deed::of_key(deed.key()) == Some(deed)));
}
