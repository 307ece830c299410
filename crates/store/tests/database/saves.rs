//! A save says what it was based on; of two on the same version one is refused with who was first.

use barometer_plan::Rules;
use barometer_store::{Edited, Role, Save, SavedMeanwhile, Store, StoreError};
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

async fn somebody(store: &Store, name: &str) -> Uuid {
    store.add_user(name, &format!("{name}@example.org"), "hash", Role::Planner).await.unwrap()
}

fn first_of(refused: Result<(), StoreError>) -> SavedMeanwhile {
    match refused {
        Err(StoreError::SavedMeanwhile(first)) => first,
        other => panic!("not refused: {other:?}"),
    }
}

fn level(service_level: f64) -> Rules {
    Rules { service_level, ..Rules::STARTING }
}

#[sqlx::test(migrations = false)]
async fn each_save_counts_and_a_stale_one_changes_nothing(pool: PgPool) {
    let Fixture { store, bookings, .. } = &fixture(pool).await;
    let (ada, bram) = (somebody(store, "Ada").await, somebody(store, "Bram").await);
    let targets = Edited::Targets(*bookings);
    assert_eq!(store.version_of(targets).await.unwrap(), 0);
    store.save_rules(*bookings, &level(0.9), Save::of(ada, 0)).await.unwrap();
    assert_eq!(store.version_of(targets).await.unwrap(), 1);
    let first = first_of(store.save_rules(*bookings, &level(0.7), Save::of(bram, 0)).await);
    assert_eq!(first.by.as_deref(), Some("Ada"));
    let now = async || store.contact_type(*bookings).await.unwrap().rules.service_level;
    assert!((now().await - 0.9).abs() < 1e-12);
    // On what is there now it is saved; the cover is counted apart from the targets.
    store.save_rules(*bookings, &level(0.7), Save::of(bram, 1)).await.unwrap();
    first_of(store.undo_rules(*bookings, Save::of(ada, 1)).await);
    store.undo_rules(*bookings, Save::of(ada, 2)).await.unwrap();
    assert!((now().await - 0.9).abs() < 1e-12);
    assert_eq!(store.version_of(Edited::Cover(*bookings)).await.unwrap(), 0);
}

#[sqlx::test(migrations = false)]
async fn covers_of_several_types_are_saved_together_or_not_at_all(pool: PgPool) {
    let Fixture { store, centre, bookings, .. } = &fixture(pool).await;
    let ada = somebody(store, "Ada").await;
    let chat = store
        .add_contact_type(*centre, "Chat", barometer_forecast::Grain::Half, &Rules::STARTING)
        .await
        .unwrap();
    store.save_cover(chat, &[], Save::OURS).await.unwrap();
    let start = "2026-11-24T09:00:00Z".parse().unwrap();
    let nine = vec![barometer_plan::CoverInterval { start, agents: 9 }];
    let on = |seen| {
        [(*bookings, nine.clone(), Save::of(ada, 0)), (chat, nine.clone(), Save::of(ada, seen))]
    };
    let first = first_of(store.save_covers(&on(0)).await);
    assert_eq!(first.by, None, "Barometer itself");
    let hour = start + jiff::ToSpan::hours(1);
    assert!(store.cover_between(*bookings, start, hour).await.unwrap().is_empty());
    assert_eq!(store.version_of(Edited::Cover(*bookings)).await.unwrap(), 0);
    store.save_covers(&on(1)).await.unwrap();
    assert_eq!(store.cover_between(chat, start, hour).await.unwrap(), nine);
}

#[sqlx::test(migrations = false)]
async fn of_ten_who_save_at_once_one_does(pool: PgPool) {
    let Fixture { store, bookings, .. } = &fixture(pool).await;
    let ada = somebody(store, "Ada").await;
    let levels: Vec<Rules> = (0..10).map(|nth| level(0.5 + 0.04 * f64::from(nth))).collect();
    let saves = levels.iter().map(|rules| store.save_rules(*bookings, rules, Save::of(ada, 0)));
    let saved = futures_util::future::join_all(saves).await;
    assert_eq!(saved.iter().filter(|each| each.is_ok()).count(), 1);
    for refused in saved.into_iter().filter(Result::is_err) {
        first_of(refused);
    }
    assert_eq!(store.version_of(Edited::Targets(*bookings)).await.unwrap(), 1);
}
