//! All contact types with their forecasts, and how far each is to be trusted.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::MethodName;
use barometer_intake::MOST_NAME_CHARS;
use barometer_store::{DemandLine, Role, StoreError};
use jiff::Span;
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use super::archive::{self, ArchivedRow};
use super::runs::open_run;
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::extract::Form;
use crate::forms::FormErrors;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::ProgressPart;
use crate::pages::{page, refused};
use crate::words;

#[derive(Template)]
#[template(path = "demand/list.html")]
struct ListPage {
    frame: Frame,
    answer: String,
    run: Option<ProgressPart>,
    rows: Vec<ListRow>,
    models: Vec<(Uuid, String)>,
    archived: Vec<ArchivedRow>,
    may_administrate: bool,
    form: LikeForm,
    wrong: FormErrors,
    day: Date,
}

/// A new contact type by analogy with another, as typed.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct LikeForm {
    name: String,
    model: String,
    percent: String,
}

struct ListRow {
    name: String,
    address: String,
    history: String,
    actual: String,
    forecast: String,
    change: String,
    error: String,
    naive: String,
    method: &'static str,
}

/// `GET /demand`: all contact types.
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
) -> Result<Response, PageError> {
    page(&ListPage::new(&app, &context, LikeForm::default(), FormErrors::default()).await?)
}

/// `POST /demand/like`: a contact type that is forecast as a share of another.
pub(crate) async fn add_like(
    State(app): State<App>,
    Planner(context): Planner,
    Form(typed): Form<LikeForm>,
) -> Result<Response, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let mut wrong = FormErrors::default();
    let name = typed.name.trim();
    if name.is_empty() || name.chars().count() > MOST_NAME_CHARS {
        wrong.note("name", format!("Write a name of up to {MOST_NAME_CHARS} characters."));
    }
    let model = types.iter().find(|each| each.id.to_string() == typed.model);
    if model.is_none() {
        wrong.note("model", "Choose the contact type that it is like.");
    }
    let share = wrong.number("percent", &typed.percent).map(|percent| percent / 100.0);
    if !share.is_some_and(|share| share > 0.0 && share <= 10.0) {
        wrong.note("percent", "Must be above 0 and up to 1000 %.");
    }
    if let (Some(model), Some(share), true) = (model, share, wrong.is_empty()) {
        match app
            .store
            .add_contact_type_like(context.centre.id, name, model, share, Some(context.user.id))
            .await
        {
            Ok(id) => {
                let address = Stage::Demand.address(context.day, Some(id));
                return Ok(Redirect::to(&address).into_response());
            }
            Err(StoreError::Taken) => {
                wrong.note("name", "There is one of this name already, in use or archived.")
            }
            Err(error) => return Err(error.into()),
        }
    }
    refused(&ListPage::new(&app, &context, typed, wrong).await?)
}

impl ListPage {
    async fn new(
        app: &App,
        context: &RequestContext,
        form: LikeForm,
        wrong: FormErrors,
    ) -> Result<Self, PageError> {
        let lines = app.store.demand_lines(context.centre.id, &context.centre.zone).await?;
        let rows: Vec<ListRow> = lines.iter().map(|line| list_row(line, context)).collect();
        let known: Vec<_> = rows.iter().filter(|row| row.forecast != words::NONE).collect();
        let answer = match (rows.len(), known.len()) {
            (0, _) => "Nothing is known yet: import interval history to begin.".to_owned(),
            (all, forecast) if all == forecast => format!(
                "{} contact types have a forecast for the next four weeks; each with its error on held-out weeks.",
                words::capitalised(&words::count_word(all))
            ),
            (all, forecast) => format!(
                "{forecast} of {all} contact types have a forecast; the others need more history."
            ),
        };
        Ok(Self {
            frame: Frame::of(context, Stage::Demand, None),
            answer,
            run: open_run(app, context).await?,
            archived: archive::rows(app, context).await?,
            may_administrate: context.may(Role::Administrator),
            models: lines.into_iter().map(|line| (line.id, line.name)).collect(),
            rows,
            form,
            wrong,
            day: context.day,
        })
    }
}

fn list_row(line: &DemandLine, context: &RequestContext) -> ListRow {
    let none = || words::NONE.to_owned();
    let of = &line.forecast;
    let percent = |share: Option<f64>| share.map_or_else(none, words::percent);
    let per_day = |total: f64| words::thousands(total / 28.0);
    let known = |total: Option<f64>| total.filter(|&total| total > 0.0);
    let history = of.first_day().zip(of.history_days).map(|(first_day, days)| {
        let before = |days: i64| words::full_date(first_day.saturating_sub(Span::new().days(days)));
        format!("{} – {}", before(i64::from(days)), before(1))
    });
    let change =
        known(of.actual).zip(of.expected).map(|(actual, expected)| expected / actual - 1.0);
    ListRow {
        name: line.name.clone(),
        address: Stage::Demand.address(context.day, Some(line.id)),
        history: history.unwrap_or_else(|| "none yet".to_owned()),
        actual: of.first_day().map_or_else(none, |_| per_day(of.actual.unwrap_or(0.0))),
        forecast: of.expected.map_or_else(none, per_day),
        change: change.map_or_else(none, words::change),
        error: percent(of.interval_wape),
        naive: percent(of.naive_wape),
        method: of.method().map_or("", MethodName::title),
    }
}
