//! Extractors whose refusals are pages like any other.

use std::convert::Infallible;
use std::net::{IpAddr, SocketAddr};

use axum::body::{Body, Bytes};
use axum::extract::rejection::PathRejection;
use axum::extract::{ConnectInfo, FromRequest, FromRequestParts, Request};
use axum::http::request::Parts;
use axum_extra::extract::{FormRejection, QueryRejection};
use barometer_intake::is_unseen;
use serde::de::DeserializeOwned;

use crate::App;
use crate::page_error::PageError;

/// Parts of the address; one that cannot be read leads nowhere.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(PageError))]
pub(crate) struct Path<T>(pub T);

/// What stands behind the `?`; a name that is there once or more often can be a list.
#[derive(FromRequestParts)]
#[from_request(via(axum_extra::extract::Query), rejection(PageError))]
pub(crate) struct Query<T>(pub T);

/// A form that was filled in; a field that is there once or more often can be a list. Characters that
/// cannot be seen are refused in every field.
pub(crate) struct Form<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Form<T> {
    type Rejection = PageError;

    async fn from_request(request: Request, state: &S) -> Result<Self, PageError> {
        let (parts, body) = request.into_parts();
        let whole = Request::from_parts(parts.clone(), body);
        let bytes = Bytes::from_request(whole, state).await.map_err(|rejection| {
            let reason = rejection.body_text();
            PageError::Refused(format!("The form cannot be read; nothing was changed. {reason}."))
        })?;
        for (field, text) in form_urlencoded::parse(&bytes) {
            let is_unseen = |letter: char| {
                is_unseen(letter)
                    && !(letter.is_ascii_whitespace() && MANY_LINES.contains(&&*field))
            };
            if text.len() > LONGEST_FIELD {
                return Err(PageError::Refused(format!(
                    "Nothing was changed: the field {field} has more than {LONGEST_FIELD} characters."
                )));
            }
            if text.contains(is_unseen) {
                return Err(PageError::Refused(format!(
                    "Nothing was changed: the field {field} has a character that cannot be seen. Go back and type it again."
                )));
            }
        }
        let form = Request::from_parts(parts, Body::from(bytes));
        let axum_extra::extract::Form(typed) =
            axum_extra::extract::Form::from_request(form, state).await?;
        Ok(Self(typed))
    }
}

/// The longest text of a field, in bytes.
const LONGEST_FIELD: usize = 100_000;

/// Fields that may have several lines.
const MANY_LINES: [&str; 4] = ["why_wanted", "conditions", "way_back", "text"];

/// Where a request comes from, where that is known.
pub(crate) struct ClientAddress(pub Option<IpAddr>);

impl FromRequestParts<App> for ClientAddress {
    type Rejection = Infallible;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Infallible> {
        // Behind a proxy the nearest address is the proxy's; the one before it is what the proxy saw.
        let forwarded = parts.headers.get_all("x-forwarded-for").iter().next_back();
        let seen_by_proxy = forwarded
            .and_then(|value| value.to_str().ok()?.rsplit(',').next()?.trim().parse().ok())
            .filter(|_| app.settings.https);
        let nearest =
            parts.extensions.get::<ConnectInfo<SocketAddr>>().map(|nearest| nearest.0.ip());
        Ok(Self(seen_by_proxy.or(nearest)))
    }
}

/// A form with a file.
pub(crate) struct Multipart(pub axum::extract::Multipart);

impl<S: Send + Sync> FromRequest<S> for Multipart {
    type Rejection = PageError;

    async fn from_request(request: Request, state: &S) -> Result<Self, PageError> {
        axum::extract::Multipart::from_request(request, state).await.map(Self).map_err(
            |rejection| {
                let reason = rejection.body_text();
                PageError::Refused(format!(
                    "The upload cannot be read; nothing was saved. {reason}."
                ))
            },
        )
    }
}

impl From<PathRejection> for PageError {
    fn from(_: PathRejection) -> Self {
        Self::NotFound
    }
}

impl From<QueryRejection> for PageError {
    fn from(rejection: QueryRejection) -> Self {
        Self::Refused(format!("This address cannot be read. {}.", rejection))
    }
}

impl From<FormRejection> for PageError {
    fn from(rejection: FormRejection) -> Self {
        Self::Refused(format!("The form cannot be read; nothing was changed. {rejection}."))
    }
}
