//! What a monitor asks of a server.

use axum::body::Body;
use axum::extract::ConnectInfo;
use axum::http::{Request, StatusCode, header};
use barometer_store::Role;
use barometer_web::Settings;
use sqlx::PgPool;
use std::net::SocketAddr;
use tower::ServiceExt;

use crate::visitor::{Centre, Visitor};

/// A request from an address, with a header or two.
fn from(address: &str, headers: &[(&str, &str)]) -> Request<Body> {
    let mut request = Request::get("/metrics");
    for (name, value) in headers {
        request = request.header(*name, *value);
    }
    let address: SocketAddr = address.parse().unwrap();
    request.extension(ConnectInfo(address)).body(Body::empty()).unwrap()
}

async fn metrics(app: axum::Router, request: Request<Body>) -> (StatusCode, String) {
    let answer = app.oneshot(request).await.unwrap();
    let status = answer.status();
    let bytes = axum::body::to_bytes(answer.into_body(), usize::MAX).await.unwrap();
    (status, String::from_utf8(bytes.to_vec()).unwrap())
}

/// The figure at the end of a line that begins so.
fn figure(text: &str, begins: &str) -> f64 {
    let line = text.lines().find(|line| line.starts_with(begins));
    line.unwrap_or_else(|| panic!("no {begins} in {text}"))
        .rsplit(' ')
        .next()
        .unwrap()
        .parse()
        .unwrap()
}

#[sqlx::test(migrations = false)]
async fn a_server_says_whether_it_can_work(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let monitor = centre.stranger();
    assert_eq!(monitor.get("/health/live").await.text, "ok");
    let state = |answer: &str| serde_json::from_str::<serde_json::Value>(answer).unwrap();
    let ready = monitor.get("/health/ready").await;
    assert_eq!(ready.status, StatusCode::OK);
    let told = state(&ready.text);
    assert_eq!((&told["ready"], &told["workers"]), (&true.into(), &0.into()));
    assert_eq!(told["warnings"][0], "no worker has given a sign of life for a minute");
    // A run that nobody takes up is noticed.
    let planner = centre.visitor(Role::Planner).await;
    planner.post("/demand/forecast-all", "").await;
    let waiting = state(&monitor.get("/health/ready").await.text);
    assert!(waiting["oldest_waiting_run_secs"].as_f64().is_some_and(|secs| secs < 60.0));
    sqlx::query("UPDATE runs SET created_at = now() - interval '1 hour' WHERE state = 'queued'")
        .execute(&pool)
        .await
        .unwrap();
    let waiting = monitor.get("/health/ready").await;
    waiting.says("a run has waited for over 15 minutes");
    // A database of an older program cannot be worked on.
    sqlx::query(
        "DELETE FROM _sqlx_migrations WHERE version = (SELECT max(version) FROM _sqlx_migrations)",
    )
    .execute(&pool)
    .await
    .unwrap();
    let behind = monitor.get("/health/ready").await;
    assert_eq!(behind.status, StatusCode::SERVICE_UNAVAILABLE);
    assert_eq!(state(&behind.text)["missing_migrations"], 1);
    pool.close().await;
    let away = monitor.get("/health/ready").await;
    assert_eq!(away.status, StatusCode::SERVICE_UNAVAILABLE);
    away.says("the database does not answer");
    assert_eq!(monitor.get("/health/live").await.text, "ok", "the process is alive all the same");
}

#[sqlx::test(migrations = false)]
async fn figures_are_counted_under_their_routes(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    planner.post("/demand/forecast-all", "").await;
    let app = centre.app(Centre::settings());
    let page = |path: &str| {
        let request = Request::get(path).body(Body::empty()).unwrap();
        let app = app.clone();
        async move { app.oneshot(request).await.unwrap().status() }
    };
    for _ in 0..3 {
        assert_eq!(page("/sign-in").await, StatusCode::OK);
    }
    page("/demand/not-a-key").await;
    page("/nowhere/at/all").await;
    let wrong = Request::post("/sign-in")
        .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
        .body(Body::from("email=nobody%40example.org&password=no+password+of+theirs"))
        .unwrap();
    app.clone().oneshot(wrong).await.unwrap();
    let (status, text) = metrics(app.clone(), from("127.0.0.1:5000", &[])).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let signs_in =
        "barometer_http_requests_total{route=\"/sign-in\",method=\"GET\",status=\"200\"}";
    assert_eq!(figure(&text, signs_in), 3.0);
    assert!(
        text.contains("route=\"/demand/{contact_type}\""),
        "a route and not an address: {text}"
    );
    assert!(text.contains("route=\"none\",method=\"GET\",status=\"404\""), "{text}");
    assert_eq!(figure(&text, "barometer_sign_ins_refused_total"), 1.0);
    assert_eq!(figure(&text, "barometer_http_request_secs_count{route=\"/sign-in\"}"), 4.0);
    let queued = "barometer_runs{kind=\"forecasts\",state=\"queued\"}";
    assert_eq!(figure(&text, queued), 1.0);
    assert!(figure(&text, "barometer_database_bytes") > 1e6);
    assert!(text.trim_end().ends_with("# EOF"));
}

