//! Sessions, cross-site protection and the headers of every page.

use axum::Router;
use axum::http::{HeaderName, HeaderValue, header};
use axum::middleware::from_fn_with_state;
use axum_login::AuthManagerLayerBuilder;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, Predicate, SizeAbove};
use tower_http::csrf::CsrfLayer;
use tower_http::set_header::SetResponseHeaderLayer;
use tower_sessions::cookie::SameSite;
use tower_sessions::{Expiry, SessionManagerLayer};

use crate::App;
use crate::access::Accounts;
use crate::{once, page_error};

/// No inline script, nothing from elsewhere. Style attributes are allowed: the chart library sets
/// them on its own elements.
const CONTENT_SECURITY_POLICY: &str = "default-src 'self'; script-src 'self'; style-src 'self'; \
     style-src-attr 'unsafe-inline'; img-src 'self' data:; object-src 'none'; base-uri 'none'; \
     form-action 'self'; frame-ancestors 'none'";

/// Puts `pages` behind sessions, cross-site protection and compression.
pub(crate) fn protect(pages: Router, app: &App) -> Router {
    let idle = time::Duration::minutes(app.settings.idle_minutes.into());
    let sessions = SessionManagerLayer::new(app.store.sessions())
        .with_name("barometer")
        .with_http_only(true)
        .with_same_site(SameSite::Lax)
        .with_secure(app.settings.https)
        // Each request moves the end: a session must not end in the middle of work.
        .with_always_save(true)
        .with_expiry(Expiry::OnInactivity(idle));
    let accounts = AuthManagerLayerBuilder::new(Accounts::new(app.store.clone()), sessions).build();
    let compressed = CompressionLayer::new()
        .quality(tower_http::CompressionLevel::Fastest)
        .compress_when(SizeAbove::new(1024).and(DefaultPredicate::new()));
    pages
        .layer(from_fn_with_state(app.clone(), once::carried_out_once))
        .layer(accounts)
        // Every change must come from our own pages: Sec-Fetch-Site and Origin are compared.
        .layer(CsrfLayer::new().with_rejection_response(page_error::cross_site))
        .layer(header(header::CACHE_CONTROL, "no-store"))
        .layer(compressed)
}

/// Gives every answer the headers that keep browsers from doing what nobody asked for.
pub(crate) fn with_headers(all: Router, app: &App) -> Router {
    let all = all
        .layer(header(header::CONTENT_SECURITY_POLICY, CONTENT_SECURITY_POLICY))
        .layer(header(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(header(header::X_FRAME_OPTIONS, "DENY"))
        .layer(header(header::REFERRER_POLICY, "same-origin"));
    if app.settings.https {
        all.layer(header(header::STRICT_TRANSPORT_SECURITY, "max-age=31536000"))
    } else {
        all
    }
}

fn header(name: HeaderName, value: &'static str) -> SetResponseHeaderLayer<HeaderValue> {
    SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value))
}
