//! A report as a file that leaves.

use axum::http::{HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use barometer_app::reports;
use barometer_report::{Format, Report};
use barometer_store::DrawnAs;

use super::drawing::{self, Wanted};
use crate::access::RequestContext;
use crate::page_error::PageError;
use crate::{App, exports};

/// A page that is whole by itself: its own style, and nothing else.
const CONTENT_SECURITY_POLICY: HeaderValue = HeaderValue::from_static(
    "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'",
);

/// A file of a report that stands on a page: a web page opens, a document is drawn first, everything else is saved.
pub(super) async fn file(
    app: &App,
    context: &RequestContext,
    report: &Report,
    format: Format,
    address: &str,
) -> Result<Response, PageError> {
    let name = format!("{} {}.{format}", report.title, report.days.first);
    if format == Format::Pdf {
        let page = reports::document_page(report)?;
        let wanted = Wanted { page: &page, as_what: DrawnAs::Document, name: &name, address };
        return drawing::asked(app, context, wanted).await;
    }
    let bytes = reports::file(report, format).await?;
    Ok(match format {
        Format::Html => page(String::from_utf8_lossy(&bytes).into_owned()),
        format => exports::attachment(&name, format.media_type(), bytes),
    })
}

/// A report's own page.
pub(super) fn page(text: String) -> Response {
    let mut response = Html(text).into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, CONTENT_SECURITY_POLICY);
    response
}
