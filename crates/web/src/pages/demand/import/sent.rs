//! History that a script sends: `PUT /api/history` with a token.

use axum::Json;
use axum::body::{Body, Bytes};
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use barometer_intake::{Doubt, Role};
use barometer_plan::Rules;
use barometer_store::{Deed, Noted};
use barometer_wire::centre::{HistoryTaken, RefusedRow};
use csv_async::AsyncWriterBuilder;
use futures_util::stream::{self, TryStreamExt};
use serde::Deserialize;
use uuid::Uuid;

use super::{first_reading, take_in};
use crate::App;
use crate::access::RequestContext;
use crate::api::caller::Caller;
use crate::extract::Query;
use crate::page_error::PageError;
use crate::pages::trail;
use barometer_app::imports::{self as importing, FileError};

/// Refused rows that an answer tells of.
const TOLD_REFUSALS: i64 = 20;

#[derive(Deserialize)]
pub(crate) struct SentQuery {
    contact_type: Option<String>,
}

fn told(status: StatusCode, message: impl Into<String>) -> Response {
    let message = message.into();
    let nothing =
        HistoryTaken { message, rows: 0, added: 0, replaced: 0, unchanged: 0, refused: vec![] };
    (status, Json(nothing)).into_response()
}

/// `PUT /api/history`: all rows of a CSV or JSON body, or none of them.
pub(crate) async fn put(
    State(app): State<App>,
    Caller(context): Caller,
    Query(query): Query<SentQuery>,
    headers: HeaderMap,
    body: Body,
) -> Response {
    match receive(&app, &context, query, &headers, body).await {
        Ok(response) => response,
        Err(PageError::Refused(message)) => told(StatusCode::UNPROCESSABLE_ENTITY, message),
        Err(error) => {
            tracing::error!(?error, "history that was sent could not be taken");
            told(StatusCode::INTERNAL_SERVER_ERROR, "something went wrong here; nothing was saved")
        }
    }
}

async fn receive(
    app: &App,
    context: &RequestContext,
    query: SentQuery,
    headers: &HeaderMap,
    body: Body,
) -> Result<Response, PageError> {
    if !context.may_plan() {
        return Ok(told(StatusCode::FORBIDDEN, "history is sent with the token of a planner"));
    }
    let text = |name| headers.get(name).and_then(|value| value.to_str().ok());
    let bytes = body.into_data_stream().map_err(|error| error.to_string());
    let is_json =
        text(header::CONTENT_TYPE).is_some_and(|kind| kind.starts_with("application/json"));
    let only = query.contact_type.as_deref().map(str::trim).filter(|name| !name.is_empty());
    let kept = if is_json {
        let limit = app.settings.upload_limit_mb.min(MOST_JSON_MB) * 1024 * 1024;
        let csv = match json_to_csv(bytes, limit).await {
            Ok(csv) => csv,
            Err(message) => return Ok(told(StatusCode::UNPROCESSABLE_ENTITY, message)),
        };
        let once = stream::once(async { Ok::<_, String>(Bytes::from(csv)) });
        take_in(app, context, "sent.json", only, once).await?
    } else {
        take_in(app, context, "sent.csv", only, bytes).await?
    };
    let import = match kept {
        Ok(import) => import,
        Err(message) => return Ok(told(StatusCode::PAYLOAD_TOO_LARGE, message)),
    };
    let is_read = first_reading(app, &context.centre, import).await;
    let message = match is_read {
        Ok(true) => None,
        Ok(false) => Some(format!(
            "it is not clear what the columns hold{}: import one such file by hand and say so; it is \
             remembered",
            unused_columns(app, import).await
        )),
        Err(FileError::Store(error)) => return Err(error.into()),
        Err(error) => Some(error.to_string()),
    };
    if let Some(message) = message {
        app.store.forget_import(import).await?;
        return Ok(told(StatusCode::UNPROCESSABLE_ENTITY, message));
    }
    let read = app.store.import(import).await?;
    if read.refused > 0 {
        let unused = unused_columns(app, import).await;
        let refusals = app.store.refusals(import, TOLD_REFUSALS).await?;
        app.store.discard_import(import).await?;
        let refused = HistoryTaken {
            message: format!(
                "{} of {} rows cannot be used; nothing was saved{unused}",
                read.refused, read.rows_read
            ),
            rows: read.rows_read,
            added: 0,
            replaced: 0,
            unchanged: 0,
            refused: refusals
                .into_iter()
                .map(|it| RefusedRow { row: it.row_number, column: it.field, reason: it.reason })
                .collect(),
        };
        return Ok((StatusCode::UNPROCESSABLE_ENTITY, Json(refused)).into_response());
    }
    let lines = app.store.preview(import).await?;
    app.store.confirm_import(import, &Rules::STARTING, Some(context.user.id)).await?;
    let change =
        Noted::about(format!("{} by the interface, rows: {}", read.file_name, read.rows_read));
    trail::note(app, context, Deed::ImportSaved, change).await;
    let sum = |of: fn(&barometer_store::PreviewLine) -> i64| lines.iter().map(of).sum();
    let saved = HistoryTaken {
        message: "saved".to_owned(),
        rows: read.rows_read,
        added: sum(|line| line.added),
        replaced: sum(|line| line.replaced),
        unchanged: sum(|line| line.unchanged),
        refused: vec![],
    };
    Ok(Json(saved).into_response())
}

