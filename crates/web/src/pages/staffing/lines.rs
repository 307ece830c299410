//! Lines and ports: what the busy hour asks of them, and whether those that are there suffice.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_plan::{Equipment, LineCalls, LineRules};
use barometer_store::{ContactType, Edited, StoreError};
use serde::Deserialize;
use uuid::Uuid;

use super::head::{Head, Tab};
use super::period::period_of;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::edited;
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;
use barometer_app::drafts::{Opened, Which};
use barometer_app::staffing::{BusiestLines, CampaignNeed, campaigns_of_week};
use barometer_dialling::need::Need;

/// Rules of the lines as typed.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct LinesForm {
    pub blocking: String,
    pub ring_secs: String,
    pub menu_secs: String,
    pub announcement_secs: String,
    pub wrap_up: String,
    pub lines: String,
    pub menu_ports: String,
    pub announcement_ports: String,
    pub seats: String,
    pub licences: String,
    pub day: String,
    /// The version that the form shows.
    pub based_on: String,
    #[serde(skip)]
    pub wrong: FormErrors,
}

#[derive(Template)]
#[template(path = "staffing/lines.html")]
struct LinesPage {
    head: Head,
    id: Uuid,
    day: String,
    answer: String,
    equipment: Vec<EquipmentRow>,
    parts: Vec<PartRow>,
    /// What campaigns need that dial in the week.
    campaigns: Vec<CampaignRow>,
    week: String,
    form: LinesForm,
    promised: String,
    saved: bool,
}

struct CampaignRow {
    name: String,
    address: String,
    people: String,
    reached: String,
    hours: String,
    busy: String,
    agents: String,
    lines: String,
}

struct EquipmentRow {
    name: &'static str,
    erlangs: String,
    needed: u32,
    existing: String,
    blocking: String,
    verdict: &'static str,
}

/// What one contact type adds in the busy interval.
struct PartRow {
    name: String,
    calls: String,
    waiting: String,
    talking: String,
}

#[derive(Deserialize)]
pub(crate) struct LinesQuery {
    saved: Option<String>,
}

/// `GET /staffing/{contact_type}/lines`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<LinesQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let (rules, form) = saved(&app, &context).await?;
    let mut template = lines_page(&app, &context, &contact_type, &rules, form).await?;
    template.saved = query.saved.is_some();
    page(&template)
}

/// `POST /staffing/{contact_type}/lines`
pub(crate) async fn save(
    State(app): State<App>,
    Planner(mut context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<LinesForm>,
) -> Result<Response, PageError> {
    context.day = typed.day.parse().unwrap_or(context.day);
    let centre = context.centre.id;
    let typed = match typed.rules() {
        Ok(rules) => {
            let save = edited::save(&context, &typed.based_on);
            match app.store.save_line_rules(centre, &rules, save).await {
                Ok(()) => {
                    let address = Tab::Lines.address(id, context.day);
                    return Ok(Redirect::to(&format!("{address}&saved=lines")).into_response());
                }
                Err(StoreError::SavedMeanwhile(first)) => {
                    let (_, now) = saved(&app, &context).await?;
                    let message = edited::meanwhile(&first, &context, &[]);
                    let wrong = FormErrors::of("based_on", message);
                    LinesForm { wrong, based_on: now.based_on, ..typed }
                }
                Err(error) => return Err(error.into()),
            }
        }
        Err(wrong) => LinesForm { wrong, ..typed },
    };
    let contact_type = app.store.contact_type(id).await?;
    let rules = app.store.line_rules(centre).await?;
    refused(&lines_page(&app, &context, &contact_type, &rules, typed).await?)
}

/// What is saved, and the form that shows it.
async fn saved(app: &App, context: &RequestContext) -> Result<(LineRules, LinesForm), PageError> {
    let centre = context.centre.id;
    let based_on = app.store.version_of(Edited::Lines(centre)).await?.to_string();
    let rules = app.store.line_rules(centre).await?;
    Ok((rules, LinesForm { based_on, ..LinesForm::of(&rules) }))
}

impl LinesForm {
    fn of(rules: &LineRules) -> Self {
        let whole = |count: Option<u32>| count.map_or_else(String::new, |count| count.to_string());
        Self {
            blocking: words::plain(rules.blocking * 100.0),
            ring_secs: words::plain(rules.ring_secs),
            menu_secs: words::plain(rules.menu_secs),
            announcement_secs: words::plain(rules.announcement_secs),
            wrap_up: words::plain(rules.wrap_up * 100.0),
            lines: whole(rules.lines),
            menu_ports: whole(rules.menu_ports),
            announcement_ports: whole(rules.announcement_ports),
            seats: whole(rules.seats),
            licences: whole(rules.licences),
            ..Self::default()
        }
    }

    fn rules(&self) -> Result<LineRules, FormErrors> {
        let mut wrong = FormErrors::default();
        let blocking = wrong.number("blocking", &self.blocking);
        let ring_secs = wrong.number("ring_secs", &self.ring_secs);
        let menu_secs = wrong.number("menu_secs", &self.menu_secs);
        let announcement_secs = wrong.number("announcement_secs", &self.announcement_secs);
        let wrap_up = wrong.number("wrap_up", &self.wrap_up);
        let many = 0..=1_000_000u32;
        let lines = wrong.optional_whole("lines", &self.lines, many.clone());
        let menu_ports = wrong.optional_whole("menu_ports", &self.menu_ports, many.clone());
        let announcement_ports =
            wrong.optional_whole("announcement_ports", &self.announcement_ports, many.clone());
        let seats = wrong.optional_whole("seats", &self.seats, many.clone());
        let licences = wrong.optional_whole("licences", &self.licences, many);
        let rules = LineRules {
            blocking: blocking.unwrap_or(-1.0) / 100.0,
            ring_secs: ring_secs.unwrap_or(0.0),
            menu_secs: menu_secs.unwrap_or(0.0),
            announcement_secs: announcement_secs.unwrap_or(0.0),
            wrap_up: wrap_up.unwrap_or(0.0) / 100.0,
            lines,
            menu_ports,
            announcement_ports,
            seats,
            licences,
        };
        let checked = rules.check();
        for (field, message) in checked.as_ref().err().into_iter().flatten() {
            wrong.note(field, words::capitalised(message));
        }
        checked.ok().filter(|_| wrong.is_empty()).ok_or(wrong)
    }
}

/// Calls of every contact type that is telephoned, by interval.
async fn lines_page(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    rules: &LineRules,
    form: LinesForm,
) -> Result<LinesPage, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let week = period_of(context, "week");
    let busiest = BusiestLines::of(&app.store, &types, week, rules, &context.centre.zone).await?;
    let campaigns = campaign_rows(app, context, rules).await?;
    let head = Head::new(context, &types, contact_type, Tab::Lines);
    let week = words::week_span(context.monday());
    let promised = words::plain(rules.blocking * 100.0);
    let day = context.day.to_string();
    let form = LinesForm { day: day.clone(), ..form };
    let id = contact_type.id;
    let Some(BusiestLines { start, need, parts }) = busiest else {
        let answer = format!("Nothing is forecast by telephone in the week {week}.");
        let (equipment, parts) = (Vec::new(), Vec::new());
        return Ok(LinesPage {
            head,
            id,
            day,
            answer,
            equipment,
            parts,
            campaigns,
            week,
            form,
            promised,
            saved: false,
        });
    };
    let at = words::day_clock(start, &context.centre.zone);
    let has = match (need.lines.existing, need.lines.existing_blocking) {
        (Some(lines), Some(share)) => format!(
            " The {lines} there are refuse {} of the calls: {}.",
            words::percent(share),
            if share <= rules.blocking { "they suffice" } else { "too few" }
        ),
        _ => String::new(),
    };
    Ok(LinesPage {
        answer: format!(
            "The busiest interval of {week} is {at}: {:.1} Erlangs need {} lines to block no more than {promised} %.{has}",
            need.lines.erlangs, need.lines.needed
        ),
        equipment: [
            ("Lines", need.lines),
            ("Menu ports", need.menu),
            ("Announcement ports", need.announcement),
        ]
        .into_iter()
        .map(|(name, equipment)| equipment_row(name, equipment, rules.blocking))
        .collect(),
        parts: parts.iter().map(|(name, calls)| part_row(name, calls, rules)).collect(),
        campaigns,
        week,
        head,
        id,
        day,
        form,
        promised,
        saved: false,
    })
}

