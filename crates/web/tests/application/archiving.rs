//! A contact type that is not used any more: archived with everything, restored as it was, removed by an administrator.

use axum::http::StatusCode;
use barometer_store::Role;
use sqlx::PgPool;

use crate::visitor::{Centre, at};

#[sqlx::test(migrations = false)]
async fn an_archived_contact_type_is_out_of_the_way_and_comes_back_as_it_was(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let chat = centre.add_type("Chat").await;
    let answer = planner.post(&format!("/demand/{chat}/archive"), "").await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER);
    let list = planner.get("/demand").await;
    list.says("<h2>Archived</h2>").says("Restore Chat");
    assert!(!list.text.contains("Remove Chat for good"), "a planner cannot");
    assert!(!planner.get("/").await.text.contains("Chat"), "the outlook has no more of it");
    let page = planner.get(&format!("/demand/{chat}")).await;
    page.says("it is not forecast, staffed or tried");
    // A second press finds nothing to archive; a stranger to the archive cannot be restored.
    let again = planner.post(&format!("/demand/{chat}/archive"), "").await;
    assert_eq!(again.status, StatusCode::NOT_FOUND);
    let other = planner.post(&format!("/demand/{}/restore", centre.bookings), "").await;
    assert_eq!(other.status, StatusCode::NOT_FOUND);
    let history = centre.store.history_since(chat, at("2026-01-01T00:00")).await.unwrap();
    let back = planner.post(&format!("/demand/{chat}/restore"), "").await;
    assert_eq!(back.status, StatusCode::SEE_OTHER, "{}", back.text);
    planner.get("/").await.says("Chat");
    centre.work_off().await;
    assert_eq!(centre.store.history_since(chat, at("2026-01-01T00:00")).await.unwrap(), history);
    assert!(centre.store.forecast(chat).await.unwrap().is_some());
}

#[sqlx::test(migrations = false)]
async fn only_an_administrator_removes_for_good_and_only_from_the_archive(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let administrator = centre.visitor(Role::Administrator).await;
    let chat = centre.add_type("Chat").await;
    let remove = format!("/demand/{chat}/remove");
    assert_eq!(administrator.post(&remove, "").await.status, StatusCode::NOT_FOUND, "it is in use");
    planner.post(&format!("/demand/{chat}/archive"), "").await;
    assert_eq!(planner.post(&remove, "").await.status, StatusCode::FORBIDDEN);
    assert_eq!(administrator.post(&remove, "").await.status, StatusCode::SEE_OTHER);
    assert!(centre.store.contact_type(chat).await.is_err());
    let trail = administrator.get("/people/trail").await;
    trail.says("archived a contact type").says("removed a contact type");
}

#[sqlx::test(migrations = false)]
async fn rows_of_an_archived_contact_type_are_refused_with_the_remedy(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.post(&format!("/demand/{}/archive", centre.bookings), "").await;
    let file = "contact_type,interval_start,offered,answered,abandoned,handle_secs\n\
                bookings,2026-11-20 09:00,10,9,1,200\nbookings,2026-11-20 09:30,10,9,1,200\n";
    let sent = planner.upload("history.csv", "", file).await;
    let preview = planner.get(sent.location()).await;
    preview.says("bookings is archived; restore it under Demand, then read the file again");
    let chat = centre.add_type("Chat").await;
    let form = format!("name=bookings&percent=10&model={chat}");
    planner.post("/demand/like", &form).await.says("of this name already, in use or archived");
}

#[sqlx::test(migrations = false)]
async fn rows_of_a_contact_type_that_is_archived_after_the_preview_are_not_saved(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let chat = centre.add_type("Chat").await;
    let file = "contact_type,interval_start,offered\nChat,2026-11-20 09:00,10\n\
                Letters,2026-11-20 09:00,10\n";
    let preview = planner.upload("history.csv", "", file).await.location().to_owned();
    planner.post(&format!("/demand/{chat}/archive"), "").await;
    let confirmed = planner.post(&format!("{preview}/confirm"), "").await;
    assert_eq!(confirmed.status, StatusCode::UNPROCESSABLE_ENTITY);
    confirmed.says("Nothing was saved: Chat was archived after the file had been read.");
    let types = centre.store.all_contact_types(centre.centre).await.unwrap();
    assert!(types.iter().all(|each| each.name != "Letters"), "all or nothing");
    // Once it is back, the same preview can be confirmed.
    planner.post(&format!("/demand/{chat}/restore"), "").await;
    let confirmed = planner.post(&format!("{preview}/confirm"), "").await;
    assert_eq!(confirmed.status, StatusCode::SEE_OTHER, "{}", confirmed.text);
}
