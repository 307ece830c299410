//! Importing interval history: upload, look, then save all of it or none.

pub(crate) mod columns;
pub(crate) mod sent;

use askama::Template;
use axum::extract::State;
use axum::extract::multipart::MultipartError;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_intake::Role;
use barometer_plan::Rules;
use barometer_store::{Centre, Deed, ImportState, Noted, PreviewLine, Refusal, StoreError, Upload};
use futures_util::stream::{StreamExt, TryStreamExt};
use uuid::Uuid;

use crate::access::{Planner, RequestContext};
use crate::extract::{Multipart, Path};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::{page, refused, trail};
use crate::{App, exports, words};
use barometer_app::imports::{self as importing, FileError};
use barometer_app::planning::last_forecast_day;

/// Refused rows that the preview shows.
const SHOWN_REFUSALS: i64 = 200;

#[derive(Template)]
#[template(path = "demand/import.html")]
struct FormPage {
    frame: Frame,
    zone: String,
    limit: usize,
    contact_type: String,
    wrong: Option<String>,
    /// Where the last import is undone, and its file's name.
    last: Option<(String, String)>,
}

#[derive(Template)]
#[template(path = "demand/preview.html")]
struct PreviewPage {
    frame: Frame,
    file_name: String,
    answer: String,
    lines: Vec<Line>,
    refusals: Vec<Refusal>,
    refused: i64,
    refused_words: String,
    usable: i64,
    confirm: String,
    discard: String,
    columns: String,
    undo: Option<String>,
    is_open: bool,
}

struct Line {
    contact_type: String,
    is_new: bool,
    minutes: i16,
    added: String,
    replaced: String,
    unchanged: String,
    span: String,
    missing: String,
}

impl FormPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        contact_type: String,
        wrong: Option<String>,
    ) -> Result<Self, PageError> {
        let last = app.store.last_import(context.centre.id).await?;
        Ok(Self {
            last: last.map(|(id, file_name)| (format!("/demand/import/{id}/undo"), file_name)),
            frame: Frame::of(context, Stage::Demand, None),
            zone: context.centre.zone.iana_name().unwrap_or("UTC").to_owned(),
            limit: app.settings.upload_limit_mb,
            contact_type,
            wrong,
        })
    }
}

/// `GET /demand/import`
pub(crate) async fn form(
    State(app): State<App>,
    Planner(context): Planner,
) -> Result<Response, PageError> {
    page(&FormPage::new(&app, &context, String::new(), None).await?)
}

/// `POST /demand/import`: takes the file in, and reads it where its columns leave no doubt.
pub(crate) async fn upload(
    State(app): State<App>,
    Planner(context): Planner,
    Multipart(mut parts): Multipart,
) -> Result<Response, PageError> {
    let mut contact_type = String::new();
    while let Some(part) = parts.next_field().await.map_err(cut_off)? {
        match part.name() {
            Some("contact_type") => {
                contact_type = part.text().await.map_err(cut_off)?.trim().to_owned()
            }
            Some("file") => {
                let file_name = part.file_name().unwrap_or("upload.csv").to_owned();
                if file_name.is_empty() {
                    break;
                }
                let only = Some(contact_type.as_str()).filter(|name| !name.is_empty());
                let bytes = part.map_err(|error| error.body_text());
                let import = match take_in(&app, &context, &file_name, only, bytes).await? {
                    Ok(import) => import,
                    Err(wrong) => {
                        let form = FormPage::new(&app, &context, contact_type, Some(wrong)).await?;
                        return refused(&form);
                    }
                };
                return match first_reading(&app, &context.centre, import).await {
                    Ok(true) => {
                        Ok(Redirect::to(&format!("/demand/import/{import}")).into_response())
                    }
                    Ok(false) => {
                        Ok(Redirect::to(&format!("/demand/import/{import}/columns"))
                            .into_response())
                    }
                    Err(FileError::Store(error)) => Err(error.into()),
                    Err(error) => {
                        app.store.forget_import(import).await?;
                        let wrong = Some(error.to_string());
                        refused(&FormPage::new(&app, &context, contact_type, wrong).await?)
                    }
                };
            }
            _ => {}
        }
    }
    let wrong = "Choose a file first.".to_owned();
    refused(&FormPage::new(&app, &context, contact_type, Some(wrong)).await?)
}

