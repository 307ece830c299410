//! A report as a file that leaves.

use axum::http::{HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use barometer_app::reports;
use barometer_report::{Format, Report};

use crate::exports;
use crate::page_error::PageError;

/// A page that is whole by itself: its own style, and nothing else.
const CONTENT_SECURITY_POLICY: HeaderValue = HeaderValue::from_static(
    "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'",
);

/// A file of a report: a page opens, everything else is saved.
pub(super) async fn file(report: &Report, format: Format) -> Result<Response, PageError> {
    let bytes = reports::file(report, format).await?;
    Ok(match format {
        Format::Html => page(String::from_utf8_lossy(&bytes).into_owned()),
        format => {
            let name = format!("{} {}.{format}", report.title, report.days.first);
            exports::attachment(&name, format.media_type(), bytes)
        }
    })
}

/// A report's own page.
pub(super) fn page(text: String) -> Response {
    let mut response = Html(text).into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, CONTENT_SECURITY_POLICY);
    response
}
