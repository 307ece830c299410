//! Drafts on a real database: edits in their order, undo and redo, planners who save at the same time.

use barometer_store::{NewDraft, NewRevision, NewVersion, Store};
use barometer_strategy::{Edit, PartId, Strategy};
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

/// A plain strategy whose queue has so many places, and the edit that says so.
fn with_places(places: u32) -> (Strategy, Edit) {
    let part = PartId::Step("queue".to_owned());
    let edit = Edit::set_number(part, "/does/queue/places", f64::from(places));
    (edit.apply(&Strategy::plain("Bookings")).unwrap(), edit)
}

/// Sets the places of a draft that is at this revision; `None` where it is at another.
async fn set_places(store: &Store, draft: Uuid, at: i32, places: u32) -> Option<i32> {
    let (strategy, edit) = with_places(places);
    let summary = format!("Places {places}.");
    let new = NewRevision { edit: &edit, summary: &summary, strategy: &strategy, by: None };
    store.edit_draft(draft, at, new).await.unwrap()
}

async fn begun(store: &Store, centre: Uuid, by: Uuid) -> barometer_store::DraftLine {
    let plain = Strategy::plain("Bookings");
    let new = NewDraft { name: "Summer", based_on: 0, strategy: &plain, by: Some(by) };
    store.begin_draft(centre, new, None).await.unwrap();
    store.drafts(centre).await.unwrap().remove(0)
}

#[sqlx::test(migrations = false)]
async fn edits_are_taken_back_and_done_again_in_their_order(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let draft = begun(&store, centre, planner).await;
    assert_eq!((draft.number, draft.head, draft.edits), (1, 0, 0));
    assert_eq!((&draft.undoes, &draft.redoes), (&None, &None));
    assert!(!store.undo_in_draft(draft.id, 0).await.unwrap(), "nothing was done");
    for (at, places) in [(0, 10), (1, 20), (2, 30)] {
        assert_eq!(set_places(&store, draft.id, at, places).await, Some(at + 1));
    }
    let places = async || {
        let line = store.drafts(centre).await.unwrap().remove(0);
        let strategy = store.draft_strategy(line.id, line.head).await.unwrap();
        (strategy.first_queue().unwrap().1.places, line)
    };
    assert!(store.undo_in_draft(draft.id, 3).await.unwrap());
    assert!(store.undo_in_draft(draft.id, 2).await.unwrap());
    assert!(!store.undo_in_draft(draft.id, 2).await.unwrap(), "it is at another revision");
    let (now, line) = places().await;
    assert_eq!((now, line.edits), (Some(10), 1));
    assert_eq!(line.undoes.as_deref(), Some("Places 10."));
    assert_eq!(line.redoes.as_deref(), Some("Places 20."));
    assert!(store.redo_in_draft(draft.id, 1).await.unwrap());
    assert_eq!(places().await.0, Some(20));
    // A new edit after an undo is what redo does from then on.
    assert!(store.undo_in_draft(draft.id, 2).await.unwrap());
    assert_eq!(set_places(&store, draft.id, 1, 99).await, Some(4));
    assert!(!store.redo_in_draft(draft.id, 4).await.unwrap());
    let told: Vec<(i32, String)> = store
        .draft_history(draft.id)
        .await
        .unwrap()
        .into_iter()
        .map(|revision| (revision.revision, revision.summary))
        .collect();
    assert_eq!(told, [(4, "Places 99.".into()), (1, "Places 10.".into()), (0, String::new())]);
    // What was left behind is still there for whoever had it open.
    let left = store.draft_strategy(draft.id, 3).await.unwrap();
    assert_eq!(left.first_queue().unwrap().1.places, Some(30));
}

#[sqlx::test(migrations = false)]
async fn of_planners_who_change_a_revision_at_the_same_time_one_does_and_the_others_are_told(
    pool: PgPool,
) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let draft = begun(&store, centre, planner).await;
    for at in 0..3 {
        let all = (0..6).map(|nth| set_places(&store, draft.id, at, 10 + nth));
        let saved = futures_util::future::join_all(all).await.into_iter().flatten().count();
        assert_eq!(saved, 1, "made of revision {at}");
    }
    assert_eq!(set_places(&store, draft.id, 1, 50).await, None, "made of an earlier revision");
    assert_eq!(store.drafts(centre).await.unwrap()[0].edits, 3);
}

#[sqlx::test(migrations = false)]
async fn a_revision_is_kept_as_one_version_however_often_it_is_asked_for(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let draft = begun(&store, centre, planner).await;
    set_places(&store, draft.id, 0, 25).await;
    let (strategy, _) = with_places(25);
    let keep = |label| {
        let new = NewVersion {
            strategy: &strategy,
            label,
            summary: "Places 25.",
            draft: Some((draft.id, 1)),
            by: Some(planner),
        };
        store.keep_version(centre, new)
    };
    let kept = futures_util::future::join_all(["Summer", "Summer", "Winter"].map(keep)).await;
    let keys: Vec<Uuid> = kept.into_iter().map(Result::unwrap).collect();
    assert!(keys.iter().all(|key| *key == keys[0]));
    let line = store.drafts(centre).await.unwrap().remove(0);
    assert_eq!(line.kept_as, Some(1));
    assert_eq!(store.strategy_versions(centre).await.unwrap()[0].summary, "Places 25.");
    // The next edit is not kept yet; thrown away, the draft leaves the version.
    set_places(&store, draft.id, 1, 26).await;
    assert_eq!(store.drafts(centre).await.unwrap()[0].kept_as, None);
    store.throw_draft_away(draft.id, true).await.unwrap();
    store.rename_draft(draft.id, "Autumn").await.unwrap();
    let line = store.drafts(centre).await.unwrap().remove(0);
    assert!(line.is_thrown_away && line.name == "Autumn");
    store.throw_draft_away(draft.id, false).await.unwrap();
    assert!(!store.drafts(centre).await.unwrap()[0].is_thrown_away);
    assert_eq!(store.strategy_versions(centre).await.unwrap().len(), 1);
}
