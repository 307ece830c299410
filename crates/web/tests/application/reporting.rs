//! Reports: opened, defined, made by a schedule, sent, shared, and had as files.

use axum::http::{StatusCode, header};
use barometer_app::outbox::Delivery;
use barometer_app::reports::tick;
use barometer_report::{Cell, Format, Grouping, Ready, Report, Section};
use barometer_store::{MessageState, NewSchedule, Role, RunState, Save, Sending};
use jiff::{Timestamp, ToSpan};
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, Visitor, at};

/// The key at the end of an address.
fn key(address: &str) -> Uuid {
    address.rsplit('/').next().unwrap().parse().unwrap()
}

/// A form of the week review, with another title.
fn week_review(title: &str) -> String {
    format!(
        "title={title}&section=service&section=demand&section=staffing&period=last-week&by=day&against=forecast&keep_days=90"
    )
}

async fn kept(planner: &Visitor, title: &str) -> Uuid {
    let saved = planner.post("/reports", &week_review(title)).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER, "{}", saved.text);
    key(saved.location())
}

/// A schedule that is due at a time, for a list of addresses.
async fn schedule(centre: &Centre, report: Uuid, due_at: Timestamp, sending: Sending) -> Uuid {
    let planner = centre.store.user_by_email("planner@example.org").await.unwrap().unwrap();
    let days = barometer_report::TimingDays::Weekdays([true; 7]);
    let timing = barometer_report::Timing::new(days, jiff::civil::time(7, 0, 0, 0)).unwrap();
    let new = NewSchedule {
        report,
        timing: &timing,
        sending: &sending,
        next_at: Some(due_at),
        by: planner.id,
    };
    centre.store.add_report_schedule(&new).await.unwrap()
}

fn to(addresses: &[&str]) -> Sending {
    Sending {
        addresses: addresses.iter().map(|address| (*address).to_owned()).collect(),
        roles: Vec::new(),
        formats: vec![Format::Csv, Format::Xlsx],
        link_days: None,
        only_if_missed: false,
    }
}

#[sqlx::test(migrations = false)]
async fn the_first_sentence_of_a_week_is_the_sum_of_its_history(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    viewer.get("/reports").await.says("What do others need to know?").says("Week review");
    let page = viewer.get("/reports/week-review").await;
    page.says("Week review: how did 16 – 22 Nov 2026 go?");
    // Half-hours from 8 to 18 o'clock bring 40 less their distance from 10 o'clock.
    let a_day: i32 = (16..36).map(|half: i32| 40 - (half - 20).abs()).sum();
    page.says(&format!("{},{:03} contacts were offered", 7 * a_day / 1000, 7 * a_day % 1000));
    page.says("share of offered contacts that were answered").says("/demand/");
    // The same numbers as data.
    let json = viewer.get("/reports/week-review/file/json").await;
    let report: Report = serde_json::from_str(&json.text).unwrap();
    assert_eq!(report.parts.len(), 6);
    let csv = viewer.get("/reports/week-review/file/csv").await;
    csv.says(&format!("Bookings,{}", 7 * a_day)).says(&format!("Mon 16 Nov,{a_day}"));
    // By weekday, of other days, beside nothing.
    let other = viewer
        .get("/reports/week-review?period=dates&first=2026-11-02&last=2026-11-15&by=weekday&against=nothing")
        .await;
    other
        .says("how did 2 – 15 Nov 2026 go?")
        .says("Service by weekday")
        .says(&format!("1,{:03}", 2 * a_day - 1000));
}

