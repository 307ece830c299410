//! What a planner does with a forecast before anybody counts on it.

use axum::http::StatusCode;
use barometer_forecast::MethodName;
use barometer_store::Role;
use jiff::Timestamp;
use sqlx::PgPool;
use uuid::Uuid;

use crate::visitor::{Centre, at};

/// Contacts that the forecast has on a day, overlays included.
async fn on(centre: &Centre, contact_type: Uuid, day: &str) -> f64 {
    let days = centre.store.forecast_days(contact_type).await.unwrap();
    days.iter().find(|each| each.day.to_string() == day).unwrap().contacts
}

#[sqlx::test(migrations = false)]
async fn a_number_is_taken_apart_into_what_it_is_made_of(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let page = viewer.get(&format!("/demand/{}", centre.bookings)).await;
    page.says("How many contacts will arrive?").says("Such forecasts were off by");
    let eight = at("2026-11-25T10:00").as_second();
    let parts = viewer.get(&format!("/demand/{}/made-of?at={eight}", centre.bookings)).await;
    parts
        .says("What is Wed 25 Nov 10:00 made of?")
        .says("Level: a day of the last four weeks")
        .says("Wednesday")
        .says("Share of the day at 10:00")
        .says("Handle time 240");
    let night = at("2026-11-25T03:00").as_second();
    let closed = viewer.get(&format!("/demand/{}/made-of?at={night}", centre.bookings)).await;
    assert_eq!(closed.status, StatusCode::NOT_FOUND);
}

#[sqlx::test(migrations = false)]
async fn a_promotion_is_laid_over_the_forecast_and_taken_away_again(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/demand/{}/overlays?day=2026-11-27", centre.bookings);
    let before = on(&centre, centre.bookings, "2026-11-27").await;
    let wrong = planner
        .post(
            &address,
            "name=Sale&from=2026-11-27&to=2026-11-20&weekday=4&kind=percent&amount=lots",
        )
        .await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("Must not be before the first day.").says("is not a number").says("value=\"Sale\"");
    let form = "name=Sale&from=2026-11-27&to=2026-11-29&weekday=4&weekday=5&kind=percent&amount=12";
    let added = planner.post(&address, form).await;
    assert_eq!(added.status, StatusCode::SEE_OTHER, "{}", added.text);
    planner.get(added.location()).await.says("Queued: 0 of 1 forecasts");
    centre.work_off().await;
    assert!((on(&centre, centre.bookings, "2026-11-27").await / before - 1.12).abs() < 1e-9);
    let sunday = centre.store.forecast_days(centre.bookings).await.unwrap()[6];
    assert_eq!(sunday.contacts, sunday.base, "Sunday was not chosen");
    let band = centre.store.forecast_days(centre.bookings).await.unwrap()[4].band();
    assert!(band.p10 < 1.12 * before && 1.12 * before < band.p90, "the band moved along");

    let page = planner.get(added.location()).await;
    page.says("+12.0 %").says("Every later stage counts with it");
    let overlay = centre.store.overlays(centre.bookings).await.unwrap()[0].id;
    let address = format!("/demand/{}/overlays/{overlay}/remove", centre.bookings);
    planner.post(&address, "").await;
    centre.work_off().await;
    assert_eq!(on(&centre, centre.bookings, "2026-11-27").await, before);
}

