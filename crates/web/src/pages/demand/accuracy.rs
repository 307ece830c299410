//! How far the forecast can be trusted: every method on weeks that it was not shown.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_forecast::{Backtest, HORIZONS, MethodName};
use barometer_store::{ContactType, Edited};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::forecast::why_method;
use super::tabs::{Head, Tab};
use crate::App;
use crate::access::{Planner, RequestContext};
use crate::charts;
use crate::edited;
use crate::extract::{Form, Path};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;

#[derive(Template)]
#[template(path = "demand/accuracy.html")]
struct AccuracyPage {
    head: Head,
    answer: String,
    methods: Vec<MethodRow>,
    horizon_chart: Option<String>,
    place_chart: Option<String>,
    held_out_chart: Option<String>,
    coverage: Vec<CoverageRow>,
    special: Option<String>,
    pins: Vec<Pin>,
    pin: String,
    version: i64,
}

struct MethodRow {
    name: &'static str,
    interval: String,
    day: String,
    bias: String,
    mase: String,
    weight: String,
    is_used: bool,
    is_best: bool,
}

struct CoverageRow {
    name: &'static str,
    promised: &'static str,
    intervals: String,
    days: String,
}

struct Pin {
    slug: &'static str,
    name: &'static str,
    is_current: bool,
}

#[derive(Serialize)]
struct HorizonChart {
    labels: Vec<String>,
    lines: Vec<HorizonLine>,
}

#[derive(Serialize)]
struct HorizonLine {
    name: &'static str,
    /// "used", "naive" or "other".
    part: &'static str,
    values: Vec<Option<f64>>,
}

#[derive(Serialize)]
struct PlaceChart {
    weekdays: Vec<&'static str>,
    by_weekday: Vec<Option<f64>>,
    slots: Vec<String>,
    by_slot: Vec<Option<f64>>,
}

#[derive(Serialize)]
struct HeldOutChart {
    labels: Vec<String>,
    forecast: Vec<f64>,
    came: Vec<f64>,
}

/// `GET /demand/{contact_type}/accuracy`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(id): Path<Uuid>,
) -> Result<Response, PageError> {
    let version = app.store.version_of(Edited::Method(id)).await?;
    let contact_type = app.store.contact_type(id).await?;
    let backtest = app.store.forecast(id).await?.and_then(|head| head.backtest);
    let known = backtest.as_ref();
    let template = AccuracyPage {
        answer: answer(known, &contact_type),
        methods: known.map(method_rows).unwrap_or_default(),
        horizon_chart: known.map(|it| charts::embedded(&horizon_chart(it))).transpose()?,
        place_chart: known
            .map(|it| charts::embedded(&place_chart(it, contact_type.grain.minutes())))
            .transpose()?,
        held_out_chart: known.map(|it| charts::embedded(&held_out_chart(it))).transpose()?,
        coverage: known.map(coverage_rows).unwrap_or_default(),
        special: known.and_then(special_words),
        pins: pins(known, &contact_type),
        version,
        pin: format!("/demand/{id}/method?day={}", context.day),
        head: Head::new(&app, &context, &contact_type, Tab::Accuracy).await?,
    };
    page(&template)
}

#[derive(Deserialize)]
pub(crate) struct MethodForm {
    method: String,
    #[serde(default)]
    based_on: String,
}

/// `POST /demand/{contact_type}/method`: pins a method, or leaves it to the backtest.
pub(crate) async fn pin(
    State(app): State<App>,
    Planner(context): Planner,
    Path(id): Path<Uuid>,
    Form(form): Form<MethodForm>,
) -> Result<Response, PageError> {
    let method = MethodName::from_slug(&form.method);
    if method.is_none() && !form.method.is_empty() {
        return Err(PageError::Refused("There is no such method; choose one.".to_owned()));
    }
    app.store.pin_method(id, method, edited::save(&context, &form.based_on)).await?;
    Ok(Redirect::to(&Tab::Accuracy.address(id, context.day)).into_response())
}

fn answer(backtest: Option<&Backtest>, contact_type: &ContactType) -> String {
    let errors = backtest.and_then(|it| Some((it, it.errors()?, it.naive()?)));
    let Some((backtest, ours, naive)) = errors else {
        return "Not known yet: there is too little history to hold any of it back.".to_owned();
    };
    let least = 100.0 * (1.0 - ours.interval_wape / naive.interval_wape);
    let against = if least >= 0.0 {
        format!("{least:.0} % less than")
    } else {
        format!("{:.0} % more than", -least)
    };
    format!(
        "Made from {} earlier {}, forecasts of the next {} days were off by {} per interval and {} per day, \
         {against} “the same interval a week before”. Used: {}, {}.",
        words::count_word(backtest.origins),
        if backtest.origins == 1 { "morning" } else { "mornings" },
        backtest.horizon_days,
        words::percent(ours.interval_wape),
        words::percent(ours.daily_wape),
        backtest.method.title().to_lowercase(),
        why_method(backtest, contact_type.pinned_method),
    )
}

