//! Static files, shipped inside the binary.

use std::collections::HashMap;
use std::sync::LazyLock;

use axum::extract::Path;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web-assets/dist/"]
struct Files;

/// Address of each file with a part of its hash, so that browsers may keep it for ever.
static ADDRESSES: LazyLock<HashMap<String, String>> = LazyLock::new(|| {
    Files::iter()
        .filter_map(|name| {
            let hash = Files::get(&name)?.metadata.sha256_hash();
            let version: String = hash[..6].iter().map(|byte| format!("{byte:02x}")).collect();
            Some((name.to_string(), format!("/static/{name}?v={version}")))
        })
        .collect()
});

/// Address of a static file, for templates.
pub(crate) fn address(name: &str) -> &str {
    ADDRESSES.get(name).map_or("/static/missing", String::as_str)
}

/// `GET /static/{file}`: the file, compressed beforehand where the browser takes it.
pub(crate) async fn serve(Path(name): Path<String>, headers: HeaderMap) -> Response {
    let takes_brotli = headers
        .get(header::ACCEPT_ENCODING)
        .and_then(|accepted| accepted.to_str().ok())
        .is_some_and(|accepted| accepted.split(',').any(|coding| coding.trim().starts_with("br")));
    let compressed = takes_brotli.then(|| Files::get(&format!("{name}.br"))).flatten();
    let coding = compressed.as_ref().map(|_| (header::CONTENT_ENCODING, "br"));
    let Some(file) = compressed.or_else(|| Files::get(&name)) else {
        return StatusCode::NOT_FOUND.into_response();
    };
    let kind = match name.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("svg") => "image/svg+xml",
        Some("woff2") => "font/woff2",
        _ => "application/octet-stream",
    };
    let mut response = (
        [
            (header::CONTENT_TYPE, kind),
            (header::CACHE_CONTROL, "public, max-age=31536000, immutable"),
            (header::VARY, "accept-encoding"),
        ],
        file.data,
    )
        .into_response();
    if let Some((name, value)) = coding {
        response.headers_mut().insert(name, header::HeaderValue::from_static(value));
    }
    response
}