#[sqlx::test(migrations = false)]
async fn contacts_moved_to_another_type_arrive_there(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let model = centre.store.contact_type(centre.bookings).await.unwrap();
    let centre_id = centre.store.centre().await.unwrap().unwrap().id;
    let bus = centre
        .store
        .add_contact_type_like(centre_id, "Island bus", &model, 0.5, None)
        .await
        .unwrap();
    let day = "2026-11-26";
    // The forecast of the model takes the one that is like it along.
    planner.post(&format!("/demand/{}/method", centre.bookings), "method=").await;
    centre.work_off().await;
    let (ours, theirs) = (on(&centre, centre.bookings, day).await, on(&centre, bus, day).await);
    assert!((theirs / ours - 0.5).abs() < 1e-9);
    planner.get(&format!("/demand/{bus}")).await.says("50 % of another contact type");

    let form =
        format!("name=New+number&from={day}&to={day}&weekday=3&kind=move&amount=20&target={bus}");
    let moved = planner.post(&format!("/demand/{}/overlays", centre.bookings), &form).await;
    assert_eq!(moved.status, StatusCode::SEE_OTHER, "{}", moved.text);
    centre.work_off().await;
    assert!((on(&centre, centre.bookings, day).await / ours - 0.8).abs() < 1e-9);
    assert!((on(&centre, bus, day).await - theirs - 0.2 * ours).abs() < 1e-9);
    planner.get(&format!("/demand/{bus}/overlays")).await.says("20 % of Bookings moved here");
}

#[sqlx::test(migrations = false)]
async fn a_marked_stretch_is_cleaned_and_a_decision_can_be_taken_back(pool: PgPool) {
    let centre = Centre::new(pool).await;
    // The switch lost most of the morning of Tuesday 20 October.
    let lost = at("2026-10-20T09:00")..at("2026-10-20T12:00");
    let centre_pool = centre.store.clone();
    let mut history = centre_pool.history_since(centre.bookings, lost.start).await.unwrap();
    history.retain(|seen| lost.contains(&seen.start));
    let csv: String =
        history.iter().map(|seen| format!("Bookings,{},1,1,0,240\n", seen.start)).collect();
    let planner = centre.visitor(Role::Planner).await;
    let file = format!("contact_type,interval_start,offered,answered,abandoned,handle_secs\n{csv}");
    let preview = planner.upload("lost.csv", "", file.as_bytes()).await;
    planner.post(&format!("{}/confirm", preview.location()), "").await;
    centre.work_off().await;

    let address = format!("/demand/{}/cleaning", centre.bookings);
    planner
        .get(&address)
        .await
        .says("One stretch looks wrong and waits for your decision.")
        .says("20 Oct 2026, 09:00 – 12:00");
    let decide = format!("{address}/decide");
    let what = "finding=outage&from=2026-10-20T09:00:00&until=2026-10-20T12:00:00";
    let stale =
        planner.post(&decide, &format!("answer=accept&{what}").replace("20T12", "20T13")).await;
    assert_eq!(stale.status, StatusCode::UNPROCESSABLE_ENTITY);
    let accepted = planner.post(&decide, &format!("answer=accept&{what}")).await;
    assert_eq!(accepted.status, StatusCode::SEE_OTHER, "{}", accepted.text);
    planner
        .get(&address)
        .await
        .says("Nothing more looks wrong.")
        .says("left out")
        .says("A planner");
    let page = planner.get(&format!("/demand/{}", centre.bookings)).await;
    page.says("what the forecast takes instead");

    // A run that was stopped says so where the forecast stands: it is older than the decision.
    let forecast = format!("/demand/{}", centre.bookings);
    let model = centre.store.contact_type(centre.bookings).await.unwrap();
    let run = centre.store.last_forecast_run_of(&model).await.unwrap().unwrap();
    planner.get(&forecast).await.says("Queued: 0 of 1 forecasts");
    planner.post(&format!("/runs/{}/cancel", run.id), "").await;
    planner.get(&forecast).await.says("Cancelled").says("Try again");
    planner.post(&format!("/runs/{}/retry", run.id), "").await;
    centre.work_off().await;
    assert!(!planner.get(&forecast).await.text.contains("Cancelled"));

    let marks = centre.store.history_marks(centre.bookings).await.unwrap();
    planner.post(&format!("{address}/{}/remove", marks[0].id), "").await;
    planner.get(&address).await.says("One stretch looks wrong");
    let rejected = planner.post(&decide, &format!("answer=reject&{what}")).await;
    assert_eq!(rejected.status, StatusCode::SEE_OTHER);
    planner.get(&address).await.says("stays as recorded").says("Nothing more looks wrong.");
}

