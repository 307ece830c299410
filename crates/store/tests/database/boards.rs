//! Boards of the planners' own: one name each, and two who arrange one at once.

use barometer_plan::{BoardFigure, BoardLayout, Shows, Tile};
use barometer_store::{Edited, Save, StoreError};
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

fn layout(figures: &[BoardFigure]) -> BoardLayout {
    let tile = |figure: &BoardFigure| Tile {
        shows: Shows::Figure { figure: *figure, of: "Bookings".to_owned() },
        is_wide: *figure == BoardFigure::Waiting,
    };
    BoardLayout { tiles: figures.iter().map(tile).collect() }
}

#[sqlx::test(migrations = false)]
async fn boards_are_kept_by_name_in_their_order_and_removed(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let floor = layout(&[BoardFigure::Waiting, BoardFigure::LevelSoFar]);
    let id = store.add_board(centre, "Floor", &floor, Some(planner)).await.unwrap();
    store.add_board(centre, "desk", &layout(&[]), None).await.unwrap();
    let names: Vec<String> =
        store.boards(centre).await.unwrap().into_iter().map(|board| board.name).collect();
    assert_eq!(names, ["desk", "Floor"]);
    assert_eq!(store.board(centre, id).await.unwrap().layout, floor);
    let taken = store.add_board(centre, "FLOOR", &floor, None).await;
    assert!(matches!(taken, Err(StoreError::Taken)));
    let taken = store.change_board((centre, id), "Desk", &floor, Save::OURS).await;
    assert!(matches!(taken, Err(StoreError::Taken)));
    let elsewhere = store.board(Uuid::nil(), id).await;
    assert!(matches!(elsewhere, Err(StoreError::NotFound)), "of another centre");
    store.remove_board(centre, id).await.unwrap();
    assert!(matches!(store.remove_board(centre, id).await, Err(StoreError::NotFound)));
    assert_eq!(store.boards(centre).await.unwrap().len(), 1);
}

#[sqlx::test(migrations = false)]
async fn of_two_who_arrange_a_board_at_once_one_is_told(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = fixture(pool).await;
    let before = layout(&[BoardFigure::Waiting]);
    let id = store.add_board(centre, "Floor", &before, Some(planner)).await.unwrap();
    let version = store.version_of(Edited::Board(id)).await.unwrap();
    let (one, other) = (layout(&[BoardFigure::Pressure]), layout(&[BoardFigure::Contacts]));
    let save = Save::of(planner, version);
    let (first, second) = tokio::join!(
        store.change_board((centre, id), "Floor", &one, save),
        store.change_board((centre, id), "Floor", &other, save),
    );
    assert_eq!([&first, &second].iter().filter(|saved| saved.is_ok()).count(), 1);
    let kept = store.board(centre, id).await.unwrap().layout;
    assert_eq!(kept, if first.is_ok() { one } else { other });
}
