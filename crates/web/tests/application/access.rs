//! Who gets in, and who may change what.

use axum::body::Body;
use axum::http::{Method, Request, StatusCode, header};
use barometer_store::{Role, Save};
use barometer_web::{DEMO_USERS, Settings};
use sqlx::PgPool;
use tower::ServiceExt;
use uuid::Uuid;

use crate::visitor::Centre;

/// Every page, and the least role that it is for.
fn pages(bookings: Uuid) -> Vec<(Method, String, Role)> {
    let (get, post) = (Method::GET, Method::POST);
    let id = Uuid::nil();
    vec![
        (get.clone(), "/".into(), Role::Viewer),
        (get.clone(), format!("/reading?contact_type={bookings}&at=0"), Role::Viewer),
        (get.clone(), "/outlook/days".into(), Role::Viewer),
        (get.clone(), format!("/trials/{id}/screening"), Role::Viewer),
        (get.clone(), "/demand".into(), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/forecast/csv"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/made-of?at=0"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/accuracy"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/cleaning"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/overlays"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/frozen"), Role::Viewer),
        (get.clone(), format!("/demand/{bookings}/frozen/{id}/csv"), Role::Viewer),
        (get.clone(), "/demand/special-days".into(), Role::Viewer),
        (post.clone(), "/demand/forecast-all".into(), Role::Planner),
        (post.clone(), "/demand/like".into(), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/method"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/cleaning"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/cleaning/decide"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/cleaning/{id}/remove"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/overlays"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/overlays/{id}/remove"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/frozen"), Role::Planner),
        (post.clone(), format!("/demand/{bookings}/frozen/{id}/remove"), Role::Planner),
        (post.clone(), "/demand/special-days".into(), Role::Planner),
        (post.clone(), "/demand/special-days/found".into(), Role::Planner),
        (post.clone(), "/demand/special-days/import".into(), Role::Planner),
        (post.clone(), format!("/demand/special-days/{id}/remove"), Role::Planner),
        (get.clone(), "/demand/import".into(), Role::Planner),
        (get.clone(), format!("/demand/import/{id}"), Role::Planner),
        (post.clone(), "/demand/import".into(), Role::Planner),
        (post.clone(), format!("/demand/import/{id}/confirm"), Role::Planner),
        (get.clone(), format!("/demand/import/{id}/columns"), Role::Planner),
        (post.clone(), format!("/demand/import/{id}/columns"), Role::Planner),
        (post.clone(), format!("/demand/import/{id}/undo"), Role::Planner),
        (get.clone(), "/people/trail".into(), Role::Administrator),
        (get.clone(), "/people/server".into(), Role::Administrator),
        (post.clone(), format!("/runs/{id}/retry"), Role::Planner),
        (get.clone(), "/people/trail.csv".into(), Role::Administrator),
        (post.clone(), "/people/tokens".into(), Role::Administrator),
        (post.clone(), format!("/people/tokens/{id}/remove"), Role::Administrator),
        (post.clone(), format!("/demand/import/{id}/discard"), Role::Planner),
        (post.clone(), format!("/demand/{id}/archive"), Role::Planner),
        (post.clone(), format!("/demand/{id}/restore"), Role::Planner),
        (post.clone(), format!("/demand/{id}/remove"), Role::Administrator),
        (get.clone(), "/staffing".into(), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/need/csv"), Role::Viewer),
        (post.clone(), format!("/staffing/{bookings}/try"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/why?at=0"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/what-if"), Role::Viewer),
        (post.clone(), format!("/staffing/{bookings}/what-if"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/every-interval"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/day-need"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/roster/day"), Role::Viewer),
        (post.clone(), format!("/staffing/{bookings}/roster/day/try"), Role::Viewer),
        (post.clone(), format!("/staffing/{bookings}/roster/day"), Role::Planner),
        (get.clone(), format!("/staffing/people/{id}/shifts.ics"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/roster"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/roster/ics"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/shifts/{id}"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/lines"), Role::Viewer),
        (get.clone(), format!("/staffing/{bookings}/customers"), Role::Viewer),
        (post.clone(), format!("/staffing/{bookings}/customers"), Role::Planner),
        (get.clone(), "/staffing/contacts.csv".to_owned(), Role::Viewer),
        (post.clone(), format!("/staffing/{bookings}/contacts"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/contacts/take"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/targets/undo"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/roster"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/shifts"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/shifts/{id}/stop"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/shifts/{id}/use"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/agents"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/agents/{id}/remove"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/time-off"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/time-off/{id}/remove"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/lines"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/targets"), Role::Planner),
        (post.clone(), format!("/staffing/{bookings}/cover"), Role::Planner),
        (get.clone(), "/strategy/map.svg".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/rules".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/walk".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/campaigns".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/campaigns/records.csv".to_owned(), Role::Viewer),
        (post.clone(), "/strategy/campaigns/news/records".to_owned(), Role::Planner),
        (
            get.clone(),
            format!("/strategy/campaigns/news/records?based_on=v1&calls={id}"),
            Role::Planner,
        ),
        (post.clone(), format!("/strategy/campaigns/news/records/{id}/remove"), Role::Planner),
        (post.clone(), "/strategy/campaigns/news/assumed".to_owned(), Role::Planner),
        (post.clone(), "/strategy/campaigns/news/list".to_owned(), Role::Planner),
        (get.clone(), "/strategy/lists".to_owned(), Role::Planner),
        (post.clone(), "/strategy/lists".to_owned(), Role::Planner),
        (get.clone(), "/strategy/lists/example.csv".to_owned(), Role::Viewer),
        (post.clone(), "/strategy/lists/do-not-call".to_owned(), Role::Planner),
        (post.clone(), "/strategy/lists/do-not-call/remove".to_owned(), Role::Planner),
        (get.clone(), "/strategy/lists/do-not-call.csv".to_owned(), Role::Planner),
        (post.clone(), "/strategy/lists/prefixes".to_owned(), Role::Planner),
        (post.clone(), "/strategy/lists/prefixes/reset".to_owned(), Role::Planner),
        (get.clone(), "/strategy/lists/prefixes.csv".to_owned(), Role::Planner),
        (get.clone(), format!("/strategy/lists/{id}"), Role::Planner),
        (get.clone(), format!("/strategy/lists/{id}/columns"), Role::Planner),
        (post.clone(), format!("/strategy/lists/{id}/columns"), Role::Planner),
        (post.clone(), format!("/strategy/lists/{id}/confirm"), Role::Planner),
        (post.clone(), format!("/strategy/lists/{id}/remove"), Role::Planner),
        (get.clone(), "/strategy/repair-effect?finding=x&repair=0".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/numbers".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/numbers.csv".to_owned(), Role::Viewer),
        (post.clone(), "/strategy/numbers".to_owned(), Role::Planner),
        (get.clone(), "/strategy/people".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/people.csv".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/people.xlsx".to_owned(), Role::Viewer),
        (post.clone(), "/strategy/people".to_owned(), Role::Planner),
        (get.clone(), "/strategy/expectations.csv".to_owned(), Role::Viewer),
        (post.clone(), "/strategy/expectations".to_owned(), Role::Planner),
        (post.clone(), "/strategy/expectations/import".to_owned(), Role::Planner),
        (post.clone(), format!("/strategy/expectations/{id}/remove"), Role::Planner),
        (post.clone(), "/strategy/repair".to_owned(), Role::Planner),
        (get.clone(), "/strategy".to_owned(), Role::Viewer),
        (get.clone(), "/strategy/versions/1".to_owned(), Role::Viewer),
        (get.clone(), "/strategy-schema.json".to_owned(), Role::Viewer),
        (get.clone(), "/customers-schema.json".to_owned(), Role::Viewer),
        (post.clone(), "/strategy/part".to_owned(), Role::Planner),
        (post.clone(), "/strategy/change".to_owned(), Role::Planner),
        (post.clone(), "/strategy/json".to_owned(), Role::Planner),
        (post.clone(), "/strategy/drafts".to_owned(), Role::Planner),
        (post.clone(), "/strategy/merge".to_owned(), Role::Planner),
        (post.clone(), "/strategy/waivers".to_owned(), Role::Planner),
        (post.clone(), format!("/strategy/waivers/{id}/take-back"), Role::Planner),
        (post.clone(), format!("/searches/{id}/cover"), Role::Planner),
        (post.clone(), format!("/searches/{id}/draft"), Role::Planner),
        (get.clone(), "/reports".into(), Role::Viewer),
        (post.clone(), "/reports".into(), Role::Planner),
        (get.clone(), "/reports/new".into(), Role::Planner),
        (post.clone(), "/reports/preview".into(), Role::Planner),
        (get.clone(), "/reports/week-review".into(), Role::Viewer),
        (get.clone(), "/reports/week-review/file/csv".into(), Role::Viewer),
        (get.clone(), "/reports/week-review/picture/service-1.svg".into(), Role::Viewer),
        (get.clone(), "/reports/week-review/file/pdf".into(), Role::Viewer),
        (get.clone(), format!("/reports/drawings/{id}"), Role::Viewer),
        (get.clone(), format!("/reports/drawings/{id}/part"), Role::Viewer),
        (get.clone(), format!("/reports/drawings/{id}/file"), Role::Viewer),
        (post.clone(), format!("/reports/{id}"), Role::Planner),
        (get.clone(), format!("/reports/{id}/edit"), Role::Planner),
        (post.clone(), format!("/reports/{id}/remove"), Role::Planner),
        (get.clone(), format!("/reports/{id}/made"), Role::Viewer),
        (post.clone(), format!("/reports/{id}/made"), Role::Planner),
        (post.clone(), format!("/reports/{id}/schedules"), Role::Planner),
        (post.clone(), format!("/reports/{id}/schedules/{id}"), Role::Planner),
        (get.clone(), format!("/reports/editions/{id}"), Role::Viewer),
        (get.clone(), format!("/reports/editions/{id}/csv"), Role::Viewer),
        (post.clone(), format!("/reports/editions/{id}"), Role::Planner),
        (get.clone(), "/trials".into(), Role::Viewer),
        (get.clone(), format!("/trials/{id}"), Role::Viewer),
        (get.clone(), format!("/runs/{id}/progress"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/intervals.csv"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/days.csv"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/trial.json"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/steps/queue"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/day"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/day.csv"), Role::Viewer),
        (get.clone(), format!("/trials/{id}/pacing.csv"), Role::Viewer),
        (get.clone(), format!("/trials/sets/{id}"), Role::Viewer),
        (get.clone(), "/trials/record".into(), Role::Viewer),
        (get.clone(), "/comparisons".into(), Role::Viewer),
        (get.clone(), format!("/comparisons/{id}"), Role::Viewer),
        (get.clone(), format!("/comparisons/{id}/comparison.json"), Role::Viewer),
        (post.clone(), "/comparisons".into(), Role::Planner),
        (get.clone(), format!("/trials/{id}/search"), Role::Viewer),
        (post.clone(), format!("/trials/{id}/search"), Role::Planner),
        (post.clone(), "/searches".into(), Role::Planner),
        (get.clone(), format!("/searches/{id}"), Role::Viewer),
        (get.clone(), format!("/searches/{id}/search.json"), Role::Viewer),
        (get.clone(), format!("/searches/{id}/people.csv"), Role::Viewer),
        (get.clone(), format!("/searches/{id}/tried.csv"), Role::Viewer),
        (post.clone(), format!("/searches/{id}/enough"), Role::Planner),
        (post.clone(), format!("/searches/{id}/trial"), Role::Planner),
        (post.clone(), "/trials".into(), Role::Planner),
        (post.clone(), format!("/runs/{id}/cancel"), Role::Planner),
        (post.clone(), format!("/trials/{id}/repeat"), Role::Planner),
        (get.clone(), "/go-live".into(), Role::Viewer),
        (get.clone(), "/go-live/new?version=1".into(), Role::Planner),
        (post.clone(), "/go-live/new?version=1".into(), Role::Planner),
        (get.clone(), "/go-live/sheets/1".into(), Role::Viewer),
        (post.clone(), "/go-live/sheets/1".into(), Role::Viewer),
        (get.clone(), "/go-live/sheets/1/text".into(), Role::Planner),
        (post.clone(), "/go-live/sheets/1/text".into(), Role::Planner),
        (get.clone(), "/go-live/sheets/1/sheet.json".into(), Role::Viewer),
        (get.clone(), "/watch".into(), Role::Viewer),
        (get.clone(), "/watch/weeks".into(), Role::Viewer),
        (get.clone(), "/watch/account".into(), Role::Viewer),
        (post.clone(), "/watch/account".into(), Role::Planner),
        (get.clone(), "/watch/account/2026-11-23/csv".into(), Role::Viewer),
        (get.clone(), "/watch/help".into(), Role::Viewer),
        (post.clone(), "/watch/help".into(), Role::Planner),
        (get.clone(), "/watch/help/message?kind=none".into(), Role::Planner),
        (post.clone(), "/watch/help/message".into(), Role::Planner),
        (post.clone(), "/watch/switch".into(), Role::Planner),
        (get.clone(), "/watch/alarms".into(), Role::Viewer),
        (post.clone(), "/watch/alarms".into(), Role::Planner),
        (post.clone(), format!("/watch/alarms/{id}"), Role::Planner),
        (get.clone(), "/watch/outbox".into(), Role::Planner),
        (post.clone(), format!("/watch/outbox/{id}"), Role::Planner),
        (post.clone(), "/watch/boards".into(), Role::Planner),
        (get.clone(), "/watch/boards/new".into(), Role::Planner),
        (post.clone(), "/watch/boards/arranged".into(), Role::Planner),
        (get.clone(), format!("/watch/boards/{id}"), Role::Viewer),
        (post.clone(), format!("/watch/boards/{id}"), Role::Planner),
        (get.clone(), format!("/watch/boards/{id}/edit"), Role::Planner),
        (post.clone(), format!("/watch/boards/{id}/remove"), Role::Planner),
        (get.clone(), "/watch/queues/queue".into(), Role::Viewer),
        (get.clone(), "/watch/teams/team".into(), Role::Planner),
        (get.clone(), "/methods/erlang".into(), Role::Viewer),
        (post.clone(), "/people/me/sessions".into(), Role::Viewer),
        (get.clone(), "/people/me/second-factor".into(), Role::Viewer),
        (post.clone(), "/people/me/second-factor".into(), Role::Viewer),
        (post.clone(), "/people/me/second-factor/remove".into(), Role::Viewer),
        (post.clone(), format!("/people/{id}/second-factor"), Role::Administrator),
        (post.clone(), "/people".into(), Role::Administrator),
        (post.clone(), format!("/people/{id}/role"), Role::Administrator),
        (post.clone(), format!("/people/{id}/agents"), Role::Administrator),
        (post.clone(), format!("/people/{id}/deactivated"), Role::Administrator),
        (post.clone(), "/go-live/evidence".into(), Role::Administrator),
        (post, format!("/people/{id}/password"), Role::Administrator),
        (get, "/people".into(), Role::Viewer),
    ]
}

/// Pages that strangers see too, and those whose name a parameter of another page would match.
const OPEN: [(&str, &str); 7] = [
    ("get", "/sign-in"),
    ("post", "/sign-in"),
    ("get", "/sign-in/code"),
    ("post", "/sign-in/code"),
    ("post", "/sign-out"),
    ("get", "/demand/import/example.csv"),
    ("post", "/people/me"),
];

/// Whether an address is one of a route: `{name}` stands for any one segment.
fn is_of(route: &str, address: &str) -> bool {
    let path = address.split('?').next().unwrap_or_default();
    let (wanted, given): (Vec<_>, Vec<_>) = (route.split('/').collect(), path.split('/').collect());
    wanted.len() == given.len()
        && wanted
            .iter()
            .zip(given)
            .all(|(wanted, given)| wanted.starts_with('{') || *wanted == given)
}

/// Every route of the pages with its methods, as the router names them.
fn routes() -> Vec<(&'static str, &'static str)> {
    let source = include_str!("../../src/lib.rs");
    let pages = source.split_once("Router::new()").unwrap().1.split_once(".fallback(").unwrap().0;
    let mut routes = Vec::new();
    for route in pages.split(".route(").skip(1) {
        let path = route.split('"').nth(1).unwrap();
        let methods = ["get", "post", "put", "delete"];
        let has = |method: &&str| {
            [" ", "."].iter().any(|before| route.contains(&format!("{before}{method}(")))
        };
        routes.extend(methods.into_iter().filter(has).map(|method| (method, path)));
    }
    routes
}

#[test]
fn every_route_is_tried_with_every_role() {
    let pages = pages(Uuid::nil());
    let routes = routes();
    assert!(routes.len() > 90, "{}", routes.len());
    // A stream has no end that could be waited for: `live` looks at its beginning.
    for (method, route) in routes.into_iter().filter(|(_, route)| !route.ends_with("/stream")) {
        let is_tried = pages.iter().any(|(of, address, _)| {
            of.as_str().eq_ignore_ascii_case(method) && is_of(route, address)
        });
        assert_ne!(is_tried, OPEN.contains(&(method, route)), "{method} {route}");
    }
}

#[sqlx::test(migrations = false)]
async fn a_stranger_is_asked_to_sign_in_on_every_page(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let stranger = centre.stranger();
    for (method, address, _) in pages(centre.bookings) {
        let answer = stranger.request(&method, &address).await;
        assert_eq!(answer.status, StatusCode::SEE_OTHER, "{method} {address}");
        assert!(answer.location().starts_with("/sign-in?next=/"), "{method} {address}");
    }
    let by_script = Request::get("/reading").header("hx-request", "true");
    let answer = stranger.send(by_script, Body::empty()).await;
    assert_eq!(answer.status, StatusCode::UNAUTHORIZED);
    assert_eq!(answer.headers["hx-redirect"], "/sign-in?next=/reading");
}

#[sqlx::test(migrations = false)]
async fn every_role_is_refused_what_is_above_it_and_nothing_else(pool: PgPool) {
    let centre = Centre::new(pool).await;
    for role in [Role::Viewer, Role::Planner, Role::Approver, Role::Administrator] {
        let visitor = centre.visitor(role).await;
        for (method, address, least) in pages(centre.bookings) {
            let answer = visitor.request(&method, &address).await;
            let is_refused = answer.status == StatusCode::FORBIDDEN;
            assert_eq!(is_refused, role < least, "{role:?} {method} {address}: {}", answer.status);
            assert!(
                !answer.status.is_server_error(),
                "{role:?} {method} {address}: {}",
                answer.text
            );
        }
    }
}

#[sqlx::test(migrations = false)]
async fn a_change_sent_from_another_site_is_not_carried_out(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let planner = centre.visitor(Role::Planner).await;
    let address = "/strategy/change";
    for (name, value) in [("sec-fetch-site", "cross-site"), ("origin", "https://elsewhere.example")]
    {
        let request = Request::post(address)
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
            .header(name, value);
        let form = "based_on=v1&do=name&name=X";
        let answer = planner.send(request, Body::from(form)).await;
        assert_eq!(answer.status, StatusCode::FORBIDDEN, "{name}: {value}");
        answer.says("from another site");
    }
    assert!(centre.store.drafts(centre.centre).await.unwrap().is_empty());
}

#[sqlx::test(migrations = false)]
async fn pages_carry_the_headers_that_keep_them_safe(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let answer = centre.visitor(Role::Viewer).await.get("/").await;
    assert_eq!(answer.status, StatusCode::OK);
    let policy = answer.headers[header::CONTENT_SECURITY_POLICY].to_str().unwrap();
    assert!(policy.contains("script-src 'self';"), "{policy}");
    assert!(
        !policy.contains("'unsafe-eval'") && !policy.contains("script-src 'self' 'unsafe-inline'")
    );
    assert_eq!(answer.headers[header::X_CONTENT_TYPE_OPTIONS], "nosniff");
    assert_eq!(answer.headers[header::CACHE_CONTROL], "no-store");
    // No inline script or style element: only data and files.
    for script in answer.text.split("<script").skip(1) {
        assert!(
            script.starts_with(" src=") || script.starts_with(" type=\"application/json\""),
            "{script}"
        );
    }
    assert!(!answer.text.contains("<style") && !answer.text.contains(" onclick="));
}

#[sqlx::test(migrations = false)]
async fn every_answer_has_the_headers_and_only_https_insists_on_itself(pool: PgPool) {
    let centre = Centre::new(pool).await;
    for https in [false, true] {
        for address in ["/sign-in", "/health/live", "/static/app.css", "/api/history", "/nowhere"] {
            let request = Request::get(address).body(Body::empty()).unwrap();
            let app = centre.app(Settings { https, ..Centre::settings() });
            let headers = app.oneshot(request).await.unwrap().headers().clone();
            assert_eq!(headers[header::X_CONTENT_TYPE_OPTIONS], "nosniff", "{address}");
            assert_eq!(headers[header::X_FRAME_OPTIONS], "DENY", "{address}");
            assert!(headers.contains_key(header::CONTENT_SECURITY_POLICY), "{address}");
            assert_eq!(headers.contains_key(header::STRICT_TRANSPORT_SECURITY), https, "{address}");
        }
    }
}

#[sqlx::test(migrations = false)]
async fn the_session_cookie_is_closed_to_scripts_and_other_sites_and_secure_over_https(
    pool: PgPool,
) {
    let centre = Centre::new(pool).await;
    for https in [false, true] {
        let request = Request::post("/sign-in")
            .header(header::HOST, "barometer.example")
            .header("sec-fetch-site", "same-origin")
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
            .body(Body::from("email=planner%40example.org&password=low+tide+at+nine"))
            .unwrap();
        let app = centre.app(Settings { https, ..Centre::settings() });
        let response = app.oneshot(request).await.unwrap();
        let cookie = response.headers()[header::SET_COOKIE].to_str().unwrap().to_owned();
        assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Lax"), "{cookie}");
        assert_eq!(cookie.contains("Secure"), https, "{cookie}");
    }
}

#[sqlx::test(migrations = false)]
async fn a_wrong_password_says_so_and_signing_out_ends_the_session(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let form = "email=planner%40example.org&password=high+tide";
    let answer = centre.stranger().post("/sign-in", form).await;
    assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY);
    answer.says("do not belong together").says("value=\"planner@example.org\"");
    let planner = centre.visitor(Role::Planner).await;
    assert_eq!(planner.get("/").await.status, StatusCode::OK);
    planner.post("/sign-out", "").await;
    assert_eq!(
        planner.get("/").await.status,
        StatusCode::SEE_OTHER,
        "the old cookie opens nothing"
    );
}

#[sqlx::test(migrations = false)]
async fn signing_in_over_a_session_leaves_nothing_for_whoever_copied_its_cookie(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let viewer = centre.visitor(Role::Viewer).await;
    let form = "email=administrator%40example.org&password=low+tide+at+nine";
    let answer = viewer.post("/sign-in", form).await;
    assert_eq!(answer.status, StatusCode::SEE_OTHER);
    let fresh = answer.headers[header::SET_COOKIE].to_str().unwrap().split(';').next().unwrap();
    assert_eq!(viewer.get("/people").await.status, StatusCode::SEE_OTHER, "the old cookie is over");
    let administrator = centre.with_cookie(fresh);
    administrator.get("/people").await.says("Add somebody");
    // What stands in the table opens nothing: neither the cookie's value nor a password's hash.
    let kept: Vec<(String, String)> =
        sqlx::query_as("SELECT id, record::text FROM sessions").fetch_all(&pool).await.unwrap();
    let secret = fresh.split('=').nth(1).unwrap();
    for (id, record) in kept {
        assert!(!id.contains(secret) && !record.contains(secret) && !record.contains("argon2"));
    }
}

#[sqlx::test(migrations = false)]
async fn a_new_password_ends_other_sessions_and_so_does_a_button(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (here, there) = (centre.visitor(Role::Planner).await, centre.visitor(Role::Planner).await);
    let other = centre.visitor(Role::Viewer).await;
    here.get("/people").await.says("You are signed in at 2 places.");
    let ended = here.post("/people/me/sessions", "").await;
    assert_eq!(ended.location(), "/people?note=ended");
    assert_eq!(there.get("/").await.status, StatusCode::SEE_OTHER);
    assert_eq!(here.get("/").await.status, StatusCode::OK);
    // One of them alone, by whoever it belongs to.
    let there = centre.visitor(Role::Planner).await;
    let page = here.get("/people").await;
    page.says("You are signed in at 2 places.").says("here");
    let id = page.text.split("name=\"session\" value=\"").nth(1).unwrap()[..64].to_owned();
    let stolen = other.post("/people/me/sessions", &format!("session={id}")).await;
    assert_eq!(stolen.status, StatusCode::NOT_FOUND, "somebody else's is not theirs to end");
    assert_eq!(there.get("/").await.status, StatusCode::OK);
    here.post("/people/me/sessions", &format!("session={id}")).await;
    assert_eq!(there.get("/").await.status, StatusCode::SEE_OTHER);
    assert_eq!(here.get("/").await.status, StatusCode::OK);
    let there = centre.visitor(Role::Planner).await;
    let form = "current=low+tide+at+nine&new=high+tide+at+noon";
    let changed = here.post("/people/me", form).await;
    assert_eq!(changed.location(), "/people?note=password");
    let fresh = changed.headers[header::SET_COOKIE].to_str().unwrap().split(';').next().unwrap();
    assert_eq!(centre.with_cookie(fresh).get("/").await.status, StatusCode::OK);
    for over in [&here, &there] {
        assert_eq!(over.get("/").await.status, StatusCode::SEE_OTHER);
    }
    assert_eq!(other.get("/").await.status, StatusCode::OK, "somebody else's stays");
}

#[sqlx::test(migrations = false)]
async fn whoever_guesses_has_to_wait_and_nobody_else(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let stranger = centre.stranger();
    let form = |who: &str, password: &str| format!("email={who}%40example.org&password={password}");
    for _ in 0..5 {
        let wrong = stranger.post("/sign-in", &form("planner", "high+tide")).await;
        assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    }
    let right = stranger.post("/sign-in", &form("Planner", "low+tide+at+nine")).await;
    assert_eq!(right.status, StatusCode::TOO_MANY_REQUESTS);
    right.says("Too many attempts failed. Try again in 15 minutes.");
    let other = stranger.post("/sign-in", &form("viewer", "low+tide+at+nine")).await;
    assert_eq!(other.status, StatusCode::SEE_OTHER);
}

#[sqlx::test(migrations = false)]
async fn administrators_who_demote_each_other_leave_one(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let store = &centre.store;
    let users = store.users().await.unwrap();
    let id = |role| users.iter().find(|user| user.role == role).unwrap().id;
    let (first, second) = (id(Role::Administrator), id(Role::Approver));
    for _ in 0..10 {
        for each in [first, second] {
            assert!(store.set_role(each, Role::Administrator, Save::OURS).await.unwrap());
        }
        let (one, other) = tokio::join!(
            store.set_role(first, Role::Viewer, Save::OURS),
            store.set_role(second, Role::Viewer, Save::OURS)
        );
        assert_ne!(one.unwrap(), other.unwrap(), "one of them");
    }
    let admin = centre.visitor(Role::Viewer).await;
    assert_eq!(
        admin.post(&format!("/people/{first}/role"), "role=viewer").await.status,
        StatusCode::FORBIDDEN
    );
}

#[sqlx::test(migrations = false)]
async fn whoever_has_left_cannot_sign_in_and_their_sessions_and_tokens_end(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (admin, planner) =
        (centre.visitor(Role::Administrator).await, centre.visitor(Role::Planner).await);
    let users = centre.store.users().await.unwrap();
    let id = |role| users.iter().find(|user| user.role == role).unwrap().id;
    let (person, own) = (id(Role::Planner), id(Role::Administrator));
    let secret = centre.store.add_token(centre.centre, "Nightly", person).await.unwrap();
    let address = format!("/people/{person}/deactivated");
    let done = admin.save("/people", &address, "is_deactivated=true").await;
    assert_eq!(done.location(), "/people?note=deactivated");
    admin
        .get("/people")
        .await
        .says("Three people can sign in.")
        .says("Let A planner sign in again");
    assert_eq!(planner.get("/").await.status, StatusCode::SEE_OTHER, "the session is over");
    assert!(centre.store.user_by_token(&secret).await.unwrap().is_none());
    let form = "email=planner%40example.org&password=low+tide+at+nine";
    let refused = centre.stranger().post("/sign-in", form).await;
    refused.says("do not belong together");
    // The way back, and nobody's way to keep everybody out.
    admin.save("/people", &address, "is_deactivated=false").await;
    centre.visitor(Role::Planner).await.get("/demand").await.says("Bookings");
    let self_made = admin.post(&format!("/people/{own}/deactivated"), "is_deactivated=true").await;
    self_made.says("Another administrator must do this to you");
    assert!(
        !centre.store.deactivate(own, true, Save::OURS).await.unwrap(),
        "the only administrator stays"
    );
    admin.get("/people/trail").await.says("may not sign in");
}

#[sqlx::test(migrations = false)]
async fn demo_passwords_are_shown_in_the_demo_only(pool: PgPool) {
    let centre = Centre::new(pool).await;
    for demo in [false, true] {
        let request = Request::get("/sign-in").body(Body::empty()).unwrap();
        let response =
            centre.app(Settings { demo, ..Centre::settings() }).oneshot(request).await.unwrap();
        let bytes = axum::body::to_bytes(response.into_body(), usize::MAX).await.unwrap();
        let page = String::from_utf8(bytes.to_vec()).unwrap();
        for user in DEMO_USERS {
            assert_eq!(page.contains(user.password), demo, "{}", user.email);
        }
    }
}

#[sqlx::test(migrations = false)]
async fn an_administrator_adds_people_and_changes_roles_but_not_their_own(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let admin = centre.visitor(Role::Administrator).await;
    let wrong = admin.post("/people", "name=&email=nobody&role=king&password=short").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    for field in ["name", "email", "role", "password"] {
        wrong.says(&format!("id=\"{field}-wrong\""));
    }
    let form = "name=Nell+Quay&email=Planner%40Example.org&role=viewer&password=low+tide+at+nine";
    admin
        .post("/people", form)
        .await
        .says("Somebody signs in with this address already.")
        .says("Nell Quay");
    let added = admin.post("/people", &form.replace("Planner%40", "nell%40")).await;
    assert_eq!(added.status, StatusCode::SEE_OTHER, "{}", added.text);
    let nell = centre.store.user_by_email("nell@example.org").await.unwrap().unwrap();
    admin.post(&format!("/people/{}/role", nell.id), "role=planner").await;
    assert_eq!(centre.store.user(nell.id).await.unwrap().unwrap().role, Role::Planner);
    let me = centre.store.user_by_email("administrator@example.org").await.unwrap().unwrap();
    let refused = admin.post(&format!("/people/{}/role", me.id), "role=viewer").await;
    refused.says("Another administrator must change your role");
    let viewer = centre.visitor(Role::Viewer).await;
    let page = viewer.get("/people").await;
    page.says("Your password");
    assert!(!page.text.contains("nell@example.org"), "a viewer does not see who else signs in");
}

#[sqlx::test(migrations = false)]
async fn a_new_password_ends_the_sessions_of_the_old_one_but_not_ones_own(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (here, elsewhere) =
        (centre.visitor(Role::Planner).await, centre.visitor(Role::Planner).await);
    let refused = here.post("/people/me", "current=wrong&new=high+tide+at+three").await;
    refused.says("This is not your current password.");
    let form = "current=low+tide+at+nine&new=high+tide+at+three";
    let changed = here.post("/people/me", form).await;
    assert_eq!(changed.status, StatusCode::SEE_OTHER, "{}", changed.text);
    assert_eq!(elsewhere.get("/").await.status, StatusCode::SEE_OTHER, "signed out elsewhere");
}