#[sqlx::test(migrations = false)]
async fn a_closed_day_has_no_contacts_from_the_moment_it_is_entered(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    assert!(on(&centre, centre.bookings, "2026-11-30").await > 0.0);
    let form = "name=Works+outing&class=Closure&from=2026-11-30&repeats=once&closed=yes";
    let added = planner.post("/demand/special-days?day=2026-11-23", form).await;
    assert_eq!(added.status, StatusCode::SEE_OTHER, "{}", added.text);
    planner
        .get(added.location())
        .await
        .says("Queued: 0 of 1 forecasts")
        .says("Works outing on Monday 30 November")
        .says("closed");
    centre.work_off().await;
    assert_eq!(on(&centre, centre.bookings, "2026-11-30").await, 0.0);
    let wrong =
        planner.post("/demand/special-days", "name=&class=X&from=someday&repeats=once").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("Write a day such as 2026-12-25.").says("Write up to 80 characters.");
}

#[sqlx::test(migrations = false)]
async fn a_frozen_forecast_is_compared_with_what_is_said_later_and_exported(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/demand/{}/frozen", centre.bookings);
    planner.get(&address).await.says("Nothing is frozen yet.");
    planner.post(&address, "name=Published").await;
    let twice = planner.post(&address, "name=published").await;
    assert_eq!(twice.status, StatusCode::UNPROCESSABLE_ENTITY);
    twice.says("There is one of this name already.");
    let overlay = "name=Sale&from=2026-11-23&to=2026-12-20&weekday=0&kind=percent&amount=100";
    planner.post(&format!("/demand/{}/overlays", centre.bookings), overlay).await;
    centre.work_off().await;
    // Mondays double: with seven equal days that is a seventh more.
    planner.get(&address).await.says("On 28 common days").says("+14.3 %");

    let version = centre.store.frozen_forecasts(centre.bookings).await.unwrap()[0].id;
    let csv = planner.get(&format!("{address}/{version}/csv")).await;
    assert_eq!(csv.text.lines().count(), 1 + 28 * 20);
    let json = planner.get(&format!("/demand/{}/forecast/json", centre.bookings)).await;
    assert!(
        json.text.starts_with("{\"columns\":[\"contact_type\",\"interval_start\",\"contacts\"")
    );
    let xlsx = planner.get(&format!("/demand/{}/forecast/xlsx", centre.bookings)).await;
    assert_eq!(
        xlsx.headers["content-type"],
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    );
    let unknown = planner.get(&format!("/demand/{}/forecast/doc", centre.bookings)).await;
    assert_eq!(unknown.status, StatusCode::NOT_FOUND);
}

