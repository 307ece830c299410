//! The targets of a contact type: a form, checked field by field, and what it changes.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{Model, Rules, Shrinkage};
use barometer_queueing::LevelOf;
use barometer_store::{ContactType, Deed, Edited, Noted, StoreError};
use serde::Deserialize;
use uuid::Uuid;

use super::{Asked, show_page};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path};
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::{refused, trail};
use crate::words;

/// Targets as typed; what is wrong stands beside its field.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct TargetsForm {
    pub service_level: String,
    pub within_secs: String,
    pub level_of: String,
    pub short_secs: String,
    pub answer_secs: String,
    pub abandonment: String,
    pub occupancy: String,
    pub occupancy_floor: String,
    pub patience_secs: String,
    pub handle_secs: String,
    pub concurrency: String,
    pub slowing: String,
    pub model: String,
    pub leave: String,
    pub sickness: String,
    pub training: String,
    pub breaks: String,
    pub cost_per_hour: String,
    /// The version that the form shows.
    pub based_on: String,
    #[serde(flatten)]
    pub asked: Asked,
    #[serde(skip)]
    pub wrong: FormErrors,
}

/// Fields that may have a message, in the order of the form.
pub(super) const FIELDS: [&str; 17] = [
    "service_level",
    "within_secs",
    "short_secs",
    "answer_secs",
    "abandonment",
    "occupancy",
    "occupancy_floor",
    "patience_secs",
    "handle_secs",
    "concurrency",
    "slowing",
    "model",
    "leave",
    "sickness",
    "training",
    "breaks",
    "cost_per_hour",
];

