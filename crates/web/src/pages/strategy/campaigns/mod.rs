//! A campaign: how fast it may dial, what each way to dial comes to, who can be called when.

mod map;
pub(crate) mod people;
pub(crate) mod records;

use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use barometer_app::drafts::Opened;
use barometer_dialling::need::{CallMix, Goal};
use barometer_dialling::pace::{Pace, PacingMap};
use barometer_dialling::{CallingTimes, Detection};
use barometer_plan::channel_of;
use barometer_preflight::{CampaignNow, campaigns_now};
use barometer_queueing::lines_for_blocking;
use barometer_simulate::CampaignMeasures;
use barometer_store::ContactType;
use barometer_strategy::{Campaign, Pacing, ServedBy, Strategy};
use serde::Deserialize;

use super::parts::campaign_facts;
use super::seen::{Asked, Seen, TriedCampaign};
use super::{open, query_of, times, which};
use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use map::PacingMapView;
use people::PeopleView;

const DAY_SECS: f64 = 86_400.0;
/// Seconds that an agent takes to look somebody up and dial by hand, and to look at a preview, where the
/// campaign itself does not say.
const LOOK_UP_SECS: f64 = 25.0;
const LOOK_SECS: f64 = 12.0;
/// Share of calls that may find no free line, for sizing lines.
const BLOCKED_SHARE: f64 = 0.01;
/// Share of their time for which agents are planned to talk or wrap up, where no way to dial says it.
const PLANNED_BUSY: f64 = 0.8;

#[derive(Template)]
#[template(path = "strategy/campaigns.html")]
struct CampaignsPage {
    frame: Frame,
    title: String,
    answer: String,
    assumes: String,
    back: String,
    edit_address: String,
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
    based_on: String,
    findings: Vec<(&'static str, &'static str, String)>,
    /// What the form says that compares the day without and with the campaign; empty for a draft.
    compare: Vec<(&'static str, String)>,
    /// Who is called, and from which list; none for a reader who does not plan.
    people: Option<PeopleView>,
}

/// One way to dial.
struct WayRow {
    name: String,
    lines: String,
    busy: String,
    per_hour: String,
    abandoned: String,
    lasts: String,
    is_own: bool,
    is_over: bool,
}

/// What a trial says of the campaign.
struct TriedView {
    name: String,
    address: String,
    rows: Vec<(&'static str, String)>,
}

/// An hour of the trial's first day.
struct HourRow {
    hour: String,
    conversations: String,
    abandoned: String,
    lines: String,
    needed: String,
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
    let page_of = move || page_of(&context, &seen, &query, &zone, people);
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
    people: Option<PeopleView>,
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
        based_on: String::new(),
        compare: Vec::new(),
        people: None,
        findings: Vec::new(),
    }
}

/// A campaign at a moment.
struct Looked<'a> {
    campaign: &'a Campaign,
    mix: CallMix,
    now: Option<CampaignNow>,
    /// Agents who are left to the campaign.
    agents: u32,
    /// Hours of the chosen day in which it dials.
    hours: f64,
    is_dialling: bool,
}

impl<'a> Looked<'a> {
    fn of(
        campaign: &'a Campaign,
        now: Option<CampaignNow>,
        calling: &CallingTimes,
        seen: &Seen,
    ) -> Self {
        let hour = usize::from(seen.at.hour().unsigned_abs());
        let now_secs = seen.interval as f64 * seen.premises.interval_secs;
        let midnight = now_secs - since_midnight(seen.at.time());
        Self {
            mix: CallMix::of(campaign, Some(hour)),
            agents: now.map_or(0, |now| now.left(&campaign.blending)),
            hours: calling.secs_between(midnight, midnight + DAY_SECS) / 3600.0,
            is_dialling: calling.is_dialling(now_secs),
            campaign,
            now,
        }
    }

    fn is_message(&self) -> bool {
        matches!(self.campaign.served_by, ServedBy::Message(_))
    }

    fn safe(&self) -> Option<f64> {
        let team = self.mix.team(self.agents.min(MOST_SOLVED), 1.0);
        team.safe_lines(self.campaign.abandoned_ceiling).ok()
    }

