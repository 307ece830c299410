//! A form that is sent twice, by a double press or over a line that broke, is carried out once: pages give each
//! form a key when it is sent first (`forms.js`), which is taken out here before any handler sees it.

use std::time::Duration;

use axum::body::{Body, Bytes, to_bytes};
use axum::extract::{Request, State};
use axum::http::{HeaderMap, Method, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::SentBefore;

use crate::App;
use crate::page_error::PageError;

/// The largest form: axum's own limit.
const MOST_BYTES: usize = 2 * 1024 * 1024;

/// Characters of a key.
const KEY_CHARS: std::ops::RangeInclusive<usize> = 16..=64;

/// Forms that begin or end sessions: only the answer that is read brings the session.
const OF_SESSIONS: [&str; 3] = ["/sign-in", "/sign-out", "/people/me"];

/// How long the second of two waits for what becomes of the first, and how often it looks.
const LONGEST_WAIT: Duration = Duration::from_secs(10);
const LOOK_EVERY: Duration = Duration::from_millis(50);

/// Carries each form out once.
pub(crate) async fn carried_out_once(
    State(app): State<App>,
    request: Request,
    next: Next,
) -> Response {
    if request.method() != Method::POST || !is_form(request.headers()) {
        return next.run(request).await;
    }
    let (mut parts, body) = request.into_parts();
    let Ok(bytes) = to_bytes(body, MOST_BYTES).await else {
        let message = "The form is too large, or did not arrive whole; nothing was changed.";
        return PageError::Refused(message.to_owned()).into_response();
    };
    let (key, bytes) = without_key(&bytes);
    parts.headers.remove(header::CONTENT_LENGTH);
    // What a page asks for while it is typed in is asked again and again, with the same key.
    let is_by_script = parts.headers.contains_key("hx-request");
    let is_of_session = OF_SESSIONS.iter().any(|path| parts.uri.path().starts_with(path));
    let request = Request::from_parts(parts, Body::from(bytes));
    match key.filter(|_| !is_by_script && !is_of_session) {
        None => next.run(request).await,
        Some(key) => match once(&app, &key, request, next).await {
            Ok(response) => response,
            Err(error) => error.into_response(),
        },
    }
}

async fn once(app: &App, key: &str, request: Request, next: Next) -> Result<Response, PageError> {
    if let Some(before) = app.store.begin_form(key).await? {
        return after_the_first(app, key, before).await;
    }
    let response = next.run(request).await;
    let status = response.status();
    if status.is_client_error() {
        app.store.forget_form(key).await?;
    } else {
        // After an error of ours nobody knows how far it came: it is not carried out again.
        let location = response.headers().get(header::LOCATION);
        app.store.end_form(key, location.and_then(|to| to.to_str().ok())).await?;
    }
    Ok(response)
}

/// Leads the sender of the second where the first one led.
async fn after_the_first(
    app: &App,
    key: &str,
    mut before: SentBefore,
) -> Result<Response, PageError> {
    let begun = tokio::time::Instant::now();
    while before == SentBefore::UnderWay && begun.elapsed() < LONGEST_WAIT {
        tokio::time::sleep(LOOK_EVERY).await;
        before = app.store.form_of(key).await?;
    }
    match before {
        SentBefore::Done(Some(location)) => Ok(Redirect::to(&location).into_response()),
        _ => Err(PageError::SentTwice),
    }
}

fn is_form(headers: &HeaderMap) -> bool {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok());
    kind.is_some_and(|kind| kind.starts_with("application/x-www-form-urlencoded"))
}

/// The key of a form, and the form without it.
fn without_key(form: &[u8]) -> (Option<String>, Bytes) {
    let mut key = None;
    let mut fields = Vec::new();
    for field in form.split(|byte| *byte == b'&') {
        match field.strip_prefix(b"once=") {
            Some(value) => key = std::str::from_utf8(value).ok().map(str::to_owned),
            None => fields.push(field),
        }
    }
    let is_key = |key: &String| {
        KEY_CHARS.contains(&key.len()) && key.bytes().all(|byte| byte.is_ascii_alphanumeric())
    };
    (key.filter(is_key), Bytes::from(fields.join(&b'&')))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_key_is_taken_out_and_the_rest_stays_as_it_was() {
        let key = "0123456789abcdef0123456789abcdef";
        let apart = |form: &str| {
            let (key, rest) = without_key(form.as_bytes());
            (key, String::from_utf8(rest.to_vec()).unwrap())
        };
        let form = format!("a=1&once={key}&b=%26+x");
        assert_eq!(apart(&form), (Some(key.to_owned()), "a=1&b=%26+x".to_owned()));
        assert_eq!(apart("a=1&b="), (None, "a=1&b=".to_owned()));
        assert_eq!(apart("once=%27%3B--and-more-of-it"), (None, String::new()));
        assert_eq!(apart("once=short&a=1"), (None, "a=1".to_owned()));
        assert_eq!(apart("twice=1&atonce=2"), (None, "twice=1&atonce=2".to_owned()));
    }
}
