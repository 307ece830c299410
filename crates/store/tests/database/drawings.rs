//! Documents and pictures that are drawn for a person: once, for nobody else, and before what takes long.

use barometer_plan::ShiftProblem;
use barometer_store::{DrawnAs, NewDrawing, Role, RunState, StoreError};
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, fixture};

fn of<'a>(centre: Uuid, user: Uuid, page: &'a str) -> NewDrawing<'a> {
    let as_what = DrawnAs::Document;
    NewDrawing { centre, user, page, as_what, name: "Week.pdf", address: "/reports/week-review" }
}

#[sqlx::test(migrations = false)]
async fn what_one_person_asks_for_twice_is_drawn_once_and_for_nobody_else(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = &fixture(pool).await;
    let page = of(*centre, *planner, "<p>85 %");
    let asking = futures_util::future::try_join_all((0..6).map(|_| store.draw(&page)));
    let asked = asking.await.unwrap();
    let id = asked[0];
    assert!(asked.iter().all(|each| *each == id));
    let bitmap = NewDrawing { as_what: DrawnAs::Bitmap, ..page };
    assert_ne!(store.draw(&bitmap).await.unwrap(), id);
    assert_ne!(store.draw(&of(*centre, *planner, "<p>84 %")).await.unwrap(), id);
    let other = store.add_user("B. Viewer", "b@example.org", "hash", Role::Viewer).await.unwrap();
    assert_ne!(store.draw(&of(*centre, other, "<p>85 %")).await.unwrap(), id);
    let hidden = store.drawing(other, id).await;
    assert!(matches!(hidden, Err(StoreError::NotFound)), "{hidden:?}");
    // A worker draws it.
    let to_draw = store.page_to_draw(id).await.unwrap();
    assert_eq!(to_draw, ("<p>85 %".to_owned(), DrawnAs::Document));
    assert!(matches!(store.drawn(id).await, Err(StoreError::NotFound)));
    assert!(store.begin_run(id).await.unwrap());
    store.end_drawing(id, b"%PDF").await.unwrap();
    let done = store.drawing(*planner, id).await.unwrap();
    assert_eq!((done.run.state, done.name.as_str()), (RunState::Done, "Week.pdf"));
    assert_eq!(store.drawn(id).await.unwrap(), b"%PDF");
    assert_eq!(store.draw(&page).await.unwrap(), id, "it is there already");
}

#[sqlx::test(migrations = false)]
async fn what_failed_or_was_cancelled_is_drawn_again_when_somebody_asks(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = &fixture(pool).await;
    let page = of(*centre, *planner, "<p>85 %");
    let failed = store.draw(&page).await.unwrap();
    store.fail_run(failed, "no browser is installed").await.unwrap();
    let cancelled = store.draw(&page).await.unwrap();
    assert_ne!(cancelled, failed);
    assert!(store.begin_run(cancelled).await.unwrap());
    store.cancel_run(cancelled).await.unwrap();
    // It comes too late.
    store.end_drawing(cancelled, b"%PDF").await.unwrap();
    assert!(matches!(store.drawn(cancelled).await, Err(StoreError::NotFound)));
    let again = store.draw(&page).await.unwrap();
    assert_eq!(store.drawing(*planner, again).await.unwrap().run.state, RunState::Queued);
}

#[sqlx::test(migrations = false)]
async fn a_hundred_drawings_are_kept_and_none_that_goes_on_is_forgotten(pool: PgPool) {
    let Fixture { store, centre, planner, .. } = &fixture(pool.clone()).await;
    let first = store.draw(&of(*centre, *planner, "<p>first")).await.unwrap();
    for nth in 0..104 {
        let page = format!("<p>{nth}");
        let id = store.draw(&of(*centre, *planner, &page)).await.unwrap();
        store.end_drawing(id, b"%PDF").await.unwrap();
    }
    let kept = "SELECT count(*) FROM drawings";
    let kept: i64 = sqlx::query_scalar(kept).fetch_one(&pool).await.unwrap();
    assert_eq!(kept, 101);
    assert_eq!(store.drawing(*planner, first).await.unwrap().run.state, RunState::Queued);
}

#[sqlx::test(migrations = false)]
async fn what_somebody_waits_for_does_not_wait_in_the_lane_of_what_takes_long(pool: PgPool) {
    let Fixture { store, centre, bookings, planner } = &fixture(pool.clone()).await;
    let nobody = ShiftProblem { interval: 60, required: vec![0; 7 * 24], shapes: Vec::new() };
    let monday = jiff::civil::date(2026, 11, 23);
    let shifts = store.queue_shift_search(*bookings, monday, &nobody, 5, None).await.unwrap();
    let drawing = store.draw(&of(*centre, *planner, "<p>85 %")).await.unwrap();
    let forecasts = store.queue_forecast_run(*centre, None).await.unwrap();
    let jobs = "SELECT job_type, convert_from(job, 'UTF8')::jsonb ->> 'run' FROM apalis.jobs";
    let mut jobs: Vec<(String, String)> = sqlx::query_as(jobs).fetch_all(&pool).await.unwrap();
    let in_lane = |queue: &str, run: Uuid| (queue.to_owned(), run.to_string());
    let mut expected = [
        in_lane("barometer-quick", drawing),
        in_lane("barometer-quick", forecasts),
        in_lane("barometer-trials", shifts),
    ];
    jobs.sort();
    expected.sort();
    assert_eq!(jobs, expected);
}
