//! The board: how the day goes, contact type by contact type.

use std::sync::Arc;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use barometer_app::AppError;
use barometer_app::live::{Outlook, View};
use barometer_store::{Centre, Intervention};
use barometer_wire::SwitchState;
use jiff::tz::TimeZone;
use serde::Deserialize;

use super::alarms::{RingRow, ring_rows};
use super::boards::{BoardLink, links};
use super::rows::{self, CampaignRow, QueueRow, TeamRow, TypeRow, minutes};
use crate::App;
use crate::access::RequestContext;
use crate::extract::Query;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;
use crate::words;
use barometer_app::planning::span;

#[derive(Template)]
#[template(path = "watch/board.html")]
struct BoardPage {
    frame: Frame,
    tab: &'static str,
    links: Vec<BoardLink>,
    is_wall: bool,
    is_there: bool,
    is_stand_in: bool,
    speeds: Vec<(&'static str, &'static str, bool)>,
    /// Contact types of which a storm can be made.
    storms: Vec<String>,
    /// By id and name.
    teams: Vec<(String, String)>,
    campaigns: Vec<(String, String)>,
    note: Option<&'static str>,
    board: String,
}

/// What changes on the board while it is looked at.
#[derive(Template)]
#[template(path = "watch/board_part.html")]
struct BoardPart {
    answer: String,
    trouble: Option<String>,
    day: String,
    clock: String,
    speed: String,
    rings: Vec<RingRow>,
    types: Vec<TypeRow>,
    teams: Vec<TeamRow>,
    queues: Vec<QueueRow>,
    campaigns: Vec<CampaignRow>,
    done: Vec<DoneRow>,
    live: String,
    is_adrift: bool,
}

/// Something that was done today.
struct DoneRow {
    at: String,
    what: String,
    by: String,
    expected: String,
}

#[derive(Deserialize)]
pub(crate) struct BoardQuery {
    pub wall: Option<u8>,
    note: Option<String>,
}

/// Alarms that ring on the board, at most.
pub(super) const MOST_RINGS: i64 = 8;

/// Speeds of a stand-in's clock that are offered.
const SPEEDS: [(&str, &str); 5] =
    [("0", "stopped"), ("1", "1×"), ("10", "10×"), ("60", "60×"), ("600", "600×")];

/// `GET /watch`
pub(crate) async fn show(
    State(app): State<App>,
    context: RequestContext,
    Query(query): Query<BoardQuery>,
) -> Result<Response, PageError> {
    let view = app.live.view().borrow().clone();
    let speed = view.state.as_ref().map(|state| state.clock.speed);
    let board = draw(&app, &context.centre, &view).await?;
    let note = match query.note.as_deref() {
        Some("planned") => {
            Some("Done: the cover of today is another one, and the switch has been told.")
        }
        Some("told") => Some("The switch has been told."),
        Some("asked") => Some("The message is on its way."),
        _ => None,
    };
    page(&BoardPage {
        frame: Frame::of(&context, Stage::Watch, None),
        tab: "board",
        links: links(&app, &context, None).await?,
        is_wall: query.wall.is_some(),
        is_there: app.live.is_there(),
        is_stand_in: context.may_plan() && speed.is_some(),
        speeds: SPEEDS
            .into_iter()
            .map(|(value, name)| (value, name, speed.is_some_and(|at| value == format!("{at}"))))
            .collect(),
        storms: view.state.as_ref().map_or_else(Vec::new, |state| {
            state.types.iter().map(|each| each.contact_type.clone()).collect()
        }),
        teams: view.state.as_ref().map_or_else(Vec::new, |state| {
            state.teams.iter().map(|each| (each.team.clone(), each.name.clone())).collect()
        }),
        campaigns: view.state.as_ref().map_or_else(Vec::new, |state| {
            state.campaigns.iter().map(|each| (each.campaign.clone(), each.name.clone())).collect()
        }),
        note,
        board,
    })
}

/// The part of the board that changes.
pub(super) async fn draw(app: &App, centre: &Centre, view: &View) -> Result<String, PageError> {
    let Some(state) = view.state.clone() else {
        return Ok(BoardPart::empty(view).render()?);
    };
    let (outlook, unplanned) = outlook_of(app, centre).await?;
    let (from, to) = span(state.clock.date, 1, &centre.zone)?;
    let done = app.store.interventions(centre.id, from, to).await?;
    let mut part = BoardPart::of(view, &state, outlook, (unplanned, &done), &centre.zone);
    let mut rings = app.store.rings(centre.id, MOST_RINGS).await?;
    rings.retain(|ring| ring.cleared_at.is_none());
    if !rings.is_empty() {
        part.rings = ring_rows(rings, &centre.zone);
    }
    Ok(part.render()?)
}

/// What is expected of the rest of the day, as far as it is known without waiting, or why nothing is. While it is
/// played for the first time the board has no such figures; they follow with the next state.
pub(super) async fn outlook_of(
    app: &App,
    centre: &Centre,
) -> Result<(Option<Arc<Outlook>>, Option<String>), PageError> {
    match app.live.outlook_soon(&app.store, centre).await {
        Ok(found) => Ok((found.ready(), None)),
        Err(AppError::Refused(message)) => Ok((None, Some(message))),
        Err(error) => Err(error.into()),
    }
}