    /// The answer in a sentence or two.
    fn answer(&self, clock: &str, tried: Option<&CampaignMeasures>) -> String {
        if let Some(reason) = &self.campaign.paused_because {
            return format!("It is paused: {reason}.");
        }
        let trial = tried.map_or_else(String::new, |tried| {
            format!(
                " In its trial {} of those who answered found nobody in time; {} of days had more than {}.",
                words::estimated_percent(tried.abandoned_share),
                words::whole_percent(tried.dates_over.map_or(0.0, |over| over.mean)),
                words::percent(self.campaign.abandoned_ceiling)
            )
        });
        if self.is_message() {
            let lines = self.campaign.caps.lines.unwrap_or(0);
            return format!("As fast as its {lines} lines allow: a message needs no agent.{trial}");
        }
        if self.agents == 0 {
            return format!("Nobody is free for it at {clock}: it dials nobody then.{trial}");
        }
        let dials = if self.is_dialling { "" } else { ", when it does not dial," };
        let Some(safe) = self.safe() else {
            return format!("Nobody answers at {clock}: no way to dial reaches anybody.{trial}");
        };
        let ceiling = words::percent(self.campaign.abandoned_ceiling);
        let agents = if self.agents == 1 { "agent" } else { "agents" };
        let may = format!(
            "With {} {agents} free for it at {clock}{dials} it may ring up to {} lines for each free one: more \
             would abandon over {ceiling} of those who answer.",
            self.agents,
            words::plain_number(safe)
        );
        let set = match &self.campaign.pacing {
            Pacing::Steady { lines_per_agent } if *lines_per_agent > safe => {
                let share = self.mix.steady(self.agents.min(MOST_SOLVED), *lines_per_agent);
                let share = share.map_or(0.0, |pace| pace.abandoned_share);
                format!(
                    " It is set to {}, which abandons {}.",
                    words::plain_number(*lines_per_agent),
                    words::percent(share)
                )
            }
            Pacing::Steady { lines_per_agent } => {
                format!(" It is set to {}: that holds.", words::plain_number(*lines_per_agent))
            }
            Pacing::Predictive {} => " It finds its own pace under the ceiling.".to_owned(),
            _ => " It keeps one agent for each call, so that nobody is abandoned.".to_owned(),
        };
        format!("{may}{set}{trial}")
    }

    /// What the answer rests on.
    fn assumes(&self, clock: &str, strategy: &Strategy) -> String {
        if self.is_message() {
            return String::new();
        }
        let who = match &self.campaign.served_by {
            ServedBy::Team(id) => {
                strategy.teams.iter().find(|team| team.id == *id).map(|t| &t.name)
            }
            ServedBy::Line(id) | ServedBy::Message(id) => strategy.step(id).map(|step| &step.name),
        };
        let who = who.map_or("its agents", String::as_str);
        let Some(now) = self.now else {
            return format!(
                "Nothing is planned for {who}: take in the cover to see how many are free."
            );
        };
        format!(
            "{who} at {clock}: {} on shift, of whom inbound contacts keep {} busy and the campaign leaves {} free \
             for them; {} are kept for it. People answer {} of calls then, by what it assumes. Exact for exponential times and no \
             wait; while agents come and go with inbound contacts a trial is the better judge.",
            now.on_shift,
            words::one_decimal(now.inbound_erlangs),
            self.campaign.blending.kept_free,
            self.campaign.blending.kept_for_calls,
            words::percent(self.mix.conversation_share)
        )
    }

    fn map(&self) -> Result<Option<String>, PageError> {
        if self.is_message() || self.agents == 0 || self.mix.agent_share <= 0.0 {
            return Ok(None);
        }
        let own = match &self.campaign.pacing {
            Pacing::Steady { lines_per_agent } => Some(*lines_per_agent),
            Pacing::Predictive {} => None,
            _ => Some(1.0),
        };
        let team = self.mix.team(self.agents.min(MOST_SOLVED), own.unwrap_or(1.0));
        let ceiling = self.campaign.abandoned_ceiling;
        let Ok(map) = PacingMap::around(team, ceiling) else { return Ok(None) };
        let own = own.map(|lines| (team.agents, lines));
        Ok(Some(PacingMapView::of(&map, ceiling, own).render()?))
    }

