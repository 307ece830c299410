//! Who did what, as administrators read it.

use axum::http::StatusCode;
use barometer_store::{Role, TrailFilter};
use sqlx::PgPool;

use crate::visitor::{Centre, Visitor};

/// What is written down, the earliest first: by whom, what, and about what.
async fn written(centre: &Centre) -> Vec<String> {
    let mut entries = centre.store.trail(&TrailFilter::default(), 1_000).await.unwrap();
    entries.reverse();
    let told = |of: Option<String>| of.unwrap_or_default();
    entries
        .into_iter()
        .map(|entry| {
            let change = entry.change;
            let (was, became) = (told(change.was), told(change.became));
            format!(
                "{} | {} | {} | {was} | {became}",
                entry.by,
                entry.did.unwrap().words(),
                change.about
            )
        })
        .collect()
}

#[sqlx::test(migrations = false)]
async fn signing_in_and_failing_to_are_written_down(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let stranger: Visitor = centre.stranger();
    stranger.post("/sign-in", "email=planner%40example.org&password=not+this+one").await;
    centre.visitor(Role::Planner).await;
    let written = written(&centre).await;
    assert_eq!(written[0], "planner@example.org | sign-in refused |  |  | ");
    assert_eq!(written[1], "planner@example.org | signed in |  |  | ");
    assert!(!format!("{written:?}").contains("not this one"), "no password is ever kept");
}

#[sqlx::test(migrations = false)]
async fn a_change_is_made_and_written_down_even_if_the_client_has_gone(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let admin = centre.visitor(Role::Administrator).await;
    admin.post_and_go("/people/tokens", "name=Nightly+export").await;
    for _ in 0..2_000 {
        if written(&centre).await.iter().any(|entry| entry.contains("Nightly export")) {
            admin.get("/people").await.says("Nightly export");
            return;
        }
    }
    panic!("nothing was written down");
}

#[sqlx::test(migrations = false)]
async fn what_people_change_is_written_down_with_before_and_after(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let admin = centre.visitor(Role::Administrator).await;
    let planner = centre.visitor(Role::Planner).await;
    let person = centre.store.user_by_email("viewer@example.org").await.unwrap().unwrap().id;
    admin.save("/people", &format!("/people/{person}/role"), "role=planner").await;
    admin.save("/people", &format!("/people/{person}/agents"), "sees_agents=true").await;
    admin.post(&format!("/people/{person}/password"), "password=a+new+evening+tide").await;
    admin.post("/people/tokens", "name=Nightly+export").await;
    let added = "name=Nell+Quay&email=nell%40example.org&role=viewer&password=the+first+tide";
    admin.post("/people", added).await;
    let undone = admin.post(&format!("/people/{person}/role"), "role=king").await;
    assert_eq!(undone.status, StatusCode::UNPROCESSABLE_ENTITY);
    let groups = centre.add_type("Groups").await;
    planner.post(&format!("/demand/{groups}/archive"), "").await;
    admin.post(&format!("/demand/{groups}/remove"), "").await;
    let since = |written: Vec<String>| -> Vec<String> {
        written.into_iter().filter(|entry| !entry.contains("| signed in |")).collect()
    };
    let told = since(written(&centre).await);
    assert_eq!(
        told,
        [
            "A administrator | changed a role | A viewer | viewer | planner",
            "A administrator | changed who sees single agents | A viewer | hidden | sees them",
            "A administrator | changed a password | A viewer |  | ",
            "A administrator | made a token | Nightly export |  | ",
            "A administrator | added a person | Nell Quay, nell@example.org |  | viewer",
            "A planner | archived a contact type | Groups |  | ",
            "A administrator | removed a contact type | Groups |  | ",
        ]
    );
    // The page finds them, and the file has them all.
    let page = admin.get("/people/trail?q=Nightly").await;
    page.says("One entry; the latest: A administrator made a token on").says("Nightly export");
    assert!(!page.text.contains("Nell Quay"));
    let of_deed = admin.get("/people/trail?did=role_changed").await;
    of_deed.says("A viewer");
    assert!(!of_deed.text.contains("Nightly export"));
    admin.get("/people/trail?q=nobody+did+this").await.says("Nothing of this kind has been done.");
    let file = admin.get("/people/trail.csv?did=person_added").await;
    assert_eq!(file.text.lines().count(), 2, "{}", file.text);
    file.says("Nell Quay, nell@example.org");
    assert_eq!(planner.get("/people/trail").await.status, StatusCode::FORBIDDEN);
}

#[sqlx::test(migrations = false)]
async fn targets_cover_and_imports_are_written_down(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let bookings = centre.bookings;
    let cover = "how=people&from=09:00&to=11:00&people=7&day=2026-11-24";
    let page = format!("/staffing/{bookings}/roster");
    let saved = planner.save(&page, &format!("/staffing/{bookings}/cover"), cover).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let file = "contact_type,interval_start,offered,answered\nBookings,2026-11-20T09:00,30,29\n";
    let address = planner.upload("more.csv", "", file).await;
    let import = address.location().to_owned();
    planner.post(&format!("{import}/confirm"), "").await;
    planner.post(&format!("{import}/undo"), "").await;
    let written = written(&centre).await;
    let of = |deed: &str| {
        let entry = written.iter().find(|entry| entry.contains(&format!("| {deed} |")));
        entry.unwrap_or_else(|| panic!("no “{deed}” in {written:?}")).clone()
    };
    assert_eq!(
        of("changed the cover"),
        "A planner | changed the cover | Bookings, 2026-11-24 | 9.0 people on average, intervals: 4 | 7.0 people on average, intervals: 4"
    );
    assert_eq!(of("saved history"), "A planner | saved history | more.csv, rows: 1 |  | ");
    assert_eq!(of("undid an import"), "A planner | undid an import | more.csv |  | ");
}
