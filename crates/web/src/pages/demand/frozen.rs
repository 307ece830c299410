//! Frozen forecasts: what was said before, beside what is said now and what came.

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::MethodName;
use barometer_store::{ContactType, FrozenForecast, StoreError};
use jiff::Timestamp;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::tabs::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::charts::{self, tenth};
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::page_error::PageError;
use crate::pages::{page, refused};
use crate::words;

/// The longest name.
const MOST_CHARS: usize = 80;

#[derive(Template)]
#[template(path = "demand/frozen.html")]
struct FrozenPage {
    head: Head,
    answer: String,
    note: Option<&'static str>,
    versions: Vec<VersionRow>,
    sides: Vec<Side>,
    compared: Option<Compared>,
    name: String,
    wrong: FormErrors,
    post: String,
    compare: String,
    day: Date,
}

struct VersionRow {
    name: String,
    from: String,
    contacts: String,
    method: &'static str,
    error: String,
    by: String,
    exports: String,
    remove: String,
}

/// What can be compared: a frozen forecast, the forecast as it is now, or what came.
struct Side {
    key: String,
    name: String,
    is_left: bool,
    is_right: bool,
}

struct Compared {
    left: String,
    right: String,
    sentence: String,
    rows: Vec<ComparedRow>,
    chart: String,
}

struct ComparedRow {
    day: String,
    left: String,
    right: String,
    share: String,
}

#[derive(Serialize)]
struct ComparedChart {
    labels: Vec<String>,
    left_name: String,
    right_name: String,
    left: Vec<Option<f64>>,
    right: Vec<Option<f64>>,
}

#[derive(Deserialize)]
pub(crate) struct FrozenQuery {
    note: Option<String>,
    left: Option<String>,
    right: Option<String>,
}

/// `GET /demand/{contact_type}/frozen`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<FrozenQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let mut template = FrozenPage::new(
        &app,
        &context,
        &contact_type,
        &query,
        String::new(),
        FormErrors::default(),
    )
    .await?;
    template.note = match query.note.as_deref() {
        Some("frozen") => Some("Frozen. It stays as it is, whatever the forecast becomes."),
        Some("gone") => Some("Discarded."),
        _ => None,
    };
    page(&template)
}

impl FrozenPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        contact_type: &ContactType,
        query: &FrozenQuery,
        name: String,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let id = contact_type.id;
        let frozen = app.store.frozen_forecasts(id).await?;
        let latest = frozen.first().map(|latest| latest.id.to_string());
        let left = query.left.clone().or(latest).unwrap_or_else(|| "now".to_owned());
        let right = query.right.clone().unwrap_or_else(|| "now".to_owned());
        let compared = if frozen.is_empty() && query.left.is_none() {
            None
        } else {
            Some(compare(app, context, id, &frozen, (&left, &right)).await?)
        };
        let mut sides: Vec<(String, String)> =
            frozen.iter().map(|each| (each.id.to_string(), each.name.clone())).collect();
        sides.push(("now".to_owned(), NOW.to_owned()));
        sides.push(("came".to_owned(), CAME.to_owned()));
        Ok(Self {
            answer: match (&compared, frozen.len()) {
                (Some(compared), _) => compared.sentence.clone(),
                (None, _) => "Nothing is frozen yet. Freeze the forecast before you publish it, and you can see later what was said.".to_owned(),
            },
            note: None,
            versions: frozen.iter().map(|each| VersionRow::of(each, id, context)).collect(),
            sides: sides
                .into_iter()
                .map(|(key, name)| Side {
                    is_left: key == left,
                    is_right: key == right,
                    key,
                    name,
                })
                .collect(),
            compared,
            name,
            wrong,
            post: format!("/demand/{id}/frozen?day={}", context.day),
            compare: format!("/demand/{id}/frozen"),
            day: context.day,
            head: Head::new(app, context, contact_type, Tab::Frozen).await?,
        })
    }
}

const NOW: &str = "The forecast now";
const CAME: &str = "Actual";

#[derive(Deserialize)]
pub(crate) struct FreezeForm {
    name: String,
}

/// `POST /demand/{contact_type}/frozen`: freezes the forecast, overlays included.
pub(crate) async fn freeze(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(typed): Form<FreezeForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    let mut wrong = FormErrors::default();
    let name = typed.name.trim();
    if name.is_empty() || name.chars().count() > MOST_CHARS {
        wrong.note("name", format!("Write a name of up to {MOST_CHARS} characters."));
    } else {
        match app.store.freeze_forecast(id, name, Some(context.user.id)).await {
            Ok(_) => return Ok(back(id, context.day, "frozen")),
            Err(StoreError::Taken) => wrong.note("name", "There is one of this name already."),
            Err(StoreError::NotFound) => wrong.note("name", "There is no forecast to freeze yet."),
            Err(error) => return Err(error.into()),
        }
    }
    let query = FrozenQuery { note: None, left: None, right: None };
    refused(&FrozenPage::new(&app, &context, &contact_type, &query, typed.name, wrong).await?)
}

