//! Demand: how many contacts will arrive, and how far to trust that.

pub(crate) mod csv_history;
pub(crate) mod import;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::{Backtest, Errors, HORIZON_DAYS};
use barometer_plan::ForecastInterval;
use barometer_store::{ContactType, DayTotal, ForecastHead};
use futures_util::future::try_join_all;
use jiff::Span;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde::Serialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, Visit};
use crate::charts;
use crate::exports;
use crate::extract::Path;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::planning::{last_forecast_day, span};
use crate::words;

/// Days of history that the chart shows at first.
const CHART_DAYS: usize = 120;

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
}

#[derive(Template)]
#[template(path = "demand/show.html")]
struct ShowPage {
    frame: Frame,
    name: String,
    others: Vec<Choice>,
    answer: String,
    failure: Option<String>,
    history_chart: String,
    week_chart: Option<String>,
    week: String,
    no_week: Option<String>,
    first_week: String,
    errors: Vec<ErrorRow>,
    error_words: String,
    export: String,
    staffing: String,
    remove: String,
}

/// An entry of a list to choose from, by its address.
pub(crate) struct Choice {
    pub name: String,
    pub address: String,
    pub is_current: bool,
}

/// The contact types as choices that lead to a stage's page of each.
pub(crate) fn choices(
    types: &[ContactType],
    current: Uuid,
    stage: Stage,
    day: Date,
) -> Vec<Choice> {
    types
        .iter()
        .map(|each| Choice {
            name: each.name.clone(),
            address: stage.address(day, Some(each.id)),
            is_current: each.id == current,
        })
        .collect()
}

struct ErrorRow {
    name: &'static str,
    method: String,
    naive: String,
    gain: String,
}

#[derive(Serialize)]
struct HistoryChart {
    labels: Vec<String>,
    history: Vec<Option<f64>>,
    forecast: Vec<Option<f64>>,
    zoom_from: usize,
}

#[derive(Serialize)]
struct WeekChart {
    labels: Vec<String>,
    forecast: Vec<f64>,
}

/// `GET /demand`: all contact types.
pub(crate) async fn list(State(app): State<App>, visit: Visit) -> Result<Response, PageError> {
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
        row.error = words::percent(backtest.method.interval_wape);
        row.naive = words::percent(backtest.naive.interval_wape);
    }
    Ok(row)
}

/// `GET /demand/{contact_type}`
pub(crate) async fn show(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let zone = &visit.centre.zone;
    let contact_type = app.store.contact_type(id).await?;
    let (types, head, daily) = tokio::try_join!(
        app.store.contact_types(visit.centre.id),
        app.store.forecast(id),
        app.store.daily_totals(id, zone),
    )?;
    let horizon = match &head {
        Some(head) => {
            let (from, to) = span(head.first_day, HORIZON_DAYS as i64, zone)?;
            app.store.forecast_between(id, from, to).await?
        }
        None => Vec::new(),
    };
    let week = of_week(&horizon, visit.monday(), zone);
    let template = ShowPage {
        frame: Frame::of(&visit, Stage::Demand, Some(id)),
        others: choices(&types, id, Stage::Demand, visit.day),
        answer: answer(&contact_type, &week, &daily, &visit, head.as_ref()),
        failure: head.as_ref().and_then(|head| head.failure.clone()),
        history_chart: charts::embedded(&history_chart(&daily, &horizon, zone))?,
        week_chart: if week.is_empty() {
            None
        } else {
            Some(charts::embedded(&week_chart(&week, zone))?)
        },
        week: words::week_span(visit.monday()),
        no_week: no_week(&week, head.as_ref()),
        first_week: head
            .as_ref()
            .map_or_else(String::new, |head| Stage::Demand.address(head.first_day, Some(id))),
        errors: head.iter().flat_map(|head| head.backtest.iter()).flat_map(error_rows).collect(),
        error_words: error_words(head.as_ref()),
        export: format!("/demand/{id}/forecast.csv"),
        staffing: Stage::Staffing.address(visit.day, Some(id)),
        remove: format!("/demand/{id}/remove?day={}", visit.day),
        name: contact_type.name,
    };
    page(&template)
}

/// `GET /demand/{contact_type}/forecast.csv`
pub(crate) async fn export(
    State(app): State<App>,
    visit: Visit,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let zone = &visit.centre.zone;
    let contact_type = app.store.contact_type(id).await?;
    let head = app.store.forecast(id).await?.ok_or(PageError::NotFound)?;
    let (from, to) = span(head.first_day, HORIZON_DAYS as i64, zone)?;
    let rows = app.store.forecast_between(id, from, to).await?;
    let rows = rows.into_iter().map(|interval| {
        let local = interval.start.to_zoned(zone.clone());
        vec![
            contact_type.name.clone(),
            local.strftime("%Y-%m-%dT%H:%M:%S%:z").to_string(),
            format!("{:.4}", interval.load.contacts),
            format!("{:.2}", interval.load.handle_secs),
        ]
    });
    let rows = rows.collect();
    let heading = ["contact_type", "interval_start", "contacts", "handle_secs"];
    exports::csv(&format!("forecast-{}.csv", contact_type.name), &heading, rows).await
}