/// What the live strategy's campaigns need in the week.
async fn campaign_rows(
    app: &App,
    context: &RequestContext,
    rules: &LineRules,
) -> Result<Vec<CampaignRow>, PageError> {
    let opened = Opened::open(&app.store, &context.centre, Which::Usual).await?;
    let zone = &context.centre.zone;
    let needs = campaigns_of_week(&opened.strategy, context.monday(), zone, rules.blocking);
    let row = |of: CampaignNeed| {
        let needed = |count: fn(&Need) -> u32| {
            of.need.as_ref().map_or_else(|| words::NONE.to_owned(), |need| count(need).to_string())
        };
        CampaignRow {
            agents: if of.is_message { "none".to_owned() } else { needed(|need| need.agents) },
            lines: needed(|need| need.lines),
            address: format!(
                "/strategy/campaigns?day={}&campaign={}",
                context.day,
                words::in_address(&of.id)
            ),
            people: words::thousands(f64::from(of.people)),
            reached: words::thousands(of.conversations),
            hours: words::one_decimal(of.hours),
            busy: words::whole_percent(of.utilisation),
            name: of.name,
        }
    };
    Ok(needs.into_iter().map(row).collect())
}

fn equipment_row(name: &'static str, equipment: Equipment, promised: f64) -> EquipmentRow {
    EquipmentRow {
        name,
        erlangs: format!("{:.2}", equipment.erlangs),
        needed: equipment.needed,
        existing: equipment
            .existing
            .map_or_else(|| words::NONE.to_owned(), |many| many.to_string()),
        blocking: equipment
            .existing_blocking
            .map_or_else(|| words::NONE.to_owned(), words::percent),
        verdict: match equipment.existing_blocking {
            None => "not known",
            Some(share) if share <= promised => "suffices",
            Some(_) => "too few",
        },
    }
}

fn part_row(name: &str, calls: &LineCalls, rules: &LineRules) -> PartRow {
    let per_sec = calls.calls_per_hour / 3600.0;
    PartRow {
        name: name.to_owned(),
        calls: words::thousands(calls.calls_per_hour),
        waiting: format!("{:.1}", per_sec * calls.mean_wait_secs),
        talking: format!(
            "{:.1}",
            per_sec * calls.answered * calls.handle_secs * (1.0 - rules.wrap_up)
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn line_rules_survive_their_way_through_the_form_and_wrong_ones_are_named() {
        let rules = LineRules { lines: Some(60), ..LineRules::STARTING };
        assert_eq!(LinesForm::of(&rules).rules().unwrap(), rules);
        let typed = LinesForm { blocking: "0".into(), lines: "-3".into(), ..LinesForm::of(&rules) };
        let wrong = typed.rules().unwrap_err();
        assert!(
            wrong.at("blocking").is_some_and(|said| said.contains("0 % would need endless lines"))
        );
        assert!(wrong.at("lines").is_some());
    }
}