/// `POST /demand/{contact_type}/frozen/{version}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path((id, version)): Path<(Uuid, Uuid)>,
) -> Result<Response, PageError> {
    app.store.remove_frozen_forecast(id, version).await?;
    Ok(back(id, context.day, "gone"))
}

fn back(id: Uuid, day: Date, note: &str) -> Response {
    Redirect::to(&format!("{}&note={note}", Tab::Frozen.address(id, day))).into_response()
}

/// Contacts by interval of one side.
struct Contacts {
    name: String,
    by_interval: BTreeMap<Timestamp, f64>,
}

async fn side(
    app: &App,
    context: &RequestContext,
    id: Uuid,
    frozen: &[FrozenForecast],
    key: &str,
) -> Result<Contacts, PageError> {
    Ok(match key {
        "now" => {
            let made = app.store.made_intervals(id, Timestamp::UNIX_EPOCH, Timestamp::MAX).await?;
            Contacts {
                name: NOW.to_owned(),
                by_interval: made.iter().map(|each| (each.start, each.contacts)).collect(),
            }
        }
        "came" => {
            // As far back as anything that it could be compared with.
            let first = frozen.iter().map(|each| each.first_day).min().unwrap_or(context.day);
            let from = barometer_app::planning::span(first, 1, &context.centre.zone)?.0;
            let history = app.store.history_since(id, from).await?;
            Contacts {
                name: CAME.to_owned(),
                by_interval: history.iter().map(|seen| (seen.start, seen.offered)).collect(),
            }
        }
        key => {
            let version =
                frozen.iter().find(|each| each.id.to_string() == key).ok_or(PageError::NotFound)?;
            let intervals = app.store.frozen_intervals(id, version.id).await?;
            Contacts {
                name: version.name.clone(),
                by_interval: intervals.iter().map(|each| (each.start, each.contacts)).collect(),
            }
        }
    })
}

async fn compare(
    app: &App,
    context: &RequestContext,
    id: Uuid,
    frozen: &[FrozenForecast],
    (left, right): (&str, &str),
) -> Result<Compared, PageError> {
    let left = side(app, context, id, frozen, left).await?;
    let right = side(app, context, id, frozen, right).await?;
    let zone = &context.centre.zone;
    // Only intervals that both sides know can be compared.
    let mut days: BTreeMap<Date, (f64, f64)> = BTreeMap::new();
    let mut off = 0.0;
    for (start, ours) in &left.by_interval {
        let Some(theirs) = right.by_interval.get(start) else { continue };
        let day = days.entry(zone.to_datetime(*start).date()).or_default();
        *day = (day.0 + ours, day.1 + theirs);
        off += (ours - theirs).abs();
    }
    let all = days.values().fold((0.0, 0.0), |sum, day| (sum.0 + day.0, sum.1 + day.1));
    let sentence = if days.is_empty() {
        format!("“{}” and “{}” have no day in common.", left.name, right.name)
    } else {
        format!(
            "On {} common {}, “{}” has {} contacts and “{}” {}: {}; intervals differ by {} (WAPE).",
            days.len(),
            if days.len() == 1 { "day" } else { "days" },
            left.name,
            words::thousands(all.0),
            right.name,
            words::thousands(all.1),
            share(all.1, all.0),
            if all.1 > 0.0 { words::percent(off / all.1) } else { words::NONE.to_owned() },
        )
    };
    let chart = ComparedChart {
        labels: days.keys().map(|day| words::short_day(*day)).collect(),
        left: days.values().map(|day| Some(tenth(day.0))).collect(),
        right: days.values().map(|day| Some(tenth(day.1))).collect(),
        left_name: left.name.clone(),
        right_name: right.name.clone(),
    };
    Ok(Compared {
        sentence,
        chart: charts::embedded(&chart)?,
        rows: days
            .iter()
            .map(|(day, (ours, theirs))| ComparedRow {
                day: words::short_day(*day),
                left: words::thousands(*ours),
                right: words::thousands(*theirs),
                share: share(*theirs, *ours),
            })
            .collect(),
        left: left.name,
        right: right.name,
    })
}

fn share(new: f64, old: f64) -> String {
    if old > 0.0 { words::change(new / old - 1.0) } else { words::NONE.to_owned() }
}

impl VersionRow {
    fn of(frozen: &FrozenForecast, contact_type: Uuid, context: &RequestContext) -> Self {
        Self {
            name: frozen.name.clone(),
            from: words::full_date(frozen.first_day),
            contacts: words::thousands(frozen.contacts),
            method: frozen.method.map_or("share of another", MethodName::title),
            error: frozen.interval_wape.map_or_else(|| words::NONE.to_owned(), words::percent),
            by: format!(
                "{}, {}",
                frozen.by.as_deref().unwrap_or("the demo"),
                words::moment(frozen.at, &context.centre.zone)
            ),
            exports: format!("/demand/{contact_type}/frozen/{}", frozen.id),
            remove: format!(
                "/demand/{contact_type}/frozen/{}/remove?day={}",
                frozen.id, context.day
            ),
        }
    }
}
