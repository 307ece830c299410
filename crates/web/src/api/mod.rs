//! The centre's interface for scripts: JSON, with a token in every request. `docs/centre-interface.md` describes it.

pub(crate) mod board;
pub(crate) mod caller;
pub(crate) mod lists;

use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use barometer_wire::Refusal;

use crate::page_error::PageError;

/// Why a script does not get what it asks for.
pub(crate) struct ApiError(StatusCode, String);

impl ApiError {
    pub fn new(status: StatusCode, message: impl Into<String>) -> Self {
        Self(status, message.into())
    }
}

impl<E: Into<PageError>> From<E> for ApiError {
    fn from(error: E) -> Self {
        match error.into() {
            PageError::Refused(message) => Self(StatusCode::UNPROCESSABLE_ENTITY, message),
            PageError::NotFound => Self::new(StatusCode::NOT_FOUND, "there is no such thing"),
            error => {
                tracing::error!(?error, "a script could not be answered");
                Self::new(StatusCode::INTERNAL_SERVER_ERROR, "something went wrong here")
            }
        }
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        (self.0, Json(Refusal { message: self.1 })).into_response()
    }
}

/// `GET /api/openapi.json`
pub(crate) async fn openapi() -> Response {
    Json(barometer_wire::centre_openapi()).into_response()
}