/// `POST /demand/{contact_type}/remove`: the contact type goes with all that belongs to it.
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(visit): Planner,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    app.store.contact_type(id).await?;
    app.store.remove_contact_type(id).await?;
    Ok(Redirect::to(&Stage::Demand.address(visit.day, None)).into_response())
}

fn of_week(horizon: &[ForecastInterval], monday: Date, zone: &TimeZone) -> Vec<ForecastInterval> {
    let week = monday..monday.saturating_add(Span::new().days(7));
    let is_of_week =
        |interval: &&ForecastInterval| week.contains(&zone.to_datetime(interval.start).date());
    horizon.iter().filter(is_of_week).copied().collect()
}

fn answer(
    contact_type: &ContactType,
    week: &[ForecastInterval],
    daily: &[DayTotal],
    visit: &Visit,
    head: Option<&ForecastHead>,
) -> String {
    let Some(head) = head else {
        return format!("Nothing is known of {} yet: import its history.", contact_type.name);
    };
    if let Some(failure) = &head.failure {
        return format!("There is no forecast: {failure}.");
    }
    if week.is_empty() {
        return format!(
            "The forecast does not reach the week of {}.",
            words::full_date(visit.monday())
        );
    }
    let expected: f64 = week.iter().map(|interval| interval.load.contacts).sum();
    let before = visit.monday().saturating_sub(Span::new().days(7))..visit.monday();
    let came: i64 =
        daily.iter().filter(|day| before.contains(&day.day)).map(|day| day.offered).sum();
    let against = if came > 0 {
        let change = expected / came as f64 - 1.0;
        let more = if change < 0.0 { "fewer" } else { "more" };
        format!(", {:.1} % {more} than came the week before", change.abs() * 100.0)
    } else {
        String::new()
    };
    format!(
        "About {} contacts for {} in the week of {}{against}.",
        words::thousands(expected),
        contact_type.name,
        words::week_span(visit.monday())
    )
}

fn no_week(week: &[ForecastInterval], head: Option<&ForecastHead>) -> Option<String> {
    let head = head.filter(|head| week.is_empty() && head.failure.is_none())?;
    let last = last_forecast_day(head.first_day);
    Some(format!(
        "The forecast reaches from {} to {}.",
        words::full_date(head.first_day),
        words::full_date(last)
    ))
}

fn history_chart(
    daily: &[DayTotal],
    horizon: &[ForecastInterval],
    zone: &TimeZone,
) -> HistoryChart {
    let mut chart =
        HistoryChart { labels: vec![], history: vec![], forecast: vec![], zoom_from: 0 };
    let mut push = |day: Date, history: Option<f64>, forecast: Option<f64>| {
        chart.labels.push(format!("{} {}", words::short_day(day), day.year()));
        chart.history.push(history);
        chart.forecast.push(forecast);
    };
    let mut next = daily.first().map(|first| first.day);
    for total in daily {
        // Days without history break the line.
        while let Some(day) = next.filter(|day| *day < total.day) {
            push(day, None, None);
            next = day.tomorrow().ok();
        }
        push(total.day, Some(total.offered as f64), None);
        next = total.day.tomorrow().ok();
    }
    let mut days: Vec<(Date, f64)> = Vec::new();
    for interval in horizon {
        let day = zone.to_datetime(interval.start).date();
        match days.last_mut() {
            Some((last, sum)) if *last == day => *sum += interval.load.contacts,
            _ => days.push((day, interval.load.contacts)),
        }
    }
    for (day, contacts) in days {
        push(day, None, Some(charts::tenth(contacts)));
    }
    chart.zoom_from = chart.labels.len().saturating_sub(CHART_DAYS);
    chart
}

fn week_chart(week: &[ForecastInterval], zone: &TimeZone) -> WeekChart {
    let label = |interval: &ForecastInterval| {
        let local = zone.to_datetime(interval.start);
        format!("{} {}", words::short_day(local.date()), words::clock_time(local.time()))
    };
    WeekChart {
        labels: week.iter().map(label).collect(),
        forecast: week.iter().map(|interval| charts::tenth(interval.load.contacts)).collect(),
    }
}

fn error_rows(backtest: &Backtest) -> Vec<ErrorRow> {
    let row = |name, of: fn(&Errors) -> f64| ErrorRow {
        name,
        method: words::percent(of(&backtest.method)),
        naive: words::percent(of(&backtest.naive)),
        gain: words::change(of(&backtest.method) / of(&backtest.naive) - 1.0),
    };
    vec![
        row("Off per interval (WAPE)", |errors| errors.interval_wape),
        row("Off per day (WAPE)", |errors| errors.daily_wape),
        ErrorRow {
            name: "Too high or low in all (bias)",
            method: words::change(backtest.method.bias),
            naive: words::change(backtest.naive.bias),
            gain: String::new(),
        },
    ]
}

fn error_words(head: Option<&ForecastHead>) -> String {
    let Some(backtest) = head.and_then(|head| head.backtest.as_ref()) else {
        return "There is too little history to hold any of it back, so the error is not known."
            .to_owned();
    };
    let better = backtest.method.interval_wape < backtest.naive.interval_wape;
    format!(
        "On {} held-out {} of {} days the forecast {} “the same interval a week before”.",
        words::count_word(backtest.origins),
        if backtest.origins == 1 { "stretch" } else { "stretches" },
        backtest.horizon_days,
        if better { "beat" } else { "did not beat" },
    )
}
