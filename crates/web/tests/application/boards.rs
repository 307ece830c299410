//! A board that a planner arranges: tile by tile, saved, seen by everybody, arranged again by one at a time.

use axum::http::StatusCode;
use barometer_store::Role;
use sqlx::PgPool;

use crate::visitor::Centre;

const WAITING: &str = "tile=%7B%22shows%22%3A%7B%22figure%22%3A%7B%22figure%22%3A%22waiting%22%2C%22of%22%3A%22Bookings%22%7D%7D%2C%22is_wide%22%3Afalse%7D";
const ALARMS: &str = "tile=%7B%22shows%22%3A%22alarms%22%2C%22is_wide%22%3Atrue%7D";

#[sqlx::test(migrations = false)]
async fn tiles_are_added_taken_off_and_nothing_is_saved_meanwhile(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner
        .get("/watch/boards/new")
        .await
        .says("What should the board show?")
        .says("<option value=\"level_so_far\">Service level since opening</option>")
        .says("<option value=\"contact types:Bookings\">Bookings</option>");
    let arranged = "/watch/boards/arranged";
    let added =
        planner.post(arranged, "act=add&figure=waiting&of=contact+types%3ABookings&wide=yes").await;
    added.says("Bookings: waiting, wide").says("&#34;is_wide&#34;:true");
    planner
        .post(arranged, &format!("{WAITING}&act=add&figure=alarms"))
        .await
        .says("Bookings: waiting")
        .says("Alarms that ring");
    let one = planner.post(arranged, &format!("{WAITING}&{ALARMS}&drop=0")).await;
    one.says("Alarms that ring");
    assert!(!one.text.contains("Bookings: waiting"));
    // A figure goes with what it is a figure of.
    let wrong = planner
        .post(
            arranged,
            &format!("{WAITING}&act=add&figure=campaign_lines&of=contact+types%3ABookings"),
        )
        .await;
    wrong.says("This is a figure of campaigns: choose one of them.").says("Bookings: waiting");
    planner.post(arranged, "act=add&figure=weather").await.says("Choose what the tile shows.");
    let broken = planner.post(arranged, "tile=%7B%7D").await;
    assert_eq!(broken.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(centre.store.boards(centre.centre).await.unwrap().is_empty());
}

#[sqlx::test(migrations = false)]
async fn a_board_is_saved_shown_to_viewers_and_arranged_by_one_at_a_time(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (planner, viewer) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Viewer).await);
    let empty = planner.post("/watch/boards", "name=+").await;
    assert_eq!(empty.status, StatusCode::UNPROCESSABLE_ENTITY);
    empty.says("Write a name of up to").says("Add a tile first.");
    let saved = planner.post("/watch/boards", &format!("name=The+floor&{WAITING}&{ALARMS}")).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let address = saved.location().to_owned();
    let twice = planner.post("/watch/boards", &format!("name=the+FLOOR&{ALARMS}")).await;
    assert_eq!(twice.status, StatusCode::UNPROCESSABLE_ENTITY);
    twice.says("Another board has this name.").says("Alarms that ring");

    let seen = viewer.get(&address).await;
    seen.says("<h1>The floor</h1>").says("No telephone switch is connected");
    assert!(!seen.text.contains("Arrange it"), "a viewer does not arrange");
    viewer.get("/watch").await.says("The floor");
    viewer.get(&format!("{address}?wall=1")).await.says("Back");

    let form = planner.get(&format!("{address}/edit")).await;
    let version = form.version(&address);
    let change = format!("name=The+floor&based_on={version}&{ALARMS}");
    assert_eq!(planner.post(&address, &change).await.status, StatusCode::SEE_OTHER);
    let second = planner.post(&address, &format!("name=Ours&based_on={version}&{WAITING}")).await;
    assert_eq!(second.status, StatusCode::UNPROCESSABLE_ENTITY);
    second.says("saved this on").says("value=\"Ours\"").says("Bookings: waiting");
    let again = planner
        .post(&address, &format!("name=Ours&based_on={}&{WAITING}", second.version(&address)))
        .await;
    assert_eq!(again.status, StatusCode::SEE_OTHER);
    assert_eq!(centre.store.boards(centre.centre).await.unwrap()[0].name, "Ours");
    planner.post(&format!("{address}/remove"), "").await;
    assert_eq!(planner.get(&address).await.status, StatusCode::NOT_FOUND);
}