#[sqlx::test(migrations = false)]
async fn figures_are_for_this_machine_or_for_the_token(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let status = |settings: Settings, request: Request<Body>| {
        let app = centre.app(settings);
        async move { metrics(app, request).await.0 }
    };
    let plain = Centre::settings;
    assert_eq!(status(plain(), from("127.0.0.1:5000", &[])).await, StatusCode::OK);
    assert_eq!(status(plain(), from("192.0.2.7:5000", &[])).await, StatusCode::FORBIDDEN);
    let by_proxy = from("127.0.0.1:5000", &[("x-forwarded-for", "192.0.2.7")]);
    assert_eq!(status(plain(), by_proxy).await, StatusCode::FORBIDDEN, "a proxy is no monitor");
    let behind_proxy = Settings { https: true, ..Centre::settings() };
    assert_eq!(status(behind_proxy, from("127.0.0.1:5000", &[])).await, StatusCode::FORBIDDEN);
    let with_token = || Settings { metrics_token: Some("tide".to_owned()), ..Centre::settings() };
    let shown = |token| from("192.0.2.7:5000", &[("authorization", token)]);
    assert_eq!(status(with_token(), shown("Bearer tide")).await, StatusCode::OK);
    assert_eq!(status(with_token(), shown("Bearer ebb")).await, StatusCode::FORBIDDEN);
    assert_eq!(status(with_token(), from("127.0.0.1:5000", &[])).await, StatusCode::FORBIDDEN);
}

#[sqlx::test(migrations = false)]
async fn every_answer_carries_the_id_of_its_request(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let monitor: Visitor = centre.stranger();
    let one = monitor.get("/health/live").await;
    let other = monitor.get("/nowhere").await;
    let id = |answer: &crate::visitor::Answer| {
        answer.headers["x-request-id"].to_str().unwrap().to_owned()
    };
    assert_eq!(id(&one).len(), 36);
    assert_ne!(id(&one), id(&other));
    for (given, is_kept) in [("proxy-7", true), ("two words", false), (&"x".repeat(65), false)] {
        let request = Request::get("/health/live").header("x-request-id", given);
        let answer = monitor.send(request, Body::empty()).await;
        assert_eq!(id(&answer) == given, is_kept, "{given}");
    }
}

#[sqlx::test(migrations = false)]
async fn a_run_that_failed_is_named_with_its_reason_and_tried_again(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let admin = centre.visitor(Role::Administrator).await;
    admin.get("/people/server").await.says("No worker is alive").says("none has failed");
    admin.get("/people/server").await.says("No backup was ever made.");
    let made_at = "2026-11-23T06:30:00Z".parse().unwrap();
    let folder = "/backups/monday".to_owned();
    let backup = barometer_store::BackupLine { made_at, folder, rows: 1_204, is_checked: true };
    centre.store.note_backup(&backup).await.unwrap();
    admin
        .get("/people/server")
        .await
        .says("Last backup: 23 Nov 2026, 06:30, 1,204 rows in /backups/monday, restored elsewhere and compared.");
    planner.post("/demand/forecast-all", "").await;
    let run = centre.store.open_runs().await.unwrap()[0];
    centre.store.fail_run(run, "the disk was full").await.unwrap();
    let page = admin.get("/people/server").await;
    page.says("one has failed").says("the disk was full").says("PostgreSQL 1");
    planner.get(&format!("/runs/{run}/progress")).await.says("Try again");
    let viewer = centre.visitor(Role::Viewer).await;
    assert!(!viewer.get(&format!("/runs/{run}/progress")).await.text.contains("Try again"));
    let again = planner.post(&format!("/runs/{run}/retry"), "").await;
    assert_eq!(again.status, StatusCode::SEE_OTHER);
    planner.post(&format!("/runs/{run}/retry"), "").await;
    assert_eq!(centre.store.open_runs().await.unwrap(), [run], "once, however often it is pressed");
    centre.work_off().await;
    let done = centre.store.run(run).await.unwrap();
    assert_eq!(done.state, barometer_store::RunState::Done, "{:?}", done.failure);
    admin.get("/people/server").await.says("none has failed");
    // What is done stays done.
    planner.post(&format!("/runs/{run}/retry"), "").await;
    assert_eq!(centre.store.run(run).await.unwrap().state, barometer_store::RunState::Done);
}
