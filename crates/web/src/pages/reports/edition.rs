//! A report that was made: what it said then, its files, and who may read it.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::{clock, reports};
use barometer_report::{Format, body};
use barometer_store::Edition;
use uuid::Uuid;

use super::{LINK_DAYS, address, files};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::{Form, Path};
use crate::forms::ActForm;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::progress::ProgressPart;
use crate::words;

#[derive(Template)]
#[template(path = "reports/edition.html")]
struct EditionPage {
    frame: Frame,
    tab: &'static str,
    id: Uuid,
    report: Uuid,
    question: String,
    about: String,
    progress: ProgressPart,
    outcome: Option<String>,
    may_resend: bool,
    links: i64,
    /// A link that was made just now; it is shown once.
    link: Option<String>,
    link_days: i32,
    sent: Option<usize>,
    body: Option<String>,
}

/// One of the centre's made reports.
async fn of(app: &App, context: &RequestContext, id: Uuid) -> Result<Edition, PageError> {
    let edition = app.store.edition(id).await?;
    if edition.run.centre == context.centre.id { Ok(edition) } else { Err(PageError::NotFound) }
}

/// `GET /reports/editions/{edition}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let edition = of(&app, &context, id).await?;
    page(&view(&app, &context, edition, None, None).await?)
}

async fn view(
    app: &App,
    context: &RequestContext,
    edition: Edition,
    link: Option<String>,
    sent: Option<usize>,
) -> Result<EditionPage, PageError> {
    let made = words::moment(edition.due_at, &context.centre.zone);
    let (about, text) = match &edition.report {
        Some(report) => (
            format!("{}. {}", report.days.words(), super::show::about(report)),
            Some(body(report, |about| address(about, context.day))?),
        ),
        None => (String::new(), None),
    };
    Ok(EditionPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "reports",
        id: edition.id,
        report: edition.report_id,
        question: format!("{}: what did it say on {made}?", edition.definition.title),
        about,
        progress: ProgressPart::of(&edition.run, context),
        may_resend: edition.schedule.is_some() && edition.report.is_some(),
        outcome: edition.outcome,
        links: app.store.count_report_links(edition.id, clock::now()).await?,
        link,
        link_days: LINK_DAYS,
        sent,
        body: text,
    })
}

/// `GET /reports/editions/{edition}/{format}`
pub(crate) async fn file(
    State(app): State<App>,
    context: RequestContext,
    Path((id, format)): Path<(Uuid, String)>,
) -> Result<Response, PageError> {
    let format: Format = format.parse().map_err(|_| PageError::NotFound)?;
    let edition = of(&app, &context, id).await?;
    let report = edition.report.as_ref().ok_or(PageError::NotFound)?;
    files::file(&app, &context, report, format, &format!("/reports/editions/{id}")).await
}

/// `POST /reports/editions/{edition}`: sent again, shared by a link, or no longer shared.
pub(crate) async fn act(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<ActForm>,
) -> Result<Response, PageError> {
    let edition = of(&app, &context, id).await?;
    match form.act.as_str() {
        "resend" => {
            let sent = reports::resend(&app.store, &context.centre, &edition).await?;
            page(&view(&app, &context, edition, None, Some(sent)).await?)
        }
        "share" if edition.report.is_some() => {
            let link = reports::make_link(&app.store, id, LINK_DAYS).await?;
            page(&view(&app, &context, edition, Some(link), None).await?)
        }
        "unshare" => {
            app.store.end_report_links(id).await?;
            Ok(Redirect::to(&format!("/reports/editions/{id}")).into_response())
        }
        _ => Err(PageError::NotFound),
    }
}