#[sqlx::test(migrations = false)]
async fn a_document_is_drawn_while_its_page_waits_and_is_only_for_the_person_who_asked(
    pool: PgPool,
) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let asked = viewer.get("/reports/week-review/file/pdf").await;
    assert_eq!(asked.status, StatusCode::SEE_OTHER, "{}", asked.text);
    let (address, id) = (asked.location().to_owned(), key(asked.location()));
    let waits = viewer.get(&address).await;
    waits.says("Week review 2026-11-16.pdf: is it ready?").says("Queued: 0 of 1 file<");
    waits.says(&format!("hx-get=\"{address}/part\"")).says("Back to the report");
    assert!(!waits.text.contains("data-download"));
    assert_eq!(viewer.get(&format!("{address}/file")).await.status, StatusCode::NOT_FOUND);
    // Pressed twice, it is drawn once.
    assert_eq!(viewer.get("/reports/week-review/file/pdf").await.location(), address);
    let picture = viewer.get("/reports/week-review/picture/service-1.png").await;
    assert_ne!(picture.location(), address);
    centre.store.end_drawing(id, b"%PDF-1.4").await.unwrap();
    let part = viewer.get(&format!("{address}/part")).await;
    part.says("Week review 2026-11-16.pdf is ready").says(&format!("{address}/file"));
    let file = viewer.get(&format!("{address}/file")).await;
    assert_eq!(file.text, "%PDF-1.4");
    assert_eq!(file.headers[header::CONTENT_TYPE], "application/pdf");
    let name = file.headers[header::CONTENT_DISPOSITION].to_str().unwrap().to_owned();
    assert!(name.contains("week-review-2026-11-16.pdf"), "{name}");
    // Others may not see what this person may.
    let other = centre.visitor(Role::Administrator).await;
    for at in ["", "/part", "/file"] {
        let hidden = other.get(&format!("{address}{at}")).await;
        assert_eq!(hidden.status, StatusCode::NOT_FOUND, "{at}");
    }
    // What could not be drawn says why, and is drawn again when somebody asks.
    let failing = key(picture.location());
    centre.store.fail_run(failing, "no browser is installed on the server").await.unwrap();
    viewer.get(picture.location()).await.says("no browser is installed on the server");
    let again = viewer.get("/reports/week-review/picture/service-1.png").await;
    assert_ne!(again.location(), picture.location());
}

#[sqlx::test(migrations = false)]
async fn a_period_that_cannot_be_told_is_said_and_nothing_panics(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    for (query, wanted) in [
        ("period=dates&first=2026-11-05&last=2026-11-01", "ends on 2026-11-01, before it begins"),
        ("period=dates&first=2025-10-01&last=2026-11-04&by=interval", "400 days by interval"),
        ("period=dates&first=soon&last=2026-11-04", "“soon” is no day"),
        ("period=for-ever", "“for-ever” is no period"),
        ("period=dates&first=2041-01-01&last=2041-01-07", "Nothing is recorded or forecast"),
        ("period=dates&first=1999-01-01&last=1999-01-07", "Nothing is recorded or forecast"),
    ] {
        let page = viewer.get(&format!("/reports/week-review?{query}")).await;
        assert_eq!(page.status, StatusCode::OK, "{query}: {}", page.text);
        page.says(wanted);
    }
    let nowhere = ["/reports/no-such-report", "/reports/week-review/file/doc"];
    for address in nowhere {
        assert_eq!(viewer.get(address).await.status, StatusCode::NOT_FOUND, "{address}");
    }
    // A report whose contact types were removed.
    let planner = centre.visitor(Role::Planner).await;
    let gone = centre.add_type("Groups").await;
    let form = format!("{}&contact_type={gone}", week_review("Groups+only"));
    let report = key(planner.post("/reports", &form).await.location());
    planner.get(&format!("/reports/{report}")).await.says("Groups");
    centre.store.archive_contact_type(gone, None).await.unwrap();
    centre.store.remove_archived_type(gone).await.unwrap();
    planner.get(&format!("/reports/{report}")).await.says("have been removed. Edit the report");
}

#[sqlx::test(migrations = false)]
async fn a_report_is_defined_with_its_preview_changed_and_removed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.get("/reports/new?ready=accuracy").await.says("value=\"Forecast accuracy\"");
    let preview = planner.post("/reports/preview", &week_review("")).await;
    preview.says("contacts were offered").says("Need and cover by day");
    let refused = planner.post("/reports/preview", "title=A&period=last-week&keep_days=90").await;
    refused.says("Choose at least one section.");
    let report = kept(&planner, "Board+week").await;
    let again = planner.post("/reports", &week_review("board+WEEK")).await;
    assert_eq!(again.status, StatusCode::UNPROCESSABLE_ENTITY);
    again.says("Another report has this title").says("value=\"board WEEK\"");
    let changed = week_review("Board+fortnight").replace("last-week", "last-4-weeks");
    let saved = planner.post(&format!("/reports/{report}"), &changed).await;
    assert_eq!(saved.status, StatusCode::SEE_OTHER);
    let page = planner.get(&format!("/reports/{report}")).await;
    page.says("Board fortnight: how did 26 Oct – 22 Nov 2026 go?");
    planner.get("/reports").await.says("One report is kept").says("Board fortnight");
    assert_eq!(
        planner.post(&format!("/reports/{report}/remove"), "").await.status,
        StatusCode::SEE_OTHER
    );
    assert_eq!(planner.get(&format!("/reports/{report}")).await.status, StatusCode::NOT_FOUND);
}

