//! The forecast of one contact type: how many contacts will arrive.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_forecast::{Backtest, Calendar, MethodName, completed_totals};
use barometer_store::{ContactType, DayTotal, ForecastDay, ForecastHead, MadeInterval};
use jiff::Span;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use serde::Serialize;
use uuid::Uuid;

use super::tabs::{Head, Tab};
use crate::App;
use crate::access::RequestContext;
use crate::charts::{self, tenth};
use crate::extract::Path;
use crate::frame::Stage;
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use barometer_app::demand::{applied_marks, history_grid};
use barometer_app::planning::{last_forecast_day, span};

/// Days of history that the chart shows at first.
const CHART_DAYS: usize = 120;

#[derive(Template)]
#[template(path = "demand/forecast.html")]
struct ForecastPage {
    head: Head,
    answer: String,
    failure: Option<String>,
    /// None while there is neither history nor a forecast.
    history_chart: Option<String>,
    is_cleaned: bool,
    week_chart: Option<String>,
    week: String,
    no_week: Option<String>,
    first_week: String,
    trust: Vec<TrustRow>,
    trust_words: String,
    accuracy: String,
    made_of: String,
    exports: String,
    staffing: String,
    archive: String,
}

struct TrustRow {
    name: &'static str,
    ours: String,
    naive: String,
}

#[derive(Default, Serialize)]
struct HistoryChart {
    labels: Vec<String>,
    days: Vec<Date>,
    history: Vec<Option<f64>>,
    cleaned: Vec<Option<f64>>,
    forecast: Vec<Option<f64>>,
    before_overlays: Vec<Option<f64>>,
    low_80: Vec<Option<f64>>,
    high_80: Vec<Option<f64>>,
    low_95: Vec<Option<f64>>,
    high_95: Vec<Option<f64>>,
    zoom_from: usize,
    marks: String,
}

#[derive(Serialize)]
struct WeekChart {
    labels: Vec<String>,
    at: Vec<i64>,
    forecast: Vec<f64>,
    low: Vec<f64>,
    high: Vec<f64>,
    made_of: String,
}

/// `GET /demand/{contact_type}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let zone = &context.centre.zone;
    let contact_type = app.store.contact_type(id).await?;
    let (from, to) = span(context.monday(), 7, zone)?;
    let (head, daily, days, week) = tokio::try_join!(
        app.store.forecast(id),
        app.store.daily_totals(id, zone),
        app.store.forecast_days(id),
        app.store.made_intervals(id, from, to),
    )?;
    let cleaned = cleaned_days(&app, &contact_type, zone).await?;
    let top = Head::new(&app, &context, &contact_type, Tab::Forecast).await?;
    let made_of = format!("/demand/{id}/made-of");
    let template = ForecastPage {
        answer: match (&head, &top.run) {
            (None, Some(_)) => {
                format!(
                    "The history of {} is saved; its forecast is being made.",
                    contact_type.name
                )
            }
            _ => answer(&contact_type, &week, &daily, &context, head.as_ref()),
        },
        failure: head.as_ref().and_then(|head| head.failure.clone()),
        is_cleaned: !cleaned.is_empty(),
        history_chart: if daily.is_empty() && days.is_empty() {
            None
        } else {
            Some(charts::embedded(&HistoryChart {
                marks: Tab::Cleaning.address(id, context.day),
                ..history_chart(&daily, &cleaned, &days)
            })?)
        },
        week_chart: if week.is_empty() {
            None
        } else {
            Some(charts::embedded(&week_chart(&week, zone, &made_of))?)
        },
        week: words::week_span(context.monday()),
        no_week: no_week(&week, head.as_ref()),
        first_week: head
            .as_ref()
            .map_or_else(String::new, |head| Stage::Demand.address(head.first_day, Some(id))),
        trust: head.iter().filter_map(|head| head.backtest.as_ref()).flat_map(trust_rows).collect(),
        trust_words: trust_words(head.as_ref(), &contact_type),
        accuracy: Tab::Accuracy.address(id, context.day),
        made_of: week
            .iter()
            .max_by(|a, b| a.contacts.total_cmp(&b.contacts))
            .map_or_else(String::new, |busiest| {
                format!("{made_of}?at={}", busiest.start.as_second())
            }),
        exports: format!("/demand/{id}/forecast"),
        staffing: Stage::Staffing.address(context.day, Some(id)),
        archive: format!("/demand/{id}/archive?day={}", context.day),
        head: top,
    };
    page(&template)
}

