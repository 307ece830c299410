//! Signing in and out.

use std::net::IpAddr;
use std::time::{Duration, Instant};

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum_login::AuthSession;
use barometer_app::clock::now;
use barometer_app::second_factor::Secret;
use barometer_store::{Deed, SESSION_FROM};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::App;
use crate::access::{Account, Accounts, Credentials, NotAuthenticated};
use crate::extract::{ClientAddress, Form, Query};
use crate::page_error::PageError;
use crate::pages::trail::note_at_the_door;
use crate::pages::{page, refused};

/// Demo users as the sign-in page shows them; `barometer demo` makes the same.
pub const DEMO_USERS: [DemoUser; 4] = [
    DemoUser {
        name: "E. Marlowe",
        email: "planner@larkhaven.example",
        password: "plan-the-tide",
        role: barometer_store::Role::Planner,
    },
    DemoUser {
        name: "Ines Okafor",
        email: "approver@larkhaven.example",
        password: "approve-the-tide",
        role: barometer_store::Role::Approver,
    },
    DemoUser {
        name: "Tom Birkett",
        email: "viewer@larkhaven.example",
        password: "watch-the-tide",
        role: barometer_store::Role::Viewer,
    },
    DemoUser {
        name: "Asha Lindqvist",
        email: "admin@larkhaven.example",
        password: "mind-the-tide",
        role: barometer_store::Role::Administrator,
    },
];

/// A demo user.
#[derive(Clone, Copy, Debug)]
pub struct DemoUser {
    /// Made-up name.
    pub name: &'static str,
    /// Address to sign in with.
    pub email: &'static str,
    /// Password, shown on the sign-in page of the demo.
    pub password: &'static str,
    /// What they may do.
    pub role: barometer_store::Role,
}

#[derive(Deserialize)]
pub(crate) struct Next {
    #[serde(default)]
    next: String,
}

#[derive(Deserialize)]
pub(crate) struct SignInForm {
    #[serde(default)]
    email: String,
    #[serde(default)]
    password: String,
    #[serde(default)]
    next: String,
}

#[derive(Template)]
#[template(path = "sign_in.html")]
struct SignInPage {
    email: String,
    next: String,
    wrong: Option<String>,
    /// Name of the centre, in the demo.
    centre: Option<String>,
    demo_users: &'static [DemoUser],
}

impl SignInPage {
    async fn new(
        app: &App,
        email: String,
        next: String,
        wrong: Option<String>,
    ) -> Result<Self, PageError> {
        let demo = app.settings.demo;
        let centre = if demo { app.store.centre().await? } else { None };
        Ok(Self {
            email,
            next,
            wrong,
            centre: centre.map(|centre| centre.name),
            demo_users: if demo { &DEMO_USERS } else { &[] },
        })
    }
}

/// `GET /sign-in`
pub(crate) async fn form(
    State(app): State<App>,
    Query(query): Query<Next>,
) -> Result<Response, PageError> {
    page(&SignInPage::new(&app, String::new(), query.next, None).await?)
}

/// `POST /sign-in`: on to the page that was asked for.
pub(crate) async fn sign_in(
    State(app): State<App>,
    mut session: AuthSession<Accounts>,
    ClientAddress(address): ClientAddress,
    Form(typed): Form<SignInForm>,
) -> Result<Response, PageError> {
    let SignInForm { email, password, next } = typed;
    if let Some(wait) = app.attempts.wait(Instant::now(), &email, address) {
        tracing::warn!(email, ?address, "refused to sign in: too many failures");
        app.metrics.refused_sign_ins.inc();
        let page = SignInPage::new(&app, email, next, Some(too_many(wait))).await?;
        return Ok((StatusCode::TOO_MANY_REQUESTS, Html(page.render()?)).into_response());
    }
    let credentials = Credentials { email: email.clone(), password };
    let account = match session.authenticate(credentials).await {
        Ok(account) => account,
        Err(axum_login::Error::Backend(NotAuthenticated::Busy(busy))) => {
            let wrong = format!("{}.", crate::words::capitalised(&busy.to_string()));
            let page = SignInPage::new(&app, email, next, Some(wrong)).await?;
            return Ok((StatusCode::SERVICE_UNAVAILABLE, Html(page.render()?)).into_response());
        }
        Err(error) => return Err(internal(error)),
    };
    let Some(account) = account else {
        app.attempts.failed(Instant::now(), &email, address);
        tracing::warn!(email, ?address, "failed to sign in");
        app.metrics.refused_sign_ins.inc();
        note_at_the_door(&app, &email, address, Deed::SignInRefused).await;
        let wrong = "This address and password do not belong together. Check both and try again.";
        return refused(&SignInPage::new(&app, email, next, Some(wrong.to_owned())).await?);
    };
    // The session that was open here ends; a copy of its cookie does not become this account's.
    if session.session.id().is_some() {
        session.logout().await.map_err(internal)?;
    }
    if account.0.has_second_factor {
        let waiting = Waiting { user: account.0.id, email, next, since_second: now().as_second() };
        session.session.insert(WAITING, &waiting).await.map_err(internal)?;
        return Ok(Redirect::to("/sign-in/code").into_response());
    }
    app.attempts.succeeded(&email, address);
    begin_session(&mut session, &account, address).await?;
    note_at_the_door(&app, &email, address, Deed::SignedIn).await;
    Ok(Redirect::to(own_path(&next)).into_response())
}

