//! Staffing: how many people that takes, against the people planned.

mod agents;
pub(crate) mod contacts;
mod cover;
pub(crate) mod customers;
mod day_need;
mod day_roster;
mod every_interval;
mod export;
mod head;
mod lines;
mod period;
mod result;
mod searches;
mod shapes;
mod targets;
mod what_if;
mod why;

use askama::Template;
use axum::extract::State;
use axum::http::{HeaderName, HeaderValue};
use axum::response::{IntoResponse, Response};
use barometer_plan::{NeedError, PlannedInterval, Rules, may_pool};
use barometer_store::{ContactType, Edited};
use jiff::Span;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::{Form, Path, Query};
use crate::forms::FormErrors;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::{Choice, page, to_first};
use crate::words;
use barometer_app::planning;

pub(crate) use agents::{add_agent, add_time_off, remove_agent, remove_time_off};
pub(crate) use cover::{export_roster, import_roster, save_cover, show as show_cover};
pub(crate) use day_need::day_need;
pub(crate) use day_roster::{
    calendar as person_calendar, save as save_day_roster, show as show_day_roster,
    try_out as try_day_roster,
};
pub(crate) use every_interval::every_interval;
pub(crate) use export::export;
pub(crate) use lines::{save as save_lines, show as show_lines};
pub(crate) use searches::{
    cancel as cancel_search, progress as search_progress, start as start_search, use_roster,
};
pub(crate) use targets::{save_targets, undo_targets};
pub(crate) use what_if::{show as show_what_if, try_out as try_what_if};
pub(crate) use why::why;

use barometer_app::staffing::{Period, Source, Span as PeriodSpan};
use head::{Head, Tab};
use period::{period_of, period_words, span_of};
use result::NeedResult;
use targets::{FIELDS, TargetsForm};

/// What a staffing page is asked to look at.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct Asked {
    pub day: String,
    /// day, week, typical, or the last day of a range.
    pub span: String,
    /// Another contact type that is pooled with this one.
    pub pool: String,
}

impl Asked {
    fn period(&self, context: &RequestContext) -> Period {
        period_of(context, &self.span)
    }

    fn pooled(&self) -> Option<Uuid> {
        self.pool.parse().ok()
    }

    /// The page's own part of an address: span and pool.
    fn rest(&self) -> String {
        let span = if self.span.is_empty() { "day" } else { &self.span };
        let pool = self.pooled().map_or_else(String::new, |id| format!("&pool={id}"));
        format!("&span={span}{pool}")
    }

    fn address(&self, contact_type: Uuid, context: &RequestContext, more: &str) -> String {
        let day = Stage::Staffing.address(context.day, Some(contact_type));
        format!("{day}{}{more}", self.rest())
    }
}

#[derive(Template)]
#[template(path = "staffing/show.html")]
struct ShowPage {
    head: Head,
    days: Vec<Choice>,
    pools: Vec<Choice>,
    day: String,
    last_day: String,
    no_forecast: Option<String>,
    result: NeedResult,
    targets: TargetsForm,
    fields: Vec<FieldMessage>,
    id: Uuid,
    rest: String,
    earlier_day: String,
    later_day: String,
    saved: bool,
}

/// The place of a message beside a field, empty while nothing is wrong.
struct FieldMessage {
    name: &'static str,
    message: String,
}

#[derive(Template)]
#[template(path = "staffing/tried.html")]
struct TriedPage {
    /// What the numbers come to; nothing while a field is wrong.
    result: Option<NeedResult>,
    fields: Vec<FieldMessage>,
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    #[serde(flatten)]
    asked: Asked,
    at: Option<String>,
    saved: Option<String>,
}

/// `GET /staffing`: the first contact type's page.
pub(crate) async fn first(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    to_first(&app, &context, Stage::Staffing).await
}

/// `GET /staffing/{contact_type}`: a period's need against its cover.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let based_on = app.store.version_of(Edited::Targets(id)).await?.to_string();
    let contact_type = app.store.contact_type(id).await?;
    let targets = TargetsForm { based_on, ..TargetsForm::of(&contact_type.rules) };
    let at = query.at.and_then(|at| at.parse().ok());
    let mut template = show_page(&app, &context, &contact_type, &query.asked, at, targets).await?;
    template.saved = query.saved.is_some();
    page(&template)
}