#[sqlx::test(migrations = false)]
async fn single_agents_are_for_those_with_the_right_and_never_leave(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let agent = barometer_store::NamedAgent::named("Ada Quay".to_owned());
    centre.store.save_agent(centre.centre, &agent).await.unwrap();
    let planner = centre.visitor(Role::Planner).await;
    let form = "title=People&section=agents&period=this-week&by=day&against=nothing&keep_days=90";
    let report = key(planner.post("/reports", form).await.location());
    let address = format!("/reports/{report}");
    planner.get(&address).await.says("Ada Quay");
    let viewer = centre.visitor(Role::Viewer).await;
    for address in [address.clone(), format!("{address}/file/csv")] {
        let seen = viewer.get(&address).await;
        seen.says("shown to those who have this right");
        assert!(!seen.text.contains("Ada Quay"), "{address}");
    }
    let made = planner.post(&format!("{address}/made"), "").await;
    centre.work_off().await;
    let kept = planner.get(made.location()).await;
    kept.says("shown to those who have this right");
    assert!(!kept.text.contains("Ada Quay"));
    // An administrator gives the right to one and takes it from the other.
    let admin = centre.visitor(Role::Administrator).await;
    admin.get("/people").await.says("Show single agents to A viewer");
    for (role, sees) in [(Role::Viewer, true), (Role::Planner, false)] {
        let email = format!("{}@example.org", role.word());
        let person = centre.store.user_by_email(&email).await.unwrap().unwrap().id;
        let path = format!("/people/{person}/agents");
        let saved = admin.post(&path, &format!("sees_agents={sees}")).await;
        assert_eq!(saved.location(), "/people?note=agents");
        assert_eq!(planner.post(&path, "sees_agents=true").await.status, StatusCode::FORBIDDEN);
    }
    viewer.get(&address).await.says("Ada Quay");
    assert!(!planner.get(&address).await.text.contains("Ada Quay"));
    let team = planner.get("/watch/teams/team").await;
    assert_eq!(team.status, StatusCode::FORBIDDEN);
    team.says("Ask an administrator for it.");
}

#[sqlx::test(migrations = false)]
async fn days_to_come_are_told_as_they_are_planned(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let week = "period=dates&first=2026-11-23&last=2026-11-29";
    let planned = viewer.get(&format!("/reports/week-review?{week}&against=plan")).await;
    planned.says("what is ahead, 23 – 29 Nov 2026?").says("compared with the plan");
    planned.says("will be answered within their thresholds").says("Service by day, as planned");
    let json = viewer.get(&format!("/reports/week-review/file/json?{week}&against=plan")).await;
    let report: Report = serde_json::from_str(&json.text).unwrap();
    // The same contacts as the forecast's own report says.
    let json = viewer.get(&format!("/reports/week-review/file/json?{week}")).await;
    let forecast: Report = serde_json::from_str(&json.text).unwrap();
    let contacts = |report: &Report, column: &str| {
        let demand = report.parts.iter().find(|part| part.section == Section::Demand).unwrap();
        let table = &demand.tables[0];
        let place = table.columns.iter().position(|each| each.name == column).unwrap();
        match table.rows[0].cells[place] {
            Cell::Number(contacts) => contacts,
            _ => panic!("{column} is not told"),
        }
    };
    let (planned, expected) = (contacts(&report, "Plan"), contacts(&forecast, "Forecast"));
    assert!((planned - expected).abs() < 1e-6 * expected, "{planned} planned, {expected} forecast");
}