/// The days whose contacts are others once the marks are applied, as the forecast takes them.
async fn cleaned_days(
    app: &App,
    contact_type: &ContactType,
    zone: &TimeZone,
) -> Result<Vec<(Date, Option<f64>)>, PageError> {
    let marks = applied_marks(&app.store, contact_type.id).await?;
    if marks.is_empty() {
        return Ok(Vec::new());
    }
    let Some(history) = history_grid(&app.store, contact_type, zone).await? else {
        return Ok(Vec::new());
    };
    let marked = completed_totals(&history.marked(&marks), &Calendar::default());
    let is_touched = |day: Date| {
        let (from, to) = (day.at(0, 0, 0, 0), day.at(23, 59, 0, 0));
        marks.iter().any(|mark| mark.from <= to && from < mark.to)
    };
    let days = marked.into_iter().enumerate().map(|(at, total)| (history.day(at), total));
    Ok(days.filter(|(day, _)| is_touched(*day)).collect())
}

fn answer(
    contact_type: &ContactType,
    week: &[MadeInterval],
    daily: &[DayTotal],
    context: &RequestContext,
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
            words::full_date(context.monday())
        );
    }
    let expected: f64 = week.iter().map(|interval| interval.contacts).sum();
    let before = context.monday().saturating_sub(Span::new().days(7))..context.monday();
    let came: i64 =
        daily.iter().filter(|day| before.contains(&day.day)).map(|day| day.offered).sum();
    let against = if came > 0 {
        let change = expected / came as f64 - 1.0;
        let more = if change < 0.0 { "fewer" } else { "more" };
        format!(", {:.1} % {more} than in the week before", change.abs() * 100.0)
    } else {
        String::new()
    };
    let overlaid: f64 = week.iter().map(|interval| interval.contacts - interval.base).sum();
    let overlays = if overlaid.abs() >= 0.5 {
        format!(" Overlays make {} of them.", words::signed_count(overlaid))
    } else {
        String::new()
    };
    let off = head.backtest.as_ref().and_then(|backtest| backtest.errors()).map_or_else(
        String::new,
        |errors| {
            format!(
                " Such forecasts were off by {} per interval.",
                words::percent(errors.interval_wape)
            )
        },
    );
    format!(
        "About {} contacts for {} in the week of {}{against}.{overlays}{off}",
        words::thousands(expected),
        contact_type.name,
        words::week_span(context.monday())
    )
}

fn no_week(week: &[MadeInterval], head: Option<&ForecastHead>) -> Option<String> {
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
    cleaned: &[(Date, Option<f64>)],
    days: &[ForecastDay],
) -> HistoryChart {
    let mut chart = HistoryChart::default();
    let known = daily.iter().map(|total| (total.day, Some(total.offered as f64)));
    let mut next = daily.first().map(|first| first.day);
    let mut history = Vec::with_capacity(daily.len());
    for (day, offered) in known {
        // Days without history break the line.
        while let Some(missing) = next.filter(|missing| *missing < day) {
            history.push((missing, None));
            next = missing.tomorrow().ok();
        }
        history.push((day, offered));
        next = day.tomorrow().ok();
    }
    let has_overlays = days.iter().any(|day| (day.contacts - day.base).abs() > 1e-9);
    let mut cleaned = cleaned.iter().peekable();
    for (day, offered) in history {
        while cleaned.next_if(|(earlier, _)| *earlier < day).is_some() {}
        chart.push(day);
        chart.history.push(offered);
        let total = cleaned.next_if(|(same, _)| *same == day).and_then(|(_, total)| *total);
        chart.cleaned.push(total.map(tenth));
        for empty in chart.forecast_lines() {
            empty.push(None);
        }
    }
    for day in days {
        chart.push(day.day);
        chart.history.push(None);
        chart.cleaned.push(None);
        let band = day.band();
        chart.forecast.push(Some(tenth(day.contacts)));
        chart.before_overlays.push(has_overlays.then(|| tenth(day.base)));
        chart.low_80.push(Some(tenth(band.p10)));
        chart.high_80.push(Some(tenth(band.p90)));
        chart.low_95.push(Some(tenth(band.p2_5)));
        chart.high_95.push(Some(tenth(band.p97_5)));
    }
    chart.zoom_from = chart.labels.len().saturating_sub(CHART_DAYS);
    chart
}