    fn map_note(&self) -> String {
        match (self.is_message(), self.agents) {
            (true, _) => "A message needs no agent, so that no call is abandoned.".to_owned(),
            (false, 0) => {
                "Nobody is free for the campaign at this moment: choose another one above."
                    .to_owned()
            }
            _ if self.mix.agent_share <= 0.0 => "Nobody answers at this hour.".to_owned(),
            _ => String::new(),
        }
    }

    /// Every way to dial on the same calls.
    fn ways(&self, tried: Option<&CampaignMeasures>) -> Vec<WayRow> {
        if self.is_message() || self.agents == 0 {
            return Vec::new();
        }
        let own = &self.campaign.pacing;
        let look = |pacing: &Pacing| match pacing {
            Pacing::ByHand { look_up } => look_up.mean_secs(),
            Pacing::Preview { look, .. } => look.mean_secs(),
            _ => 0.0,
        };
        let by_hand = if matches!(own, Pacing::ByHand { .. }) { look(own) } else { LOOK_UP_SECS };
        let preview = if matches!(own, Pacing::Preview { .. }) { look(own) } else { LOOK_SECS };
        let agents = f64::from(self.agents);
        let solved = self.agents.min(MOST_SOLVED);
        let each = [
            (format!("Hand-dialled, {by_hand:.0} s to look up"), by_hand, "by_hand"),
            (format!("Preview, {preview:.0} s to look"), preview, "preview"),
            ("Progressive".to_owned(), 0.0, "progressive"),
        ];
        let mut rows: Vec<WayRow> = each
            .into_iter()
            .map(|(name, secs, key)| {
                self.way(name, Some(self.mix.one_each(agents, secs)), own.key() == key)
            })
            .collect();
        let set = match own {
            Pacing::Steady { lines_per_agent } => Some(*lines_per_agent),
            _ => None,
        };
        if let Some(safe) = self.safe().filter(|safe| set != Some(*safe)) {
            rows.push(self.way(
                "Steady, as fast as is safe".to_owned(),
                self.mix.steady(solved, safe).ok(),
                false,
            ));
        }
        if let Some(lines) = set {
            let pace = self.mix.steady(solved, lines).ok();
            rows.push(self.way("Steady, as it is set".to_owned(), pace, true));
        }
        if matches!(own, Pacing::Predictive {}) {
            let mut row =
                self.way("Predictive, in its trial beside inbound".to_owned(), None, true);
            if let Some(tried) = tried {
                row.lines = "adapts".to_owned();
                row.busy = words::estimated_percent(tried.utilisation);
                row.per_hour = tried
                    .per_agent_hour
                    .map_or_else(|| "–".to_owned(), |p| words::one_decimal(p.mean));
                row.abandoned = words::estimated_percent(tried.abandoned_share);
            }
            rows.push(row);
        }
        rows
    }

    fn way(&self, name: String, pace: Option<Pace>, is_own: bool) -> WayRow {
        let none = || "–".to_owned();
        let lasts = pace.map_or_else(none, |pace| {
            let calls = self.mix.calls_to_each(self.campaign.retries.most_in_all);
            let scale = f64::from(self.agents) / f64::from(self.agents.min(MOST_SOLVED));
            let hours =
                calls * f64::from(self.campaign.list.people) / (pace.dials_per_hour * scale);
            if self.hours <= 0.0 {
                format!("{hours:.0} h")
            } else if hours < self.hours {
                format!("{} h", words::one_decimal(hours))
            } else {
                format!("{} days", words::one_decimal(hours / self.hours))
            }
        });
        WayRow {
            name,
            lines: pace.map_or_else(none, |pace| words::plain_number(pace.lines_per_agent)),
            busy: pace.map_or_else(none, |pace| words::percent(pace.busy_share)),
            per_hour: pace.map_or_else(none, |pace| words::one_decimal(pace.per_agent_hour)),
            abandoned: pace.map_or_else(none, |pace| words::percent(pace.abandoned_share)),
            is_over: pace.is_some_and(|p| p.abandoned_share > self.campaign.abandoned_ceiling),
            lasts,
            is_own,
        }
    }

