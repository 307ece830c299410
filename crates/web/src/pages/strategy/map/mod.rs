//! The journey map: a strategy as a river, from its entries to the ends, with an instrument at each step.

mod layout;
mod load;
mod ribbons;
mod shape;
mod stops;
mod ways;

use askama::Template;
use barometer_preflight::{Finding, Premises, Severity, StepNow, steps_now};
use barometer_strategy::{PartId, Step, StepKind, Stop, Strategy};
use jiff::civil::{DateTime, date};
use jiff::tz::TimeZone;

use super::differences::Differences;
use super::seen::Seen;
use crate::words;
use layout::{Column, Placed, lay_out};
pub(super) use load::Load;
use ribbons::{Ports, Ribbon};
use shape::{Shape, half_size};
use stops::StopView;
pub(super) use ways::{Fold, Ways};

/// What a map is drawn from.
pub(super) struct Drawn<'a> {
    pub strategy: &'a Strategy,
    pub ways: &'a Ways,
    pub findings: &'a [Finding],
    pub now: &'a [StepNow],
    /// The moment, on the centre's clock.
    pub at: DateTime,
    /// Seconds of the interval in which `now`'s contacts come.
    pub interval_secs: f64,
    /// The part whose panel is open.
    pub open: Option<&'a PartId>,
    /// The page's address, to which a part is added.
    pub address: &'a str,
    /// The page's address with everything but what is folded; none where nothing can be.
    pub to_fold: Option<&'a str>,
    /// Steps, and the campaign, that a walked contact passed, by their ids.
    pub passed: &'a [String],
    /// Whether the contacts of one type alone are drawn: what they do not pass stands back.
    pub is_of_one_type: bool,
    /// How parts differ from another version; none where nothing is compared.
    pub differences: Option<&'a Differences>,
}

/// The map as it is printed.
#[derive(Template)]
#[template(path = "strategy/map.svg", escape = "html")]
pub(super) struct MapView {
    width: f64,
    height: f64,
    /// Whether it fits a screen as a whole.
    fits: bool,
    ribbons: Vec<Ribbon>,
    stops: Vec<StopView>,
    /// Whether it stands alone, in a file of its own.
    pub is_file: bool,
    /// Whether a panel beside it shows the step that is chosen; elsewhere a step leads to the strategy page.
    has_panel: bool,
}

/// An address of the page with what is folded.
pub(super) fn with_fold(address: &str, fold: &Fold) -> String {
    match fold {
        Fold::Nothing => address.to_owned(),
        fold => format!("{address}&fold={}", words::in_address(&fold.in_address())),
    }
}

/// Width of the words of a step, at most, and of the room between two layers' words.
const MOST_WORDS: f64 = 112.0;
const BETWEEN: f64 = 6.0;
/// The width that a map has where its layers allow.
const USUAL_WIDTH: f64 = 900.0;
/// From the left edge to the middle of the first layer, and from the last to the right edge.
const LEFT: f64 = 92.0;
const RIGHT: f64 = 118.0;
/// Room above and below.
const MARGIN: f64 = 14.0;
/// Height / width up to which a map is shown as a whole: higher ones are scrolled.
const TALLEST: f64 = 0.95;
/// Height of two lines of words above an instrument.
const WORDS: f64 = 30.0;
/// Height of two lines of words beside an end, above and below its middle.
const WORDS_BESIDE: (f64, f64) = (9.0, 13.0);
/// Width of a ribbon on which everything goes.
const WIDEST: f64 = 40.0;
/// Width of a ribbon of which no share is known, or on which nearly nothing goes.
const THINNEST: f64 = 1.4;

