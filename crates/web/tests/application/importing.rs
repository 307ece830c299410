//! History from a file: what the preview says, and all of it or nothing.

use axum::http::StatusCode;
use barometer_store::Role;
use sqlx::PgPool;

use crate::visitor::{Centre, at};

const MESSY: &str = "\u{feff}Interval Start;Contact Type;Offered;Answered;Note\r\n\
    2026-11-22 08:00;Bookings;31;30;replaced\r\n\
    2026-11-22 18:00;Bookings;4;4;added\r\n\
    2026-11-22 18:00;bookings;5;5;repeated\r\n\
    2026-03-29 01:30;Bookings;5;5;never was\r\n\
    2026-11-22 18:30;Bookings;five;5;no number\r\n\
    2026-11-22 19:00;Bookings;5;6;too many answered\r\n\
    2026-11-22 19:30;Bookings\r\n\
    2026-10-25 01:30;Ferry bus;7;7;first pass\r\n\
    2026-10-25 01:30;Ferry bus;8;8;second pass\r\n";

#[sqlx::test(migrations = false)]
async fn a_messy_file_is_told_row_by_row_and_saved_only_when_confirmed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let answer = planner.upload("messy.csv", "", MESSY).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER, "{}", answer.text);
    let preview = answer.location().to_owned();
    let page = planner.get(&preview).await;
    page.says("4 of 9 rows can be used; 5 are refused.")
        .says("repeats the interval of row 3; keep one of them")
        .says("2026-03-29T01:30:00 does not exist in Europe/London")
        .says("“five” is not a whole number")
        .says("6 answered and 0 abandoned are more than 5 offered")
        .says("the row has 2 columns and the heading 5")
        .says("Ferry bus");
    let day = (at("2026-11-22T00:00"), at("2026-11-23T00:00"));
    let came = || centre.store.came_between(centre.bookings, day.0, day.1);
    let before = came().await.unwrap();
    assert_eq!(before.intervals, 20);
    let saved = planner.post(&format!("{preview}/confirm"), "").await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    let after = came().await.unwrap();
    assert_eq!((after.intervals, after.offered - before.offered), (21, 31 - 36 + 4));
    // Both passes of the repeated half-hour are kept apart.
    let types =
        centre.store.contact_types(centre.store.centre().await.unwrap().unwrap().id).await.unwrap();
    let bus = types.iter().find(|each| each.name == "Ferry bus").unwrap();
    let history = centre.store.history_since(bus.id, at("2026-10-24T00:00")).await.unwrap();
    assert_eq!(history.iter().map(|seen| seen.offered).collect::<Vec<_>>(), [7.0, 8.0]);
    let again = planner.post(&format!("{preview}/confirm"), "").await;
    assert_eq!(again.status, StatusCode::NOT_FOUND, "an import is saved once");
    planner.get(&preview).await.says("This import was saved.");
}

#[sqlx::test(migrations = false)]
async fn a_discarded_preview_changes_nothing(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let preview = planner.upload("messy.csv", "", MESSY).await.location().to_owned();
    planner.post(&format!("{preview}/discard"), "").await;
    planner.get(&preview).await.says("This import was discarded; nothing was saved.");
    let types =
        centre.store.contact_types(centre.store.centre().await.unwrap().unwrap().id).await.unwrap();
    assert_eq!(types.len(), 1);
}

#[sqlx::test(migrations = false)]
async fn a_file_that_is_no_history_says_what_is_missing(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let cases: [(&str, &[u8], &str); 6] = [
        ("", b"", "The file is empty."),
        (
            "",
            b"contact_type,offered\nA,1\n",
            "names no column interval_start. It has: contact_type, offered.",
        ),
        ("", b"interval_start,offered\n2026-11-22 08:00,3\n", "has no column contact_type"),
        ("Calls", b"interval_start,offered\n", "has a heading but no rows"),
        ("Calls", b"interval_start,offered\n2026-11-22 08:00,\xff\xfe\n", "is not UTF-8 text"),
        ("Calls", b"\x00\x01\x02\x03", "names no column interval_start"),
    ];
    for (contact_type, file, wanted) in cases {
        let mut answer = planner.upload("x.csv", contact_type, file).await;
        if answer.status == StatusCode::SEE_OTHER {
            answer = planner.get(answer.location()).await;
        }
        answer.says(wanted);
    }
}

#[sqlx::test(migrations = false)]
async fn a_file_over_the_limit_is_refused_while_it_streams_in(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let mut file = "interval_start,offered\n".to_owned();
    while file.len() <= 1024 * 1024 {
        file.push_str("2026-11-22 08:00,3\n");
    }
    let answer = planner.upload("large.csv", "Calls", file).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    answer.says("larger than 1 MB; split it").says("value=\"Calls\"");
    let rows: i64 =
        sqlx::query_scalar("SELECT count(*) FROM import_rows").fetch_one(&pool).await.unwrap();
    assert_eq!(rows, 0);
}

#[sqlx::test(migrations = false)]
async fn the_example_file_can_be_imported_as_it_is(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let example = planner.get("/demand/import/example.csv").await;
    let answer = planner.upload("example.csv", "", example.text).await;
    planner
        .get(answer.location())
        .await
        .says("All 4 rows can be used.")
        .says("Timetable questions");
}
