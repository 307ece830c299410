//! The board as it changes, over server-sent events. It is drawn once for everybody who looks at it.

use std::collections::HashMap;
use std::convert::Infallible;
use std::sync::Arc;
use std::time::{Duration, Instant};

use axum::extract::State;
use axum::response::sse::{Event, KeepAlive, Sse};
use barometer_app::live::View;
use futures_util::stream::{self, Stream, StreamExt};
use tokio::sync::Mutex;
use uuid::Uuid;

use super::board::draw;
use super::boards;
use crate::App;
use crate::access::RequestContext;
use crate::extract::Path;
use crate::page_error::PageError;

/// Boards are drawn anew when the switch has said something, and at least this often, so that their age is known.
const AT_LEAST_EVERY: Duration = Duration::from_secs(5);

/// How long a board is sent: then the browser asks again, and who has been signed out meanwhile is not answered.
const LASTS: Duration = Duration::from_secs(600);

/// Each board as it was drawn last: that of the whole day, and those of the planners' own by their keys.
#[derive(Clone, Debug, Default)]
pub(crate) struct Drawn(Arc<Mutex<HashMap<Option<Uuid>, Sheet>>>);

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
    events(app, context, None)
}

/// `GET /watch/boards/{board}/stream`
pub(crate) async fn own_stream(
    State(app): State<App>,
    context: RequestContext,
    Path(board): Path<Uuid>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    events(app, context, Some(board))
}

fn events(
    app: App,
    context: RequestContext,
    board: Option<Uuid>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let view = app.live.view();
    let events =
        stream::unfold((app, context, board, view), async |(app, context, board, mut view)| {
            // The sender lives as long as the application: a change or the pause comes first.
            let _ = tokio::time::timeout(AT_LEAST_EVERY, view.changed()).await;
            let seen = view.borrow_and_update().clone();
            let event = match drawn(&app, &context, &seen, board).await {
                Some(html) => {
                    let age = seen.age().map_or(-1.0, |age| age.as_secs_f64());
                    Event::default().event("board").data(format!("{age:.1}\n{html}"))
                }
                None => Event::default().comment("nothing to draw"),
            };
            Some((Ok(event), (app, context, board, view)))
        });
    let ends = Box::pin(tokio::time::sleep(LASTS));
    Sse::new(events.take_until(ends)).keep_alive(KeepAlive::default())
}

async fn drawn(
    app: &App,
    context: &RequestContext,
    view: &View,
    board: Option<Uuid>,
) -> Option<Arc<str>> {
    let mut kept = app.drawn.0.lock().await;
    if let Some(sheet) = kept.get(&board).filter(|sheet| sheet.key == key(view)) {
        return Some(sheet.html.clone());
    }
    let html = match board {
        None => draw(app, &context.centre, view).await,
        Some(id) => draw_own(app, context, view, id).await,
    };
    match html {
        Ok(html) => {
            let html: Arc<str> = html.into();
            kept.insert(board, Sheet { key: key(view), html: html.clone() });
            Some(html)
        }
        // It was removed while it was looked at.
        Err(PageError::NotFound) => {
            kept.remove(&board);
            None
        }
        Err(error) => {
            tracing::warn!(?error, "the board could not be drawn");
            None
        }
    }
}

/// A board of a planner's own, as it is arranged now.
async fn draw_own(
    app: &App,
    context: &RequestContext,
    view: &View,
    id: Uuid,
) -> Result<String, PageError> {
    let board = app.store.board(context.centre.id, id).await?;
    boards::draw(app, &context.centre, view, &board.layout).await
}
