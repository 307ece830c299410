//! History from a file: what the preview says, and all of it or nothing.

use axum::http::StatusCode;
use barometer_store::Role;
use sqlx::PgPool;

use crate::visitor::{Centre, TODAY, at};

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
    centre.work_off().await;
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
    centre.work_off().await;
    assert_eq!(again.location(), preview, "an import is saved once");
    planner.get(&preview).await.says("This import was saved.");
}

#[sqlx::test(migrations = false)]
async fn a_saved_import_shows_that_its_forecast_comes_and_then_the_forecast(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let rows: String = (0..21)
        .flat_map(|day| (16..36).map(move |half| (day, half)))
        .map(|(day, half)| {
            let date = TODAY.saturating_sub(jiff::Span::new().days(21 - day));
            format!("Help line,{date}T{:02}:{:02},30\n", half / 2, half % 2 * 30)
        })
        .collect();
    let file = format!("contact_type,interval_start,offered\n{rows}");
    let preview = planner.upload("help.csv", "", file).await.location().to_owned();
    let saved = planner.post(&format!("{preview}/confirm"), "").await;
    let waiting = planner.get(saved.location()).await;
    waiting.says("The history of Help line is saved; its forecast is being made.");
    waiting.says("Queued: 0 of 1 forecasts").says("hx-get=\"/runs/");
    // Another contact type has nothing to wait for.
    let other = planner.get(&format!("/demand/{}", centre.bookings)).await;
    assert!(!other.text.contains("of 1 forecasts"));
    centre.work_off().await;
    let made = planner.get(saved.location()).await;
    made.says("contacts for Help line");
    assert!(!made.text.contains("of 1 forecasts"));
}

#[sqlx::test(migrations = false)]
async fn what_cannot_be_seen_in_a_file_is_shown_by_a_mark(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let file = "contact_type,interval_start,offered\nBookings,2026-11-20T09:00,1\x002\n\
                Bookings,2026-11-20T09:30,\u{202e}12\n";
    let preview = planner.upload("damaged.csv", "", file).await;
    planner
        .get(preview.location())
        .await
        .says("“1\u{fffd}2” is not a whole number")
        .says("“\u{fffd}12” is not a whole number");
}

