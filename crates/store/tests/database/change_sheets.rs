//! Change sheets: records that only grow, and releases that go with them or not at all.

use barometer_plan::{SheetAct, SheetState, SheetText};
use barometer_store::{NewEntry, Publication, StoreError};
use barometer_strategy::Strategy;
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

fn drawn_up(title: &str) -> SheetAct {
    SheetAct::DrawnUp(SheetText { title: title.to_owned(), ..SheetText::default() })
}

impl Fixture {
    /// Two versions, the first of which is live.
    async fn versions(&self) -> (Uuid, Uuid) {
        let strategy = Strategy::plain("Bookings");
        let add =
            async || self.store.add_strategy_version(self.centre, &strategy, None).await.unwrap();
        let (first, second) = (add().await, add().await);
        self.store.go_live(first, None, None, "to begin with").await.unwrap();
        (first, second)
    }

    async fn live(&self) -> Uuid {
        let versions = self.store.strategy_versions(self.centre).await.unwrap();
        versions.iter().find(|version| version.is_live).unwrap().id
    }
}

#[sqlx::test(migrations = false)]
async fn sheets_count_up_and_keep_their_entries_in_order_under_seals(pool: PgPool) {
    let fixture = fixture(pool).await;
    let (first, second) = fixture.versions().await;
    let Fixture { store, centre, planner, .. } = &fixture;
    let draw = async |title: &str| {
        let act = drawn_up(title);
        store.draw_up_sheet(*centre, second, Some(first), &act, *planner).await.unwrap()
    };
    assert_eq!((draw("One").await, draw("Other").await), (1, 2));
    let kept = store.change_sheet(*centre, 2).await.unwrap();
    let comment = |nth: i32, text: &str| NewEntry {
        sheet: kept.id,
        nth,
        act: SheetAct::Commented { text: text.to_owned() },
        by: Some(*planner),
    };
    store.add_sheet_entry(&comment(1, "O'Neil says \"no\" | 1")).await.unwrap();
    // Two who have read the same record: one of them has to look again.
    let late = store.add_sheet_entry(&comment(1, "At once")).await;
    assert!(matches!(late, Err(StoreError::Busy)), "{late:?}");
    // An entry that follows nothing is none.
    assert!(store.add_sheet_entry(&comment(7, "Later")).await.is_err());
    let kept = store.change_sheet(*centre, 2).await.unwrap();
    assert_eq!((kept.record.len(), kept.next()), (2, 2));
    assert!(kept.record.iter().all(|entry| entry.is_sealed));
    assert_eq!(kept.record[1].by.as_deref(), Some("A. Planner"));
    assert_ne!(kept.record[0].seal, kept.record[1].seal);
    assert!(kept.record[0].entry.at <= kept.record[1].entry.at);
    assert_eq!(kept.sheet().unwrap().text.title, "Other");
    let titles: Vec<String> = store
        .change_sheets(*centre)
        .await
        .unwrap()
        .iter()
        .map(|sheet| sheet.sheet().unwrap().text.title)
        .collect();
    assert_eq!(titles, ["Other", "One"]);
    let missing = store.change_sheet(*centre, 3).await;
    assert!(matches!(missing, Err(StoreError::NotFound)));
}

#[sqlx::test(migrations = false)]
async fn a_release_goes_with_its_entry_or_neither_is_kept(pool: PgPool) {
    let fixture = fixture(pool).await;
    let (first, second) = fixture.versions().await;
    let Fixture { store, centre, planner, .. } = &fixture;
    let act = drawn_up("Fewer places");
    let number = store.draw_up_sheet(*centre, second, Some(first), &act, *planner).await.unwrap();
    let sheet = store.change_sheet(*centre, number).await.unwrap().id;
    let publication = |nth: i32, act: SheetAct, version: Uuid, instead_of: Uuid| Publication {
        centre: *centre,
        entries: vec![NewEntry { sheet, nth, act, by: Some(*planner) }],
        version,
        instead_of: Some(instead_of),
        trial: None,
        sheet,
        by: Some(*planner),
        note: "Fewer places".to_owned(),
    };
    // Another version is live than was thought.
    let wrong = publication(1, SheetAct::WentLive, second, second);
    assert!(matches!(store.publish_by_sheet(&wrong).await, Err(StoreError::Busy)));
    // Somebody else has added an entry.
    let late = publication(0, SheetAct::WentLive, second, first);
    assert!(matches!(store.publish_by_sheet(&late).await, Err(StoreError::Busy)));
    assert_eq!(fixture.live().await, first);
    assert_eq!(store.change_sheet(*centre, number).await.unwrap().record.len(), 1);
    let right = publication(1, SheetAct::WentLive, second, first);
    store.publish_by_sheet(&right).await.unwrap();
    assert_eq!(fixture.live().await, second);
    let state = async || {
        store.change_sheet(*centre, number).await.unwrap().sheet().map(|sheet| sheet.state)
    };
    assert_eq!(state().await, Some(SheetState::Live));
    let past = store.latest_go_lives(1).await.unwrap().remove(0);
    assert_eq!((past.version, past.sheet, past.note.as_str()), (2, Some(sheet), "Fewer places"));
    let back = SheetAct::RolledBack { reason: "Queues".to_owned() };
    store.publish_by_sheet(&publication(2, back, first, second)).await.unwrap();
    assert_eq!(fixture.live().await, first);
    assert_eq!(state().await, Some(SheetState::RolledBack));
}