impl MapView {
    pub fn of(drawn: &Drawn<'_>) -> Self {
        let journey = &drawn.ways.journey;
        let shapes: Vec<Shape> = (0..journey.stops.len()).map(|at| drawn.shape(at)).collect();
        let widths: Vec<f64> = (0..journey.links.len()).map(|at| drawn.width(at)).collect();
        let stacks = |at: usize| {
            let sum = |is_in: bool| -> f64 {
                let links = journey.links.iter().zip(&widths);
                let mine =
                    links.filter(|(link, _)| if is_in { link.to == at } else { link.from == at });
                mine.map(|(_, width)| width + 1.0).sum()
            };
            sum(true).max(sum(false)) / 2.0
        };
        let placed: Vec<Placed> = shapes
            .iter()
            .enumerate()
            .map(|(at, shape)| {
                let half = half_size(shape).1.max(stacks(at));
                let column = drawn.column(at);
                if column == Column::Last {
                    // Two lines of words stand beside them, which may be higher than they are.
                    return Placed {
                        above: half.max(WORDS_BESIDE.0) + 4.0,
                        below: half.max(WORDS_BESIDE.1) + 4.0,
                        column,
                    };
                }
                // Words stand above steps, and inside everything else.
                let words = if matches!(journey.stops[at], Stop::Step(_)) { WORDS } else { 8.0 };
                Placed { above: half + words, below: half + 5.0, column }
            })
            .collect();
        let links: Vec<(usize, usize)> =
            journey.links.iter().map(|link| (link.from, link.to)).collect();
        let layout = lay_out(&placed, &links);
        let xs = drawn.columns(&layout, &shapes);
        let x_of = |layer: usize| xs.get(layer).copied().unwrap_or(LEFT);
        let at = |stop: usize| (x_of(layout.layers[stop]), layout.ys[stop] + MARGIN);
        let ports = Ports::of(journey, &widths, &layout);
        let ribbons = (0..journey.links.len()).map(|nth| {
            let link = &journey.links[nth];
            let ((x, y), (to_x, to_y)) = (at(link.from), at(link.to));
            let start = (x + half_size(&shapes[link.from]).0, y + ports.leaving[nth]);
            let end = (to_x - half_size(&shapes[link.to]).0, to_y + ports.arriving[nth]);
            let bends = layout.bends[nth].iter().map(|&(layer, y)| (x_of(layer), y + MARGIN));
            drawn.ribbon(nth, widths[nth], start, bends.collect(), end)
        });
        let ribbons: Vec<Ribbon> = ribbons.collect();
        let stops = shapes.into_iter().enumerate().map(|(stop, shape)| {
            let (x, y) = at(stop);
            drawn.stop_view(stop, (x, y), shape)
        });
        let width = x_of(layout.layer_count.saturating_sub(1)) + RIGHT;
        let height = layout.height + 2.0 * MARGIN;
        Self {
            fits: height < width * TALLEST,
            width,
            height,
            stops: stops.collect(),
            ribbons,
            is_file: false,
            has_panel: false,
        }
    }

    /// The same beside a panel.
    pub fn beside_panel(self) -> Self {
        Self { has_panel: true, ..self }
    }
}

/// The map of a strategy of which nothing else is known, as a file: half past nine on a Monday, without
/// contacts.
///
/// # Errors
///
/// The template cannot be rendered.
pub fn journey_map(strategy: &Strategy) -> Result<String, askama::Error> {
    let premises = Premises::unknown(strategy, TimeZone::UTC);
    let drawn = Drawn {
        strategy,
        ways: &Ways::of(strategy, &strategy.journey(), None, &Fold::Nothing),
        findings: &[],
        now: &steps_now(strategy, &premises, 0),
        at: date(2026, 11, 23).at(9, 30, 0, 0),
        interval_secs: premises.interval_secs,
        open: None,
        address: "",
        to_fold: None,
        passed: &[],
        is_of_one_type: false,
        differences: None,
    };
    MapView { is_file: true, ..MapView::of(&drawn) }.render()
}

impl<'a> Drawn<'a> {
    pub fn of(seen: &'a Seen, open: Option<&'a PartId>, address: &'a str) -> Self {
        Self {
            strategy: &seen.opened.strategy,
            ways: &seen.ways,
            findings: &seen.findings,
            now: &seen.now,
            at: seen.at,
            interval_secs: seen.premises.interval_secs,
            open,
            address,
            to_fold: None,
            passed: &[],
            is_of_one_type: seen.only.is_some(),
            differences: seen.differences.as_ref(),
        }
    }

