//! Repairs of what preflight finds: one press, and undone like any other edit.

use axum::extract::State;
use axum::response::Response;
use barometer_app::strategy_week;
use barometer_preflight::preflight;
use serde::Deserialize;

use super::change::save_edit;
use super::open;
use crate::App;
use crate::access::Planner;
use crate::extract::Form;
use crate::page_error::PageError;

#[derive(Deserialize)]
pub(crate) struct RepairForm {
    based_on: i32,
    /// The key of the finding.
    finding: String,
    /// Which of its repairs.
    repair: usize,
}

/// `POST /strategy/repair`: makes a repair, as the next version.
pub(crate) async fn repair(
    State(app): State<App>,
    Planner(context): Planner,
    Form(form): Form<RepairForm>,
) -> Result<Response, PageError> {
    let draft = open(&app, &context, Some(form.based_on)).await?;
    let premises = strategy_week::premises(
        &app.store,
        &context.centre,
        &draft.types,
        &draft.strategy,
        context.monday(),
    );
    let findings = preflight(&draft.strategy, &premises.await?);
    let finding = findings.iter().find(|finding| finding.key() == form.finding);
    let repair = finding.and_then(|finding| Some((finding, finding.repairs.get(form.repair)?)));
    let Some((finding, repair)) = repair else {
        return Err(PageError::Refused(
            "Nothing was changed: this is not found any more. Go back and reload the page."
                .to_owned(),
        ));
    };
    save_edit(&app, &context, &draft, &repair.edit, Some(&finding.part)).await
}
