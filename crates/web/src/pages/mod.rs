//! One module per page or stage: handlers and their view models.

pub(crate) mod demand;
pub(crate) mod go_live;
pub(crate) mod outlook;
pub(crate) mod sign_in;
pub(crate) mod staffing;
pub(crate) mod strategy;
pub(crate) mod trials;
pub(crate) mod watch;

use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};

use crate::page_error::PageError;

/// A rendered page.
pub(crate) fn page(template: &impl Template) -> Result<Response, PageError> {
    Ok(Html(template.render()?).into_response())
}

/// A form that comes back, filled in, with messages at its fields.
pub(crate) fn refused(template: &impl Template) -> Result<Response, PageError> {
    Ok((StatusCode::UNPROCESSABLE_ENTITY, Html(template.render()?)).into_response())
}