/// `POST /staffing/{contact_type}/try`: the same under targets that are not saved.
pub(crate) async fn try_out(
    State(app): State<App>,
    mut context: RequestContext,
    Path(id): Path<Uuid>,
    Form(typed): Form<TargetsForm>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(id).await?;
    context.day = typed.asked.day.parse().unwrap_or(context.day);
    let tried = match typed.rules() {
        Err(wrong) => Err(wrong),
        Ok(rules) => try_rules(&app, &context, &contact_type, &typed.asked, &rules).await?,
    };
    match tried {
        Ok(result) => {
            page(&TriedPage { result: Some(result), fields: messages(&FormErrors::default()) })
        }
        Err(wrong) => {
            // The last numbers stay; only the messages beside the fields change.
            let reswap = (HeaderName::from_static("hx-reswap"), HeaderValue::from_static("none"));
            let body = page(&TriedPage { result: None, fields: messages(&wrong) })?;
            Ok(([reswap], body).into_response())
        }
    }
}

/// What rules come to that are not saved, or the field at which they cannot be kept.
async fn try_rules(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    asked: &Asked,
    rules: &Rules,
) -> Result<Result<NeedResult, FormErrors>, PageError> {
    let changed = ContactType { rules: *rules, ..contact_type.clone() };
    let source = source(app, context, &changed, asked).await?;
    let plan = match source.schedule(rules) {
        Ok(plan) => plan,
        Err(error) => {
            let (field, message) = at_field(&error);
            return Ok(Err(FormErrors::of(field, message)));
        }
    };
    if let Some((field, message)) = floor_conflict(rules, &plan, context) {
        return Ok(Err(FormErrors::of(field, message)));
    }
    NeedResult::of(contact_type, rules, &source, &plan, asked, context, None).map(Ok)
}

fn messages(wrong: &FormErrors) -> Vec<FieldMessage> {
    FIELDS
        .into_iter()
        .map(|name| FieldMessage { name, message: wrong.at(name).unwrap_or_default().to_owned() })
        .collect()
}

/// Computes off the threads that answer pages.
async fn in_background<T: Send + 'static>(
    compute: impl FnOnce() -> Result<T, NeedError> + Send + 'static,
) -> Result<T, PageError> {
    let internal = |error| PageError::Internal(error);
    barometer_app::computing::computed(compute)
        .await
        .map_err(|error| internal(Box::new(error)))?
        .map_err(|error| PageError::Internal(Box::new(error)))
}

async fn source(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    asked: &Asked,
) -> Result<Source, PageError> {
    let pool = match asked.pooled().filter(|id| *id != contact_type.id) {
        Some(id) => Some(app.store.contact_type(id).await?),
        None => None,
    };
    let period = asked.period(context);
    let zone = &context.centre.zone;
    Ok(Source::read(&app.store, contact_type, pool.as_ref(), period, zone).await?)
}

/// The field at which a need that does not exist is to be said, and how.
fn at_field(error: &NeedError) -> (&'static str, String) {
    match error {
        NeedError::Deadline(error) => ("within_secs", words::capitalised(&error.to_string())),
        NeedError::OutOfReach => ("service_level", words::capitalised(&error.to_string())),
        NeedError::Queue(error) => ("handle_secs", words::capitalised(&error.to_string())),
    }
}

/// Targets that exclude each other: even the busiest interval cannot be as busy as the floor wants.
fn floor_conflict(
    rules: &Rules,
    plan: &[PlannedInterval],
    context: &RequestContext,
) -> Option<(&'static str, String)> {
    let floor = rules.occupancy_floor?;
    let busiest =
        plan.iter().filter_map(|interval| Some((interval, interval.assessment.with_need?)));
    let (interval, outcome) = busiest.max_by(|a, b| a.1.occupancy.total_cmp(&b.1.occupancy))?;
    (outcome.occupancy < floor).then(|| {
        let most = (outcome.occupancy * 1000.0).floor() / 10.0;
        let at = context.centre.zone.to_datetime(interval.start);
        (
            "occupancy_floor",
            format!(
                "Cannot be reached with the other targets: people are busiest on {} at {}, with {most} %. Use at most {most} %, or lower the service level.",
                words::short_day(at.date()),
                words::clock_time(at.time()),
            ),
        )
    })
}

/// What keeps `rules` from being saved; looked for in the period that is shown.
pub(super) async fn conflict(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    asked: &Asked,
    rules: &Rules,
) -> Result<Option<(&'static str, String)>, PageError> {
    let changed = ContactType { rules: *rules, ..contact_type.clone() };
    Ok(match source(app, context, &changed, asked).await?.schedule(rules) {
        Err(error) => Some(at_field(&error)),
        Ok(plan) => floor_conflict(rules, &plan, context),
    })
}

