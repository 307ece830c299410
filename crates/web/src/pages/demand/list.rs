//! All contact types with their forecasts, and how far each is to be trusted.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_forecast::{Errors, MethodName};
use barometer_store::ContactType;
use futures_util::future::try_join_all;
use jiff::Span;

use crate::App;
use crate::access::Visit;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::planning::span;
use crate::words;

#[derive(Template)]
#[template(path = "demand/list.html")]
struct ListPage {
    frame: Frame,
    answer: String,
    rows: Vec<ListRow>,
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
    let types = app.store.contact_types(visit.centre.id).await?;
    let rows = try_join_all(types.iter().map(|each| list_row(&app, each, &visit))).await?;
    let known: Vec<_> = rows.iter().filter(|row| row.forecast != words::NONE).collect();
    let answer = match (rows.len(), known.len()) {
        (0, _) => "Nothing is known yet: import interval history to begin.".to_owned(),
        (all, forecast) if all == forecast => format!(
            "{} contact types have a forecast for the next four weeks; beside each stands its error on weeks that it was not shown.",
            words::capitalised(&words::count_word(all))
        ),
        (all, forecast) => format!(
            "{forecast} of {all} contact types have a forecast; the others need more history."
        ),
    };
    page(&ListPage { frame: Frame::of(&visit, Stage::Demand, None), answer, rows })
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
