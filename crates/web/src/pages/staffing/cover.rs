//! The cover: people planned for a stretch of the day, or as many as are needed.

use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{CoverInterval, PlannedInterval};
use jiff::civil::Time;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use super::show_page;
use super::targets::TargetsForm;
use crate::App;
use crate::access::Planner;
use crate::extract::{Form, Path};
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::refused;
use crate::planning;

/// More people than a form may plan for one interval.
const MOST_PEOPLE: u32 = 100_000;

/// Cover as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct CoverForm {
    pub how: String,
    pub from: String,
    pub to: String,
    pub people: String,
    pub day: String,
    #[serde(skip)]
    pub wrong: Option<String>,
}

/// `POST /staffing/{contact_type}/cover`: plans people for a stretch of the day, or the need itself.
pub(crate) async fn save_cover(
    State(app): State<App>,
    Planner(mut visit): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<CoverForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    visit.day = typed.day.parse().unwrap_or(visit.day);
    let zone = &visit.centre.zone;
    let (first, days) = if typed.how == "need-week" { (visit.monday(), 7) } else { (visit.day, 1) };
    let plan = planning::plan(&app.store, &contact_type, first, days, zone).await?;
    let planned = if typed.how == "people" {
        people_between(&typed, &plan, zone)
    } else {
        Ok(need_as_cover(&plan))
    };
    match planned {
        Ok(cover) => {
            app.store.save_cover(id, &cover).await?;
            let target = Stage::Staffing.address(visit.day, Some(id));
            Ok(Redirect::to(&format!("{target}&saved=cover")).into_response())
        }
        Err(wrong) => {
            let targets = TargetsForm::of(&contact_type.rules);
            let mut template = show_page(&app, &visit, &contact_type, None, targets).await?;
            template.cover = CoverForm { wrong: Some(wrong), ..typed };
            refused(&template)
        }
    }
}

fn need_as_cover(plan: &[PlannedInterval]) -> Vec<CoverInterval> {
    plan.iter()
        .map(|interval| CoverInterval { start: interval.start, agents: interval.assessment.need })
        .collect()
}

fn people_between(
    typed: &CoverForm,
    plan: &[PlannedInterval],
    zone: &TimeZone,
) -> Result<Vec<CoverInterval>, String> {
    let time = |text: &str, name: &str| {
        text.trim().parse::<Time>().map_err(|_| format!("{name} must be a time such as 09:30."))
    };
    let from = time(&typed.from, "From")?;
    let to = time(&typed.to, "To")?;
    let agents = typed.people.trim().parse::<u32>().ok().filter(|people| *people <= MOST_PEOPLE);
    let agents =
        agents.ok_or_else(|| format!("People must be a whole number from 0 to {MOST_PEOPLE}."))?;
    if to <= from {
        return Err("To must be later than from.".to_owned());
    }
    let cover: Vec<_> = plan
        .iter()
        .filter(|interval| (from..to).contains(&zone.to_datetime(interval.start).time()))
        .map(|interval| CoverInterval { start: interval.start, agents })
        .collect();
    if cover.is_empty() {
        return Err("Nothing is open between these times on this day.".to_owned());
    }
    Ok(cover)
}