fn method_rows(backtest: &Backtest) -> Vec<MethodRow> {
    let row = |record: &barometer_forecast::Record| MethodRow {
        name: record.method.title(),
        interval: words::percent(record.errors.interval_wape),
        day: words::percent(record.errors.daily_wape),
        bias: words::change(record.errors.bias),
        mase: record
            .errors
            .mase
            .map_or_else(|| words::NONE.to_owned(), |mase| format!("{mase:.2}")),
        weight: if record.method == MethodName::Combination {
            String::new()
        } else {
            words::whole_percent(record.weight)
        },
        is_used: record.method == backtest.method,
        is_best: record.method == backtest.best,
    };
    let mut rows: Vec<_> = backtest.records.iter().collect();
    rows.sort_by(|a, b| a.errors.interval_wape.total_cmp(&b.errors.interval_wape));
    rows.into_iter().map(row).collect()
}

fn horizon_chart(backtest: &Backtest) -> HorizonChart {
    let label = |(from, to): &(usize, usize)| {
        if from == to { format!("day {from}") } else { format!("days {from}–{to}") }
    };
    let line = |record: &barometer_forecast::Record| HorizonLine {
        name: record.method.title(),
        part: match record.method {
            method if method == backtest.method => "used",
            MethodName::SeasonalNaive => "naive",
            _ => "other",
        },
        values: record
            .by_horizon
            .iter()
            .map(|wape| wape.map(|wape| charts::tenth(100.0 * wape)))
            .collect(),
    };
    HorizonChart {
        labels: HORIZONS.iter().map(label).collect(),
        lines: backtest.records.iter().map(line).collect(),
    }
}

fn place_chart(backtest: &Backtest, minutes: i16) -> PlaceChart {
    let percent = |wape: &Option<f64>| wape.map(|wape| charts::tenth(100.0 * wape));
    let by = &backtest.error_by;
    let open: Vec<usize> = (0..by.slot.len()).filter(|&slot| by.slot[slot].is_some()).collect();
    let clock = |slot: &usize| {
        let minutes = *slot * usize::from(minutes.unsigned_abs());
        format!("{:02}:{:02}", minutes / 60, minutes % 60)
    };
    PlaceChart {
        weekdays: vec!["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"],
        by_weekday: by.weekday.iter().map(percent).collect(),
        slots: open.iter().map(clock).collect(),
        by_slot: open.iter().map(|&slot| percent(&by.slot[slot])).collect(),
    }
}

fn held_out_chart(backtest: &Backtest) -> HeldOutChart {
    let days = &backtest.latest_days;
    HeldOutChart {
        labels: days.iter().map(|held| words::short_day(held.day)).collect(),
        forecast: days.iter().map(|held| charts::tenth(held.forecast)).collect(),
        came: days.iter().map(|held| held.came).collect(),
    }
}

fn coverage_rows(backtest: &Backtest) -> Vec<CoverageRow> {
    let Some(coverage) = backtest.coverage else { return Vec::new() };
    vec![
        CoverageRow {
            name: "80 % band",
            promised: "80 %",
            intervals: words::percent(coverage.intervals_80),
            days: words::percent(coverage.days_80),
        },
        CoverageRow {
            name: "95 % band",
            promised: "95 %",
            intervals: words::percent(coverage.intervals_95),
            days: words::percent(coverage.days_95),
        },
    ]
}

fn special_words(backtest: &Backtest) -> Option<String> {
    let by = &backtest.error_by;
    let special = by.special_days?;
    Some(format!(
        "Off per day: {} on special days, {} on ordinary ones.",
        words::percent(special),
        by.ordinary_days.map_or_else(|| words::NONE.to_owned(), words::percent)
    ))
}

fn pins(backtest: Option<&Backtest>, contact_type: &ContactType) -> Vec<Pin> {
    let pinned = contact_type.pinned_method;
    let mut pins =
        vec![Pin { slug: "", name: "The best on held-out weeks", is_current: pinned.is_none() }];
    let able = backtest.map(|it| it.records.iter().map(|record| record.method)).into_iter();
    pins.extend(able.flatten().map(|method| Pin {
        slug: method.slug(),
        name: method.title(),
        is_current: pinned == Some(method),
    }));
    pins
}
