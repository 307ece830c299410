//! Repairs of what preflight finds: one press, and undone like any other edit.

use axum::extract::State;
use axum::response::Response;
use barometer_app::strategy_week;
use barometer_preflight::preflight;
use serde::Deserialize;

use super::change::{opened_at, save_edit};
use crate::App;
use crate::access::Planner;
use crate::extract::Form;
use crate::page_error::PageError;

#[derive(Deserialize)]
pub(crate) struct RepairForm {
    /// The version or the revision that it was found in.
    based_on: String,
    /// The key of the finding.
    finding: String,
    /// Which of its repairs.
    repair: usize,
}

/// `POST /strategy/repair`: makes a repair, in the draft.
pub(crate) async fn repair(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<RepairForm>,
) -> Result<Response, PageError> {
    let opened = opened_at(&app, &context, &form.based_on).await?;
    let premises = strategy_week::premises(
        &app.store,
        &context.centre,
        &opened.types,
        &opened.strategy,
        context.monday(),
    );
    let findings = preflight(&opened.strategy, &premises.await?);
    let finding = findings.iter().find(|finding| finding.key() == form.finding);
    let repair = finding.and_then(|finding| Some((finding, finding.repairs.get(form.repair)?)));
    let Some((finding, repair)) = repair else {
        return Err(PageError::Refused(
            "Nothing was changed: this is not found any more. Go back and reload the page."
                .to_owned(),
        ));
    };
    save_edit(&app, &context, &opened, &repair.edit, Some(&finding.part)).await
}
