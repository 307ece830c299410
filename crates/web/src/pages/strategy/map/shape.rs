//! Each kind of stop as a small instrument: what is drawn, in the stop's own coordinates.
//!
//! The middle of an instrument is the origin; ribbons arrive at its left edge and leave at its right.

use barometer_preflight::StepNow;
use barometer_strategy::{HoursGate, Step, StepKind};
use jiff::civil::{DateTime, Time};

use crate::pressure_scale;

/// An instrument.
pub(in crate::pages::strategy) enum Shape {
    /// An inlet.
    Inlet,
    /// A pump: calls go out.
    Outlet,
    /// A day's dial: the arc that is open, and the hand at the moment.
    Dial { open: Vec<String>, hand: (f64, f64), is_open: bool },
    /// A fan with an outlet for each choice.
    Fan { outlets: Vec<f64> },
    /// A tag that is put on.
    Tag,
    /// A weir that parts the river.
    Weir,
    /// A bell that tells something.
    Bell,
    /// An assistant.
    Assistant,
    /// A tube, filled from the right by what waits.
    Tube { fill: f64, colour: String },
    /// Members as dots in ranks.
    Members { dots: Vec<Dot>, more: u32 },
    /// A promise.
    Callback,
    /// A message.
    Message,
    /// A way out of the house.
    Outside,
    /// An end, as a bar.
    Bar { height: f64, is_lost: bool },
}

/// A member of a hunt group.
pub(in crate::pages::strategy) struct Dot {
    pub x: f64,
    pub y: f64,
    /// "busy", "free" or "away".
    pub state: &'static str,
}

/// Half of the width and half of the height of an instrument.
pub(super) fn half_size(shape: &Shape) -> (f64, f64) {
    match shape {
        Shape::Inlet | Shape::Outlet => (68.0, 17.0),
        Shape::Dial { .. } => (15.0, 15.0),
        Shape::Fan { outlets } => (9.0, (outlets.len() as f64 * 5.0).clamp(15.0, 26.0)),
        Shape::Tag => (12.0, 9.0),
        Shape::Weir | Shape::Assistant | Shape::Callback | Shape::Message => (11.0, 11.0),
        Shape::Bell | Shape::Outside => (11.0, 10.0),
        Shape::Tube { .. } => (46.0, 9.0),
        Shape::Members { dots, .. } => {
            let rows = dots.iter().map(|dot| dot.y.abs()).fold(0.0, f64::max);
            (46.0, rows + 7.0)
        }
        Shape::Bar { height, .. } => (3.0, height / 2.0),
    }
}

/// The instrument of a step at a moment.
pub(super) fn of_step(
    step: &Step,
    now: Option<&StepNow>,
    at: DateTime,
    waiting: Option<f64>,
) -> Shape {
    match &step.does {
        StepKind::HoursGate(gate) => dial(gate, at, now.and_then(|now| now.is_open)),
        StepKind::Menu(menu) => {
            let count = menu.choices.len().max(1);
            let height = half_size(&Shape::Fan { outlets: vec![0.0; count] }).1;
            let place = |nth: usize| (nth as f64 + 0.5) / count as f64 * 2.0 * height - height;
            Shape::Fan { outlets: (0..count).map(place).collect() }
        }
        StepKind::Labelling(_) => Shape::Tag,
        StepKind::Routing(_) => Shape::Weir,
        StepKind::Announcement(_) => Shape::Bell,
        StepKind::Assistant(_) => Shape::Assistant,
        StepKind::Queue(queue) => {
            // Without a limit twenty waiting fill the tube.
            let places = f64::from(queue.places.unwrap_or(20).max(1));
            let fill = waiting.map_or(0.0, |waiting| (waiting / places).clamp(0.0, 1.0));
            let pressure = now.and_then(StepNow::pressure);
            let colour = pressure.map_or_else(|| "none".to_owned(), pressure_scale::colour);
            Shape::Tube { fill, colour }
        }
        StepKind::HuntGroup(_) => members(now),
        StepKind::Callback(_) => Shape::Callback,
        StepKind::Voicemail(_) => Shape::Message,
        StepKind::Outside(_) => Shape::Outside,
    }
}

/// Dots in a row, and rows, at most.
const MOST_DOTS: u32 = 7;
const MOST_ROWS: usize = 3;

fn members(now: Option<&StepNow>) -> Shape {
    let Some(now) = now.filter(|now| !now.ranks.is_empty()) else {
        return Shape::Members { dots: Vec::new(), more: 0 };
    };
    let busy_share = now.pressure().unwrap_or(0.0).min(1.0);
    let rows = now.ranks.len().min(MOST_ROWS);
    let (mut dots, mut more) = (Vec::new(), 0);
    for (row, rank) in now.ranks.iter().enumerate() {
        if row >= MOST_ROWS {
            more += rank.listed;
            continue;
        }
        let shown = rank.listed.min(MOST_DOTS);
        more += rank.listed - shown;
        let on_shift = rank.on_shift.min(shown);
        let busy = (f64::from(on_shift) * busy_share).round() as u32;
        for nth in 0..shown {
            let state = match nth {
                nth if nth < busy => "busy",
                nth if nth < on_shift => "free",
                _ => "away",
            };
            let y = (row as f64 - (rows as f64 - 1.0) / 2.0) * 12.0;
            dots.push(Dot { x: -36.0 + f64::from(nth) * 12.0, y, state });
        }
    }
    Shape::Members { dots, more }
}

/// Radius of a dial.
const RADIUS: f64 = 14.0;

fn dial(gate: &HoursGate, at: DateTime, is_open: Option<bool>) -> Shape {
    let open = gate.hours_on(at.date());
    let share = |time: Time| (f64::from(time.hour()) + f64::from(time.minute()) / 60.0) / 24.0;
    let arcs = open.iter().map(|&(from, until)| {
        let until = if until == Time::midnight() { 1.0 } else { share(until) };
        arc(share(from), until)
    });
    let (x, y) = on_dial(share(at.time()), RADIUS - 5.0);
    Shape::Dial { open: arcs.collect(), hand: (x, y), is_open: is_open.unwrap_or(false) }
}

/// A place on the rim: midnight at the top, noon at the bottom.
fn on_dial(share: f64, radius: f64) -> (f64, f64) {
    let angle = share * std::f64::consts::TAU;
    (radius * angle.sin(), -radius * angle.cos())
}

fn arc(from: f64, until: f64) -> String {
    if until - from >= 0.999 {
        let r = RADIUS;
        return format!("M0,-{r} A{r},{r} 0 1 1 0,{r} A{r},{r} 0 1 1 0,-{r}");
    }
    let ((x, y), (to_x, to_y)) = (on_dial(from, RADIUS), on_dial(until, RADIUS));
    let is_large = u8::from(until - from > 0.5);
    format!("M{x:.2},{y:.2} A{RADIUS},{RADIUS} 0 {is_large} 1 {to_x:.2},{to_y:.2}")
}
