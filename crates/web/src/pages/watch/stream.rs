//! The board as it changes, over server-sent events. It is drawn once for everybody who looks at it, and sent to all of
//! them from the same bytes: two hundred boards take the memory of one.

use std::collections::HashMap;
use std::convert::Infallible;
use std::sync::Arc;
use std::time::{Duration, Instant};

use axum::body::{Body, Bytes};
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use barometer_app::live::View;
use futures_util::stream::{self, StreamExt};
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
    /// Its lines as an event's data, to the event's end.
    lines: Bytes,
}

type Key = (Option<Instant>, Option<String>, Option<String>, Option<bool>);

fn key(view: &View) -> Key {
    (view.heard_at, view.trouble.clone(), view.untold.clone(), view.is_as_it_should)
}

/// `GET /watch/stream`
pub(crate) async fn stream(State(app): State<App>, context: RequestContext) -> impl IntoResponse {
    events(app, context, None)
}

/// `GET /watch/boards/{board}/stream`
pub(crate) async fn own_stream(
    State(app): State<App>,
    context: RequestContext,
    Path(board): Path<Uuid>,
) -> impl IntoResponse {
    events(app, context, Some(board))
}

fn events(app: App, context: RequestContext, board: Option<Uuid>) -> Response {
    let view = app.live.view();
    let events =
        stream::unfold((app, context, board, view), async |(app, context, board, mut view)| {
            // The sender lives as long as the application: a change or the pause comes first.
            let _ = tokio::time::timeout(AT_LEAST_EVERY, view.changed()).await;
            let seen = view.borrow_and_update().clone();
            let event = match drawn(&app, &context, &seen, board).await {
                Some(lines) => {
                    let age = seen.age().map_or(-1.0, |age| age.as_secs_f64());
                    [Bytes::from(format!("event: board\ndata: {age:.1}\n")), lines]
                }
                None => [Bytes::from_static(b": nothing to draw\n\n"), Bytes::new()],
            };
            Some((event.map(Ok::<Bytes, Infallible>), (app, context, board, view)))
        });
    let ends = Box::pin(tokio::time::sleep(LASTS));
    let body = Body::from_stream(events.take_until(ends).flat_map(stream::iter));
    let headers =
        [(header::CONTENT_TYPE, "text/event-stream"), (header::CACHE_CONTROL, "no-cache")];
    (headers, body).into_response()
}

/// Some text as the data of an event, to the event's end.
fn event_lines(text: &str) -> Bytes {
    let mut lines = String::with_capacity(text.len() + 1024);
    for line in text.split(['\n', '\r']) {
        lines.push_str("data: ");
        lines.push_str(line);
        lines.push('\n');
    }
    lines.push('\n');
    Bytes::from(lines)
}

async fn drawn(
    app: &App,
    context: &RequestContext,
    view: &View,
    board: Option<Uuid>,
) -> Option<Bytes> {
    let mut kept = app.drawn.0.lock().await;
    if let Some(sheet) = kept.get(&board).filter(|sheet| sheet.key == key(view)) {
        return Some(sheet.lines.clone());
    }
    // In a box, so that those who wait for somebody else's drawing do not hold the room for one.
    let html = match board {
        None => Box::pin(draw(app, &context.centre, view)).await,
        Some(id) => Box::pin(draw_own(app, context, view, id)).await,
    };
    match html {
        Ok(html) => {
            let lines = event_lines(&html);
            kept.insert(board, Sheet { key: key(view), lines: lines.clone() });
            Some(lines)
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

#[cfg(test)]
mod tests {
    use super::event_lines;

    #[test]
    fn every_line_of_a_board_is_a_line_of_data() {
        assert_eq!(event_lines("<p>85 %</p>\n<p>"), "data: <p>85 %</p>\ndata: <p>\n\n");
        assert_eq!(event_lines("a\rid: 7\n\n"), "data: a\ndata: id: 7\ndata: \ndata: \n\n");
    }
}
