//! What past calls make of a campaign's assumptions: sent as a file, looked at, taken into the draft.

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::Opened;
use barometer_dialling::records::CallRecords;
use barometer_store::PastCalls;
use barometer_strategy::{Assumed, Campaign, Edit, PartId};
use serde::Deserialize;
use uuid::Uuid;

use crate::App;
use crate::access::{Planner, RequestContext};
use crate::exports;
use crate::extract::{Form, Multipart, Path, Query};
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::strategy::change::{opened_at, save_edit};
use crate::pages::strategy::files::Uploaded;
use crate::pages::strategy::query_of;
use crate::pages::{page, refused};
use crate::words;

/// Files of past calls that a centre keeps, at most, and characters of their names.
const MOST_KEPT: usize = 20;
const MOST_NAME_CHARS: usize = 120;

#[derive(Template)]
#[template(path = "strategy/call_records.html")]
struct RecordsPage {
    frame: Frame,
    title: String,
    answer: String,
    back: String,
    based_on: String,
    campaign: String,
    /// The file as it is kept: its key and name.
    kept: Option<(Uuid, String)>,
    /// The assumption as JSON, which comes back when it is taken; none where the file is wrong.
    assumed: Option<String>,
    hours: Vec<EstimateRow>,
    /// Zones, where the calls name at least two.
    zones: Vec<EstimateRow>,
    rest: Vec<(&'static str, String, String)>,
    wrong: Vec<String>,
}

/// What the calls of an hour, or to a zone, say.
struct EstimateRow {
    of: String,
    calls: String,
    before: String,
    now: String,
    between: String,
}

/// `GET /strategy/campaigns/records.csv`: an example of the file.
pub(crate) async fn example(_context: RequestContext) -> Response {
    let text = "dialled_at,outcome,zone,ring_secs,talk_secs,wrap_up_secs\n\
                2026-11-20 10:02:11,person,Europe/London,9,164,31\n\
                2026-11-20 11:02:40,no answer,Europe/Paris,,,\n\
                2026-11-20 10:03:05,machine,Europe/London,21,,\n\
                2026-11-20 10:03:17,busy,Europe/London,,,\n";
    exports::attachment("call-records.csv", "text/csv; charset=utf-8", text.as_bytes().to_vec())
}

/// `POST /strategy/campaigns/{campaign}/records`: a file of past calls, kept where it can be read, and shown before
/// anything changes.
pub(crate) async fn look(
    State(app): State<App>,
    Planner(context): Planner,
    Path(campaign): Path<String>,
    parts: Multipart,
) -> Result<Response, PageError> {
    let Uploaded { text, name, based_on } = Uploaded::of(parts).await?;
    let opened = opened_at(&app, &context, &based_on).await?;
    let Some(of) = opened.strategy.campaign(&campaign) else { return Err(PageError::NotFound) };
    let back = back_to(&context, &opened, &campaign);
    let read = match read(text.clone()).await? {
        Ok(records) => keep(&app, &context, &name, &text, &records).await?.map(|id| (id, records)),
        Err(wrong) => Err(wrong),
    };
    match read {
        Ok((id, records)) => page(&shown(&context, of, &records, (back, based_on), (id, &name))?),
        Err(wrong) => refused(&RecordsPage {
            frame: Frame::of(&context, Stage::Strategy, None),
            title: format!("What do past calls say of “{}”?", of.name),
            answer: "The file cannot be taken. Nothing was changed.".to_owned(),
            back,
            based_on,
            campaign,
            kept: None,
            assumed: None,
            hours: Vec::new(),
            zones: Vec::new(),
            rest: Vec::new(),
            wrong,
        }),
    }
}

/// The calls of a file, or what is wrong with it.
async fn read(text: String) -> Result<Result<CallRecords, Vec<String>>, PageError> {
    let read = barometer_app::computing::computed(move || CallRecords::from_csv(&text));
    read.await.map_err(|error| PageError::Internal(Box::new(error)))
}

/// Keeps a file, or says why not.
async fn keep(
    app: &App,
    context: &RequestContext,
    name: &str,
    text: &str,
    records: &CallRecords,
) -> Result<Result<Uuid, Vec<String>>, PageError> {
    let centre = context.centre.id;
    let name: String =
        name.chars().filter(|letter| !letter.is_control()).take(MOST_NAME_CHARS).collect();
    let kept = app.store.past_calls(centre).await?;
    if kept.len() >= MOST_KEPT && kept.iter().all(|file| file.name != name) {
        return Ok(Err(vec![format!(
            "{MOST_KEPT} files of past calls are kept already. Look at one of them and remove it first."
        )]));
    }
    let calls = records.calls() as i64;
    Ok(Ok(app.store.keep_past_calls(centre, (&name, text), calls, context.user.id).await?))
}

#[derive(Debug, Deserialize)]
pub(crate) struct KeptQuery {
    based_on: String,
    calls: Uuid,
}

/// `GET /strategy/campaigns/{campaign}/records?calls=…`: what a file that is kept says of a campaign.
pub(crate) async fn look_again(
    State(app): State<App>,
    Planner(context): Planner,
    Path(campaign): Path<String>,
    Query(query): Query<KeptQuery>,
) -> Result<Response, PageError> {
    let opened = opened_at(&app, &context, &query.based_on).await?;
    let Some(of) = opened.strategy.campaign(&campaign) else { return Err(PageError::NotFound) };
    let text = app.store.past_calls_csv(context.centre.id, query.calls).await?;
    let kept = app.store.past_calls(context.centre.id).await?;
    let name = kept.into_iter().find(|file| file.id == query.calls).map(|file| file.name);
    let records = read(text).await?.map_err(|wrong| {
        PageError::Refused(format!("This file cannot be read any more: {}", wrong.join(" ")))
    })?;
    let back = back_to(&context, &opened, &campaign);
    let name = name.unwrap_or_default();
    page(&shown(&context, of, &records, (back, query.based_on), (query.calls, &name))?)
}

#[derive(Debug, Deserialize)]
pub(crate) struct Removed {
    based_on: String,
}

/// `POST /strategy/campaigns/{campaign}/records/{calls}/remove`
pub(crate) async fn remove(
    State(app): State<App>,
    Planner(context): Planner,
    Path((campaign, calls)): Path<(String, Uuid)>,
    Form(form): Form<Removed>,
) -> Result<Response, PageError> {
    let opened = opened_at(&app, &context, &form.based_on).await?;
    app.store.remove_past_calls(context.centre.id, calls).await?;
    Ok(Redirect::to(&back_to(&context, &opened, &campaign)).into_response())
}

fn back_to(context: &RequestContext, opened: &Opened, campaign: &str) -> String {
    format!(
        "/strategy/campaigns?day={}&{}&campaign={}",
        context.day,
        query_of(opened),
        words::in_address(campaign)
    )
}

/// The files of past calls that can be looked at: their keys, and what they are called.
pub(super) async fn kept_files(
    app: &App,
    context: &RequestContext,
) -> Result<Vec<(Uuid, String)>, PageError> {
    let kept = app.store.past_calls(context.centre.id).await?;
    let told = |file: PastCalls| {
        let calls = words::counted(usize::try_from(file.calls).unwrap_or(0), "call", "calls");
        (file.id, format!("{}: {calls}", file.name))
    };
    Ok(kept.into_iter().map(told).collect())
}

fn shown(
    context: &RequestContext,
    campaign: &Campaign,
    records: &CallRecords,
    (back, based_on): (String, String),
    (kept, name): (Uuid, &str),
) -> Result<RecordsPage, PageError> {
    let before = &campaign.assumed;
    let estimated = records.estimate(before);
    let now = &estimated.assumed;
    let share = |share: f64| words::percent(share);
    let secs = |duration: &barometer_strategy::Duration| words::secs(duration.mean_secs());
    let hours = estimated.hours.iter().filter(|hour| hour.calls > 0.0);
    let hours: Vec<EstimateRow> = hours
        .map(|hour| EstimateRow {
            of: format!("{:02}:00", hour.hour),
            calls: words::thousands(hour.calls),
            before: share(before.answered_at(hour.hour)),
            now: share(hour.share),
            between: format!("{} to {}", share(hour.between.0), share(hour.between.1)),
        })
        .collect();
    let best = estimated.hours.iter().filter(|hour| hour.calls > 0.0);
    let best = best.max_by(|a, b| a.share.total_cmp(&b.share));
    let best = best.map_or_else(String::new, |best| {
        format!(" Most people answer at {:02}:00: {}.", best.hour, share(best.share))
    });
    let zones = estimated.zones.iter().map(|zone| EstimateRow {
        of: zone.zone.clone(),
        calls: words::thousands(zone.calls),
        before: format!("{:.2}", before.zone_factor(&zone.zone)),
        now: format!("{:.2}", zone.factor),
        between: format!("{:.2} to {:.2}", zone.between.0, zone.between.1),
    });
    Ok(RecordsPage {
        frame: Frame::of(context, Stage::Strategy, None),
        zones: zones.collect(),
        title: format!("What do past calls say of “{}”?", campaign.name),
        answer: format!(
            "{} calls, of which people answered {}.{best}",
            words::thousands(estimated.calls),
            share(answered(&estimated.hours))
        ),
        back,
        based_on,
        kept: Some((kept, name.to_owned())),
        campaign: campaign.id.clone(),
        assumed: Some(
            serde_json::to_string(now).map_err(|error| PageError::Internal(Box::new(error)))?,
        ),
        rest: vec![
            ("Answered by a machine", share(before.machine_share), share(now.machine_share)),
            ("Busy", share(before.busy_share), share(now.busy_share)),
            ("Numbers that do not exist", share(before.unusable_share), share(now.unusable_share)),
            ("Network congested", share(before.congested_share), share(now.congested_share)),
            ("A person answers after", secs(&before.ring), secs(&now.ring)),
            ("A machine answers after", secs(&before.machine_ring), secs(&now.machine_ring)),
            ("Talk", secs(&before.talk), secs(&now.talk)),
            ("Wrap-up", secs(&before.wrap_up), secs(&now.wrap_up)),
        ],
        hours,
        wrong: Vec::new(),
    })
}

/// The share of all calls that people answered, weighted by hours as they are assumed from now on.
fn answered(hours: &[barometer_dialling::records::HourEstimate]) -> f64 {
    let calls: f64 = hours.iter().map(|hour| hour.calls).sum();
    hours.iter().map(|hour| hour.calls * hour.share).sum::<f64>() / calls.max(1.0)
}

#[derive(Debug, Deserialize)]
pub(crate) struct Taken {
    based_on: String,
    assumed: String,
}

/// `POST /strategy/campaigns/{campaign}/assumed`: takes what past calls say into the draft.
pub(crate) async fn take(
    State(app): State<App>,
    Planner(context): Planner,
    Path(campaign): Path<String>,
    Form(taken): Form<Taken>,
) -> Result<Response, PageError> {
    let opened = opened_at(&app, &context, &taken.based_on).await?;
    let assumed: Assumed = serde_json::from_str(&taken.assumed).map_err(|error| {
        PageError::Refused(format!("These are no assumptions: {error}. Nothing was saved."))
    })?;
    let part = PartId::Campaign(campaign);
    let to = serde_json::to_value(assumed).map_err(|error| PageError::Internal(Box::new(error)))?;
    let edit = Edit::Set { part: part.clone(), setting: "/assumed".to_owned(), to };
    save_edit(&app, &context, &opened, &edit, Some(&part)).await
}
