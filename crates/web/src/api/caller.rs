//! Who asks: a token in the request.

use axum::extract::FromRequestParts;
use axum::http::request::Parts;
use axum::http::{StatusCode, header};
use barometer_app::clock::today;

use super::ApiError;
use crate::App;
use crate::access::RequestContext;
use crate::extract::ClientAddress;
use crate::page_error::PageError;

/// The person who made the token that a script sends: the script may do what they may.
pub(crate) struct Caller(pub RequestContext);

impl FromRequestParts<App> for Caller {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        let secret = parts
            .headers
            .get(header::AUTHORIZATION)
            .and_then(|value| value.to_str().ok()?.strip_prefix("Bearer "));
        let user = match secret {
            Some(secret) => app.store.user_by_token(secret.trim()).await?,
            None => None,
        };
        let Some(user) = user else {
            return Err(ApiError::new(
                StatusCode::UNAUTHORIZED,
                "send a token: Authorization: Bearer TOKEN",
            ));
        };
        let centre = app.store.centre().await?.ok_or(PageError::NoCentre)?;
        let today = today(&centre);
        let Ok(ClientAddress(from)) = ClientAddress::from_request_parts(parts, app).await;
        let session = String::new();
        let query_before = String::new();
        Ok(Self(RequestContext { user, centre, today, day: today, from, session, query_before }))
    }
}