#[sqlx::test(migrations = false)]
async fn a_page_is_made_once_and_again_when_history_changes(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let kept = || async {
        let made: Vec<f64> = sqlx::query_scalar(
            "SELECT extract(epoch FROM made_at)::float8 FROM report_pages ORDER BY 1",
        )
        .fetch_all(&pool)
        .await
        .unwrap();
        made
    };
    let first = viewer.get("/reports/week-review").await;
    let once = kept().await;
    assert_eq!(once.len(), 1);
    assert_eq!(viewer.get("/reports/week-review").await.text, first.text);
    viewer.get("/reports/week-review/file/csv").await.says("contacts were offered");
    assert_eq!(kept().await, once, "files are written of the same report");
    let lost = "DELETE FROM history WHERE interval_start >= '2026-11-22' AND interval_start < '2026-11-23'";
    sqlx::query(lost).execute(&pool).await.unwrap();
    let again = viewer.get("/reports/week-review").await;
    assert_ne!(again.text, first.text);
    assert!(kept().await[0] > once[0]);
}

#[sqlx::test(migrations = false)]
async fn a_report_has_its_sections_in_the_order_in_which_they_were_put(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let form = "title=Order&section=demand&section=service&period=last-week&by=day&against=forecast\
        &keep_days=90&queue=Old+queue&campaign=Spring+offers&team=Harbour";
    let report = key(planner.post("/reports", form).await.location());
    let page = planner.get(&format!("/reports/{report}")).await.text;
    let place = |heading: &str| page.find(heading).unwrap();
    assert!(place("Demand by contact type") < place("Service by contact type"));
    let edit = planner.get(&format!("/reports/{report}/edit")).await;
    edit.says("Old queue (removed)").says("Spring offers (removed)").says("Harbour (removed)");
    let place = |value: &str| edit.text.find(&format!("value=\"{value}\"")).unwrap();
    assert!(place("demand") < place("service") && place("service") < place("accuracy"));
}

#[sqlx::test(migrations = false)]
async fn a_schedule_makes_its_report_once_and_sends_it_with_its_files(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let report = kept(&planner, "Week").await;
    let due = at("2026-11-23T07:00");
    let sending =
        Sending { roles: vec![Role::Approver], ..to(&["boss@example.org", "Boss@example.org"]) };
    schedule(&centre, report, due, sending).await;
    assert_eq!(tick(&centre.store, due - 1.second()).await.unwrap(), 0, "not before its time");
    let (one, other) = tokio::join!(tick(&centre.store, due), tick(&centre.store, due));
    assert_eq!(one.unwrap() + other.unwrap(), 1, "however many servers look");
    assert_eq!(tick(&centre.store, due).await.unwrap(), 0);
    centre.work_off().await;
    let messages = centre.store.messages(centre.centre, 10).await.unwrap();
    let mut to: Vec<String> =
        messages.iter().map(|each| each.recipient.as_ref().unwrap().to_string()).collect();
    to.sort();
    assert_eq!(to, ["approver@example.org", "boss@example.org"], "each once");
    assert!(messages[0].body.contains("contacts were offered"), "{}", messages[0].body);
    let files = centre.store.edition_files(messages[0].edition.unwrap()).await.unwrap();
    let formats: Vec<Format> = files.iter().map(|file| file.format).collect();
    assert_eq!(formats, [Format::Csv, Format::Xlsx]);
    // Without a mail server it stays in the outbox, where people can read it.
    assert_eq!(Delivery::of(None, None).send_due(&centre.store).await.unwrap(), 2);
    planner.get("/watch/outbox").await.says("Week, 16 – 22 Nov 2026");
    let page = planner.get(&format!("/reports/{report}/made")).await;
    page.says("sent to 2 people").says("Every day at 07:00").says("24 Nov 2026, 07:00");
    // Sent again to those who get it now.
    let edition = messages[0].edition.unwrap();
    let again = planner.post(&format!("/reports/editions/{edition}"), "act=resend").await;
    again.says("Sent again to 2");
    assert_eq!(centre.store.messages(centre.centre, 10).await.unwrap().len(), 4);
}