impl HistoryChart {
    fn push(&mut self, day: Date) {
        self.labels.push(format!("{} {}", words::short_day(day), day.year()));
        self.days.push(day);
    }

    fn forecast_lines(&mut self) -> [&mut Vec<Option<f64>>; 6] {
        [
            &mut self.forecast,
            &mut self.before_overlays,
            &mut self.low_80,
            &mut self.high_80,
            &mut self.low_95,
            &mut self.high_95,
        ]
    }
}

fn week_chart(week: &[MadeInterval], zone: &TimeZone, made_of: &str) -> WeekChart {
    let label = |interval: &MadeInterval| {
        let local = zone.to_datetime(interval.start);
        format!("{} {}", words::short_day(local.date()), words::clock_time(local.time()))
    };
    WeekChart {
        labels: week.iter().map(label).collect(),
        at: week.iter().map(|interval| interval.start.as_second()).collect(),
        forecast: week.iter().map(|interval| tenth(interval.contacts)).collect(),
        low: week.iter().map(|interval| tenth(interval.band().p10)).collect(),
        high: week.iter().map(|interval| tenth(interval.band().p90)).collect(),
        made_of: made_of.to_owned(),
    }
}

fn trust_rows(backtest: &Backtest) -> Vec<TrustRow> {
    let (Some(ours), Some(naive)) = (backtest.errors(), backtest.naive()) else {
        return Vec::new();
    };
    vec![
        TrustRow {
            name: "Off per interval (WAPE)",
            ours: words::percent(ours.interval_wape),
            naive: words::percent(naive.interval_wape),
        },
        TrustRow {
            name: "Off per day (WAPE)",
            ours: words::percent(ours.daily_wape),
            naive: words::percent(naive.daily_wape),
        },
        TrustRow {
            name: "Too high or low in all (bias)",
            ours: words::change(ours.bias),
            naive: words::change(naive.bias),
        },
    ]
}

fn trust_words(head: Option<&ForecastHead>, contact_type: &ContactType) -> String {
    let Some(head) = head else { return String::new() };
    let Some(backtest) = &head.backtest else {
        return match contact_type.like {
            Some((_, share)) if head.method.is_none() => format!(
                "There is no history of its own: this is {} of another contact type's forecast.",
                words::short_percent(share)
            ),
            _ => "There is too little history to hold any of it back, so the error is not known."
                .to_owned(),
        };
    };
    let held = backtest.coverage.map_or_else(String::new, |coverage| {
        format!(
            " The 80 % bands held {} of the days and {} of the intervals.",
            words::whole_percent(coverage.days_80),
            words::whole_percent(coverage.intervals_80)
        )
    });
    format!(
        "{}, {}; made again from {} earlier {}.{held}",
        backtest.method.title(),
        why_method(backtest, contact_type.pinned_method),
        words::count_word(backtest.origins),
        if backtest.origins == 1 { "morning" } else { "mornings" },
    )
}

/// Why the forecast is made with its method.
pub(super) fn why_method(backtest: &Backtest, pinned: Option<MethodName>) -> String {
    if pinned == Some(backtest.method) {
        return if backtest.best == backtest.method {
            "pinned, and the best on held-out weeks".to_owned()
        } else {
            format!("pinned; {} did better on held-out weeks", backtest.best.title().to_lowercase())
        };
    }
    "the best on held-out weeks".to_owned()
}
