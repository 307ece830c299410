//! The pacing map: abandoned share / ceiling by team size and lines for each free agent, on the scale of
//! pressure, with the ceiling as a boundary and the campaign's own point.

use askama::Template;
use barometer_dialling::pace::PacingMap;

use crate::pressure_scale;

/// The map as it is drawn.
#[derive(Template)]
#[template(path = "strategy/pacing_map.svg", escape = "html")]
pub(super) struct PacingMapView {
    cells: Vec<Cell>,
    /// The line on which the ceiling is just kept.
    boundary: String,
    /// The region below it.
    safe: String,
    agents: Vec<(f64, String)>,
    lines: Vec<(f64, String)>,
    /// The campaign's own point: x, y, its words, and whether they stand to its left.
    own: Option<(f64, f64, String, bool)>,
    told: String,
}

struct Cell {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
    colour: String,
    title: String,
}

const WIDTH: f64 = 640.0;
const HEIGHT: f64 = 420.0;
const LEFT: f64 = 52.0;
const TOP: f64 = 14.0;
const BOTTOM: f64 = 382.0;
const RIGHT: f64 = 628.0;

impl PacingMapView {
    /// The map with the point of a team of so many that dials so many lines.
    pub fn of(map: &PacingMap, ceiling: f64, own: Option<(u32, f64)>) -> Self {
        let x_range = (f64::from(map.agents[0]), f64::from(*map.agents.last().unwrap_or(&1)));
        let y_range = (map.lines[0], *map.lines.last().unwrap_or(&1.0));
        let x = |agents: f64| LEFT + (RIGHT - LEFT) * part(agents, x_range);
        let y = |lines: f64| BOTTOM - (BOTTOM - TOP) * part(lines, y_range);
        let edges = |values: &[f64], at: usize| {
            let before = at.checked_sub(1).map_or(values[at], |b| (values[b] + values[at]) / 2.0);
            let after = values.get(at + 1).map_or(values[at], |next| (next + values[at]) / 2.0);
            (before, after)
        };
        let sizes: Vec<f64> = map.agents.iter().map(|&agents| f64::from(agents)).collect();
        let mut cells = Vec::new();
        for (column, row) in map.shares.iter().enumerate() {
            let (from, until) = edges(&sizes, column);
            for (at, &share) in row.iter().enumerate() {
                let (low, high) = edges(&map.lines, at);
                let pressure = if ceiling > 0.0 { share / ceiling } else { 2.0 };
                cells.push(Cell {
                    x: x(from),
                    y: y(high),
                    width: x(until) - x(from) + 0.5,
                    height: y(low) - y(high) + 0.5,
                    colour: pressure_scale::colour(pressure),
                    title: format!(
                        "{} agents, {:.2} lines: {:.1} % abandoned",
                        map.agents[column],
                        map.lines[at],
                        100.0 * share
                    ),
                });
            }
        }
        let points: Vec<String> = sizes
            .iter()
            .zip(&map.boundary)
            .map(|(&agents, &lines)| format!("{:.1},{:.1}", x(agents), y(lines)))
            .collect();
        let boundary = format!("M{}", points.join(" L"));
        let own_point = own.map(|(agents, lines)| {
            let (agents, lines) = (f64::from(agents), lines.clamp(y_range.0, y_range.1));
            let x = x(agents.clamp(x_range.0, x_range.1));
            (x, y(lines), format!("now: {lines:.2}"), x > RIGHT - 90.0)
        });
        let step = ((y_range.1 - y_range.0) / 6.0 * 4.0).ceil().max(1.0) / 4.0;
        let ticks = (0..).map(|nth| y_range.0 + step * f64::from(nth));
        let ticks = ticks.take_while(|&lines| lines <= y_range.1 + 1e-9);
        Self {
            safe: format!("{boundary} L{RIGHT},{BOTTOM} L{LEFT},{BOTTOM} Z"),
            boundary,
            cells,
            agents: sizes
                .iter()
                .enumerate()
                .filter(|(nth, _)| nth % 2 == 1 || map.agents.len() < 8)
                .map(|(_, &agents)| (x(agents), format!("{agents:.0}")))
                .collect(),
            lines: ticks.map(|lines| (y(lines), crate::words::plain_number(lines))).collect(),
            own: own_point,
            told: format!(
                "Lines for each free agent by team size; from {:.1} to {:.1} lines keep the ceiling",
                map.boundary.first().copied().unwrap_or(1.0),
                map.boundary.last().copied().unwrap_or(1.0)
            ),
        }
    }
}

fn part(value: f64, (from, until): (f64, f64)) -> f64 {
    if until > from { (value - from) / (until - from) } else { 0.5 }
}
