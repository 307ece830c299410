//! A form that is sent twice is carried out once.

use axum::body::Body;
use axum::http::{Request, StatusCode};
use barometer_store::{Role, SentBefore};
use sqlx::PgPool;

use crate::visitor::Centre;

const KEY: &str = "0123456789abcdef0123456789abcdef";

fn alarm(threshold: &str, key: &str) -> String {
    format!(
        "measure=waiting&contact_type=Bookings&threshold={threshold}&minutes=0&severity=notice&act=add&once={key}"
    )
}

#[sqlx::test(migrations = false)]
async fn two_at_once_do_it_once_and_lead_to_the_same_page(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = alarm("4", KEY);
    let (one, other) =
        tokio::join!(planner.post("/watch/alarms", &form), planner.post("/watch/alarms", &form));
    for answer in [&one, &other] {
        assert_eq!(answer.status, StatusCode::SEE_OTHER, "{}", answer.text);
        assert_eq!(answer.location(), "/watch/alarms");
    }
    let later = planner.post("/watch/alarms", &form).await;
    assert_eq!(later.location(), "/watch/alarms");
    let count = async || centre.store.alarms(centre.centre).await.unwrap().len();
    assert_eq!(count().await, 1);
    // Another form is another thing, and so is one without a key.
    planner.post("/watch/alarms", &alarm("4", "fedcba9876543210fedcba9876543210")).await;
    planner.post("/watch/alarms", &alarm("4", "")).await;
    assert_eq!(count().await, 3);
}

#[sqlx::test(migrations = false)]
async fn what_was_refused_may_be_sent_again(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let refused = planner.post("/watch/alarms", &alarm("soon", KEY)).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    let done = planner.post("/watch/alarms", &alarm("4", KEY)).await;
    assert_eq!(done.status, StatusCode::SEE_OTHER);
}

#[sqlx::test(migrations = false)]
async fn what_failed_on_our_side_is_not_done_again_unseen(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    // The database is away from the moment at which the alarm is saved.
    sqlx::query(
        "CREATE FUNCTION away() RETURNS trigger LANGUAGE plpgsql AS \
         $$ BEGIN RAISE EXCEPTION 'away'; END $$",
    )
    .execute(&pool)
    .await
    .unwrap();
    sqlx::query("CREATE TRIGGER away AFTER INSERT ON alarms EXECUTE FUNCTION away()")
        .execute(&pool)
        .await
        .unwrap();
    let failed = planner.post("/watch/alarms", &alarm("4", KEY)).await;
    assert_eq!(failed.status, StatusCode::INTERNAL_SERVER_ERROR);
    failed.says("see whether it is there before you send it again");
    sqlx::query("DROP TRIGGER away ON alarms").execute(&pool).await.unwrap();
    let again = planner.post("/watch/alarms", &alarm("4", KEY)).await;
    assert_eq!(again.status, StatusCode::CONFLICT);
    again.says("This was sent before");
    assert_eq!(centre.store.alarms(centre.centre).await.unwrap().len(), 0);
}

#[sqlx::test(migrations = false)]
async fn what_shows_something_at_once_is_not_done_again(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let admin = centre.visitor(Role::Administrator).await;
    let form = format!("name=Nightly+export&once={KEY}");
    admin.post("/people/tokens", &form).await.says("Nightly export");
    let again = admin.post("/people/tokens", &form).await;
    assert_eq!(again.status, StatusCode::CONFLICT);
    again.says("is carried out once at most");
    assert_eq!(centre.store.tokens(centre.centre).await.unwrap().len(), 1);
}

#[sqlx::test(migrations = false)]
async fn a_page_may_ask_again_and_again_while_it_is_typed_in(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    for _ in 0..2 {
        let request = Request::post("/watch/alarms")
            .header("content-type", "application/x-www-form-urlencoded")
            .header("hx-request", "true");
        planner.send(request, Body::from(alarm("4", KEY))).await;
    }
    assert_eq!(centre.store.alarms(centre.centre).await.unwrap().len(), 2);
}

#[sqlx::test(migrations = false)]
async fn one_that_is_never_done_is_told_after_a_while(pool: PgPool) {
    let centre = Centre::new(pool).await;
    assert_eq!(centre.store.begin_form(KEY).await.unwrap(), None);
    assert_eq!(centre.store.begin_form(KEY).await.unwrap(), Some(SentBefore::UnderWay));
    centre.store.end_form(KEY, Some("/demand")).await.unwrap();
    let done = SentBefore::Done(Some("/demand".to_owned()));
    assert_eq!(centre.store.begin_form(KEY).await.unwrap(), Some(done));
    centre.store.forget_old_forms().await.unwrap();
    assert!(centre.store.begin_form(KEY).await.unwrap().is_some(), "it is not old");
}