#[sqlx::test(migrations = false)]
async fn a_report_that_is_sent_only_when_a_target_is_missed_stays_at_home(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let report = kept(&planner, "Alert").await;
    let due = at("2026-11-23T07:00");
    let only = Sending { only_if_missed: true, ..to(&["boss@example.org"]) };
    schedule(&centre, report, due, only).await;
    tick(&centre.store, due).await.unwrap();
    centre.work_off().await;
    let page = planner.get(&format!("/reports/{report}/made")).await;
    page.says("not sent: nothing is out of target");
    assert!(centre.store.messages(centre.centre, 10).await.unwrap().is_empty());
    // With a ceiling that the week breaks, it goes out.
    let contact_type = centre.store.contact_type(centre.bookings).await.unwrap();
    let strict = barometer_plan::Rules { abandonment: Some(0.001), ..contact_type.rules };
    centre.store.save_rules(centre.bookings, &strict, Save::OURS).await.unwrap();
    tick(&centre.store, at("2026-11-24T07:00")).await.unwrap();
    centre.work_off().await;
    let messages = centre.store.messages(centre.centre, 10).await.unwrap();
    assert!(messages.iter().any(|each| each.body.contains("Bookings: abandonment")));
}

#[sqlx::test(migrations = false)]
async fn a_link_is_read_by_anybody_until_it_ends(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let report = kept(&planner, "Shared").await;
    let due = at("2026-11-23T07:00");
    let linked = Sending { link_days: Some(7), formats: Vec::new(), ..to(&["boss@example.org"]) };
    schedule(&centre, report, due, linked).await;
    tick(&centre.store, due).await.unwrap();
    centre.work_off().await;
    let message = centre.store.messages(centre.centre, 10).await.unwrap().pop().unwrap();
    assert_eq!(message.edition, None, "a link goes without files");
    let link = message.event["link"].as_str().unwrap().to_owned();
    let stranger = centre.stranger();
    let page = stranger.get(&link).await;
    assert_eq!(page.status, StatusCode::OK);
    page.says("contacts were offered");
    assert!(!page.text.contains("href="), "it leads nowhere else");
    assert!(
        page.headers[header::CONTENT_SECURITY_POLICY]
            .to_str()
            .unwrap()
            .starts_with("default-src 'none'")
    );
    assert_eq!(page.headers[header::REFERRER_POLICY], "no-referrer");
    let wrong = stranger.get("/reports/shared/0123456789abcdef").await;
    assert_eq!(wrong.status, StatusCode::NOT_FOUND);
    wrong.says("Is this link still good?");
    // It expires, and can be ended before.
    sqlx::query("UPDATE report_links SET expires_at = now()").execute(&pool).await.unwrap();
    assert_eq!(stranger.get(&link).await.status, StatusCode::NOT_FOUND);
    let edition = centre.store.editions(report, 1).await.unwrap()[0].id;
    let shared = planner.post(&format!("/reports/editions/{edition}"), "act=share").await;
    let path = shared.text.split("href=\"/reports/shared/").nth(1).unwrap();
    let link = format!("/reports/shared/{}", path.split('"').next().unwrap());
    assert_eq!(stranger.get(&link).await.status, StatusCode::OK);
    planner.post(&format!("/reports/editions/{edition}"), "act=unshare").await;
    assert_eq!(stranger.get(&link).await.status, StatusCode::NOT_FOUND);
}

#[sqlx::test(migrations = false)]
async fn the_owner_is_told_of_a_failure_once(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let planner = centre.visitor(Role::Planner).await;
    let gone = centre.add_type("Groups").await;
    let form = format!("{}&contact_type={gone}", week_review("Groups"));
    let report = key(planner.post("/reports", &form).await.location());
    let due = at("2026-11-23T07:00");
    schedule(&centre, report, due, to(&["boss@example.org"])).await;
    centre.store.archive_contact_type(gone, None).await.unwrap();
    centre.store.remove_archived_type(gone).await.unwrap();
    tick(&centre.store, due).await.unwrap();
    centre.work_off().await;
    tick(&centre.store, due).await.unwrap();
    tick(&centre.store, due).await.unwrap();
    let messages = centre.store.messages(centre.centre, 10).await.unwrap();
    assert_eq!(messages.len(), 1, "once");
    assert_eq!(messages[0].recipient.as_ref().unwrap().to_string(), "planner@example.org");
    assert!(messages[0].subject.contains("“Groups” could not be made"));
    assert_eq!(messages[0].state, MessageState::Waiting);
    planner.get(&format!("/reports/{report}/made")).await.says("failed: All contact types");
}

