//! The tiles of a board that a planner arranged: each figure as large as it can be read from afar.

use barometer_app::live::Outlook;
use barometer_plan::{BoardFigure, BoardLayout, Shows, Verdict};
use barometer_wire::SwitchState;
use jiff::tz::TimeZone;

use super::alarms::RingRow;
use super::rows::{self, CampaignRow, QueueRow, StripCell, TeamRow, TypeRow};
use crate::words;

/// A tile as it is drawn.
#[derive(Default)]
pub(super) struct TileView {
    /// Whose figure it is: "Bookings".
    pub of: String,
    /// What the figure is: "waiting".
    pub what: &'static str,
    pub value: String,
    /// What helps to read it: the target, the longest wait, the forecast.
    pub note: String,
    pub verdict: Option<Verdict>,
    /// Whether it is worse than it should be.
    pub is_over: bool,
    /// The colour of pressure, where it is one.
    pub colour: Option<String>,
    pub is_wide: bool,
    pub cells: Vec<StripCell>,
    pub now_at: f64,
    /// Alarms that ring, on a tile for them.
    pub rings: Option<Vec<RingLine>>,
}

/// An alarm that rings.
#[derive(Clone)]
pub(super) struct RingLine {
    pub words: String,
    pub value: String,
    pub is_urgent: bool,
}

impl From<RingRow> for RingLine {
    fn from(row: RingRow) -> Self {
        Self { words: row.words, value: row.value, is_urgent: row.is_urgent }
    }
}

/// The names of what tiles show, as the switch has them now.
pub(super) fn name_of(state: Option<&SwitchState>, figure: BoardFigure, of: &str) -> String {
    use barometer_plan::BoardSubject as Subject;
    let name = state.and_then(|state| match figure.subject() {
        Subject::ContactType => None,
        Subject::Queue => {
            state.queues.iter().find(|each| each.step == of).map(|each| each.name.clone())
        }
        Subject::Team => {
            state.teams.iter().find(|each| each.team == of).map(|each| each.name.clone())
        }
        Subject::Campaign => {
            state.campaigns.iter().find(|each| each.campaign == of).map(|each| each.name.clone())
        }
    });
    name.unwrap_or_else(|| of.to_owned())
}

/// All tiles of a layout, with the figures of a state.
pub(super) fn views(
    layout: &BoardLayout,
    state: &SwitchState,
    outlook: Option<&Outlook>,
    rings: &[RingLine],
    zone: &TimeZone,
) -> Vec<TileView> {
    let types = rows::types(state, outlook, zone);
    let teams = rows::teams(state);
    let queues = rows::queues(state);
    let campaigns = rows::campaigns(state);
    let view = |tile: &barometer_plan::Tile| {
        let view = match &tile.shows {
            Shows::Alarms => TileView {
                what: "alarms that ring",
                rings: Some(rings.to_vec()),
                ..TileView::default()
            },
            Shows::Strip { contact_type } => strip(contact_type, &types),
            Shows::Figure { figure, of } => {
                let seen = of_type(*figure, types.iter().find(|row| row.name == *of))
                    .or_else(|| of_queue(*figure, queues.iter().find(|row| row.step == *of)))
                    .or_else(|| of_team(*figure, teams.iter().find(|row| row.team == *of)))
                    .or_else(|| {
                        of_campaign(*figure, campaigns.iter().find(|row| row.campaign == *of))
                    });
                let nothing = || TileView {
                    value: words::NONE.to_owned(),
                    note: "not on the switch now".to_owned(),
                    ..TileView::default()
                };
                TileView {
                    of: name_of(Some(state), *figure, of),
                    what: figure.words(),
                    ..seen.unwrap_or_else(nothing)
                }
            }
        };
        // A number and its unit stay on one line.
        let note = view.note.replace(" %", "\u{a0}%");
        TileView { is_wide: tile.is_wide, note, ..view }
    };
    layout.tiles.iter().map(view).collect()
}

