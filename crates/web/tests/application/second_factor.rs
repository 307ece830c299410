//! The second factor: set up, asked for, used once, lost, and needed by administrators.

use axum::http::{StatusCode, header};
use barometer_app::clock::now;
use barometer_app::second_factor::Secret;
use barometer_store::Role;
use barometer_web::Settings;
use jiff::{Timestamp, ToSpan};
use sqlx::PgPool;
use totp_rs::{Algorithm, TOTP};
use uuid::Uuid;

use crate::visitor::{Answer, Centre, Visitor};

const PASSWORD_FORM: &str = "email=planner%40example.org&password=low+tide+at+nine&next=%2Fdemand";

/// What an authenticator with this secret shows.
fn shown(secret: &Secret, at: Timestamp) -> String {
    let totp = TOTP::new(Algorithm::SHA1, 6, 0, 30, secret.0.clone(), None, String::new()).unwrap();
    totp.generate(at.as_second() as u64)
}

async fn planner(centre: &Centre) -> Uuid {
    centre.store.user_by_email("planner@example.org").await.unwrap().unwrap().id
}

fn with_cookie_of(centre: &Centre, answer: &Answer) -> Visitor {
    let cookie = answer.headers[header::SET_COOKIE].to_str().unwrap();
    centre.with_cookie(cookie.split(';').next().unwrap())
}

/// A planner whose authenticator has this secret.
async fn set_up(centre: &Centre) -> Secret {
    let secret = Secret::new();
    centre.store.set_second_factor(planner(centre).await, Some((&secret.0, 0))).await.unwrap();
    secret
}

#[sqlx::test(migrations = false)]
async fn an_authenticator_is_set_up_by_its_first_code(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let (here, there) = (centre.visitor(Role::Planner).await, centre.visitor(Role::Planner).await);
    here.get("/people").await.says("Your password alone is enough to sign in.");
    let page = here.get("/people/me/second-factor").await;
    page.says("<svg");
    let key = page.text.split("<code>").nth(1).unwrap().split("</code>").next().unwrap();
    let again = here.get("/people/me/second-factor").await;
    again.says(key);
    let wrong = here.post("/people/me/second-factor", "code=000000").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("id=\"code-wrong\"").says(key);
    let key = totp_rs::Secret::Encoded(key.replace(' ', "")).to_bytes().unwrap();
    let code = shown(&Secret(key), now());
    let done = here.post("/people/me/second-factor", &format!("code={code}")).await;
    assert_eq!(done.location(), "/people?note=factor");
    let here = with_cookie_of(&centre, &done);
    here.get("/people").await.says("Your authenticator is asked for as well.");
    assert_eq!(there.get("/").await.status, StatusCode::SEE_OTHER, "begun without it");
    // It goes with the password, and with nothing less.
    let wrong = here.post("/people/me/second-factor/remove", "current=high+tide").await;
    wrong.says("This is not your current password.");
    let gone = here.post("/people/me/second-factor/remove", "current=low+tide+at+nine").await;
    with_cookie_of(&centre, &gone).get("/people").await.says("Your password alone is enough");
}

#[sqlx::test(migrations = false)]
async fn a_password_alone_does_not_open_and_a_code_opens_once(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let secret = set_up(&centre).await;
    let half_in = async || {
        let answer = centre.stranger().post("/sign-in", PASSWORD_FORM).await;
        assert_eq!(answer.location(), "/sign-in/code");
        with_cookie_of(&centre, &answer)
    };
    let visitor = half_in().await;
    assert_eq!(visitor.get("/").await.status, StatusCode::SEE_OTHER, "not signed in yet");
    visitor.get("/sign-in/code").await.says("What does your authenticator show?");
    let wrong = visitor.post("/sign-in/code", "code=000000").await;
    assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    wrong.says("not the code");
    let old = shown(&secret, now() - 5.minutes());
    visitor.post("/sign-in/code", &format!("code={old}")).await.says("not the code");
    let code = format!("code={}", shown(&secret, now()));
    let opened = visitor.post("/sign-in/code", &code).await;
    assert_eq!(opened.location(), "/demand");
    assert_eq!(with_cookie_of(&centre, &opened).get("/").await.status, StatusCode::OK);
    let late = half_in().await.post("/sign-in/code", &code).await;
    late.says("or it was used already");
    // Without the password there is nothing to show a code for.
    assert_eq!(centre.stranger().post("/sign-in/code", &code).await.location(), "/sign-in");
}

#[sqlx::test(migrations = false)]
async fn whoever_guesses_codes_has_to_wait(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let secret = set_up(&centre).await;
    // One server, which counts.
    let server = centre.stranger();
    let answer = server.post("/sign-in", PASSWORD_FORM).await;
    let cookie = answer.headers[header::SET_COOKIE].to_str().unwrap().to_owned();
    let server = server.with(cookie.split(';').next().unwrap());
    for _ in 0..5 {
        let wrong = server.post("/sign-in/code", "code=123").await;
        assert_eq!(wrong.status, StatusCode::UNPROCESSABLE_ENTITY);
    }
    let right = format!("code={}", shown(&secret, now()));
    let refused = server.post("/sign-in/code", &right).await;
    assert_eq!(refused.status, StatusCode::TOO_MANY_REQUESTS);
    refused.says("Too many attempts failed.");
}

#[sqlx::test(migrations = false)]
async fn a_lost_authenticator_is_taken_away_by_an_administrator(pool: PgPool) {
    let centre = Centre::new(pool).await;
    set_up(&centre).await;
    let admin = centre.visitor(Role::Administrator).await;
    admin.get("/people").await.says("Authenticator lost");
    let person = planner(&centre).await;
    admin.post(&format!("/people/{person}/second-factor"), "").await;
    assert!(!centre.store.user(person).await.unwrap().unwrap().has_second_factor);
    centre.visitor(Role::Planner).await.get("/people").await.says("Your password alone");
    admin.get("/people/trail").await.says("changed a second factor");
}

#[sqlx::test(migrations = false)]
async fn administrators_need_one_where_that_is_set(pool: PgPool) {
    let centre = Centre::new(pool).await;
    let settings = Settings { administrators_need_second_factor: true, ..Centre::settings() };
    let admin = centre.visitor(Role::Administrator).await.of(centre.app(settings));
    let refused = admin.post("/people/tokens", "name=Nightly").await;
    assert_eq!(refused.status, StatusCode::FORBIDDEN);
    refused.says("Administrators need a second factor here.");
    admin.get("/people/me/second-factor").await.says("Administrators need one here.");
    assert_eq!(admin.get("/demand").await.status, StatusCode::OK, "the rest goes on");
}