/// Tells of columns that are not used, where one of them may say whose contacts a row counts.
async fn unused_columns(app: &App, import: Uuid) -> String {
    let Ok(beginning) = importing::beginning(&app.store, import, None).await else {
        return String::new();
    };
    let guess = beginning.guess();
    if guess.layout.column(Role::ContactType).is_some() {
        return String::new();
    }
    let unknown = guess.doubts.iter().filter_map(|doubt| match doubt {
        Doubt::Unknown(column) => beginning.heading.get(*column).map(String::as_str),
        _ => None,
    });
    let unknown: Vec<&str> = unknown.collect();
    if unknown.is_empty() {
        return String::new();
    }
    format!(
        "; columns not used: {} (name the one that holds the contact type contact_type)",
        unknown.join(", ")
    )
}

/// JSON is held in memory as a whole, many times its size; CSV is not.
const MOST_JSON_MB: usize = 8;

/// An array of objects with the same keys as rows of a table.
async fn json_to_csv(
    bytes: impl futures_util::Stream<Item = Result<Bytes, String>>,
    limit: usize,
) -> Result<Vec<u8>, String> {
    let mut text = Vec::new();
    let mut bytes = std::pin::pin!(bytes);
    while let Some(chunk) = bytes.try_next().await? {
        text.extend_from_slice(&chunk);
        if text.len() > limit {
            return Err(format!(
                "the body is larger than {} MB: send CSV, which may be larger",
                limit / 1024 / 1024
            ));
        }
    }
    let rows: Vec<serde_json::Map<String, serde_json::Value>> = serde_json::from_slice(&text)
        .map_err(|error| format!("the body is no array of objects: {error}"))?;
    let Some(first) = rows.first() else { return Err("the array is empty".to_owned()) };
    let heading: Vec<String> = first.keys().cloned().collect();
    let mut writer = AsyncWriterBuilder::new().create_writer(Vec::new());
    writer.write_record(&heading).await.map_err(|error| error.to_string())?;
    for (at, row) in rows.iter().enumerate() {
        if let Some(unknown) = row.keys().find(|key| !heading.contains(key)) {
            return Err(format!("object {}: the first object has no “{unknown}”", at + 1));
        }
        let cells = heading.iter().map(|key| match row.get(key) {
            None | Some(serde_json::Value::Null) => String::new(),
            Some(serde_json::Value::String(text)) => text.clone(),
            Some(other) => other.to_string(),
        });
        let cells: Vec<String> = cells.collect();
        writer.write_record(&cells).await.map_err(|error| error.to_string())?;
    }
    writer.into_inner().await.map_err(|error| error.to_string())
}