/// Takes a file of history in; a message when it is too large or was cut off.
pub(crate) async fn take_in(
    app: &App,
    context: &RequestContext,
    file_name: &str,
    contact_type: Option<&str>,
    bytes: impl futures_util::Stream<Item = Result<axum::body::Bytes, String>>,
) -> Result<Result<Uuid, String>, PageError> {
    let upload =
        app.store.begin_upload(&context.centre, file_name, contact_type, context.user.id).await?;
    kept(app, upload, bytes).await
}

/// Keeps a file; a message when it is too large or was cut off.
pub(crate) async fn kept(
    app: &App,
    mut upload: Upload,
    bytes: impl futures_util::Stream<Item = Result<axum::body::Bytes, String>>,
) -> Result<Result<Uuid, String>, PageError> {
    let limit = app.settings.upload_limit_mb;
    let mut bytes = std::pin::pin!(bytes);
    let mut read = 0;
    while let Some(chunk) = bytes.next().await {
        let wrong = match chunk {
            Ok(chunk) => {
                read += chunk.len();
                if read <= limit * 1024 * 1024 {
                    upload.add(&chunk).await?;
                    continue;
                }
                format!("The file is larger than {limit} MB; split it and import the parts.")
            }
            Err(reason) => {
                format!("The upload was cut off: {reason}. Nothing was saved; send it again.")
            }
        };
        upload.abandon().await?;
        return Ok(Err(wrong));
    }
    Ok(Ok(upload.finish().await?))
}

/// Reads a file as files with these headings were read before, or as its headings say; `false`
/// when the planner has to be asked.
pub(crate) async fn first_reading(
    app: &App,
    centre: &Centre,
    import: Uuid,
) -> Result<bool, FileError> {
    let beginning = importing::beginning(&app.store, import, None).await?;
    let remembered = app.store.remembered_layout(centre.id, &beginning.signature()).await?;
    let is_named = app.store.import(import).await?.contact_type.is_some();
    let layout = match remembered {
        Some(layout) => layout,
        None => {
            let guess = beginning.guess();
            if !guess.is_sure() || beginning.sheets.len() > 1 {
                return Ok(false);
            }
            guess.layout
        }
    };
    if layout.column(Role::ContactType).is_none() && !is_named {
        return Ok(false);
    }
    importing::read(&app.store, centre, import, &layout).await?;
    Ok(true)
}

pub(crate) fn cut_off(error: MultipartError) -> PageError {
    PageError::Refused(format!(
        "The upload was cut off: {}. Nothing was saved; send it again.",
        error.body_text()
    ))
}

/// `POST /demand/import/{import}/undo`: takes the last import back.
pub(crate) async fn undo(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let by = Some(context.user.id);
    let file = app.store.import(id).await?.file_name;
    app.store.undo_import(context.centre.id, id, by).await.map_err(|error| match error {
        StoreError::NotFound => PageError::Refused(
            "Only the last import can be undone, and this is not the last one (any more)."
                .to_owned(),
        ),
        error => error.into(),
    })?;
    trail::note(&app, &context, Deed::ImportUndone, Noted::about(file)).await;
    Ok(Redirect::to(&format!("/demand/import/{id}")).into_response())
}

/// `GET /demand/import/{import}`: what it would add, replace and refuse.
pub(crate) async fn preview(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let import = app.store.import(id).await?;
    let is_broken_off =
        import.state == ImportState::Reading && app.store.is_reading_broken_off(id).await?;
    if import.state == ImportState::Uploaded || is_broken_off {
        return Ok(Redirect::to(&format!("/demand/import/{id}/columns")).into_response());
    }
    let (lines, refusals, last) = tokio::try_join!(
        app.store.preview(id),
        app.store.refusals(id, SHOWN_REFUSALS),
        app.store.last_import(context.centre.id),
    )?;
    let usable = import.rows_read - import.refused;
    let template = PreviewPage {
        frame: Frame::of(&context, Stage::Demand, None),
        answer: answer(import.state, import.rows_read, import.refused),
        lines: lines.iter().map(|line| Line::of(line, &context)).collect(),
        refused_words: if refusals.len() as i64 == import.refused {
            "Refused rows".to_owned()
        } else {
            format!(
                "The first {} of {} refused rows",
                refusals.len(),
                words::thousands(import.refused as f64)
            )
        },
        refusals,
        refused: import.refused,
        usable,
        confirm: format!("/demand/import/{id}/confirm"),
        discard: format!("/demand/import/{id}/discard"),
        columns: format!("/demand/import/{id}/columns"),
        undo: last.filter(|(last, _)| *last == id).map(|_| format!("/demand/import/{id}/undo")),
        is_open: import.state == ImportState::Preview,
        file_name: import.file_name,
    };
    page(&template)
}

