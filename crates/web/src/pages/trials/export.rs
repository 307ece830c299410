//! A trial's files: the intervals as CSV, everything as JSON.

use axum::extract::State;
use axum::response::Response;
use uuid::Uuid;

use crate::App;
use crate::access::Visit;
use crate::exports;
use crate::extract::Path;
use crate::page_error::PageError;

/// `GET /trials/{trial}/intervals.csv`
pub(crate) async fn export(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let result = trial.result.as_ref().ok_or(PageError::NotFound)?;
    let theory = trial.inputs.theory().map_err(|error| PageError::Internal(Box::new(error)))?;
    let pair = |estimate: Option<barometer_simulate::Estimate>| {
        let figure =
            |figure: Option<f64>| figure.map_or_else(String::new, |figure| format!("{figure:.6}"));
        [
            figure(estimate.map(|estimate| estimate.mean)),
            figure(estimate.and_then(|estimate| estimate.half_width)),
        ]
    };
    let people = trial.inputs.people();
    let rows = trial.inputs.starts().zip(&result.intervals).zip(people).enumerate().map(
        |(interval, ((start, measures), agents))| {
            let local = start.to_zoned(visit.centre.zone.clone());
            let mut row =
                vec![local.strftime("%Y-%m-%dT%H:%M:%S%:z").to_string(), agents.to_string()];
            row.extend(pair(Some(measures.offered)));
            row.extend(pair(measures.service_level));
            row.extend(pair(measures.abandonment));
            row.extend(pair(measures.answer_secs));
            row.extend(pair(measures.occupancy));
            let theory = theory.as_ref().and_then(|theory| theory.intervals[interval]);
            row.push(
                theory.map_or_else(String::new, |outcome| format!("{:.6}", outcome.service_level)),
            );
            row
        },
    );
    let rows = rows.collect();
    let heading = [
        "interval_start",
        "agents",
        "offered",
        "offered_half_width_95",
        "service_level_share",
        "service_level_half_width_95",
        "abandonment_share",
        "abandonment_half_width_95",
        "answer_secs",
        "answer_secs_half_width_95",
        "occupancy_share",
        "occupancy_half_width_95",
        "steady_state_service_level_share",
    ];
    exports::csv(&format!("trial-{}-{}.csv", trial.contact_type_name, trial.day), &heading, rows)
        .await
}

/// `GET /trials/{trial}/trial.json`: everything that the numbers follow from, and the numbers.
pub(crate) async fn export_inputs(
    State(app): State<App>,
    _: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let text = serde_json::to_string_pretty(
        &serde_json::json!({ "inputs": trial.inputs, "result": trial.result }),
    )
    .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&format!("trial-{}-{}.json", trial.contact_type_name, trial.day), text))
}
