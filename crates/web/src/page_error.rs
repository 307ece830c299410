//! What a visitor sees when a page cannot be shown, and what the log keeps.

use std::any::Any;

use askama::Template;
use axum::body::Body;
use axum::http::request::Parts;
use axum::http::{HeaderValue, StatusCode};
use axum::response::{Html, IntoResponse, Redirect, Response};
use barometer_app::AppError;
use barometer_store::{Role, SavedMeanwhile, StoreError};
use tower_http::csrf::ProtectionError;

use crate::edited;

/// Why a page cannot be shown. Its `Display` is for the visitor, its source for the log.
#[derive(Debug, thiserror::Error)]
pub(crate) enum PageError {
    #[error("Sign in to see this page.")]
    SignedOut { next: String, by_script: bool },
    #[error("This needs the role {}; yours does not allow it. Ask an administrator.", .needed.word())]
    Forbidden { needed: Role },
    #[error("Single agents are shown to those who have this right. Ask an administrator for it.")]
    SingleAgents,
    #[error(
        "Administrators need a second factor here. Set up an authenticator under People, “Your password”."
    )]
    NeedsSecondFactor,
    #[error("There is nothing at this address. It may have been renamed or removed.")]
    NotFound,
    #[error(
        "There is no contact centre yet. Start Barometer with its demo, or add a centre with `barometer add-centre`."
    )]
    NoCentre,
    #[error("{0}")]
    Refused(String),
    #[error(
        "This was sent before, and is carried out once at most. Go back, reload the page and see what has become of it before you send it again."
    )]
    SentTwice,
    #[error(
        "{} changed this after you had opened the page, so nothing was done. Go back, reload the page and look again.",
        edited::who(.0)
    )]
    SavedMeanwhile(SavedMeanwhile),
    #[error("This came from another site and was not carried out.")]
    CrossSite,
    #[error(
        "Something went wrong on our side. If you were saving something, go back and reload the page to see whether it is there before you send it again. Tell your administrator if it happens again."
    )]
    Internal(#[source] Box<dyn std::error::Error + Send + Sync>),
}

impl PageError {
    pub fn signed_out(parts: &Parts) -> Self {
        let next = parts.uri.path_and_query().map_or("/", |path| path.as_str()).to_owned();
        Self::SignedOut { next, by_script: parts.headers.contains_key("hx-request") }
    }

    const fn status(&self) -> StatusCode {
        match self {
            Self::SignedOut { .. } => StatusCode::UNAUTHORIZED,
            Self::Forbidden { .. }
            | Self::SingleAgents
            | Self::NeedsSecondFactor
            | Self::CrossSite => StatusCode::FORBIDDEN,
            Self::NotFound => StatusCode::NOT_FOUND,
            Self::SentTwice | Self::SavedMeanwhile(_) => StatusCode::CONFLICT,
            Self::NoCentre | Self::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Internal(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    const fn title(&self) -> &'static str {
        match self {
            Self::SignedOut { .. } => "Who are you?",
            Self::Forbidden { .. } => "May I do this?",
            Self::SingleAgents => "May I see this?",
            Self::NeedsSecondFactor => "Is it really you?",
            Self::NotFound => "Where did it go?",
            Self::NoCentre => "Which centre?",
            Self::Refused(_) => "Can this be done?",
            Self::SentTwice => "Was that done?",
            Self::SavedMeanwhile(_) => "Who was first?",
            Self::CrossSite => "Where did this come from?",
            Self::Internal(_) => "What went wrong?",
        }
    }
}

impl From<StoreError> for PageError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::NotFound => Self::NotFound,
            StoreError::Archived(name) => Self::Refused(format!(
                "Nothing was saved: {name} was archived after the file had been read. Restore it under Demand, then read the file again."
            )),
            StoreError::Busy => Self::Refused(
                "Somebody is doing the same at this moment. Wait a little, then reload the page."
                    .to_owned(),
            ),
            StoreError::SavedMeanwhile(first) => Self::SavedMeanwhile(first),
            error @ StoreError::TooManyTypes => {
                Self::Refused(format!("Nothing was saved: {error}."))
            }
            other => Self::Internal(Box::new(other)),
        }
    }
}

impl From<AppError> for PageError {
    fn from(error: AppError) -> Self {
        match error {
            AppError::Refused(message) => Self::Refused(message),
            AppError::Store(error) => error.into(),
            AppError::Core(error) => Self::Internal(error),
        }
    }
}

impl From<askama::Error> for PageError {
    fn from(error: askama::Error) -> Self {
        Self::Internal(Box::new(error))
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage {
    title: &'static str,
    message: String,
    status: u16,
}

impl IntoResponse for PageError {
    fn into_response(self) -> Response {
        match &self {
            Self::SignedOut { next, by_script } => {
                let target = format!("/sign-in?next={}", percent_encode(next));
                if !by_script {
                    return Redirect::to(&target).into_response();
                }
                let mut response = self.status().into_response();
                if let Ok(target) = HeaderValue::from_str(&target) {
                    response.headers_mut().insert("hx-redirect", target);
                }
                return response;
            }
            Self::Internal(source) => tracing::error!(error = ?source, "request failed"),
            _ => {}
        }
        let status = self.status();
        let page =
            ErrorPage { title: self.title(), message: self.to_string(), status: status.as_u16() };
        match page.render() {
            Ok(page) => (status, Html(page)).into_response(),
            Err(_) => (status, self.to_string()).into_response(),
        }
    }
}

/// A query value: everything but unreserved characters as %XX.
fn percent_encode(text: &str) -> String {
    text.bytes()
        .map(|byte| match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'_' | b'.' | b'~' | b'/' => {
                char::from(byte).to_string()
            }
            other => format!("%{other:02X}"),
        })
        .collect()
}

pub(crate) async fn not_found() -> PageError {
    PageError::NotFound
}

pub(crate) fn panicked(_: Box<dyn Any + Send + 'static>) -> Response {
    PageError::Internal("a handler panicked".into()).into_response()
}

pub(crate) fn cross_site(_: ProtectionError) -> Response<Body> {
    PageError::CrossSite.into_response()
}
