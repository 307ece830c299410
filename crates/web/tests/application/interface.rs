//! The interface for scripts: what they get with a token, and what they are told without one.

use axum::body::Body;
use axum::http::{Request, StatusCode};
use barometer_store::Role;
use barometer_strategy::Strategy;
use barometer_wire::Refusal;
use barometer_wire::centre::{Board, ContactTypeLine, SheetLine, VersionLine, paths};
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;
use sqlx::PgPool;

use crate::visitor::{Answer, Centre};

/// A script with the token of a person with a role.
struct Script<'a> {
    centre: &'a Centre,
    secret: String,
}

impl<'a> Script<'a> {
    async fn of(centre: &'a Centre, role: Role) -> Self {
        let email = format!("{}@example.org", role.word());
        let user = centre.store.user_by_email(&email).await.unwrap().unwrap().id;
        let secret = centre.store.add_token(centre.centre, "Board", user).await.unwrap();
        Self { centre, secret }
    }

    async fn get(&self, path: &str) -> Answer {
        let request = Request::get(path).header("authorization", format!("Bearer {}", self.secret));
        self.centre.stranger().send(request, Body::empty()).await
    }

    async fn json(&self, path: &str) -> Value {
        let answer = self.get(path).await;
        assert_eq!(answer.status, StatusCode::OK, "{path}: {}", answer.text);
        serde_json::from_str(&answer.text).unwrap()
    }
}

const PATHS: [&str; 5] =
    ["/api/contact-types", "/api/strategies", "/api/strategies/live", "/api/sheets", "/api/board"];

#[sqlx::test(migrations = false)]
async fn nothing_is_told_without_a_token(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    for path in PATHS {
        let stranger = centre.stranger();
        let answer = stranger.get(path).await;
        assert_eq!(answer.status, StatusCode::UNAUTHORIZED, "{path}");
        answer.says("\"message\"").says("Authorization: Bearer TOKEN");
        // Signing in is for people: a page elsewhere must not read with their cookie.
        assert_eq!(planner.get(path).await.status, StatusCode::UNAUTHORIZED, "{path}");
    }
    let script = Script { centre: &centre, secret: "made up".to_owned() };
    assert_eq!(script.get("/api/sheets").await.status, StatusCode::UNAUTHORIZED);
}

#[sqlx::test(migrations = false)]
async fn a_script_reads_what_its_owner_may_read(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let script = Script::of(&centre, Role::Viewer).await;
    let types = script.json("/api/contact-types").await;
    assert_eq!(types[0]["contact_type"], "Bookings");
    assert_eq!(types[0]["service_level"], 0.8);
    let versions = script.json("/api/strategies").await;
    assert_eq!((&versions[0]["version"], &versions[0]["is_live"]), (&1.into(), &true.into()));
    let live = script.json("/api/strategies/live").await;
    assert_eq!(live, script.json("/api/strategies/1").await);
    let kept = centre.store.strategy(centre.strategy_version).await.unwrap();
    assert_eq!(live, serde_json::to_value(&kept).unwrap(), "the strategy as it is kept");
    assert_eq!(script.json("/api/sheets").await, Value::Array(Vec::new()));
    for (path, says) in [
        ("/api/strategies/7", "there is no version 7"),
        ("/api/strategies/newest", "/api/strategies lists them"),
        ("/api/sheets/9", "there is no such thing"),
    ] {
        let answer = script.get(path).await;
        assert_eq!(answer.status, StatusCode::NOT_FOUND, "{path}");
        answer.says(says);
    }
    let board = script.get("/api/board").await;
    assert_eq!(board.status, StatusCode::SERVICE_UNAVAILABLE, "no switch was heard");
    board.says("nothing has been heard from the telephone switch yet");
    // A viewer's token sends nothing in.
    let request = Request::put("/api/history")
        .header("authorization", format!("Bearer {}", script.secret))
        .header("content-type", "text/csv");
    let sent = centre.stranger().send(request, Body::from("interval_start,offered\n")).await;
    assert_eq!(sent.status, StatusCode::FORBIDDEN);
    sent.says("the token of a planner");
}

/// The description is right: every path of it answers, and in the form that it says.
#[sqlx::test(migrations = false)]
async fn the_interface_is_as_it_is_described(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let script = Script::of(&centre, Role::Planner).await;
    let told = centre.stranger().get("/api/openapi.json").await;
    let told: Value = serde_json::from_str(&told.text).unwrap();
    let paths = told["paths"].as_object().unwrap();
    assert_eq!(paths.len(), 7);
    for (path, methods) in paths {
        let address = path.replace("{version}", "live").replace("{number}", "1");
        if methods.get("get").is_none() {
            continue;
        }
        let answer = script.get(&address).await;
        let status = answer.status.as_u16().to_string();
        let described = &methods["get"]["responses"][&status];
        assert!(described.is_object(), "{path} answers {status}, which is not described");
        let told: Value = serde_json::from_str(&answer.text).unwrap();
        assert!(is_of_its_form(path, answer.status, &told), "{path}: {told}");
    }
}

/// Whether an answer is a document of the type from which its schema is made, and nothing more.
fn is_of_its_form(path: &str, status: StatusCode, told: &Value) -> bool {
    if status != StatusCode::OK {
        return same::<Refusal>(told);
    }
    match path {
        paths::CONTACT_TYPES => same::<Vec<ContactTypeLine>>(told),
        paths::STRATEGIES => same::<Vec<VersionLine>>(told),
        paths::SHEETS => same::<Vec<SheetLine>>(told),
        paths::BOARD => same::<Board>(told),
        _ => same::<Strategy>(told),
    }
}

fn same<T: DeserializeOwned + Serialize>(told: &Value) -> bool {
    let read: T = serde_json::from_value(told.clone()).unwrap();
    serde_json::to_value(read).unwrap() == *told
}