#[sqlx::test(migrations = false)]
async fn fifty_reports_that_are_due_at_once_are_all_made(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let report = kept(&planner, "Week").await;
    let due = at("2026-11-23T07:00");
    for nth in 0..50 {
        let address = format!("person-{nth}@example.org");
        schedule(&centre, report, due, Sending { formats: vec![Format::Csv], ..to(&[&address]) })
            .await;
    }
    assert_eq!(tick(&centre.store, due).await.unwrap(), 50);
    centre.work_off().await;
    let editions = centre.store.editions(report, 100).await.unwrap();
    assert_eq!(editions.len(), 50);
    assert!(editions.iter().all(|edition| edition.run.state == RunState::Done));
    assert_eq!(centre.store.messages(centre.centre, 100).await.unwrap().len(), 50);
}

#[sqlx::test(migrations = false)]
async fn a_schedule_is_typed_switched_and_removed(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let report = kept(&planner, "Week").await;
    let address = format!("/reports/{report}/schedules");
    let form = "days=weekdays&weekday=0&weekday=1&at=06:45&addresses=boss@example.org&format=pdf&how=files&link_days=30";
    for (typed, wanted) in [
        (form.replace("weekday=0&weekday=1&", ""), "No weekday is chosen; choose at least one."),
        (form.replace("06:45", "late"), "Must be a time, as 07:00."),
        (form.replace("boss@example.org", ""), "Say who gets it"),
        (
            form.replace("boss@example.org", "https://example.org/hook"),
            "reports go to mail addresses",
        ),
        (form.replace("&format=pdf", ""), "Choose at least one file"),
        (
            form.replace("how=files", "how=link").replace("link_days=30", "link_days=0"),
            "from 1 to 365",
        ),
        (form.replace("days=weekdays", "days=month&month_day=32"), "from 1 to 31"),
    ] {
        let refused = planner.post(&address, &typed).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{typed}");
        refused.says(wanted);
    }
    assert_eq!(planner.post(&address, form).await.status, StatusCode::SEE_OTHER);
    let page = planner.get(&format!("/reports/{report}/made")).await;
    page.says("Every Monday and Tuesday at 06:45").says("It is made next on");
    let schedule = centre.store.report_schedules(report).await.unwrap().pop().unwrap();
    let act = |act: &'static str| {
        let address = format!("{address}/{}", schedule.id);
        let planner = &planner;
        async move { planner.post(&address, &format!("act={act}")).await.status }
    };
    assert_eq!(act("off").await, StatusCode::SEE_OTHER);
    planner.get(&format!("/reports/{report}/made")).await.says("It is not made by itself.");
    assert_eq!(act("on").await, StatusCode::SEE_OTHER);
    assert_eq!(act("now").await, StatusCode::SEE_OTHER);
    assert_eq!(tick(&centre.store, barometer_app::clock::now()).await.unwrap(), 1);
    assert_eq!(act("remove").await, StatusCode::SEE_OTHER);
    assert!(centre.store.report_schedules(report).await.unwrap().is_empty());
    assert_eq!(centre.store.editions(report, 9).await.unwrap().len(), 1, "what it made stays");
}

#[sqlx::test(migrations = false)]
async fn made_reports_are_kept_as_long_as_their_report_says(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let report = kept(&planner, "Week").await;
    planner
        .post(
            &format!("/reports/{report}"),
            &week_review("Week").replace("keep_days=90", "keep_days=2"),
        )
        .await;
    planner.post(&format!("/reports/{report}/made"), "").await;
    centre.work_off().await;
    let now = barometer_app::clock::now();
    assert_eq!(centre.store.forget_old_editions(now + 47.hours()).await.unwrap(), 0);
    assert_eq!(centre.store.forget_old_editions(now + 49.hours()).await.unwrap(), 1);
    assert!(centre.store.editions(report, 9).await.unwrap().is_empty());
}

#[sqlx::test(migrations = false)]
async fn every_ready_made_report_is_made_by_every_grouping_and_as_every_file(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    for ready in Ready::ALL {
        for grouping in Grouping::ALL {
            let query = format!("by={}&against=before", grouping.key());
            for format in ["html", "xlsx", "csv", "json"] {
                let address = format!("/reports/{}/file/{format}?{query}", ready.key);
                assert_eq!(viewer.get(&address).await.status, StatusCode::OK, "{address}");
            }
        }
    }
    let picture = viewer.get("/reports/week-review/picture/service-1.svg").await;
    picture.says("<svg").says("Service level");
    let none = viewer.get("/reports/week-review/picture/service-9.svg").await;
    assert_eq!(none.status, StatusCode::NOT_FOUND);
}