/// Signs somebody in, under a new key.
pub(super) async fn begin_session(
    session: &mut AuthSession<Accounts>,
    account: &Account,
    from: Option<IpAddr>,
) -> Result<(), PageError> {
    session.login(account).await.map_err(internal)?;
    let from = from.map(|from| from.to_string());
    session.session.insert(SESSION_FROM, from).await.map_err(internal)?;
    session.session.cycle_id().await.map_err(internal)
}

/// Where a session keeps who has shown the password and not the code yet.
const WAITING: &str = "waiting_for_code";

/// Seconds in which the code must follow the password.
const LONGEST_WAIT_SECS: i64 = 300;

/// Somebody who has shown the password and not the code yet.
#[derive(Debug, Serialize, Deserialize)]
struct Waiting {
    user: Uuid,
    email: String,
    next: String,
    since_second: i64,
}

impl Waiting {
    /// Who waits in this session; nobody after five minutes.
    async fn of(session: &AuthSession<Accounts>) -> Result<Option<Self>, PageError> {
        let waiting: Option<Self> = session.session.get(WAITING).await.map_err(internal)?;
        let age = |waiting: &Self| now().as_second() - waiting.since_second;
        Ok(waiting.filter(|waiting| (0..=LONGEST_WAIT_SECS).contains(&age(waiting))))
    }
}

#[derive(Template)]
#[template(path = "sign_in_code.html")]
struct CodePage {
    wrong: Option<String>,
}

/// `GET /sign-in/code`
pub(crate) async fn ask_for_code(session: AuthSession<Accounts>) -> Result<Response, PageError> {
    match Waiting::of(&session).await? {
        Some(_) => page(&CodePage { wrong: None }),
        None => Ok(Redirect::to("/sign-in").into_response()),
    }
}

#[derive(Deserialize)]
pub(crate) struct CodeForm {
    #[serde(default)]
    code: String,
}

/// `POST /sign-in/code`: the second factor, after the password.
pub(crate) async fn take_code(
    State(app): State<App>,
    mut session: AuthSession<Accounts>,
    ClientAddress(address): ClientAddress,
    Form(typed): Form<CodeForm>,
) -> Result<Response, PageError> {
    let Some(waiting) = Waiting::of(&session).await? else {
        return Ok(Redirect::to("/sign-in").into_response());
    };
    let email = waiting.email;
    if let Some(wait) = app.attempts.wait(Instant::now(), &email, address) {
        app.metrics.refused_sign_ins.inc();
        let page = CodePage { wrong: Some(too_many(wait)) };
        return Ok((StatusCode::TOO_MANY_REQUESTS, Html(page.render()?)).into_response());
    }
    let user = app.store.user(waiting.user).await?.filter(|user| !user.is_deactivated);
    let kept = app.store.second_factor(waiting.user).await?;
    let step = kept.and_then(|(secret, last)| Secret(secret).step_of(&typed.code, now(), last));
    let is_right = match step {
        // Of two requests with the same code one is too late.
        Some(step) => app.store.use_code(waiting.user, step).await?,
        None => false,
    };
    let Some(user) = user.filter(|_| is_right) else {
        app.attempts.failed(Instant::now(), &email, address);
        app.metrics.refused_sign_ins.inc();
        note_at_the_door(&app, &email, address, Deed::SignInRefused).await;
        let wrong =
            "This is not the code that the authenticator shows now, or it was used already.";
        return refused(&CodePage { wrong: Some(wrong.to_owned()) });
    };
    app.attempts.succeeded(&email, address);
    session.session.remove::<Waiting>(WAITING).await.map_err(internal)?;
    begin_session(&mut session, &Account(user), address).await?;
    note_at_the_door(&app, &email, address, Deed::SignedIn).await;
    Ok(Redirect::to(own_path(&waiting.next)).into_response())
}

fn too_many(wait: Duration) -> String {
    let minutes = wait.as_secs().div_ceil(60);
    format!(
        "Too many attempts failed. Try again in {minutes} minute{}.",
        if minutes == 1 { "" } else { "s" }
    )
}

/// `POST /sign-out`
pub(crate) async fn sign_out(mut session: AuthSession<Accounts>) -> Result<Response, PageError> {
    session.logout().await.map_err(internal)?;
    Ok(Redirect::to("/sign-in").into_response())
}

pub(super) fn internal(error: impl std::error::Error + Send + Sync + 'static) -> PageError {
    PageError::Internal(Box::new(error))
}

/// Only paths of our own: a link must not send a visitor elsewhere after signing in.
fn own_path(next: &str) -> &str {
    // Browsers drop tabs and line ends, and read a backslash as a slash.
    let is_plain = next.chars().all(|each| each.is_ascii_graphic() && each != '\\');
    let is_own = is_plain && next.starts_with('/') && !next.starts_with("//");
    if is_own { next } else { "/" }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn signing_in_never_leads_to_another_site() {
        assert_eq!(own_path("/demand?day=2026-11-23"), "/demand?day=2026-11-23");
        for elsewhere in [
            "/\t/example.org",
            "/\n",
            "/é",
            "https://example.org",
            "//example.org",
            "/\\example.org",
            "",
        ] {
            assert_eq!(own_path(elsewhere), "/");
        }
    }
}
