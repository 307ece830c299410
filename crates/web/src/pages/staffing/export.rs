//! Need and cover of what is shown, as a file.

use axum::extract::State;
use axum::response::Response;
use barometer_plan::PlannedInterval;
use barometer_queueing::Outcome;
use barometer_store::ContactType;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use super::Asked;
use crate::App;
use crate::access::RequestContext;
use crate::exports::{self, Cell};
use crate::extract::{Path, Query};
use crate::page_error::PageError;

#[derive(Deserialize)]
pub(crate) struct ExportQuery {
    #[serde(flatten)]
    asked: Asked,
}

const HEADING: [&str; 13] = [
    "contact_type",
    "interval_start",
    "contacts",
    "handle_secs",
    "offered_erlangs",
    "need_agents",
    "rostered_agents",
    "cover_agents",
    "service_level_share",
    "abandonment_share",
    "answer_secs",
    "occupancy_share",
    "verdict",
];

/// `GET /staffing/{contact_type}/need/{format}`: the intervals that are shown, as csv or xlsx.
pub(crate) async fn export(
    State(app): State<App>,
    context: RequestContext,
    Path((id, format)): Path<(Uuid, String)>,
    Query(query): Query<ExportQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let source = super::source(&app, &context, &contact_type, &query.asked).await?;
    let plan = source
        .schedule(&contact_type.rules)
        .map_err(|error| PageError::Internal(Box::new(error)))?;
    let secs = source.interval_secs();
    let rows = plan.iter().map(|interval| row(&contact_type, interval, secs, &context.centre.zone));
    let rows = rows.collect();
    let name = format!("need-{}-{}.{format}", contact_type.name, context.day);
    match format.as_str() {
        "csv" => exports::csv_of(&name, &HEADING, rows).await,
        "xlsx" => exports::xlsx(&name, &HEADING, rows),
        _ => Err(PageError::NotFound),
    }
}

fn row(
    contact_type: &ContactType,
    interval: &PlannedInterval,
    secs: f64,
    zone: &TimeZone,
) -> Vec<Cell> {
    let assessment = &interval.assessment;
    let whole = |agents: u32| Cell::Number(f64::from(agents), 0);
    let nothing = || Cell::Text(String::new());
    let with_cover = |of: fn(&Outcome) -> f64| {
        let outcome = assessment.with_cover.as_ref();
        outcome.map_or_else(nothing, |outcome| Cell::Number(of(outcome), 6))
    };
    let start = interval.start.to_zoned(zone.clone());
    let load = interval.load;
    vec![
        Cell::Text(contact_type.name.clone()),
        Cell::Text(start.strftime("%Y-%m-%dT%H:%M:%S%:z").to_string()),
        Cell::Number(load.contacts, 4),
        Cell::Number(load.handle_secs, 2),
        Cell::Number(load.contacts * load.handle_secs / secs, 4),
        whole(assessment.need),
        whole(contact_type.rules.rostered(assessment.need)),
        assessment.cover.map_or_else(nothing, whole),
        with_cover(|outcome| outcome.service_level),
        with_cover(|outcome| outcome.abandonment),
        with_cover(|outcome| outcome.answer_secs),
        with_cover(|outcome| outcome.occupancy),
        Cell::Text(
            assessment.verdict.map_or_else(String::new, |verdict| verdict.word().to_owned()),
        ),
    ]
}
