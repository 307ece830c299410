//! One cell of the strip in figures: what the cover comes to, what is promised, what the need would.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{PlannedInterval, Rules, Verdict};
use barometer_queueing::Outcome;
use barometer_store::ContactType;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use barometer_app::planning;

#[derive(Template)]
#[template(path = "reading.html")]
pub(super) struct Reading {
    title: String,
    has_cover: bool,
    rows: Vec<ReadingRow>,
    need: u32,
    note: Option<String>,
    verdict: Option<Verdict>,
    try_address: String,
    why_address: String,
    may_plan: bool,
}

struct ReadingRow {
    name: String,
    with_cover: String,
    target: String,
    with_need: String,
}

#[derive(Deserialize)]
pub(crate) struct ReadingQuery {
    contact_type: Uuid,
    at: i64,
}

/// `GET /reading`: one cell of the strip in figures.
pub(crate) async fn reading(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<ReadingQuery>,
) -> Result<Response, PageError> {
    let contact_type = app.store.contact_type(query.contact_type).await?;
    let at = Timestamp::from_second(query.at).map_err(|_| PageError::NotFound)?;
    let zone = &context.centre.zone;
    let day = zone.to_datetime(at).date();
    let plan = planning::plan(&app.store, &contact_type, day, 1, zone).await?;
    let interval = plan.iter().find(|interval| interval.start == at).ok_or(PageError::NotFound)?;
    page(&Reading::of(&contact_type, interval, zone, &context))
}

impl Reading {
    pub fn of(
        contact_type: &ContactType,
        interval: &PlannedInterval,
        zone: &TimeZone,
        context: &RequestContext,
    ) -> Self {
        let assessment = &interval.assessment;
        let rules = &contact_type.rules;
        let local = zone.to_datetime(interval.start);
        let day = local.date();
        let overload = assessment.cover.is_some()
            && assessment.with_cover.is_none()
            && interval.load.contacts > 0.0;
        Self {
            title: format!(
                "{}, {} · {}",
                words::long_day(day),
                words::clock_time(local.time()),
                contact_type.name
            ),
            has_cover: assessment.cover.is_some(),
            rows: reading_rows(
                rules,
                assessment.cover,
                assessment.need,
                assessment.with_cover,
                assessment.with_need,
            ),
            need: assessment.need,
            note: overload.then(|| "With this cover the line would grow without limit.".to_owned()),
            verdict: assessment.verdict,
            try_address: format!("/trials?contact_type={}&day={day}#new", contact_type.id),
            why_address: format!(
                "/staffing/{}?day={day}&at={}#why",
                contact_type.id,
                interval.start.as_second()
            ),
            may_plan: context.may(barometer_store::Role::Planner),
        }
    }
}

fn reading_rows(
    rules: &Rules,
    cover: Option<u32>,
    need: u32,
    with_cover: Option<Outcome>,
    with_need: Option<Outcome>,
) -> Vec<ReadingRow> {
    let figure = |outcome: Option<Outcome>, of: fn(&Outcome) -> f64| {
        outcome.map_or_else(|| words::NONE.to_owned(), |outcome| words::percent(of(&outcome)))
    };
    let row = |name: String, target, of: fn(&Outcome) -> f64| ReadingRow {
        name,
        target,
        with_cover: figure(with_cover, of),
        with_need: figure(with_need, of),
    };
    vec![
        ReadingRow {
            name: "People on the phones".to_owned(),
            with_cover: cover.map_or_else(|| words::NONE.to_owned(), |agents| agents.to_string()),
            target: words::NONE.to_owned(),
            with_need: need.to_string(),
        },
        row(
            format!("Service level, {} s", words::plain(rules.within_secs)),
            format!("≥ {}", words::short_percent(rules.service_level)),
            |outcome| outcome.service_level,
        ),
        row("Abandonment".to_owned(), words::at_most(rules.abandonment), |outcome| {
            outcome.abandonment
        }),
        row("Occupancy".to_owned(), words::at_most(rules.occupancy), |outcome| outcome.occupancy),
    ]
}
