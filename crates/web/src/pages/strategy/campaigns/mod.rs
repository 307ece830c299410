//! A campaign: how fast it may dial, what each way to dial comes to, who can be called when.

mod looked;
mod map;
pub(crate) mod people;
pub(crate) mod records;
mod tried;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::Opened;
use barometer_dialling::{CallingTimes, Detection};
use barometer_preflight::campaigns_now;
use barometer_strategy::{Campaign, Strategy};
use serde::Deserialize;

use super::parts::campaign_facts;
use super::seen::{Asked, Seen};
use super::{open, query_of, times, which};
use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use looked::{Looked, WayRow};
use people::PeopleView;
use tried::{HourRow, TriedView, by_hour, tried_view};

const DAY_SECS: f64 = 86_400.0;
#[derive(Template)]
#[template(path = "strategy/campaigns.html")]
struct CampaignsPage {
    frame: Frame,
    title: String,
    answer: String,
    assumes: String,
    back: String,
    edit_address: String,
    walk_address: String,
    campaigns: Vec<(String, String, String, bool)>,
    times: Vec<super::Choice>,
    map: Option<String>,
    map_note: String,
    ways: Vec<WayRow>,
    tried: Option<TriedView>,
    by_hour: Vec<HourRow>,
    zones: Vec<ZoneRow>,
    hours: Vec<(usize, String)>,
    call: Vec<(String, String)>,
    curve: Vec<CurvePoint>,
    goal: GoalView,
    /// Where past calls are sent; empty for whoever does not plan.
    records_address: String,
    /// Files of past calls that are kept.
    past_calls: Vec<(uuid::Uuid, String)>,
    based_on: String,
    findings: Vec<(&'static str, &'static str, String)>,
    /// What the form says that compares the day without and with the campaign; empty for a draft.
    compare: Vec<(&'static str, String)>,
    /// Who is called, and from which list; none for a reader who does not plan.
    people: Option<PeopleView>,
}

/// When the people of one zone may be called, on the clocks of the centre.
struct ZoneRow {
    name: String,
    share: String,
    /// Hours of the centre's day: whether they may be called, and the share of those who answer then.
    cells: Vec<(bool, String, f64)>,
    told: String,
}

struct CurvePoint {
    sensitivity: String,
    decide: String,
    people: String,
    machines: String,
    is_own: bool,
}

struct GoalView {
    /// What else the address says, so that the same page comes back.
    fields: Vec<(&'static str, String)>,
    conversations: String,
    days: String,
    wrong: Option<String>,
    told: Option<String>,
}

#[derive(Debug, Default, Deserialize)]
pub(crate) struct CampaignQuery {
    draft: Option<i32>,
    version: Option<i32>,
    campaign: Option<String>,
    at: Option<String>,
    conversations: Option<String>,
    days: Option<String>,
}

/// `GET /strategy/campaigns`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<CampaignQuery>,
) -> Result<Response, PageError> {
    let opened = open(&app, &context, which(query.draft, query.version)).await?;
    if opened.types.is_empty() {
        return Ok(Redirect::to(&Stage::Demand.address(context.day, None)).into_response());
    }
    let at = query.at.as_deref().and_then(|at| at.parse().ok());
    let at = at.or_else(|| {
        // In the middle of its hours there is most to see.
        let campaign = chosen(&opened.strategy, query.campaign.as_deref())?;
        let hours = opened.strategy.campaigns[campaign].hours.iter();
        let hours =
            hours.filter(|hours| hours.is_on(context.day)).map(|h| (h.from, h.until)).next()?;
        let half = (since_midnight(hours.1) - since_midnight(hours.0)).max(0.0) / 2.0;
        Some(hours.0.wrapping_add(jiff::SignedDuration::from_secs_f64(half)))
    });
    let asked = Asked { at, ..Asked::default() };
    let seen = Seen::of(&app, &context, opened, asked).await?;
    let zone = context.centre.zone.clone();
    let people = PeopleView::of(&app, &context, &seen.opened, query.campaign.as_deref()).await?;
    let past_calls = match context.may_plan() {
        true => records::kept_files(&app, &context).await?,
        false => Vec::new(),
    };
    let page_of = move || page_of(&context, &seen, &query, &zone, (people, past_calls));
    // The exact chains of the map take tens of milliseconds.
    let view = barometer_app::computing::computed(page_of)
        .await
        .map_err(|error| PageError::Internal(Box::new(error)))??;
    page(&view)
}

fn page_of(
    context: &RequestContext,
    seen: &Seen,
    query: &CampaignQuery,
    zone: &jiff::tz::TimeZone,
    (people, past_calls): (Option<PeopleView>, Vec<(uuid::Uuid, String)>),
) -> Result<CampaignsPage, PageError> {
    let strategy = &seen.opened.strategy;
    let of = query_of(&seen.opened);
    let base = format!("/strategy/campaigns?day={}&{of}", context.day);
    let back = format!("/strategy?day={}&{of}", context.day);
    let Some(place) = chosen(strategy, query.campaign.as_deref()) else {
        return Ok(empty_page(context, back));
    };
    let campaign = &strategy.campaigns[place];
    let now = campaigns_now(strategy, &seen.premises);
    let now = now.get(place).cloned().flatten();
    let now = now.and_then(|all| all.get(seen.interval).copied());
    let calling = CallingTimes::of(
        campaign,
        seen.premises.start,
        seen.premises.interval_secs * seen.premises.intervals as f64,
        zone,
    );
    let looked = Looked::of(campaign, now, &calling, seen);
    let of_trial = seen.tried.iter().find(|tried| tried.name == campaign.name);
    let of_trial = of_trial.filter(|tried| tried.whole.dials.mean > 0.0);
    let tried = of_trial.map(|tried| &tried.whole);
    let here = format!("{base}&campaign={}", words::in_address(&campaign.id));
    let map = looked.map()?;
    let clock = seen.at.strftime("%H:%M").to_string();
    Ok(CampaignsPage {
        frame: Frame::of(context, Stage::Strategy, None),
        title: format!("How fast may “{}” dial?", campaign.name),
        answer: looked.answer(&clock, tried),
        assumes: looked.assumes(&clock, strategy),
        edit_address: format!("{back}&part=campaign.{}", words::in_address(&campaign.id)),
        walk_address: format!(
            "/strategy/walk?day={}&{of}&at={clock}&campaign={}",
            context.day,
            words::in_address(&campaign.id)
        ),
        back,
        campaigns: strategy
            .campaigns
            .iter()
            .map(|each| {
                let address = format!("{base}&campaign={}", words::in_address(&each.id));
                (each.name.clone(), campaign_facts(each), address, each.id == campaign.id)
            })
            .collect(),
        times: times(seen, &clock, &here),
        map_note: looked.map_note(),
        map,
        ways: looked.ways(tried),
        tried: tried.and_then(|measures| tried_view(seen, campaign, measures)),
        by_hour: of_trial.map_or_else(Vec::new, |tried| by_hour(tried, zone)),
        zones: zone_rows(campaign, &calling, seen),
        hours: (0..24).map(|hour| (hour, format!("{hour:02}"))).collect(),
        call: looked.call(),
        curve: curve(campaign),
        goal: looked.goal(query, goal_fields(context, &seen.opened, campaign, &clock)),
        records_address: if context.may_plan() {
            format!("/strategy/campaigns/{}/records", words::in_address(&campaign.id))
        } else {
            String::new()
        },
        past_calls,
        based_on: seen.opened.basis.to_string(),
        compare: compare_fields(context, &seen.opened, campaign),
        people,
        findings: seen
            .findings
            .iter()
            .filter(|finding| {
                finding.part == barometer_strategy::PartId::Campaign(campaign.id.clone())
            })
            .map(|finding| {
                let severity = finding.rule.severity();
                (severity.words(), finding.rule.title(), finding.reason.clone())
            })
            .collect(),
    })
}

/// The campaign of this id, or the first.
fn chosen(strategy: &Strategy, id: Option<&str>) -> Option<usize> {
    let asked = id.and_then(|id| strategy.campaigns.iter().position(|each| each.id == id));
    asked.or_else(|| (!strategy.campaigns.is_empty()).then_some(0))
}

fn empty_page(context: &RequestContext, back: String) -> CampaignsPage {
    CampaignsPage {
        frame: Frame::of(context, Stage::Strategy, None),
        title: "How fast may we dial?".to_owned(),
        answer: "This strategy has no campaign: nobody is called. Add one under the map, below \
                 “Campaigns”."
            .to_owned(),
        assumes: String::new(),
        edit_address: String::new(),
        walk_address: String::new(),
        back,
        campaigns: Vec::new(),
        times: Vec::new(),
        map: None,
        map_note: String::new(),
        ways: Vec::new(),
        tried: None,
        by_hour: Vec::new(),
        zones: Vec::new(),
        hours: Vec::new(),
        call: Vec::new(),
        curve: Vec::new(),
        goal: GoalView {
            fields: Vec::new(),
            conversations: String::new(),
            days: String::new(),
            wrong: None,
            told: None,
        },
        records_address: String::new(),
        past_calls: Vec::new(),
        based_on: String::new(),
        compare: Vec::new(),
        people: None,
        findings: Vec::new(),
    }
}

/// What the form of a goal says beside the goal: what is open, and when.
fn goal_fields(
    context: &RequestContext,
    opened: &Opened,
    campaign: &Campaign,
    clock: &str,
) -> Vec<(&'static str, String)> {
    let open = match (opened.draft(), opened.version()) {
        (Some(draft), _) => ("draft", draft.number.to_string()),
        (None, version) => ("version", version.map_or(0, |v| v.version).to_string()),
    };
    vec![
        ("day", context.day.to_string()),
        open,
        ("campaign", campaign.id.clone()),
        ("at", clock.to_owned()),
    ]
}

/// The form of a comparison without and with a campaign: all contact types on the chosen day.
fn compare_fields(
    context: &RequestContext,
    opened: &Opened,
    campaign: &Campaign,
) -> Vec<(&'static str, String)> {
    let Some(version) = opened.version().filter(|_| context.may_plan()) else { return Vec::new() };
    let mut fields = vec![
        ("kind", "campaign".to_owned()),
        ("days", context.day.to_string()),
        ("version", version.id.to_string()),
        ("campaign", campaign.id.clone()),
    ];
    fields.extend(opened.types.iter().map(|each| ("contact_type", each.id.to_string())));
    fields
}

fn since_midnight(time: jiff::civil::Time) -> f64 {
    time.duration_since(jiff::civil::Time::midnight()).as_secs_f64()
}

fn zone_rows(campaign: &Campaign, times: &CallingTimes, seen: &Seen) -> Vec<ZoneRow> {
    let interval = seen.interval as f64 * seen.premises.interval_secs;
    let into_day = since_midnight(seen.at.time());
    let midnight = interval - into_day;
    let together = campaign.list.callable_together();
    (0..times.zones())
        .map(|zone| {
            let lives = together.get(zone);
            let share = lives.map_or(1.0, |together| together.share);
            let factor = lives
                .and_then(|together| together.zone.as_deref())
                .map_or(1.0, |zone| campaign.assumed.zone_factor(zone));
            let at = |hour: usize| midnight + hour as f64 * 3600.0;
            let cells = (0..24).map(|hour| {
                // An hour counts where its middle is open.
                let is_open = times.is_open(zone, at(hour) + 1800.0);
                let local = times.local_hour(zone, at(hour));
                let answered = factor * campaign.assumed.answered_at(local);
                let told = format!(
                    "{hour:02}:00 here, {local:02}:00 there: {}",
                    if is_open { words::whole_percent(answered) } else { "not called".to_owned() }
                );
                (is_open, told, answered)
            });
            let cells: Vec<(bool, String, f64)> = cells.collect();
            let open: Vec<usize> = (0..24).filter(|&hour| cells[hour].0).collect();
            let told = match (open.first(), open.last()) {
                (Some(first), Some(last)) => format!(
                    "{first:02}–{:02} here is {:02}–{:02} there",
                    last + 1,
                    times.local_hour(zone, at(*first)),
                    (times.local_hour(zone, at(*last)) + 1) % 24
                ),
                _ => "not called on this day".to_owned(),
            };
            ZoneRow {
                name: times.zone_name(zone).replace('_', " "),
                share: words::whole_percent(share),
                cells,
                told,
            }
        })
        .collect()
}

/// What detection gets wrong, from off to the most.
fn curve(campaign: &Campaign) -> Vec<CurvePoint> {
    let own = campaign.machines.sensitivity;
    let mut steps: Vec<f64> = (0..=5).map(|nth| f64::from(nth) / 5.0).collect();
    if let Some(own) = own.filter(|own| !steps.contains(own)) {
        steps.push(own);
        steps.sort_by(f64::total_cmp);
    }
    let off = CurvePoint {
        sensitivity: "off".to_owned(),
        decide: "–".to_owned(),
        people: words::percent(0.0),
        machines: words::percent(1.0),
        is_own: own.is_none(),
    };
    let point = |step: f64| {
        let detection = Detection::of(step);
        CurvePoint {
            sensitivity: words::plain_number(step),
            decide: words::one_decimal(detection.decide_secs),
            people: words::percent(detection.people_taken_for_machines),
            machines: words::percent(detection.machines_taken_for_people),
            is_own: own == Some(step),
        }
    };
    std::iter::once(off).chain(steps.into_iter().map(point)).collect()
}
