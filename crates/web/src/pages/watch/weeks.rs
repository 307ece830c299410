//! The weeks before today: what came against what was forecast four weeks before, and how callers fared.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_forecast::HeldOutDay;
use barometer_store::{ContactType, PeriodTotal};
use futures_util::future::try_join_all;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::charts;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::today::{TodayRow, today_row};
use crate::words;
use barometer_app::planning::span;

#[derive(Template)]
#[template(path = "watch/weeks.html")]
struct WeeksPage {
    frame: Frame,
    tab: &'static str,
    answer: String,
    today: Vec<TodayRow>,
    today_title: String,
    rows: Vec<Row>,
    chart: Option<Chart>,
}

struct Row {
    name: String,
    address: String,
    is_current: bool,
    forecast: String,
    came: String,
    off: String,
    abandonment: String,
    ceiling: String,
    is_over: bool,
    handle: String,
}

struct Chart {
    name: String,
    data: String,
}

#[derive(Serialize)]
struct CameChart {
    labels: Vec<String>,
    came: Vec<f64>,
    forecast: Vec<f64>,
}

/// The end of a contact type's history: the days held out of the latest backtest.
struct Past {
    contact_type: ContactType,
    days: Vec<HeldOutDay>,
    total: PeriodTotal,
}

impl Past {
    fn forecast(&self) -> f64 {
        self.days.iter().map(|day| day.forecast).sum()
    }

    fn came(&self) -> f64 {
        self.days.iter().map(|day| day.came).sum()
    }

    fn off(&self) -> f64 {
        if self.forecast() > 0.0 { self.came() / self.forecast() - 1.0 } else { 0.0 }
    }

    fn abandonment(&self) -> f64 {
        if self.total.offered > 0 {
            self.total.abandoned as f64 / self.total.offered as f64
        } else {
            0.0
        }
    }

    fn is_over(&self) -> bool {
        self.contact_type.rules.abandonment.is_some_and(|most| self.abandonment() > most)
    }
}

#[derive(Deserialize)]
pub(crate) struct ShowQuery {
    contact_type: Option<Uuid>,
}

/// `GET /watch/weeks`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let today = try_join_all(types.iter().map(|each| today_row(&app, each, &context))).await?;
    let pasts = try_join_all(types.into_iter().map(|each| past(&app, each, &context))).await?;
    let pasts: Vec<Past> = pasts.into_iter().flatten().collect();
    let shown =
        pasts.iter().find(|past| Some(past.contact_type.id) == query.contact_type).or_else(|| {
            pasts.iter().max_by(|one, other| one.off().abs().total_cmp(&other.off().abs()))
        });
    let chart = match shown {
        Some(past) => Some(Chart {
            name: past.contact_type.name.clone(),
            data: charts::embedded(&chart(&past.days))?,
        }),
        None => None,
    };
    let current = shown.map(|past| past.contact_type.id);
    let rows = pasts.iter().map(|past| row(past, current, &context)).collect();
    let answer = answer(&pasts);
    page(&WeeksPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "weeks",
        answer,
        today: today.into_iter().flatten().collect(),
        today_title: words::long_day(context.today),
        rows,
        chart,
    })
}

async fn past(
    app: &App,
    contact_type: ContactType,
    context: &RequestContext,
) -> Result<Option<Past>, PageError> {
    let Some(head) = app.store.forecast(contact_type.id).await? else { return Ok(None) };
    let days = head.backtest.map(|backtest| backtest.latest_days).unwrap_or_default();
    let Some(first) = days.first() else { return Ok(None) };
    let (from, to) = span(first.day, days.len() as i64, &context.centre.zone)?;
    let total = app.store.came_between(contact_type.id, from, to).await?;
    Ok(Some(Past { contact_type, days, total }))
}

fn answer(pasts: &[Past]) -> String {
    let (came, forecast) =
        pasts.iter().fold((0.0, 0.0), |sum, past| (sum.0 + past.came(), sum.1 + past.forecast()));
    if forecast == 0.0 {
        return "There is not enough history yet to compare a forecast with actuals.".to_owned();
    }
    let off = came / forecast - 1.0;
    let over: Vec<String> = pasts
        .iter()
        .filter(|past| past.is_over())
        .map(|past| past.contact_type.name.clone())
        .collect();
    let lost = match over.len() {
        0 => " Every contact type kept to its abandonment ceiling.".to_owned(),
        _ => format!(" {} lost more callers than the ceiling allows.", words::listing(&over)),
    };
    format!(
        "{} contacts arrived, {:.1} % {} than the forecast made before those weeks.{lost}",
        words::thousands(came),
        off.abs() * 100.0,
        if off < 0.0 { "fewer" } else { "more" },
    )
}

fn row(past: &Past, current: Option<Uuid>, context: &RequestContext) -> Row {
    let contact_type = &past.contact_type;
    Row {
        name: contact_type.name.clone(),
        address: format!("/watch/weeks?day={}&contact_type={}", context.day, contact_type.id),
        is_current: current == Some(contact_type.id),
        forecast: words::thousands(past.forecast()),
        came: words::thousands(past.came()),
        off: words::change(past.off()),
        abandonment: words::percent(past.abandonment()),
        ceiling: words::at_most(contact_type.rules.abandonment),
        is_over: past.is_over(),
        handle: past
            .total
            .handle_secs
            .map_or_else(|| words::NONE.to_owned(), |secs| format!("{secs:.0}")),
    }
}

fn chart(days: &[HeldOutDay]) -> CameChart {
    CameChart {
        labels: days.iter().map(|day| words::short_day(day.day)).collect(),
        came: days.iter().map(|day| day.came).collect(),
        forecast: days.iter().map(|day| charts::tenth(day.forecast)).collect(),
    }
}
