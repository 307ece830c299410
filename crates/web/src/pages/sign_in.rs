//! Signing in and out.

use std::time::Instant;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum_login::AuthSession;
use barometer_store::Deed;
use serde::Deserialize;

use crate::App;
use crate::access::{Accounts, Credentials, NotAuthenticated};
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
        let minutes = wait.as_secs().div_ceil(60);
        let wrong = format!(
            "Too many attempts failed. Try again in {minutes} minute{}.",
            if minutes == 1 { "" } else { "s" }
        );
        let page = SignInPage::new(&app, email, next, Some(wrong)).await?;
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
    app.attempts.succeeded(&email, address);
    // The session that was open here ends; a copy of its cookie does not become this account's.
    if session.session.id().is_some() {
        session.logout().await.map_err(internal)?;
    }
    session.login(&account).await.map_err(internal)?;
    session.session.cycle_id().await.map_err(internal)?;
    note_at_the_door(&app, &email, address, Deed::SignedIn).await;
    Ok(Redirect::to(own_path(&next)).into_response())
}

/// `POST /sign-out`
pub(crate) async fn sign_out(mut session: AuthSession<Accounts>) -> Result<Response, PageError> {
    session.logout().await.map_err(internal)?;
    Ok(Redirect::to("/sign-in").into_response())
}

fn internal(error: impl std::error::Error + Send + Sync + 'static) -> PageError {
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