    fn step(&self, stop: usize) -> Option<(usize, &Step)> {
        match self.ways.journey.stops[stop] {
            Stop::Step(at) => Some((at, &self.strategy.steps[at])),
            _ => None,
        }
    }

    fn contacts_at(&self, stop: usize) -> Option<f64> {
        self.ways.load.as_ref().map(|load| load.stops[stop])
    }

    fn share(&self, contacts: f64) -> f64 {
        let offered = self.ways.load.as_ref().map_or(0.0, |load| load.offered);
        if offered > 0.0 { contacts / offered } else { 0.0 }
    }

    /// The width of a link's ribbon.
    fn width(&self, link: usize) -> f64 {
        let contacts = self.ways.load.as_ref().and_then(|load| load.links[link]);
        contacts.map_or(THINNEST, |contacts| (self.share(contacts) * WIDEST).clamp(0.6, WIDEST))
    }

    fn column(&self, stop: usize) -> Column {
        match self.ways.journey.stops[stop] {
            Stop::Entry(_) | Stop::Campaign(_) => Column::Early,
            Stop::End(_) => Column::Last,
            Stop::Step(at) => match self.strategy.steps[at].does {
                StepKind::Queue(_)
                | StepKind::HuntGroup(_)
                | StepKind::Callback(_)
                | StepKind::Voicemail(_)
                | StepKind::Outside(_) => Column::Late,
                _ => Column::Early,
            },
        }
    }

    fn shape(&self, stop: usize) -> Shape {
        match self.ways.journey.stops[stop] {
            Stop::Entry(_) => Shape::Inlet,
            Stop::Campaign(_) => Shape::Outlet,
            Stop::Step(at) => {
                let waiting = self.waiting(at);
                shape::of_step(&self.strategy.steps[at], self.now.get(at), self.at, waiting)
            }
            Stop::End(end) => {
                let share = self.contacts_at(stop).map(|contacts| self.share(contacts));
                let height = share.map_or(16.0, |share| (share * WIDEST * 1.4).clamp(6.0, 70.0));
                Shape::Bar { height, is_lost: end.is_lost() }
            }
        }
    }

    /// Contacts that wait in a queue on average at the moment, by Little's law: what arrives there now,
    /// for as long as the trial's contacts waited.
    fn waiting(&self, step: usize) -> Option<f64> {
        let secs = self.ways.load.as_ref()?.wait_secs[step]?;
        let now = self.now.get(step)?;
        Some(now.contacts / self.interval_secs * secs)
    }

    fn name_of(&self, stop: usize) -> &str {
        match self.ways.journey.stops[stop] {
            Stop::Entry(at) => &self.strategy.entries[at].name,
            Stop::Campaign(at) => &self.strategy.campaigns[at].name,
            Stop::Step(at) => &self.strategy.steps[at].name,
            Stop::End(end) => end.words(),
        }
    }

    /// The middle of each layer: as far apart as the words of two neighbours need, and further where
    /// there is room.
    fn columns(&self, layout: &layout::Layout, shapes: &[Shape]) -> Vec<f64> {
        let mut halves = vec![0.0f64; layout.layer_count];
        for (stop, shape) in shapes.iter().enumerate() {
            let half = self.half_words(stop).max(half_size(shape).0);
            let layer = layout.layers[stop];
            halves[layer] = halves[layer].max(half);
        }
        let mut xs = vec![LEFT];
        for pair in halves.windows(2) {
            let last = xs.last().copied().unwrap_or(LEFT);
            xs.push(last + pair[0] + pair[1] + BETWEEN);
        }
        let last = xs.last().copied().unwrap_or(LEFT);
        let spare = (USUAL_WIDTH - RIGHT - last).max(0.0);
        let gaps = (xs.len() - 1).max(1) as f64;
        xs.iter_mut().enumerate().for_each(|(nth, x)| *x += spare * nth as f64 / gaps);
        xs
    }
}

/// The class of a severity.
pub(super) const fn class_of(severity: Severity) -> &'static str {
    match severity {
        Severity::Serious => "serious",
        Severity::Warning => "warning",
        Severity::Note => "note",
    }
}
