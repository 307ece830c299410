//! The forecast as a file: CSV, XLSX or JSON.

use axum::extract::State;
use axum::response::Response;
use barometer_store::{FrozenInterval, MadeInterval};
use jiff::Timestamp;
use serde::Serialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::exports::{self, Cell};
use crate::extract::Path;
use crate::page_error::PageError;

const HEADING: [&str; 9] = [
    "contact_type",
    "interval_start",
    "contacts",
    "p2_5",
    "p10",
    "p90",
    "p97_5",
    "before_overlays",
    "handle_secs",
];
const FROZEN_HEADING: [&str; 6] =
    ["contact_type", "interval_start", "contacts", "p10", "p90", "handle_secs"];

/// `GET /demand/{contact_type}/forecast.{format}`
pub(crate) async fn forecast(
    State(app): State<App>,
    context: RequestContext,
    Path((id, format)): Path<(Uuid, String)>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let made = app.store.made_intervals(id, Timestamp::UNIX_EPOCH, Timestamp::MAX).await?;
    if made.is_empty() {
        return Err(PageError::NotFound);
    }
    let row = |each: &MadeInterval| {
        vec![
            Cell::Text(contact_type.name.clone()),
            Cell::Text(local(each.start, &context)),
            Cell::Number(each.contacts, 4),
            Cell::Number(each.band().p2_5, 4),
            Cell::Number(each.band().p10, 4),
            Cell::Number(each.band().p90, 4),
            Cell::Number(each.band().p97_5, 4),
            Cell::Number(each.base, 4),
            Cell::Number(each.handle_secs, 2),
        ]
    };
    let rows = made.iter().map(row).collect();
    table(&format!("forecast-{}", contact_type.name), &format, &HEADING, rows).await
}

/// `GET /demand/{contact_type}/frozen/{version}/{format}`
pub(crate) async fn frozen(
    State(app): State<App>,
    context: RequestContext,
    Path((id, version, format)): Path<(Uuid, Uuid, String)>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let intervals = app.store.frozen_intervals(id, version).await?;
    if intervals.is_empty() {
        return Err(PageError::NotFound);
    }
    let row = |each: &FrozenInterval| {
        vec![
            Cell::Text(contact_type.name.clone()),
            Cell::Text(local(each.start, &context)),
            Cell::Number(each.contacts, 4),
            Cell::Number(each.band_80.0, 4),
            Cell::Number(each.band_80.1, 4),
            Cell::Number(each.handle_secs, 2),
        ]
    };
    let rows = intervals.iter().map(row).collect();
    table(&format!("frozen-{}", contact_type.name), &format, &FROZEN_HEADING, rows).await
}

fn local(start: Timestamp, context: &RequestContext) -> String {
    start.to_zoned(context.centre.zone.clone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string()
}

#[derive(Serialize)]
struct JsonTable<'a> {
    columns: &'a [&'a str],
    rows: Vec<Vec<Cell>>,
}

async fn table(
    name: &str,
    format: &str,
    heading: &[&str],
    rows: Vec<Vec<Cell>>,
) -> Result<Response, PageError> {
    match format {
        "csv" => exports::csv_of(&format!("{name}.csv"), heading, rows).await,
        "xlsx" => exports::xlsx(&format!("{name}.xlsx"), heading, rows),
        "json" => {
            let text = serde_json::to_string(&JsonTable { columns: heading, rows })
                .map_err(|error| PageError::Internal(Box::new(error)))?;
            Ok(exports::json(&format!("{name}.json"), text))
        }
        _ => Err(PageError::NotFound),
    }
}
