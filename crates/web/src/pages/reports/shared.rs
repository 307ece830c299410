//! A made report for anybody who has its link, until it expires.

use axum::extract::State;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use barometer_app::clock;

use super::files;
use crate::App;
use crate::extract::Path;
use crate::page_error::PageError;

/// What stands where a link leads nowhere: it tells nobody whether there ever was one.
const GONE: &str = "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Link expired</title>\
     <h1>Is this link still good?</h1><p>No: it has expired, was ended, or is incomplete. \
     Ask the person who sent it for a new one.</p></html>";

/// `GET /reports/shared/{secret}`
pub(crate) async fn show(
    State(app): State<App>,
    Path(secret): Path<String>,
) -> Result<Response, PageError> {
    let gone = || (StatusCode::NOT_FOUND, Html(GONE)).into_response();
    let Some((edition, _)) = app.store.edition_by_link(&secret, clock::now()).await? else {
        return Ok(gone());
    };
    let Some(report) = app.store.edition(edition).await?.report else { return Ok(gone()) };
    let text = barometer_report::page(&report)?;
    let mut response = files::page(text);
    let headers = response.headers_mut();
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("private, no-store"));
    headers.insert(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer"));
    headers.insert("x-robots-tag", HeaderValue::from_static("noindex"));
    Ok(response)
}
