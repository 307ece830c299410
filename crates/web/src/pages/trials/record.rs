//! The engine's record: the latest days played again, beside what really happened.

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_plan::{Answer, PastInterval, Question, Record, ReplayedDay, without_gaps};
use barometer_store::{ContactType, KeptAnswer};
use jiff::civil::Date;
use jiff::{Span, Timestamp};
use serde::Deserialize;
use std::collections::HashMap;
use uuid::Uuid;

use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::progress::ProgressPart;
use crate::pages::{Choice, choices, page};
use crate::words;
use barometer_app::planning;

/// Days that are played again, and how often each.
const DAYS: i64 = 21;
const REPLICATIONS: u32 = 100;

#[derive(Template)]
#[template(path = "trials/record.html")]
struct RecordPage {
    frame: Frame,
    others: Vec<Choice>,
    contact_type: Uuid,
    day: Date,
    answer: String,
    progress: Option<ProgressPart>,
    rows: Vec<RecordRow>,
    replications: u32,
}

struct RecordRow {
    day: String,
    offered: String,
    was: String,
    said: String,
    range: String,
    is_expected: bool,
}

#[derive(Deserialize)]
pub(crate) struct RecordQuery {
    contact_type: Option<Uuid>,
}

/// `GET /trials/record`: the latest days of a contact type, as they were and as the engine plays them.
pub(crate) async fn record(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<RecordQuery>,
) -> Result<Response, PageError> {
    let types = app.store.contact_types(context.centre.id).await?;
    let chosen = types.iter().find(|each| Some(each.id) == query.contact_type).or(types.first());
    let chosen = chosen.ok_or(PageError::NotFound)?;
    let days = past_days(&app, &context, chosen).await?;
    let versions = app.store.strategy_versions(context.centre.id).await?;
    let live = versions.iter().find(|version| version.is_live).or(versions.first());
    let address = format!("/trials/record?contact_type={}&day={}", chosen.id, context.day);
    let asked = match live {
        Some(live) if !days.is_empty() => {
            let question = Question::Record {
                strategy: Box::new(app.store.strategy(live.id).await?),
                contact_type: chosen.name.clone(),
                rules: Box::new(chosen.rules),
                interval_secs: chosen.grain.secs(),
                replications: REPLICATIONS,
                days,
            };
            let (centre, by) = (context.centre.id, context.user.id);
            Some(app.store.ask(centre, &question, &address, Some(by)).await?)
        }
        _ => None,
    };
    let (replayed, progress) = match asked {
        Some(KeptAnswer { answer: Some(Answer::Record { days }), .. }) => (days, None),
        Some(kept) => (Vec::new(), Some(ProgressPart::of(&kept.run, &context))),
        None => (Vec::new(), None),
    };
    page(&RecordPage {
        frame: Frame::of(&context, Stage::Trials, Some(chosen.id)),
        others: choices(&types, chosen.id, |other| {
            format!("/trials/record?contact_type={other}&day={}", context.day)
        }),
        contact_type: chosen.id,
        day: context.day,
        answer: match &progress {
            None => answer(&replayed),
            Some(_) => format!("The last {DAYS} days are simulated {REPLICATIONS} times each."),
        },
        progress,
        rows: replayed.iter().rev().map(row).collect(),
        replications: REPLICATIONS,
    })
}

/// The latest days before today with a record of what came and of who was there.
async fn past_days(
    app: &App,
    context: &RequestContext,
    contact_type: &ContactType,
) -> Result<Vec<(Date, Vec<PastInterval>)>, PageError> {
    let last = app.store.history_end(contact_type.id).await?;
    let zone = &context.centre.zone;
    let Some(last) = last.map(|end| end.to_zoned(zone.clone()).date()) else {
        return Ok(Vec::new());
    };
    let first = last.saturating_sub(Span::new().days(DAYS - 1));
    let (from, to) = planning::span(first, DAYS, zone)?;
    let history = app.store.history_since(contact_type.id, from).await?;
    let cover = app.store.cover_between(contact_type.id, from, to).await?;
    let agents: HashMap<Timestamp, u32> =
        cover.iter().map(|interval| (interval.start, interval.agents)).collect();
    let known: HashMap<Timestamp, PastInterval> = history
        .iter()
        .filter_map(|interval| {
            let past = PastInterval {
                start: interval.start,
                offered: interval.offered as u32,
                unanswered: (interval.offered - interval.answered).max(0.0) as u32,
                handle_secs: interval.handle_secs,
                agents: *agents.get(&interval.start)?,
            };
            Some((interval.start, past))
        })
        .collect();
    let secs = contact_type.grain.secs();
    let day = |ahead: i64| {
        let date = first.saturating_add(Span::new().days(ahead));
        let (from, to) = planning::span(date, 1, zone).ok()?;
        let within = || known.keys().filter(|start| (from..to).contains(*start)).copied();
        let (first, last) = (within().min()?, within().max()?);
        let count = (last.duration_since(first).as_secs_f64() / secs) as usize + 1;
        Some((date, without_gaps(first, count, secs, |start| known.get(&start).copied())))
    };
    Ok((0..DAYS).filter_map(day).collect())
}

fn answer(replayed: &[(Date, ReplayedDay)]) -> String {
    let all = replayed.len();
    if all == 0 {
        return "There is no past day with both actual contacts and actual staff.".to_owned();
    }
    let Record { expected, was, said } = Record::of(replayed.iter().map(|(_, day)| *day));
    format!(
        "{expected} of {all} days went as the engine expects: {} of contacts were not answered in all, and it says {}.",
        words::percent(was),
        words::percent(said),
    )
}

fn row((date, day): &(Date, ReplayedDay)) -> RecordRow {
    RecordRow {
        day: words::long_day(*date),
        offered: words::thousands(f64::from(day.offered)),
        was: words::percent(day.was),
        said: words::percent(day.said),
        range: format!("{} to {}", words::percent(day.range.0), words::percent(day.range.1)),
        is_expected: day.is_expected(),
    }
}