/// `POST /staffing/{contact_type}/targets`
pub(crate) async fn save_targets(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<TargetsForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    context.day = typed.asked.day.parse().unwrap_or(context.day);
    let asked = typed.asked.clone();
    let checked = match typed.rules() {
        Ok(rules) => match super::conflict(&app, &context, &contact_type, &asked, &rules).await? {
            None => Ok(rules),
            Some((field, message)) => Err(FormErrors::of(field, message)),
        },
        Err(wrong) => Err(wrong),
    };
    match checked {
        Ok(rules) => {
            match app.store.save_rules(id, &rules, edited::save(&context, &typed.based_on)).await {
                Ok(()) => {
                    note(&app, &context, &contact_type, &rules).await;
                    let address = asked.address(id, &context, "&saved=targets");
                    Ok(Redirect::to(&address).into_response())
                }
                Err(StoreError::SavedMeanwhile(first)) => {
                    let based_on = app.store.version_of(Edited::Targets(id)).await?.to_string();
                    let saved = app.store.contact_type(id).await?;
                    let differs = differences(&saved.rules, &rules);
                    let message = edited::meanwhile(&first, &context, &differs);
                    let wrong = FormErrors::of("based_on", message);
                    let form = TargetsForm { wrong, based_on, ..typed };
                    refused(&show_page(&app, &context, &saved, &asked, None, form).await?)
                }
                Err(error) => Err(error.into()),
            }
        }
        Err(wrong) => {
            let form = TargetsForm { wrong, ..typed };
            refused(&show_page(&app, &context, &contact_type, &asked, None, form).await?)
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct UndoForm {
    #[serde(flatten)]
    asked: Asked,
    #[serde(default)]
    based_on: String,
}

/// `POST /staffing/{contact_type}/targets/undo`: the targets before the last save.
pub(crate) async fn undo_targets(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<UndoForm>,
) -> Result<Response, PageError> {
    let UndoForm { asked, based_on } = form;
    context.day = asked.day.parse().unwrap_or(context.day);
    let before = app.store.contact_type(id).await?;
    app.store.undo_rules(id, edited::save(&context, &based_on)).await?;
    let after = app.store.contact_type(id).await?.rules;
    note(&app, &context, &before, &after).await;
    Ok(Redirect::to(&asked.address(id, &context, "&saved=targets")).into_response())
}

async fn note(app: &App, context: &RequestContext, before: &ContactType, after: &Rules) {
    let (was, became) = trail::fields_changed(&before.rules, after);
    let change = Noted::from_to(before.name.clone(), was, became);
    trail::note(app, context, Deed::TargetsChanged, change).await;
}

impl TargetsForm {
    pub fn of(rules: &Rules) -> Self {
        let share = |share: f64| words::plain(share * 100.0);
        let optional = |value: Option<String>| value.unwrap_or_default();
        let (level_of, short_secs) = match rules.level_of {
            LevelOf::Offered => ("offered", String::new()),
            LevelOf::OfferedLessShort { short_secs } => ("less-short", words::plain(short_secs)),
            LevelOf::Answered => ("answered", String::new()),
        };
        Self {
            service_level: share(rules.service_level),
            within_secs: words::plain(rules.within_secs),
            level_of: level_of.to_owned(),
            short_secs,
            answer_secs: optional(rules.answer_secs.map(words::plain)),
            abandonment: optional(rules.abandonment.map(share)),
            occupancy: optional(rules.occupancy.map(share)),
            occupancy_floor: optional(rules.occupancy_floor.map(share)),
            patience_secs: optional(rules.patience_secs.map(words::plain)),
            handle_secs: optional(rules.handle_secs.map(words::plain)),
            concurrency: rules.concurrency.to_string(),
            slowing: share(rules.slowing),
            model: rules.model.map_or("", model_slug).to_owned(),
            leave: share(rules.shrinkage.leave),
            sickness: share(rules.shrinkage.sickness),
            training: share(rules.shrinkage.training),
            breaks: share(rules.shrinkage.breaks),
            cost_per_hour: optional(rules.cost_per_hour.map(words::plain)),
            ..Self::default()
        }
    }

    /// The rules that were typed, or a message for every field that is wrong.
    pub fn rules(&self) -> Result<Rules, FormErrors> {
        let mut wrong = FormErrors::default();
        let mut number = |field, typed: &str| wrong.number(field, typed);
        let service_level = number("service_level", &self.service_level);
        let within_secs = number("within_secs", &self.within_secs);
        let short_secs = number("short_secs", &self.short_secs);
        let answer_secs = number("answer_secs", &self.answer_secs);
        let abandonment = number("abandonment", &self.abandonment);
        let occupancy = number("occupancy", &self.occupancy);
        let occupancy_floor = number("occupancy_floor", &self.occupancy_floor);
        let patience_secs = number("patience_secs", &self.patience_secs);
        let handle_secs = number("handle_secs", &self.handle_secs);
        let concurrency = number("concurrency", &self.concurrency);
        let slowing = number("slowing", &self.slowing);
        let shrinkage = [
            number("leave", &self.leave),
            number("sickness", &self.sickness),
            number("training", &self.training),
            number("breaks", &self.breaks),
        ];
        let cost_per_hour = number("cost_per_hour", &self.cost_per_hour);
        let share = |share: f64| share / 100.0;
        let [leave, sickness, training, breaks] = shrinkage.map(|of| share(of.unwrap_or(0.0)));
        let rules = Rules {
            service_level: share(service_level.unwrap_or(0.0)),
            within_secs: within_secs.unwrap_or(-1.0),
            level_of: match self.level_of.as_str() {
                "less-short" => {
                    LevelOf::OfferedLessShort { short_secs: short_secs.unwrap_or(SHORT_SECS) }
                }
                "answered" => LevelOf::Answered,
                _ => LevelOf::Offered,
            },
            answer_secs,
            abandonment: abandonment.map(share),
            occupancy: occupancy.map(share),
            occupancy_floor: occupancy_floor.map(share),
            patience_secs,
            handle_secs,
            concurrency: concurrency
                .filter(|count| count.fract() == 0.0)
                .map_or(0, |count| count.clamp(0.0, 1e6) as u32),
            slowing: share(slowing.unwrap_or(0.0)),
            model: model_of(&self.model),
            shrinkage: Shrinkage { leave, sickness, training, breaks },
            cost_per_hour,
        };
        let checked = rules.check();
        for error in checked.as_ref().err().into_iter().flatten() {
            wrong.note(error.field, words::capitalised(error.message));
        }
        checked.ok().filter(|_| wrong.is_empty()).ok_or(wrong)
    }
}

/// Abandoned within this is short, where nothing else is said.
const SHORT_SECS: f64 = 5.0;

const fn model_slug(model: Model) -> &'static str {
    match model {
        Model::ErlangA => "erlang-a",
        Model::ErlangC => "erlang-c",
        Model::Chat => "chat",
        Model::Deadline => "deadline",
    }
}

fn model_of(slug: &str) -> Option<Model> {
    [Model::ErlangA, Model::ErlangC, Model::Chat, Model::Deadline]
        .into_iter()
        .find(|model| model_slug(*model) == slug)
}

/// What `now` differs in from `saved`, as "service level 80 % → 90 %".
pub(super) fn differences(saved: &Rules, now: &Rules) -> Vec<String> {
    let (before, after) = (TargetsForm::of(saved), TargetsForm::of(now));
    let none = |text: &str, unit: &str| {
        if text.is_empty() { "none".to_owned() } else { format!("{text}{unit}") }
    };
    let fields: [(&str, &str, &String, &String); 18] = [
        ("service level", " %", &before.service_level, &after.service_level),
        ("answered within", " s", &before.within_secs, &after.within_secs),
        ("service level of", "", &before.level_of, &after.level_of),
        ("short abandons", " s", &before.short_secs, &after.short_secs),
        ("speed of answer", " s", &before.answer_secs, &after.answer_secs),
        ("abandonment", " %", &before.abandonment, &after.abandonment),
        ("occupancy", " %", &before.occupancy, &after.occupancy),
        ("occupancy floor", " %", &before.occupancy_floor, &after.occupancy_floor),
        ("patience", " s", &before.patience_secs, &after.patience_secs),
        ("handle time", " s", &before.handle_secs, &after.handle_secs),
        ("contacts at once", "", &before.concurrency, &after.concurrency),
        ("slowing", " %", &before.slowing, &after.slowing),
        ("model", "", &before.model, &after.model),
        ("leave", " %", &before.leave, &after.leave),
        ("sickness", " %", &before.sickness, &after.sickness),
        ("training", " %", &before.training, &after.training),
        ("breaks", " %", &before.breaks, &after.breaks),
        ("cost", " an hour", &before.cost_per_hour, &after.cost_per_hour),
    ];
    fields
        .into_iter()
        .filter(|(_, _, before, after)| before != after)
        .map(|(name, unit, before, after)| {
            format!("{name} {} → {}", none(before, unit), none(after, unit))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn targets_survive_their_way_through_the_form() {
        let rules = Rules {
            abandonment: None,
            shrinkage: Shrinkage::of(0.285),
            level_of: LevelOf::OfferedLessShort { short_secs: 7.5 },
            model: Some(Model::Chat),
            ..Rules::STARTING
        };
        let back = TargetsForm::of(&rules).rules().unwrap();
        assert_eq!(TargetsForm::of(&back).breaks, "28.5");
        assert!((back.service_level - 0.8).abs() < 1e-12 && back.abandonment.is_none());
        assert_eq!((back.level_of, back.model), (rules.level_of, rules.model));
        assert!(differences(&rules, &back).is_empty());
    }

    #[test]
    fn what_differs_is_named_with_both_values() {
        let now = Rules { service_level: 0.9, abandonment: None, ..Rules::STARTING };
        let said = differences(&Rules::STARTING, &now);
        assert_eq!(said, ["service level 80 % → 90 %", "abandonment 5 % → none"]);
    }

    #[test]
    fn every_wrong_target_is_named_at_its_field() {
        let typed = TargetsForm {
            service_level: "180".into(),
            within_secs: "soon".into(),
            concurrency: "1.5".into(),
            breaks: "100 %".into(),
            ..TargetsForm::default()
        };
        let wrong = typed.rules().unwrap_err();
        assert_eq!(wrong.at("within_secs"), Some("“soon” is not a number"));
        assert_eq!(wrong.at("service_level"), Some("Must be above 0 and at most 99.9 %"));
        assert!(wrong.at("concurrency").is_some());
        assert_eq!(wrong.at("breaks"), Some("Must be 0 to 90 %"));
    }
}
