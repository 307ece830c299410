//! A trial's files: the intervals as CSV, everything as JSON.

use axum::extract::State;
use axum::response::Response;
use barometer_simulate::Estimate;
use barometer_store::Trial;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::exports;
use crate::extract::Path;
use crate::page_error::PageError;

/// `GET /trials/{trial}/intervals.csv`
pub(crate) async fn export(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let result = trial.result.as_ref().ok_or(PageError::NotFound)?;
    let summary = app.store.trial_summary(id).await?;
    let mut rows = Vec::new();
    for (kind, each) in trial.inputs.types.iter().enumerate() {
        let theory =
            trial.inputs.theory(kind).map_err(|error| PageError::Internal(Box::new(error)))?;
        // A trial of one contact type may have been kept without its sums.
        let (intervals, people) = match &summary {
            Some(summary) if trial.inputs.types.len() > 1 => {
                let home = trial.inputs.home_of(kind);
                let people = home.map_or_else(Vec::new, |home| home.agents.clone());
                (summary.type_intervals(kind), people)
            }
            _ => (result.intervals.clone(), trial.inputs.people()),
        };
        let starts = trial.inputs.starts().zip(&intervals).enumerate();
        rows.extend(starts.map(|(interval, (start, measures))| {
            let local = start.to_zoned(context.centre.zone.clone());
            let agents = people.get(interval).copied().unwrap_or(0);
            let mut row = vec![
                each.name.clone(),
                local.strftime("%Y-%m-%dT%H:%M:%S%:z").to_string(),
                agents.to_string(),
            ];
            row.extend(pair(Some(measures.offered)));
            row.extend(pair(measures.service_level));
            row.extend(pair(measures.abandonment));
            row.extend(pair(measures.answer_secs));
            row.extend(pair(measures.occupancy));
            let theory = theory.as_ref().and_then(|theory| *theory.intervals.get(interval)?);
            row.push(figure(theory.map(|outcome| outcome.service_level)));
            row
        }));
    }
    let heading = [
        "contact_type",
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
    exports::csv(&file_name(&trial, "csv"), &heading, rows).await
}

fn figure(figure: Option<f64>) -> String {
    figure.map_or_else(String::new, |figure| format!("{figure:.6}"))
}

/// An estimate and the half-width of its 95 % confidence interval.
fn pair(estimate: Option<Estimate>) -> [String; 2] {
    [
        figure(estimate.map(|estimate| estimate.mean)),
        figure(estimate.and_then(|estimate| estimate.half_width)),
    ]
}

fn file_name(trial: &Trial, ending: &str) -> String {
    format!("trial-{}-{}.{ending}", trial.subject.name, trial.subject.day)
}

/// `GET /trials/{trial}/trial.json`: everything that the numbers follow from, and the numbers.
pub(crate) async fn export_inputs(
    State(app): State<App>,
    _: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let trial = app.store.trial(id).await?;
    let text = serde_json::to_string_pretty(
        &serde_json::json!({ "inputs": trial.inputs, "result": trial.result }),
    )
    .map_err(|error| PageError::Internal(Box::new(error)))?;
    Ok(exports::json(&file_name(&trial, "json"), text))
}