    /// What one call comes to at this hour.
    fn call(&self) -> Vec<(String, String)> {
        let assumed = &self.campaign.assumed;
        let mix = &self.mix;
        vec![
            (
                "Answered by a person and connected".to_owned(),
                words::percent(mix.conversation_share),
            ),
            ("Answered by a machine".to_owned(), words::percent(assumed.machine_share)),
            ("An agent is needed".to_owned(), words::percent(mix.agent_share)),
            ("People lost to machine detection".to_owned(), words::percent(mix.lost_to_detection)),
            ("Rings for".to_owned(), words::secs(mix.ring_secs)),
            ("An agent is busy for".to_owned(), words::secs(mix.agent_secs)),
            ("A line is in use for".to_owned(), words::secs(mix.line_secs)),
        ]
    }

    /// Agents and lines for a number of conversations in a number of days.
    fn goal(&self, query: &CampaignQuery, fields: Vec<(&'static str, String)>) -> GoalView {
        let text = |given: &Option<String>, usual: &str| {
            given.as_deref().map(str::trim).filter(|t| !t.is_empty()).unwrap_or(usual).to_owned()
        };
        let usual = (f64::from(self.campaign.list.people) / 2.0).round().max(1.0);
        let conversations = text(&query.conversations, &format!("{usual:.0}"));
        let days = text(&query.days, "5");
        let number = |text: &str| text.parse::<f64>().ok().filter(|n| *n > 0.0 && *n <= 1e7);
        let mut view = GoalView { fields, conversations, days, wrong: None, told: None };
        let (Some(conversations), Some(days)) = (number(&view.conversations), number(&view.days))
        else {
            view.wrong = Some("Give both as numbers above 0, such as 500 in 5 days.".to_owned());
            return view;
        };
        let hours = days * if self.hours > 0.0 { self.hours } else { 8.0 };
        let busy = match (&self.campaign.pacing, self.agents) {
            (pacing, agents) if pacing.keeps_an_agent() => {
                self.mix.one_each(f64::from(agents), 0.0).busy_share
            }
            _ => PLANNED_BUSY,
        };
        let goal = Goal { conversations, hours, utilisation: busy, blocked_share: BLOCKED_SHARE };
        match goal.need(self.campaign) {
            Ok(need) => {
                let agents = if need.agents == 1 { "agent" } else { "agents" };
                view.told = Some(format!(
                    "{} {agents} for {} hours at {} busy, {} calls, {} lines in use on average and {} for {} \
                     blocked (Erlang B). The list must have {} people.",
                    need.agents,
                    words::one_decimal(hours),
                    words::whole_percent(busy),
                    words::thousands(need.dials),
                    words::one_decimal(need.line_erlangs),
                    need.lines,
                    words::whole_percent(BLOCKED_SHARE),
                    words::thousands(need.people)
                ));
            }
            Err(_) => {
                view.wrong = Some("Nobody answers, so that no goal can be reached.".to_owned())
            }
        }
        view
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

/// Teams up to this size are solved; larger ones may dial at least as fast.
const MOST_SOLVED: u32 = 40;

fn since_midnight(time: jiff::civil::Time) -> f64 {
    time.duration_since(jiff::civil::Time::midnight()).as_secs_f64()
}

fn tried_view(seen: &Seen, campaign: &Campaign, tried: &CampaignMeasures) -> Option<TriedView> {
    let line = seen.trial.as_ref()?;
    let mut rows = vec![
        ("Calls dialled", words::estimated_count(tried.dials)),
        ("Conversations", words::estimated_count(tried.conversations)),
        ("Abandoned", words::estimated_percent(tried.abandoned_share)),
        (
            "Days over the ceiling",
            words::whole_percent(tried.dates_over.map_or(0.0, |over| over.mean)),
        ),
        ("Agents talk or wrap up", words::estimated_percent(tried.utilisation)),
        (
            "Conversations for each agent hour",
            tried.per_agent_hour.map_or_else(|| "–".to_owned(), |p| words::one_decimal(p.mean)),
        ),
        ("Agent-hours while it dials", words::one_decimal(tried.agent_hours.mean)),
        (
            "Lines in use",
            tried.lines.map_or_else(|| "–".to_owned(), |l| words::one_decimal(l.mean)),
        ),
        (
            "People left to call",
            format!(
                "{} of {}",
                words::thousands(tried.left.mean),
                words::thousands(f64::from(campaign.list.people))
            ),
        ),
    ];
    if let Some(cost) = cost_per_conversation(seen, campaign, tried) {
        rows.insert(7, ("Cost of these hours for each conversation", format!("{cost:.2}")));
    }
    if let Some(share) = thirty_days(campaign, tried) {
        rows.insert(4, ("Abandoned over 30 days, with this day", words::percent(share)));
    }
    Some(TriedView {
        name: line.subject.name.clone(),
        address: format!("/trials/{}", line.id),
        rows,
    })
}

/// The hours of the trial's first day in which the campaign dialled, with the lines that they need.
fn by_hour(tried: &TriedCampaign, zone: &jiff::tz::TimeZone) -> Vec<HourRow> {
    let Some((first, _)) = tried.intervals.first() else { return Vec::new() };
    let day = zone.to_datetime(*first).date();
    let mut rows: Vec<(i8, f64, f64, f64)> = Vec::new();
    for (start, interval) in &tried.intervals {
        let at = zone.to_datetime(*start);
        if at.date() != day || interval.dials.mean <= 0.0 {
            continue;
        }
        let lost = interval.abandoned.mean + interval.lost_to_detection.mean;
        let lines = interval.lines.map_or(0.0, |lines| lines.mean);
        let talked = interval.conversations.mean;
        match rows.last_mut().filter(|row| row.0 == at.hour()) {
            Some(row) => *row = (row.0, row.1 + talked, row.2 + lost, row.3.max(lines)),
            None => rows.push((at.hour(), talked, lost, lines)),
        }
    }
    let row = |(hour, talked, lost, lines): (i8, f64, f64, f64)| HourRow {
        hour: format!("{hour:02}:00"),
        conversations: words::one_decimal(talked),
        abandoned: words::percent(lost / (talked + lost).max(f64::MIN_POSITIVE)),
        lines: words::one_decimal(lines),
        needed: lines_for_blocking(lines, BLOCKED_SHARE)
            .map_or_else(|_| "–".to_owned(), |lines| lines.to_string()),
    };
    rows.into_iter().map(row).collect()
}

/// What the hours of its agents cost for each conversation, by the cost of an hour of the contact types that are at home with
/// its team, or of all where others serve it; `None` where no cost is known.
fn cost_per_conversation(
    seen: &Seen,
    campaign: &Campaign,
    tried: &CampaignMeasures,
) -> Option<f64> {
    let strategy = &seen.opened.strategy;
    let is_at_home = |of_type: &&ContactType| match &campaign.served_by {
        ServedBy::Team(team) => strategy
            .home_team(&of_type.name, channel_of(&of_type.rules))
            .is_some_and(|home| home.id == *team),
        _ => true,
    };
    let at_home = seen.opened.types.iter().filter(is_at_home);
    let costs: Vec<f64> = at_home.filter_map(|of_type| of_type.rules.cost_per_hour).collect();
    let per_hour = tried.per_agent_hour.filter(|per_hour| per_hour.mean > 0.0)?;
    let mean = costs.iter().sum::<f64>() / costs.len() as f64;
    (!costs.is_empty()).then(|| mean / per_hour.mean)
}

/// The abandoned share of the last 29 days and of a mean day of the trial together.
fn thirty_days(campaign: &Campaign, tried: &CampaignMeasures) -> Option<f64> {
    let (before, share) = (campaign.last_29_days?, tried.abandoned_share?);
    let answered = f64::from(before.answered) + tried.people.mean;
    Some((f64::from(before.abandoned) + share.mean * tried.people.mean) / answered)
}

fn zone_rows(campaign: &Campaign, times: &CallingTimes, seen: &Seen) -> Vec<ZoneRow> {
    let interval = seen.interval as f64 * seen.premises.interval_secs;
    let into_day = since_midnight(seen.at.time());
    let midnight = interval - into_day;
    let together = campaign.list.callable_together();
    (0..times.zones())
        .map(|zone| {
            let share = together.get(zone).map_or(1.0, |together| together.share);
            let at = |hour: usize| midnight + hour as f64 * 3600.0;
            let cells = (0..24).map(|hour| {
                // An hour counts where its middle is open.
                let is_open = times.is_open(zone, at(hour) + 1800.0);
                let local = times.local_hour(zone, at(hour));
                let answered = campaign.assumed.answered_at(local);
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
