//! The targets of a contact type: a form, checked field by field.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::Rules;
use serde::Deserialize;
use uuid::Uuid;

use super::show_page;
use crate::App;
use crate::access::Planner;
use crate::extract::{Form, Path};
use crate::forms::Wrong;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::words;

/// Targets as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct TargetsForm {
    pub service_level: String,
    pub within_secs: String,
    pub abandonment: String,
    pub occupancy: String,
    pub patience_secs: String,
    pub concurrency: String,
    pub shrinkage: String,
    pub day: String,
    #[serde(skip)]
    pub wrong: Wrong,
}

/// `POST /staffing/{contact_type}/targets`
pub(crate) async fn save_targets(
    State(app): State<App>,
    Planner(mut visit): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<TargetsForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    visit.day = typed.day.parse().unwrap_or(visit.day);
    match typed.rules() {
        Ok(rules) => {
            app.store.save_rules(id, &rules).await?;
            let target = Stage::Staffing.address(visit.day, Some(id));
            Ok(Redirect::to(&format!("{target}&saved=targets")).into_response())
        }
        Err(wrong) => {
            let form = TargetsForm { wrong, ..typed };
            refused(&show_page(&app, &visit, &contact_type, None, form).await?)
        }
    }
}

impl TargetsForm {
    pub fn of(rules: &Rules) -> Self {
        let share = |share: f64| words::plain(share * 100.0);
        let optional = |value: Option<String>| value.unwrap_or_default();
        Self {
            service_level: share(rules.service_level),
            within_secs: words::plain(rules.within_secs),
            abandonment: optional(rules.abandonment.map(share)),
            occupancy: optional(rules.occupancy.map(share)),
            patience_secs: optional(rules.patience_secs.map(words::plain)),
            concurrency: rules.concurrency.to_string(),
            shrinkage: share(rules.shrinkage),
            ..Self::default()
        }
    }

    fn rules(&self) -> Result<Rules, Wrong> {
        let mut wrong = Wrong::default();
        let service_level = wrong.number("service_level", &self.service_level);
        let within_secs = wrong.number("within_secs", &self.within_secs);
        let abandonment = wrong.number("abandonment", &self.abandonment);
        let occupancy = wrong.number("occupancy", &self.occupancy);
        let patience_secs = wrong.number("patience_secs", &self.patience_secs);
        let concurrency = wrong.number("concurrency", &self.concurrency);
        let shrinkage = wrong.number("shrinkage", &self.shrinkage);
        let rules = Rules {
            service_level: service_level.unwrap_or(0.0) / 100.0,
            within_secs: within_secs.unwrap_or(-1.0),
            abandonment: abandonment.map(|share| share / 100.0),
            occupancy: occupancy.map(|share| share / 100.0),
            patience_secs,
            concurrency: concurrency
                .filter(|count| count.fract() == 0.0)
                .map_or(0, |count| count.clamp(0.0, 1e6) as u32),
            shrinkage: shrinkage.unwrap_or(-1.0) / 100.0,
        };
        let checked = rules.check();
        for error in checked.as_ref().err().into_iter().flatten() {
            wrong.note(error.field, words::capitalised(error.message));
        }
        checked.ok().filter(|_| wrong.is_empty()).ok_or(wrong)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn targets_survive_their_way_through_the_form() {
        let rules = Rules { abandonment: None, shrinkage: 0.285, ..Rules::STARTING };
        let back = TargetsForm::of(&rules).rules().unwrap();
        assert_eq!(TargetsForm::of(&back).shrinkage, "28.5");
        assert!((back.service_level - 0.8).abs() < 1e-12 && back.abandonment.is_none());
    }

    #[test]
    fn every_wrong_target_is_named_at_its_field() {
        let typed = TargetsForm {
            service_level: "180".into(),
            within_secs: "soon".into(),
            concurrency: "1.5".into(),
            shrinkage: "30 %".into(),
            ..TargetsForm::default()
        };
        let wrong = typed.rules().unwrap_err();
        assert_eq!(wrong.at("within_secs"), Some("“soon” is not a number"));
        assert_eq!(wrong.at("service_level"), Some("Must be above 0 and at most 99.9 %"));
        assert!(wrong.at("concurrency").is_some() && wrong.at("shrinkage").is_none());
    }
}