fn answer(state: ImportState, rows: i64, refused: i64) -> String {
    let rows_words = words::thousands(rows as f64);
    match (state, rows, refused) {
        (ImportState::Saved, ..) => "This import was saved.".to_owned(),
        (ImportState::Discarded, ..) => "This import was discarded; nothing was saved.".to_owned(),
        (ImportState::Undone, ..) => {
            "This import was undone; the history is as it was before it.".to_owned()
        }
        (ImportState::Reading, ..) => {
            "The file is being read. Reload the page in a moment.".to_owned()
        }
        (_, 0, _) => "The file has a heading but no rows.".to_owned(),
        (_, _, 0) => {
            format!("All {rows_words} rows can be used. Nothing is saved until you confirm.")
        }
        (_, rows, refused) if rows == refused => {
            format!("None of the {rows_words} rows can be used; the reasons stand below.")
        }
        (_, rows, refused) => format!(
            "{} of {rows_words} rows can be used; {} {} refused. Nothing is saved until you confirm.",
            words::thousands((rows - refused) as f64),
            words::thousands(refused as f64),
            if refused == 1 { "is" } else { "are" },
        ),
    }
}

impl Line {
    fn of(line: &PreviewLine, context: &RequestContext) -> Self {
        let day = |at| words::full_date(context.centre.zone.to_datetime(at).date());
        let count = |count: i64| words::thousands(count as f64);
        Self {
            contact_type: line.contact_type.clone(),
            is_new: line.is_new,
            minutes: line.file_minutes,
            added: count(line.added),
            replaced: count(line.replaced),
            unchanged: count(line.unchanged),
            span: format!("{} – {}", day(line.first), day(line.last)),
            missing: count(line.missing),
        }
    }
}

/// `POST /demand/import/{import}/confirm`: saves all usable rows and queues their forecasts.
pub(crate) async fn confirm(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let confirmed = app.store.confirm_import(id, &Rules::STARTING, Some(context.user.id)).await;
    let touched = match confirmed {
        Ok(touched) => touched,
        Err(StoreError::NotFound) => {
            // Pressed twice: the first time it was saved, and its page says so.
            if app.store.import(id).await?.state == ImportState::Saved {
                return Ok(Redirect::to(&format!("/demand/import/{id}")).into_response());
            }
            return Err(PageError::Refused(
                "Nothing was saved: this preview was discarded, or nobody confirmed it within a day. \
                 Import the file again."
                    .to_owned(),
            ));
        }
        Err(error) => return Err(error.into()),
    };
    let import = app.store.import(id).await?;
    let change = Noted::about(format!("{}, rows: {}", import.file_name, import.rows_read));
    trail::note(&app, &context, Deed::ImportSaved, change).await;
    let target = match &touched[..] {
        // A forecast that does not reach today is shown where it begins.
        [only] => {
            let end = app.store.history_end(*only).await?;
            let first =
                end.map_or(context.today, |end| context.centre.zone.to_datetime(end).date());
            let reaches = (first..=last_forecast_day(first)).contains(&context.today);
            Stage::Demand.address(if reaches { context.today } else { first }, Some(*only))
        }
        _ => Stage::Demand.address(context.today, None),
    };
    Ok(Redirect::to(&target).into_response())
}

/// `POST /demand/import/{import}/discard`
pub(crate) async fn discard(
    State(app): State<App>,
    Planner(_): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.discard_import(id).await?;
    Ok(Redirect::to("/demand/import").into_response())
}

/// `GET /demand/import/example.csv`: a file that can be imported as it is.
pub(crate) async fn example() -> Result<Response, PageError> {
    let heading =
        ["contact_type", "interval_start", "offered", "answered", "abandoned", "handle_secs"];
    let row = |start: &str, rest: [&str; 4]| {
        let mut row = vec!["Timetable questions".to_owned(), start.to_owned()];
        row.extend(rest.map(str::to_owned));
        row
    };
    let rows = vec![
        row("2026-11-02T09:00", ["14", "13", "1", "182.5"]),
        row("2026-11-02T09:30", ["17", "17", "0", "176"]),
        row("2026-11-02T10:00+00:00", ["21", "19", "2", "190.4"]),
        row("2026-11-02T10:30:00Z", ["18", "18", "0", ""]),
    ];
    exports::csv("example-history.csv", &heading, rows).await
}
