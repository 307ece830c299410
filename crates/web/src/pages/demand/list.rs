//! All contact types with their forecasts, and how far each is to be trusted.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::{Errors, MethodName};
use barometer_intake::MOST_NAME_CHARS;
use barometer_store::{ContactType, StoreError};
use futures_util::future::try_join_all;
use jiff::Span;
use jiff::civil::Date;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::extract::Form;
use crate::forms::Wrong;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::ProgressPart;
use crate::pages::{page, refused};
use crate::words;
use barometer_app::demand::refresh_forecast;
use barometer_app::planning::span;

#[derive(Template)]
#[template(path = "demand/list.html")]
struct ListPage {
    frame: Frame,
    answer: String,
    run: Option<ProgressPart>,
    rows: Vec<ListRow>,
    models: Vec<(Uuid, String)>,
    form: LikeForm,
    wrong: Wrong,
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
    came: String,
    forecast: String,
    change: String,
    error: String,
    naive: String,
    method: &'static str,
}

/// `GET /demand`: all contact types.
pub(crate) async fn show(State(app): State<App>, visit: Visit) -> Result<Response, PageError> {
    page(&ListPage::new(&app, &visit, LikeForm::default(), Wrong::default()).await?)
}

/// `POST /demand/like`: a contact type that is forecast as a share of another.
pub(crate) async fn add_like(
    State(app): State<App>,
    Planner(visit): Planner,
    Form(typed): Form<LikeForm>,
) -> Result<Response, PageError> {
    let types = app.store.contact_types(visit.centre.id).await?;
    let mut wrong = Wrong::default();
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
        match app.store.add_contact_type_like(visit.centre.id, name, model, share).await {
            Ok(id) => {
                let contact_type = app.store.contact_type(id).await?;
                refresh_forecast(&app.store, &contact_type, &visit.centre.zone).await?;
                let address = Stage::Demand.address(visit.day, Some(id));
                return Ok(Redirect::to(&address).into_response());
            }
            Err(StoreError::Taken) => wrong.note("name", "There is one of this name already."),
            Err(error) => return Err(error.into()),
        }
    }
    refused(&ListPage::new(&app, &visit, typed, wrong).await?)
}

impl ListPage {
    async fn new(
        app: &App,
        visit: &Visit,
        form: LikeForm,
        wrong: Wrong,
    ) -> Result<Self, PageError> {
        let types = app.store.contact_types(visit.centre.id).await?;
        let rows = try_join_all(types.iter().map(|each| list_row(app, each, visit))).await?;
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
        let run = app.store.open_forecast_run(visit.centre.id).await?;
        Ok(Self {
            frame: Frame::of(visit, Stage::Demand, None),
            answer,
            run: run.map(|run| ProgressPart::of(&run, visit)),
            models: types.iter().map(|each| (each.id, each.name.clone())).collect(),
            rows,
            form,
            wrong,
            day: visit.day,
        })
    }
}

async fn list_row(
    app: &App,
    contact_type: &ContactType,
    visit: &Visit,
) -> Result<ListRow, PageError> {
    let zone = &visit.centre.zone;
    let head = app.store.forecast(contact_type.id).await?;
    let none = || words::NONE.to_owned();
    let mut row = ListRow {
        name: contact_type.name.clone(),
        address: Stage::Demand.address(visit.day, Some(contact_type.id)),
        history: "none yet".to_owned(),
        came: none(),
        forecast: none(),
        change: none(),
        error: none(),
        naive: none(),
        method: head.as_ref().and_then(|head| head.method).map_or("", MethodName::title),
    };
    let Some(head) = head else { return Ok(row) };
    let month = Span::new().days(28);
    let (before, first) = span(head.first_day.saturating_sub(month), 28, zone)?;
    let (_, end) = span(head.first_day, 28, zone)?;
    let (came, forecast) = tokio::try_join!(
        app.store.came_between(contact_type.id, before, first),
        app.store.forecast_between(contact_type.id, first, end),
    )?;
    let expected: f64 = forecast.iter().map(|interval| interval.load.contacts).sum();
    row.history = format!(
        "{} – {}",
        words::full_date(
            head.first_day.saturating_sub(Span::new().days(i64::from(head.history_days)))
        ),
        words::full_date(head.first_day.saturating_sub(Span::new().days(1)))
    );
    row.came = words::thousands(came.offered as f64 / 28.0);
    if !forecast.is_empty() {
        row.forecast = words::thousands(expected / 28.0);
        if came.offered > 0 {
            row.change = words::change(expected / came.offered as f64 - 1.0);
        }
    }
    if let Some(backtest) = &head.backtest {
        let wape = |errors: Option<&Errors>| {
            errors.map_or_else(none, |errors| words::percent(errors.interval_wape))
        };
        row.error = wape(backtest.errors());
        row.naive = wape(backtest.naive());
    }
    Ok(row)
}
