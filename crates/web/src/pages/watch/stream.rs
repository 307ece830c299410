//! The board as it changes, over server-sent events. It is drawn once for everybody who looks at it.

use std::convert::Infallible;
use std::sync::Arc;
use std::time::{Duration, Instant};

use axum::extract::State;
use axum::response::sse::{Event, KeepAlive, Sse};
use barometer_app::live::View;
use futures_util::stream::{self, Stream, StreamExt};
use tokio::sync::Mutex;

use super::board::draw;
use crate::App;
use crate::access::RequestContext;

/// Boards are drawn anew when the switch has said something, and at least this often, so that their age is known.
const AT_LEAST_EVERY: Duration = Duration::from_secs(5);

/// How long a board is sent: then the browser asks again, and who has been signed out meanwhile is not answered.
const LASTS: Duration = Duration::from_secs(600);

/// The board as it was drawn last.
#[derive(Clone, Debug, Default)]
pub(crate) struct Drawn(Arc<Mutex<Option<Sheet>>>);

/// A drawn board, and by what it is still right.
#[derive(Debug)]
struct Sheet {
    key: Key,
    html: Arc<str>,
}

type Key = (Option<Instant>, Option<String>, Option<String>, Option<bool>);

fn key(view: &View) -> Key {
    (view.heard_at, view.trouble.clone(), view.untold.clone(), view.is_as_it_should)
}

/// `GET /watch/stream`
pub(crate) async fn stream(
    State(app): State<App>,
    context: RequestContext,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let view = app.live.view();
    let events = stream::unfold((app, context, view), async |(app, context, mut view)| {
        // The sender lives as long as the application: a change or the pause comes first.
        let _ = tokio::time::timeout(AT_LEAST_EVERY, view.changed()).await;
        let seen = view.borrow_and_update().clone();
        let event = match drawn(&app, &context, &seen).await {
            Some(html) => {
                let age = seen.age().map_or(-1.0, |age| age.as_secs_f64());
                Event::default().event("board").data(format!("{age:.1}\n{html}"))
            }
            None => Event::default().comment("nothing to draw"),
        };
        Some((Ok(event), (app, context, view)))
    });
    let ends = Box::pin(tokio::time::sleep(LASTS));
    Sse::new(events.take_until(ends)).keep_alive(KeepAlive::default())
}

async fn drawn(app: &App, context: &RequestContext, view: &View) -> Option<Arc<str>> {
    let mut kept = app.drawn.0.lock().await;
    if let Some(sheet) = kept.as_ref().filter(|sheet| sheet.key == key(view)) {
        return Some(sheet.html.clone());
    }
    match draw(app, &context.centre, view).await {
        Ok(html) => {
            let html: Arc<str> = html.into();
            *kept = Some(Sheet { key: key(view), html: html.clone() });
            Some(html)
        }
        Err(error) => {
            tracing::warn!(?error, "the board could not be drawn");
            None
        }
    }
}