#[sqlx::test(migrations = false)]
async fn a_pinned_method_makes_the_forecast_and_the_page_says_what_is_better(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = format!("/demand/{}/accuracy", centre.bookings);
    planner.get(&address).await.says("the best on held-out weeks").says("80 % band");
    planner.post(&format!("/demand/{}/method", centre.bookings), "method=smoothing").await;
    planner.get(&address).await.says("Queued: 0 of 1 forecasts");
    centre.work_off().await;
    let head = centre.store.forecast(centre.bookings).await.unwrap().unwrap();
    assert_eq!(head.method, Some(MethodName::Smoothing));
    planner.get(&address).await.says("pinned");
    let unknown =
        planner.post(&format!("/demand/{}/method", centre.bookings), "method=crystal-ball").await;
    assert_eq!(unknown.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[sqlx::test(migrations = false)]
async fn forecasts_that_an_update_threw_away_are_made_anew(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    for table in ["DELETE FROM forecast_intervals", "DELETE FROM forecasts"] {
        sqlx::query(table).execute(&pool).await.unwrap();
    }
    assert!(centre.store.queue_missing_forecasts(centre.centre).await.unwrap().is_some());
    centre.work_off().await;
    assert_eq!(centre.store.queue_missing_forecasts(centre.centre).await.unwrap(), None);
    let made = centre
        .store
        .made_intervals(centre.bookings, Timestamp::UNIX_EPOCH, Timestamp::MAX)
        .await
        .unwrap();
    assert_eq!(made.len(), 28 * 20);
}

#[sqlx::test(migrations = false)]
async fn a_new_contact_type_is_forecast_like_another_until_it_has_history(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let wrong = planner.post("/demand/like", "name=Bookings&percent=none&model=nobody").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("is not a number").says("Choose the contact type that it is like.");
    let form = format!("name=bookings&percent=15&model={}", centre.bookings);
    planner
        .post("/demand/like", &form)
        .await
        .says("There is one of this name already, in use or archived.");
    let form = format!("name=Island+bus&percent=15&model={}", centre.bookings);
    let added = planner.post("/demand/like", &form).await;
    assert_eq!(added.status, StatusCode::SEE_OTHER, "{}", added.text);
    let waiting = planner.get(added.location()).await;
    waiting.says("Queued: 0 of 1 forecasts").says("Nothing is known of it yet.");
    assert!(!waiting.text.contains("data-chart=\"history\""), "a chart of nothing");
    centre.work_off().await;
    planner.get(added.location()).await.says("this is 15 % of another contact type");
    planner.get("/demand").await.says("Island bus");
}

#[sqlx::test(migrations = false)]
async fn a_run_over_all_forecasts_shows_its_progress_and_can_be_stopped(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.post("/demand/forecast-all", "").await;
    planner.get("/demand").await.says("Queued: 0 of 1 forecasts");
    let centre_id = centre.store.centre().await.unwrap().unwrap().id;
    let run = centre.store.open_forecast_run(centre_id).await.unwrap().unwrap().id;
    assert!(centre.store.report_run(run, 0).await.unwrap());
    let progress = planner.get(&format!("/runs/{run}/progress")).await;
    progress.says("Running: 0 of 1 forecasts").says("hx-trigger=\"every 400ms\"");
    planner.post(&format!("/runs/{run}/cancel"), "").await;
    assert!(!centre.store.report_run(run, 1).await.unwrap(), "the worker is told to stop");
    planner.get("/demand").await.says("Stopping: 1 of 1 forecasts");
    centre.work_off().await;
    let over = planner.get(&format!("/runs/{run}/progress")).await;
    assert_eq!(over.headers["hx-refresh"], "true");
}

#[sqlx::test(migrations = false)]
async fn the_rest_of_today_is_forecast_anew_from_what_has_come(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.get("/watch/weeks").await.says("the rest of the day is forecast again here");
    // Until 11 o'clock half as many again as on every day before: 28, 29, … to 40 and down.
    let rows: String = (16..22)
        .map(|half: i32| {
            let offered = (40 - (half - 20).abs()) * 3 / 2;
            format!("Bookings,2026-11-23T{:02}:{:02},{offered}\n", half / 2, half % 2 * 30)
        })
        .collect();
    let file = format!("contact_type,interval_start,offered\n{rows}");
    let preview = planner.upload("morning.csv", "", file).await;
    planner.post(&format!("{}/confirm", preview.location()), "").await;
    centre.work_off().await;
    // A day that is going on stays in the forecast.
    let head = centre.store.forecast(centre.bookings).await.unwrap().unwrap();
    assert_eq!(head.first_day.to_string(), "2026-11-23");
    let page = planner.get("/watch/weeks").await;
    page.says("Today, Monday 23 November").says("11:00");
    let day: f64 = (16..36).map(|half: i32| f64::from(40 - (half - 20).abs())).sum();
    let so_far: f64 = (16..22).map(|half: i32| f64::from(40 - (half - 20).abs())).sum();
    page.says(&format!("{:.0}", day - so_far));
}