#[sqlx::test(migrations = false)]
async fn a_part_of_an_hour_does_not_stand_for_the_whole_hour(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let send = async |rows: &str| {
        let file = format!("contact_type,interval_start,offered\n{rows}");
        planner.upload("hours.csv", "", file).await.location().to_owned()
    };
    // Kept by the hour.
    let hours = send("Letters,2026-11-19 09:00,40\nLetters,2026-11-19 10:00,30\n").await;
    planner.post(&format!("{hours}/confirm"), "").await;
    let half = send(
        "Letters,2026-11-19 09:30,22\nLetters,2026-11-19 10:00,14\nLetters,2026-11-19 10:30,12\n",
    )
    .await;
    planner
        .get(&half)
        .await
        .says("is a part of 60 minutes that are in the history with more contacts")
        .says("send all 2 of its 30-minute intervals");
    planner.post(&format!("{half}/confirm"), "").await;
    let types = centre.store.contact_types(centre.centre).await.unwrap();
    let letters = types.iter().find(|each| each.name == "Letters").unwrap().id;
    let history = centre.store.history_since(letters, at("2026-11-19T00:00")).await.unwrap();
    let offered: Vec<f64> = history.iter().map(|interval| interval.offered).collect();
    assert_eq!(offered, [40.0, 26.0], "the second hour was sent whole");
    // A part that alone has more than the hour: the rest had no contacts.
    let more = send("Letters,2026-11-19 09:30,50\n").await;
    planner.post(&format!("{more}/confirm"), "").await;
    let history = centre.store.history_since(letters, at("2026-11-19T00:00")).await.unwrap();
    assert_eq!(history[0].offered, 50.0);
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
    let cases: [(&str, &[u8], &str); 8] = [
        ("", b"", "The file is empty."),
        ("", b"contact_type,offered\nA,1\n", "no heading says when an interval starts"),
        ("", b"interval_start,offered\n2026-11-22 08:00,3\n", "What do the columns of x.csv hold?"),
        ("Calls", b"interval_start,offered\n", "has a heading but no rows"),
        ("Calls", b"interval_start,offered\n2026-11-22 08:00,\xff\xfe\n", "is not UTF-8 text"),
        ("Calls", b"\x00\x01\x02\x03", "no heading says when an interval starts"),
        ("Calls", b"\xff\xfeo\x00f\x00", "The file is UTF-16 text."),
        ("Calls", b"PK\x03\x04 and then nothing", "The workbook cannot be read"),
    ];
    for (contact_type, file, wanted) in cases {
        let mut answer = planner.upload("x.csv", contact_type, file).await;
        while answer.status == StatusCode::SEE_OTHER {
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
        sqlx::query_scalar("SELECT count(*) FROM import_chunks").fetch_one(&pool).await.unwrap();
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

/// A switch's own report: whole days in one sheet, halves in the other, German numbers.
fn workbook() -> Vec<u8> {
    let mut book = rust_xlsxwriter::Workbook::new();
    book.add_worksheet().set_name("Cover page").unwrap().write_string(0, 0, "Report").unwrap();
    let sheet = book.add_worksheet();
    sheet.set_name("Halves").unwrap();
    for (column, name) in (0..).zip(["Queue", "When", "Calls", "Lost", "Talk"]) {
        sheet.write_string(0, column, name).unwrap();
    }
    let format = rust_xlsxwriter::Format::new().set_num_format("dd/mm/yyyy hh:mm");
    for (row, half) in (1..).zip([46_348.5, 46_348.5 + 1.0 / 48.0]) {
        sheet.write_string(row, 0, "Bookings").unwrap();
        sheet.write_number_with_format(row, 1, half, &format).unwrap();
        sheet.write_number(row, 2, 20.0 + f64::from(row)).unwrap();
        sheet.write_number(row, 3, 1.0).unwrap();
        sheet.write_string(row, 4, "3:30").unwrap();
    }
    book.save_to_buffer().unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_workbook_is_asked_about_once_and_remembered(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let answer = planner.upload("report.xlsx", "", workbook()).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER, "{}", answer.text);
    let columns = answer.location().to_owned();
    assert!(columns.ends_with("/columns"), "{columns}");
    planner.get(&columns).await.says("Sheet Cover page").says("no heading says when");
    let halves = planner.get(&format!("{columns}?sheet=Halves")).await;
    // 46348 is 22 November 2026.
    halves.says("2026-11-22 12:00:00").says("3:30").says("What When holds");
    let roles = "column=contact_type&column=interval_start&column=offered&column=abandoned&column=talk_secs";
    let unclear = planner.post(&columns, "sheet=Halves&column=contact_type&column=offered").await;
    assert_eq!(unclear.status, StatusCode::UNPROCESSABLE_ENTITY);
    unclear.says("Choose the column with date and time");
    let read = planner.post(&columns, &format!("sheet=Halves&{roles}")).await;
    assert_eq!(read.status, StatusCode::SEE_OTHER, "{}", read.text);
    planner.get(read.location()).await.says("All 2 rows can be used.");
    planner.post(&format!("{}/confirm", read.location()), "").await;
    centre.work_off().await;
    let noon = at("2026-11-22T12:00");
    let seen = centre.store.history_since(centre.bookings, noon).await.unwrap();
    assert_eq!((seen[0].offered, seen[0].answered, seen[0].handle_secs), (21.0, 20.0, Some(210.0)));

    // The same headings as CSV, with a decimal comma and semicolons: nobody is asked again.
    let csv = "queue;when;calls;lost;talk\nBookings;2026-11-22 13:00;30;2;200,5\n";
    let again = planner.upload("report.csv", "", csv).await;
    assert!(!again.location().ends_with("/columns"), "{}", again.location());
}

#[sqlx::test(migrations = false)]
async fn whole_days_are_spread_by_the_shape_of_the_finer_history(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let csv = "contact type,date,offered\nBookings,2026-11-23,670\nIsland bus,2026-11-23,24\n";
    let answer = planner.upload("days.csv", "", csv).await;
    let page = planner.get(answer.location()).await;
    page.says("All 2 rows can be used.").says("Island bus");
    planner.post(&format!("{}/confirm", answer.location()), "").await;
    centre.work_off().await;
    let monday = at("2026-11-23T00:00");
    let seen = centre.store.history_since(centre.bookings, monday).await.unwrap();
    assert_eq!(seen.iter().map(|each| each.offered).sum::<f64>(), 670.0);
    // 10:00 is the busiest half-hour of the known weeks: 40 of 670 contacts a day.
    let busiest = seen.iter().find(|each| each.start == at("2026-11-23T10:00")).unwrap();
    assert!((busiest.offered - 40.0).abs() <= 2.0, "{}", busiest.offered);
    assert_eq!(seen.len(), 20, "closed slots get nothing, not even a zero");
    let centre_id = centre.store.centre().await.unwrap().unwrap().id;
    let types = centre.store.contact_types(centre_id).await.unwrap();
    let bus = types.iter().find(|each| each.name == "Island bus").unwrap();
    let spread = centre.store.history_since(bus.id, monday).await.unwrap();
    assert_eq!(spread.len(), 24, "evenly over 8 to 20 o'clock, one each");
    assert!(spread.iter().all(|each| each.offered == 1.0));
}

#[sqlx::test(migrations = false)]
async fn dates_that_can_be_read_two_ways_are_asked_about(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let csv =
        "contact type,start,offered\nBookings,11/10/2026 09:00,3\nBookings,11/10/2026 09:30,4\n";
    let answer = planner.upload("us.csv", "", csv).await;
    let columns = answer.location().to_owned();
    planner.get(&columns).await.says("its dates can be read day first and month first");
    let roles = "column=contact_type&column=interval_start&column=offered&day_order=month-first";
    let read = planner.post(&columns, roles).await;
    planner.get(read.location()).await.says("10 Nov 2026");
    let other = planner.post(&columns, &roles.replace("month-first", "day-first")).await;
    planner.get(other.location()).await.says("11 Oct 2026");
}

#[sqlx::test(migrations = false)]
async fn the_last_import_can_be_undone_and_the_forecast_follows(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let before = centre.store.forecast(centre.bookings).await.unwrap().unwrap().first_day;
    let csv = "contact_type,interval_start,offered\nBookings,2026-11-24T09:00,30\n";
    let preview = planner.upload("late.csv", "", csv).await.location().to_owned();
    planner.post(&format!("{preview}/confirm"), "").await;
    centre.work_off().await;
    assert_ne!(centre.store.forecast(centre.bookings).await.unwrap().unwrap().first_day, before);
    planner.get("/demand/import").await.says("Last import: late.csv");
    let undone = planner.post(&format!("{preview}/undo"), "").await;
    centre.work_off().await;
    assert_eq!(undone.status, StatusCode::SEE_OTHER, "{}", undone.text);
    planner.get(&preview).await.says("This import was undone");
    assert_eq!(centre.store.forecast(centre.bookings).await.unwrap().unwrap().first_day, before);
    let twice = planner.post(&format!("{preview}/undo"), "").await;
    centre.work_off().await;
    assert_eq!(twice.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[sqlx::test(migrations = false)]
async fn a_script_with_a_token_sends_all_of_its_rows_or_none(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.store.user_by_email("planner@example.org").await.unwrap().unwrap();
    let centre_id = centre.store.centre().await.unwrap().unwrap().id;
    let secret = centre.store.add_token(centre_id, "Nightly", planner.id).await.unwrap();
    let stranger = centre.stranger();
    let send = async |token: &str, kind: &str, body: &str| {
        let request = axum::http::Request::put("/api/history?contact_type=Bookings")
            .header("authorization", format!("Bearer {token}"))
            .header("content-type", kind);
        stranger.send(request, axum::body::Body::from(body.to_owned())).await
    };
    let good = "interval_start,offered\n2026-11-22T18:00,4\n2026-11-22T17:30,9\n";
    let refused = send("not-a-token", "text/csv", good).await;
    assert_eq!(refused.status, StatusCode::UNAUTHORIZED);
    let saved = send(&secret, "text/csv", good).await;
    assert_eq!(saved.status, StatusCode::OK, "{}", saved.text);
    saved.says("\"added\":1").says("\"replaced\":1");
    let json = r#"[{"interval_start": "2026-11-22T18:30", "offered": 5}, {"interval_start": "2026-11-22T19:00", "offered": 2}]"#;
    send(&secret, "application/json", json).await.says("\"added\":2");
    let bad = "interval_start,offered\n2026-11-22T20:00,4\n2026-11-22T20:30,many\n";
    let refused = send(&secret, "text/csv", bad).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    refused.says("1 of 2 rows cannot be used; nothing was saved").says("\"row\":3");
    // Every row twice, and several lines in a column that is not known: never added up.
    let row = "2026-11-22T20:00,4\n";
    let twice = send(&secret, "text/csv", &format!("interval_start,offered\n{row}{row}")).await;
    assert_eq!(twice.status, StatusCode::UNPROCESSABLE_ENTITY);
    twice.says("repeats the interval of row 2");
    let merged = "interval_start,offered,line\n2026-11-22T20:00,4,Sales\n2026-11-22T20:00,5,Help\n";
    let merged = send(&secret, "text/csv", merged).await;
    assert_eq!(merged.status, StatusCode::UNPROCESSABLE_ENTITY);
    merged.says("columns not used: line");
    let unclear = send(&secret, "text/csv", "when,offered\nnow,3\n").await;
    assert_eq!(unclear.status, StatusCode::UNPROCESSABLE_ENTITY);
    send(&secret, "application/json", "{\"offered\": 3}").await.says("no array of objects");
    let large = format!("[{{\"offered\": \"{}\"}}]", "3".repeat(1 << 20));
    let refused = send(&secret, "application/json", &large).await;
    refused.says("the body is larger than 1 MB: send CSV, which may be larger");
    let evening =
        centre.store.history_since(centre.bookings, at("2026-11-22T18:00")).await.unwrap();
    assert_eq!(evening.len(), 3);
}

#[sqlx::test(migrations = false)]
async fn an_administrator_makes_a_token_that_is_shown_once(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let administrator = centre.visitor(Role::Administrator).await;
    let made = administrator.post("/people/tokens", "name=Nightly+export").await;
    made.says("It is shown this once").says("/api/history");
    administrator.get("/people").await.says("Nightly export").says("never");
    let nameless = administrator.post("/people/tokens", "name=").await;
    assert_eq!(nameless.status, StatusCode::UNPROCESSABLE_ENTITY);
}