fn strip(contact_type: &str, types: &[TypeRow]) -> TileView {
    let view = TileView {
        of: contact_type.to_owned(),
        what: "pressure, opening to close",
        ..TileView::default()
    };
    match types.iter().find(|row| row.name == contact_type) {
        Some(row) => TileView { cells: row.cells.clone(), now_at: row.now_at, ..view },
        None => TileView { note: "not on the switch now".to_owned(), ..view },
    }
}

fn of_type(figure: BoardFigure, row: Option<&TypeRow>) -> Option<TileView> {
    let row = row?;
    let target =
        if row.target.is_empty() { String::new() } else { format!("target {}", row.target) };
    let view = |value: &str, note: String| TileView {
        value: value.to_owned(),
        note,
        ..TileView::default()
    };
    Some(match figure {
        BoardFigure::Waiting => {
            let longest = match row.waiting {
                0 => String::new(),
                _ => format!("longest {}", row.longest),
            };
            TileView { is_over: row.is_long, ..view(&row.waiting.to_string(), longest) }
        }
        BoardFigure::LongestWait => TileView { is_over: row.is_long, ..view(&row.longest, target) },
        BoardFigure::LastLevel => view(&row.last, target),
        BoardFigure::LevelSoFar => {
            let is_over = row.verdict == Some(Verdict::Breaks);
            TileView { verdict: row.verdict, is_over, ..view(&row.level, target) }
        }
        BoardFigure::LevelTonight => {
            let range =
                if row.range.is_empty() { target } else { format!("{}, {target}", row.range) };
            TileView { is_over: row.is_unlikely, ..view(&row.tonight, range) }
        }
        BoardFigure::ChanceTonight => {
            TileView { is_over: row.is_unlikely, ..view(&row.chance, target) }
        }
        BoardFigure::Abandoned => view(&row.abandoned, String::new()),
        BoardFigure::Pressure => {
            TileView { colour: Some(row.colour.clone()), ..view(&row.pressure, String::new()) }
        }
        BoardFigure::Contacts => {
            let off =
                if row.off.is_empty() { String::new() } else { format!("{} vs forecast", row.off) };
            view(&row.came, off)
        }
        _ => return None,
    })
}

fn of_queue(figure: BoardFigure, row: Option<&QueueRow>) -> Option<TileView> {
    let row = row?;
    let (value, note) = match figure {
        BoardFigure::QueueWaiting => {
            let ringing =
                if row.ringing > 0 { format!("{} ringing", row.ringing) } else { String::new() };
            (row.waiting.to_string(), ringing)
        }
        BoardFigure::QueueLongestWait => (row.longest.clone(), String::new()),
        BoardFigure::QueueFree => (row.members.clone(), String::new()),
        _ => return None,
    };
    Some(TileView { value, note, ..TileView::default() })
}

fn of_team(figure: BoardFigure, row: Option<&TeamRow>) -> Option<TileView> {
    let row = row?;
    let (value, note, is_over) = match figure {
        BoardFigure::TeamOnShift => (
            format!("{} of {}", row.on_shift, row.planned),
            format!("{} free", row.free),
            row.is_short,
        ),
        BoardFigure::TeamFree => {
            (row.free.to_string(), format!("of {} on shift", row.on_shift), false)
        }
        BoardFigure::TeamTalking => {
            (row.talking.to_string(), format!("{} writing up", row.wrapping_up), false)
        }
        BoardFigure::TeamOccupancy => (row.occupancy.clone(), String::new(), false),
        _ => return None,
    };
    Some(TileView { value, note, is_over, ..TileView::default() })
}

fn of_campaign(figure: BoardFigure, row: Option<&CampaignRow>) -> Option<TileView> {
    let row = row?;
    let value = match figure {
        BoardFigure::CampaignLines => row.lines.to_string(),
        BoardFigure::CampaignTalking => row.talking.to_string(),
        BoardFigure::CampaignLeft => row.left.clone(),
        _ => return None,
    };
    Some(TileView { value, note: row.doing.to_owned(), ..TileView::default() })
}
