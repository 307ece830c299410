//! A client goes in the middle of a request: a browser is closed, a time limit passes. What the database still answers
//! must not be taken for the answer to somebody else's question.

use std::collections::BTreeSet;
use std::future::poll_fn;
use std::task::Poll;
use std::time::Duration;

use barometer_forecast::Grain;
use barometer_intake::{Layout, ListLayout};
use barometer_plan::Rules;
use barometer_store::{HistoryInterval, ImportRow, ListRow, ListSubject, Store};
use futures_util::future::join_all;
use jiff::SignedDuration;
use sqlx::PgPool;
use uuid::Uuid;

use crate::fixture::{Fixture, at, fixture};

/// A reading holds two connections and asks for a third.
const CONNECTIONS: u32 = 3;

/// Lets a future go on until it has waited so often, then drops it. Says whether it was done before.
async fn is_done_within(waits: usize, work: impl Future<Output = ()>) -> bool {
    let (mut work, mut waited) = (Box::pin(work), 0);
    poll_fn(|context| match work.as_mut().poll(context) {
        Poll::Ready(()) => Poll::Ready(true),
        Poll::Pending if waited == waits => Poll::Ready(false),
        Poll::Pending => {
            waited += 1;
            Poll::Pending
        }
    })
    .await
}

/// Every connection answers what it is asked.
async fn assert_sound(pool: &PgPool, after: usize) {
    let mut connections = Vec::new();
    for _ in 0..CONNECTIONS {
        connections.push(pool.acquire().await.unwrap());
    }
    for connection in &mut connections {
        let mut moments = BTreeSet::new();
        for asked in 0_i64..6 {
            let question = sqlx::query_as("SELECT $1::bigint, now()::text").bind(asked);
            let told: Result<(i64, String), _> = question.fetch_one(&mut **connection).await;
            let (told, moment) = told.unwrap();
            assert_eq!(told, asked, "after {after} waits");
            // In a transaction that nobody ends it is always as late as when that began.
            assert!(moments.insert(moment), "a transaction is open after {after} waits");
        }
    }
}

/// Leaves some work after every wait that it has, and looks at the connections each time.
async fn leave_everywhere<W: Future<Output = ()>>(
    pool: PgPool,
    work: impl Fn(Store, [Uuid; 2], i64) -> W,
) {
    let few = Store::pool_options().max_connections(CONNECTIONS);
    let few = few.connect_with((*pool.connect_options()).clone()).await.unwrap();
    let Fixture { store, bookings, planner, .. } = fixture(few.clone()).await;
    for waits in 0..400 {
        let work = work(store.clone(), [bookings, planner], waits as i64);
        let is_done = is_done_within(waits, work).await;
        assert_sound(&few, waits).await;
        if is_done {
            assert!(waits > 1, "it waits for the database");
            return;
        }
    }
    panic!("it never ends");
}

/// Of more files at once than there are connections.
#[sqlx::test(migrations = false)]
async fn files_are_read_in_turns_and_not_all_with_a_part_of_the_connections(pool: PgPool) {
    let few = Store::pool_options().max_connections(4).acquire_timeout(Duration::from_secs(5));
    let few = few.connect_with((*pool.connect_options()).clone()).await.unwrap();
    let Fixture { store, planner, .. } = fixture(few.clone()).await;
    let lists = (0..8).map(|_| read_list(store.clone(), planner, true));
    let files = (0..8).map(|_| read_history(store.clone(), planner, true));
    tokio::join!(join_all(lists), join_all(files));
    assert_sound(&few, 0).await;
}

#[sqlx::test(migrations = false)]
async fn history_that_is_added_can_be_left(pool: PgPool) {
    let add = |store: Store, [bookings, _]: [Uuid; 2], nth| async move {
        let start = at("2026-07-02T08:00:00Z") + SignedDuration::from_mins(30 * nth);
        let interval = HistoryInterval {
            start,
            offered: 5,
            answered: 5,
            abandoned: 0,
            handle_secs: Some(200.0),
            wrap_up_secs: None,
            speed: None,
        };
        store.add_history(bookings, &[interval]).await.unwrap();
    };
    leave_everywhere(pool, add).await;
}

#[sqlx::test(migrations = false)]
async fn what_is_saved_in_a_transaction_can_be_left(pool: PgPool) {
    let save = |store: Store, [_, planner]: [Uuid; 2], nth| async move {
        let user = store.user(planner).await.unwrap().unwrap();
        assert_eq!(user.id, planner);
        let centre = store.centre().await.unwrap().unwrap().id;
        let name = format!("Rating {nth}");
        store.add_contact_type(centre, &name, Grain::Half, &Rules::STARTING).await.unwrap();
        store.queue_forecast_run(centre, Some(planner)).await.unwrap();
    };
    leave_everywhere(pool, save).await;
}

#[sqlx::test(migrations = false)]
async fn a_list_that_is_read_can_be_left(pool: PgPool) {
    leave_everywhere(pool, |store, [_, planner], _| read_list(store, planner, true)).await;
}

#[sqlx::test(migrations = false)]
async fn a_list_that_is_given_up_can_be_left(pool: PgPool) {
    leave_everywhere(pool, |store, [_, planner], _| read_list(store, planner, false)).await;
}

async fn read_list(store: Store, planner: Uuid, finishes: bool) {
    let centre = store.centre().await.unwrap().unwrap();
    let (subject, layout) = (ListSubject::People, ListLayout::guess(&["number", "zone"], "GB"));
    let upload = store.begin_list_upload(&centre, subject, "Autumn", "list.csv", planner);
    let id = upload.await.unwrap().finish().await.unwrap();
    let mut writer = store.begin_list_reading(id, &layout).await.unwrap();
    writer.add(&ListRow { number: 442_079_460_018, ..ListRow::default() }).await.unwrap();
    if finishes { writer.finish().await.unwrap() } else { writer.abandon().await.unwrap() }
}

#[sqlx::test(migrations = false)]
async fn a_history_file_that_is_read_can_be_left(pool: PgPool) {
    leave_everywhere(pool, |store, [_, planner], _| read_history(store, planner, true)).await;
}

#[sqlx::test(migrations = false)]
async fn a_history_file_that_is_given_up_can_be_left(pool: PgPool) {
    leave_everywhere(pool, |store, [_, planner], _| read_history(store, planner, false)).await;
}

async fn read_history(store: Store, planner: Uuid, finishes: bool) {
    let centre = store.centre().await.unwrap().unwrap();
    let layout = Layout::guess(&["contact_type", "interval_start", "offered"], &[]).layout;
    let upload = store.begin_upload(&centre, "calls.csv", None, planner).await.unwrap();
    let import = upload.finish().await.unwrap();
    let mut writer = store.begin_reading(&centre, import, &layout).await.unwrap();
    let row = ImportRow {
        row_number: 2,
        contact_type: "Bookings",
        start: at("2026-07-02T08:00:00Z"),
        offered: 5,
        answered: 5,
        abandoned: 0,
        handle_secs: None,
        wrap_up_secs: None,
    };
    writer.add(&row).await.unwrap();
    if finishes {
        writer.finish().await.map(drop).unwrap();
    } else {
        writer.abandon().await.unwrap();
    }
}
