//! One report, made now.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::reports;
use barometer_report::{Against, Format, Grouping, Period, Report, body, svg};
use barometer_store::DrawnAs;
use serde::Deserialize;

use super::drawing::{self, Wanted};
use super::form::{against_options, grouping_options, period_options, typed_period};
use super::{Named, address, files, made_or_refused, reader};
use crate::App;
use crate::access::RequestContext;
use crate::exports;
use crate::extract::{Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::pages::trials::Choosable;
use crate::words;

#[derive(Template)]
#[template(path = "reports/show.html")]
struct ShowPage {
    frame: Frame,
    tab: &'static str,
    key: String,
    title: String,
    question: String,
    about: String,
    is_kept: bool,
    periods: Vec<Choosable>,
    first: String,
    last: String,
    groupings: Vec<Choosable>,
    againsts: Vec<Choosable>,
    /// What the address of a file has beside the format.
    query: String,
    has_browser: bool,
    refusal: Option<String>,
    body: String,
    pictures: Vec<(String, String)>,
}

/// How a report is to be looked at, where its definition says otherwise.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct ShowQuery {
    period: String,
    first: String,
    last: String,
    by: String,
    against: String,
}

impl ShowQuery {
    /// What is typed goes before what is defined; what cannot be read is a refusal.
    fn apply(&self, named: &mut Named) -> Result<(), String> {
        let definition = &mut named.definition;
        if let Some(period) = typed_period(&self.period, &self.first, &self.last) {
            definition.period = period?;
        }
        definition.grouping = Grouping::of_key(&self.by).unwrap_or(definition.grouping);
        definition.against = Against::of_key(&self.against).unwrap_or(definition.against);
        Ok(())
    }

    /// As an address has it.
    fn text(named: &Named) -> String {
        let definition = &named.definition;
        let days = match definition.period {
            Period::Fixed { first, last } => format!("period=dates&first={first}&last={last}"),
            Period::Relative { .. } => format!("period={}", definition.period),
        };
        format!("{days}&by={}&against={}", definition.grouping.key(), definition.against.key())
    }
}

/// `GET /reports/{report}`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Path(key): Path<String>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let mut named = Named::of(&app, &context, &key).await?;
    let made = match query.apply(&mut named) {
        Ok(()) => made_or_refused(&app, &context, &named.definition).await?,
        Err(why) => Err(why),
    };
    page(&view(&context, &named, &query, made)?)
}

fn view(
    context: &RequestContext,
    named: &Named,
    query: &ShowQuery,
    made: Result<Report, String>,
) -> Result<ShowPage, PageError> {
    let definition = &named.definition;
    let (report, refusal) = match made {
        Ok(report) => (Some(report), None),
        Err(why) => (None, Some(why)),
    };
    let (question, about, text, pictures) = match &report {
        Some(report) => (
            question(&definition.title, report, context),
            about(report),
            body(report, |about| address(about, context.day))?,
            picture_names(report),
        ),
        None => {
            (format!("{}: which days?", definition.title), String::new(), String::new(), Vec::new())
        }
    };
    let (first, last) = match (definition.period, &report) {
        (Period::Fixed { first, last }, _) => (first.to_string(), last.to_string()),
        (_, Some(report)) => (report.days.first.to_string(), report.days.last.to_string()),
        _ => (query.first.clone(), query.last.clone()),
    };
    Ok(ShowPage {
        frame: Frame::of(context, Stage::Watch, None),
        tab: "reports",
        key: named.key.clone(),
        title: definition.title.clone(),
        question,
        about,
        is_kept: named.kept.is_some(),
        periods: period_options(definition.period),
        first,
        last,
        groupings: grouping_options(definition.grouping.key()),
        againsts: against_options(definition.against.key()),
        query: ShowQuery::text(named),
        has_browser: reports::has_browser(),
        refusal,
        body: text,
        pictures,
    })
}

/// "Week review: how did 16 – 22 Nov 2026 go?"
fn question(title: &str, report: &Report, context: &RequestContext) -> String {
    let days = report.days.words();
    if report.days.first >= context.today {
        format!("{title}: what is ahead, {days}?")
    } else {
        format!("{title}: how did {days} go?")
    }
}

/// "All contact types, compared with the forecast; made from figures read on 23 Nov 2026, 08:12".
pub(super) fn about(report: &Report) -> String {
    let against = report
        .against
        .as_ref()
        .map_or_else(String::new, |against| format!(", compared with {against}"));
    format!(
        "{}{against}. Figures read on {}, {}.",
        words::capitalised(&report.covers),
        words::full_date(report.read_at.date()),
        words::clock_time(report.read_at.time()),
    )
}

/// The pictures of a report: their names in addresses, and their titles.
fn picture_names(report: &Report) -> Vec<(String, String)> {
    let each = report.parts.iter().flat_map(|part| {
        let key = part.section.key();
        (1..)
            .zip(&part.pictures)
            .map(move |(nth, picture)| (format!("{key}-{nth}"), picture.title.clone()))
    });
    each.collect()
}

/// The report that is asked for, and the address of its page.
async fn made(
    app: &App,
    context: &RequestContext,
    key: &str,
    query: &ShowQuery,
) -> Result<(Report, String), PageError> {
    let mut named = Named::of(app, context, key).await?;
    query.apply(&mut named).map_err(PageError::Refused)?;
    let definition = &named.definition;
    let report = reports::preview(&app.store, &context.centre, definition, reader(context)).await?;
    Ok((report, format!("/reports/{key}?{}", ShowQuery::text(&named))))
}

/// `GET /reports/{report}/file/{format}`
pub(crate) async fn file(
    State(app): State<App>,
    context: RequestContext,
    Path((key, format)): Path<(String, String)>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let format: Format = format.parse().map_err(|_| PageError::NotFound)?;
    let (report, address) = made(&app, &context, &key, &query).await?;
    files::file(&app, &context, &report, format, &address).await
}

/// `GET /reports/{report}/picture/{name}`: one picture, as `service-1.svg` or `service-1.png`.
pub(crate) async fn picture(
    State(app): State<App>,
    context: RequestContext,
    Path((key, name)): Path<(String, String)>,
    Query(query): Query<ShowQuery>,
) -> Result<Response, PageError> {
    let (name, end) = name.rsplit_once('.').ok_or(PageError::NotFound)?;
    let (section, nth) = name.rsplit_once('-').ok_or(PageError::NotFound)?;
    let nth: usize = nth.parse().map_err(|_| PageError::NotFound)?;
    let (report, address) = made(&app, &context, &key, &query).await?;
    let part = report.parts.iter().find(|part| part.section.key() == section);
    let picture =
        part.and_then(|part| part.pictures.get(nth.checked_sub(1)?)).ok_or(PageError::NotFound)?;
    match end {
        "svg" => {
            let bytes = svg(picture).into_bytes();
            Ok(exports::attachment(&format!("{name}.svg"), "image/svg+xml", bytes))
        }
        "png" => {
            let wanted = Wanted {
                page: &reports::picture_page(picture),
                as_what: DrawnAs::Bitmap,
                name: &format!("{name}.png"),
                address: &address,
            };
            drawing::asked(&app, &context, wanted).await
        }
        _ => Err(PageError::NotFound),
    }
}
