//! Documents and pictures: drawn by a browser beside a worker, which takes longer than a page may.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_store::{Drawing, DrawnAs, NewDrawing, RunState};
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::exports;
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;

/// How far a drawing is, and the file once it is there.
#[derive(Template)]
#[template(path = "reports/drawing_part.html")]
struct DrawingPart {
    id: Uuid,
    name: String,
    /// None once the file is there.
    progress: Option<ProgressPart>,
}

#[derive(Template)]
#[template(path = "reports/drawing.html")]
struct DrawingPage {
    frame: Frame,
    tab: &'static str,
    name: String,
    address: String,
    part: DrawingPart,
}

/// A web page that is to be drawn.
pub(super) struct Wanted<'a> {
    pub page: &'a str,
    pub as_what: DrawnAs,
    pub name: &'a str,
    /// The page on which it was asked for.
    pub address: &'a str,
}

/// Lets a page be drawn for the person who asks, and goes to where the file is going to be.
pub(super) async fn asked(
    app: &App,
    context: &RequestContext,
    wanted: Wanted<'_>,
) -> Result<Response, PageError> {
    let Wanted { page, as_what, name, address } = wanted;
    let (centre, user) = (context.centre.id, context.user.id);
    let id = app.store.draw(&NewDrawing { centre, user, page, as_what, name, address }).await?;
    Ok(Redirect::to(&format!("/reports/drawings/{id}")).into_response())
}

fn part_of(context: &RequestContext, drawing: &Drawing) -> DrawingPart {
    let id = drawing.run.id;
    let is_done = drawing.run.state == RunState::Done;
    let progress =
        || ProgressPart::of(&drawing.run, context).within(format!("/reports/drawings/{id}/part"));
    DrawingPart { id, name: drawing.name.clone(), progress: (!is_done).then(progress) }
}

/// `GET /reports/drawings/{drawing}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let drawing = app.store.drawing(context.user.id, id).await?;
    page(&DrawingPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "reports",
        part: part_of(&context, &drawing),
        name: drawing.name,
        address: drawing.address,
    })
}

/// `GET /reports/drawings/{drawing}/part`
pub(crate) async fn part(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let drawing = app.store.drawing(context.user.id, id).await?;
    page(&part_of(&context, &drawing))
}

/// `GET /reports/drawings/{drawing}/file`
pub(crate) async fn file(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let drawing = app.store.drawing(context.user.id, id).await?;
    let media_type = match drawing.as_what {
        DrawnAs::Document => "application/pdf",
        DrawnAs::Bitmap => "image/png",
    };
    Ok(exports::attachment(&drawing.name, media_type, app.store.drawn(id).await?))
}