async fn show_page(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
    asked: &Asked,
    at: Option<i64>,
    targets: TargetsForm,
) -> Result<ShowPage, PageError> {
    let id = contact_type.id;
    let period = asked.period(context);
    let (source, types) = tokio::try_join!(source(app, context, contact_type, asked), async {
        Ok(app.store.contact_types(context.centre.id).await?)
    })?;
    let plan = source.plan(contact_type.rules).await?;
    let no_forecast = if plan.is_empty() {
        Some(no_forecast(app, contact_type, context, period).await?)
    } else {
        None
    };
    let step = |days: i64| {
        let day = context.day.saturating_add(Span::new().days(days));
        format!("{}{}", Stage::Staffing.address(day, Some(id)), asked.rest())
    };
    let wrong = targets.wrong.clone();
    Ok(ShowPage {
        head: Head::new(context, &types, contact_type, Tab::Need),
        days: day_tabs(context, id, period),
        pools: pools(&types, contact_type, context, asked),
        day: context.day.to_string(),
        last_day: if period.kind == PeriodSpan::Days { span_of(period) } else { String::new() },
        no_forecast,
        result: NeedResult::of(
            contact_type,
            &contact_type.rules,
            &source,
            &plan,
            asked,
            context,
            at,
        )?,
        fields: messages(&wrong),
        targets: TargetsForm {
            asked: Asked { day: context.day.to_string(), ..asked.clone() },
            ..targets
        },
        id,
        rest: asked.rest(),
        earlier_day: step(-1),
        later_day: step(1),
        saved: false,
    })
}

impl ShowPage {
    fn message(&self, name: &str) -> &str {
        self.fields.iter().find(|field| field.name == name).map_or("", |field| &field.message)
    }

    fn model_is(&self, slug: &str) -> bool {
        self.targets.model == slug
    }

    fn level_is(&self, of: &str) -> bool {
        self.targets.level_of == of
    }
}

async fn no_forecast(
    app: &App,
    contact_type: &ContactType,
    context: &RequestContext,
    period: Period,
) -> Result<String, PageError> {
    let day = period_words(period);
    Ok(match app.store.forecast(contact_type.id).await? {
        None => format!(
            "{} has no history yet, so there is nothing to staff. Import its history.",
            contact_type.name
        ),
        Some(head) => match head.failure {
            Some(failure) => format!("There is no forecast for {}: {failure}.", contact_type.name),
            None => format!(
                "Nothing is forecast {day}: it is closed, or outside the forecast, which reaches from {} to {}.",
                words::full_date(head.first_day),
                words::full_date(planning::last_forecast_day(head.first_day).max(context.today))
            ),
        },
    })
}

fn day_tabs(context: &RequestContext, id: Uuid, period: Period) -> Vec<Choice> {
    let mut tabs: Vec<Choice> = (0..7)
        .map(|ahead| context.monday().saturating_add(Span::new().days(ahead)))
        .map(|day| Choice {
            name: day.strftime("%a %-d").to_string(),
            address: Stage::Staffing.address(day, Some(id)),
            is_current: day == context.day && period.kind == PeriodSpan::Day,
        })
        .collect();
    let address = Stage::Staffing.address(context.day, Some(id));
    for (name, span, kind) in [
        ("Week".to_owned(), "week", PeriodSpan::Week),
        (format!("Typical {}", context.day.strftime("%a")), "typical", PeriodSpan::Typical),
    ] {
        let is_current = period.kind == kind;
        tabs.push(Choice { name, address: format!("{address}&span={span}"), is_current });
    }
    tabs
}

fn pools(
    types: &[ContactType],
    contact_type: &ContactType,
    context: &RequestContext,
    asked: &Asked,
) -> Vec<Choice> {
    let alone = Asked { pool: String::new(), ..asked.clone() };
    let mut pools = vec![Choice {
        name: "alone".to_owned(),
        address: alone.address(contact_type.id, context, ""),
        is_current: asked.pooled().is_none(),
    }];
    let poolable = types.iter().filter(|other| {
        let secs = [contact_type.grain.secs(), other.grain.secs()];
        other.id != contact_type.id && may_pool(&contact_type.rules, &other.rules, secs)
    });
    pools.extend(poolable.map(|other| {
        let with = Asked { pool: other.id.to_string(), ..asked.clone() };
        Choice {
            name: format!("pooled with {}", other.name),
            address: with.address(contact_type.id, context, ""),
            is_current: asked.pooled() == Some(other.id),
        }
    }));
    pools
}