impl BoardPart {
    fn empty(view: &View) -> Self {
        Self {
            answer: "Nothing has been heard from the telephone switch yet.".to_owned(),
            trouble: view.trouble.clone(),
            day: String::new(),
            clock: String::new(),
            speed: String::new(),
            rings: Vec::new(),
            types: Vec::new(),
            teams: Vec::new(),
            queues: Vec::new(),
            campaigns: Vec::new(),
            done: Vec::new(),
            live: String::new(),
            is_adrift: false,
        }
    }

    fn of(
        view: &View,
        state: &SwitchState,
        outlook: Option<Arc<Outlook>>,
        (unplanned, done): (Option<String>, &[Intervention]),
        zone: &TimeZone,
    ) -> Self {
        let types = rows::types(state, outlook.as_deref(), zone);
        let clock = zone.to_datetime(state.clock.now).strftime("%H:%M:%S").to_string();
        let trouble = trouble_of(view, unplanned);
        let live = match &state.release {
            Some(release) => {
                format!("release {} since {}", release.number, words::clock(release.since, zone))
            }
            None => "nothing yet".to_owned(),
        };
        Self {
            answer: answer(&types),
            trouble,
            day: words::long_day(state.clock.date),
            clock,
            rings: Vec::new(),
            speed: speed_word(state),
            types,
            teams: rows::teams(state),
            queues: rows::queues(state),
            campaigns: rows::campaigns(state),
            done: done.iter().map(|each| done_row(each, outlook.as_deref(), zone)).collect(),
            live,
            is_adrift: view.is_as_it_should == Some(false),
        }
    }
}

/// What keeps the board from being right or whole, if anything.
pub(super) fn trouble_of(view: &View, unplanned: Option<String>) -> Option<String> {
    view.trouble.clone().or_else(|| view.untold.clone()).or(unplanned)
}

/// How fast the switch's clock goes, where that is not as fast as ours.
pub(super) fn speed_word(state: &SwitchState) -> String {
    match state.clock.speed {
        1.0 => String::new(),
        0.0 => "stopped".to_owned(),
        speed => format!("{speed:.0}×"),
    }
}

fn done_row(each: &Intervention, outlook: Option<&Outlook>, zone: &TimeZone) -> DoneRow {
    let expected = each.done.expected.iter().map(|(name, without, with)| {
        let now = outlook.and_then(|outlook| {
            let types = &outlook.today.now.inputs.types;
            let of = types.iter().position(|kind| kind.name == *name)?;
            outlook.ends[of].level
        });
        let now = now.map_or_else(String::new, |now| format!(", now {}", words::percent(now)));
        format!(
            "{name} {} instead of {} by tonight{now}",
            words::percent(*with),
            words::percent(*without)
        )
    });
    DoneRow {
        at: words::clock(each.at, zone),
        what: each.done.words.clone(),
        by: each.by.clone().unwrap_or_default(),
        expected: expected.collect::<Vec<_>>().join("; "),
    }
}

/// The sentence that answers first: the worst, and how the rest does.
fn answer(types: &[TypeRow]) -> String {
    use barometer_plan::Verdict;
    if types.is_empty() {
        return "The switch has no plan of today yet.".to_owned();
    }
    let of = |verdict| -> Vec<&TypeRow> {
        types.iter().filter(|row| row.verdict == Some(verdict)).collect()
    };
    let listed = |rows: &[&TypeRow]| {
        words::listing(&rows.iter().map(|row| row.name.clone()).collect::<Vec<_>>())
    };
    let (behind, just_under) = (of(Verdict::Breaks), of(Verdict::Marginal));
    let unlikely: Vec<String> =
        types.iter().filter(|row| row.is_unlikely).map(|row| row.name.clone()).collect();
    let now = match (behind.as_slice(), just_under.as_slice()) {
        ([], []) => "Every contact type keeps to its service level so far.".to_owned(),
        ([], [one]) => format!(
            "{} is just under its service level so far ({}, target {}); all others keep to theirs.",
            one.name, one.level, one.target
        ),
        ([], several) => format!(
            "{} are just under their service levels so far; all others keep to theirs.",
            listed(several)
        ),
        ([one], _) => format!(
            "{} is at {} where {} is the target; {}.",
            one.name,
            one.level,
            one.target,
            waiting(one)
        ),
        (several, _) => format!("{} are under their service levels.", listed(several)),
    };
    let tonight = match unlikely.len() {
        0 => "By tonight every target is more likely reached than not.".to_owned(),
        _ => format!(
            "By tonight {} will more likely miss {} than not.",
            words::listing(&unlikely),
            if unlikely.len() == 1 { "the target" } else { "their targets" }
        ),
    };
    format!("{now} {tonight}")
}

fn waiting(row: &TypeRow) -> String {
    match row.waiting {
        0 => "nobody waits now".to_owned(),
        1 => format!("one waits, for {}", row.longest),
        n => format!("{n} wait, the longest for {}", row.longest),
    }
}

/// For how long somebody does something, in words.
pub(crate) fn for_secs(secs: f64) -> String {
    minutes(secs)
}
