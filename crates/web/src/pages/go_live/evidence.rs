//! What a change may rest on: the centre's own rule, which administrators set.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::EvidenceRules;
use barometer_store::{Deed, Edited, Noted, StoreError};
use serde::Deserialize;

use super::overview;
use crate::App;
use crate::access::Administrator;
use crate::edited;
use crate::extract::Form;
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::{refused, trail};
use crate::words;

/// The rule as typed: points are of service level.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct EvidenceForm {
    pub least_days: String,
    pub widest_points: String,
    /// The version that the form shows.
    pub based_on: String,
}

impl EvidenceForm {
    pub fn of(rules: &EvidenceRules, version: i64) -> Self {
        let points = |share: f64| words::plain_number(100.0 * share);
        Self {
            least_days: rules.least_days.to_string(),
            widest_points: rules.widest.map_or_else(String::new, points),
            based_on: version.to_string(),
        }
    }

    fn read(&self, wrong: &mut FormErrors) -> Option<EvidenceRules> {
        let least_days = wrong.whole("least_days", &self.least_days, EvidenceRules::DAYS);
        let widest =
            wrong.number("widest_points", &self.widest_points).map(|points| points / 100.0);
        if widest.is_some_and(|widest| !EvidenceRules::WIDEST.contains(&widest)) {
            wrong.note("widest_points", "Must be 0.1 to 20 points, or empty.");
        }
        wrong.is_empty().then_some(())?;
        Some(EvidenceRules { least_days: least_days?, widest })
    }
}

/// "at least 30 simulated days, service level within ± 1 point".
pub(crate) fn in_words(rules: &EvidenceRules) -> String {
    let widest = rules.widest.map_or_else(String::new, |widest| {
        format!(", service level within ± {} points", words::plain_number(100.0 * widest))
    });
    format!("at least {} simulated days{widest}", words::thousands(f64::from(rules.least_days)))
}

/// `POST /go-live/evidence`
pub(crate) async fn save(
    State(app): State<App>,
    Administrator(context): Administrator,
    Form(typed): Form<EvidenceForm>,
) -> Result<Response, PageError> {
    let mut wrong = FormErrors::default();
    let Some(rules) = typed.read(&mut wrong) else {
        return refused(&overview(&app, &context, Some((typed, wrong))).await?);
    };
    let centre = context.centre.id;
    let before = app.store.evidence_rules(centre).await?;
    let save = edited::save(&context, &typed.based_on);
    match app.store.save_evidence_rules(centre, &rules, save).await {
        Ok(()) => {}
        Err(StoreError::SavedMeanwhile(first)) => {
            let based_on = app.store.version_of(Edited::Evidence(centre)).await?.to_string();
            let saved = app.store.evidence_rules(centre).await?;
            let differs = [format!("{} → {}", in_words(&saved), in_words(&rules))];
            let message = edited::meanwhile(&first, &context, &differs);
            let typed = EvidenceForm { based_on, ..typed };
            let wrong = FormErrors::of("based_on", message);
            return refused(&overview(&app, &context, Some((typed, wrong))).await?);
        }
        Err(error) => return Err(error.into()),
    }
    if before != rules {
        let change = Noted::from_to(String::new(), in_words(&before), in_words(&rules));
        trail::note(&app, &context, Deed::EvidenceRulesChanged, change).await;
    }
    Ok(Redirect::to(&format!("/go-live?day={}&note=evidence", context.day)).into_response())
}
