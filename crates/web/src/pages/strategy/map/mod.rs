//! The journey map: a strategy as a river, from its entries to the ends, with an instrument at each step.

mod layout;
mod load;
mod shape;
mod ways;

use askama::Template;
use barometer_preflight::{Finding, Premises, Severity, StepNow, steps_now};
use barometer_strategy::{
    Journey, PartChange, PartId, Promise, Step, StepKind, Stop, Strategy, WayEnd,
};
use jiff::civil::{DateTime, date};
use jiff::tz::TimeZone;

use super::differences::Differences;
use super::seen::Seen;
use crate::words;
use layout::{Column, Placed, lay_out};
pub(super) use load::Load;
use shape::{Shape, half_size};
use ways::part_of;
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
    /// Steps that a walked contact passed, by their ids.
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

/// A link, as a ribbon.
struct Ribbon {
    path: String,
    width: f64,
    kind: &'static str,
    title: String,
    from: usize,
    to: usize,
    /// Whether none of those go here whose ways are drawn.
    is_elsewhere: bool,
    /// The share that went here, and where it is written.
    label: Option<(f64, f64, String)>,
}

/// A stop with its instrument.
struct StopView {
    at: usize,
    x: f64,
    y: f64,
    shape: Shape,
    half_width: f64,
    half_height: f64,
    /// Half of the width of the words above it; 0 where none stand there.
    half_words: f64,
    name: String,
    full_name: String,
    detail: String,
    /// Everything in a sentence, for those who hear the map.
    told: String,
    address: Option<String>,
    is_open: bool,
    /// Whether a walked contact passed it.
    is_passed: bool,
    /// The part, as addresses say it; empty for an end.
    part: String,
    /// The step's id.
    id: String,
    /// Whether none of those come here whose ways are drawn.
    is_elsewhere: bool,
    /// Findings, and the class of the worst.
    found: Option<(usize, &'static str)>,
    /// How it differs from another version: a class, and the sign that is drawn.
    mark: Option<(&'static str, &'static str)>,
    /// What a way that is led here leads to, as forms say it; empty where none can.
    target: String,
    /// Whether steps are folded behind it.
    is_folded: bool,
    /// What folds its ways, or unfolds them; none where it has no step of its own.
    fold: Option<FoldLink>,
}

/// What folds the ways of an entry or a campaign, or unfolds them.
struct FoldLink {
    address: String,
    told: String,
}

/// An address of the page with what is folded.
pub(super) fn with_fold(address: &str, fold: &Fold) -> String {
    match fold {
        Fold::Nothing => address.to_owned(),
        fold => format!("{address}&fold={}", words::in_address(&fold.in_address())),
    }
}

impl StopView {
    /// The frame around it and its words: x, y, width, height.
    fn halo(&self) -> (f64, f64, f64, f64) {
        let words = if self.is_step() { 30.0 } else { 7.0 };
        let half = self.half_width.max(self.half_words) + 5.0;
        let top = self.half_height + words;
        (-half, -top, 2.0 * half, top + self.half_height + 7.0)
    }

    /// Whether it is a step, whose words stand above it.
    fn is_step(&self) -> bool {
        !matches!(self.shape, Shape::Inlet | Shape::Outlet | Shape::Bar { .. })
    }
}

/// Width of a letter of a name and of a detail, about.
const LETTER: f64 = 5.6;
const SMALL_LETTER: f64 = 4.7;
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

/// Where ribbons touch their stops, above or below the middle.
struct Ports {
    leaving: Vec<f64>,
    arriving: Vec<f64>,
}

impl Ports {
    fn of(journey: &Journey, widths: &[f64], layout: &layout::Layout) -> Self {
        let next_y = |nth: usize| match layout.bends[nth].first() {
            Some(bend) => bend.1,
            None => layout.ys[journey.links[nth].to],
        };
        let last_y = |nth: usize| match layout.bends[nth].last() {
            Some(bend) => bend.1,
            None => layout.ys[journey.links[nth].from],
        };
        let count = journey.links.len();
        let mut ports = Self { leaving: vec![0.0; count], arriving: vec![0.0; count] };
        for stop in 0..journey.stops.len() {
            let leaving = (0..count).filter(|&nth| journey.links[nth].from == stop);
            stack(leaving.collect(), widths, next_y, &mut ports.leaving);
            let arriving = (0..count).filter(|&nth| journey.links[nth].to == stop);
            stack(arriving.collect(), widths, last_y, &mut ports.arriving);
        }
        ports
    }
}

/// Stacks ribbons around a stop's middle in the order of where they go.
fn stack(mut links: Vec<usize>, widths: &[f64], towards: impl Fn(usize) -> f64, ports: &mut [f64]) {
    links.sort_by(|&a, &b| towards(a).total_cmp(&towards(b)));
    let all: f64 = links.iter().map(|&nth| widths[nth]).sum();
    let mut top = -all / 2.0;
    for nth in links {
        ports[nth] = top + widths[nth] / 2.0;
        top += widths[nth];
    }
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

    fn ribbon(
        &self,
        nth: usize,
        width: f64,
        start: (f64, f64),
        bends: Vec<(f64, f64)>,
        end: (f64, f64),
    ) -> Ribbon {
        let link = &self.ways.journey.links[nth];
        let (from, to) = (self.name_of(link.from), self.name_of(link.to));
        let contacts = self.ways.load.as_ref().and_then(|load| load.links[nth]);
        let counted = contacts.map(|contacts| {
            format!(
                "{} a day, {}",
                words::thousands(contacts),
                words::percent(self.share(contacts))
            )
        });
        let why = if link.cause.is_empty() { String::new() } else { format!(", {}", link.cause) };
        let title = match &counted {
            Some(counted) => format!("{from}{why} → {to}: {counted}"),
            None => format!("{from}{why} → {to}"),
        };
        let kind = match self.ways.journey.stops[link.to] {
            Stop::End(end) if end.is_lost() => "lost",
            Stop::End(WayEnd::Answered | WayEnd::Contained) => "served",
            _ if link.cause == "closed" => "closed",
            _ if link.exit.as_ref().is_some_and(|exit| exit.contains("/exits/")) => "exit",
            _ => "flow",
        };
        let is_back = end.0 <= start.0;
        // A share stands on ribbons that are wide enough to be looked for.
        let label =
            contacts.filter(|contacts| self.share(*contacts) >= 0.02 && !is_back).map(|contacts| {
                let (x, y) = bends.first().copied().unwrap_or(end);
                let (x, y) = (start.0 + (x - start.0) * 0.5, start.1 + (y - start.1) * 0.5);
                (x, y + 3.5, words::percent(self.share(contacts)))
            });
        let path = if is_back { led_back(start, end) } else { led(start, &bends, end) };
        Ribbon {
            path,
            width,
            kind: if is_back { "back" } else { kind },
            title,
            from: link.from,
            to: link.to,
            is_elsewhere: self.is_of_one_type && contacts.is_none_or(|contacts| contacts <= 0.0),
            label,
        }
    }

    fn name_of(&self, stop: usize) -> &str {
        match self.ways.journey.stops[stop] {
            Stop::Entry(at) => &self.strategy.entries[at].name,
            Stop::Campaign(at) => &self.strategy.campaigns[at].name,
            Stop::Step(at) => &self.strategy.steps[at].name,
            Stop::End(end) => end.words(),
        }
    }

    /// Half of the width of the words above a stop.
    fn half_words(&self, stop: usize) -> f64 {
        let Stop::Step(_) = self.ways.journey.stops[stop] else { return 0.0 };
        let name = self.name_of(stop).chars().count() as f64 * LETTER;
        let detail = self.detail(stop).chars().count() as f64 * SMALL_LETTER;
        name.max(detail).min(MOST_WORDS) / 2.0
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

    fn stop_view(&self, stop: usize, (x, y): (f64, f64), shape: Shape) -> StopView {
        let full_name = self.name_of(stop).to_owned();
        let room = match self.ways.journey.stops[stop] {
            Stop::Entry(_) | Stop::Campaign(_) | Stop::End(_) => 126.0,
            Stop::Step(_) => MOST_WORDS,
        };
        let part = part_of(self.strategy, self.ways.journey.stops[stop]);
        let behind = &self.ways.behind[stop];
        let detail = self.detail(stop);
        let is_here = |found: &PartId| Some(found) == part.as_ref() || behind.contains(found);
        let findings = self.findings.iter().filter(|finding| is_here(&finding.part));
        let (count, worst) = findings.fold((0, None), |(count, worst), finding| {
            (count + 1, worst.max(Some(finding.rule.severity())))
        });
        let kind = match self.step(stop) {
            Some((_, step)) => step.does.words(),
            None if matches!(part, Some(PartId::Campaign(_))) => "campaign",
            None if part.is_some() => "entry",
            None => "end",
        };
        let found = worst.map(|worst| (count, class_of(worst)));
        let faults = match count {
            0 => String::new(),
            1 => "; 1 finding".to_owned(),
            count => format!("; {count} findings"),
        };
        let change = |part: &PartId| self.differences?.parts.get(part);
        let of_folded = || behind.iter().find_map(change).map(|_| &PartChange::Changed);
        let mark = part.as_ref().and_then(change).or_else(of_folded);
        let mark = mark.map(|change| match change {
            PartChange::Added => ("added", "+"),
            PartChange::Changed => ("changed", "~"),
        });
        let marked = mark.map_or_else(String::new, |(word, _)| format!("; {word}"));
        let told_detail = if detail.is_empty() { String::new() } else { format!(", {detail}") };
        let (half_width, half_height) = half_size(&shape);
        StopView {
            at: stop,
            x,
            y,
            half_width,
            half_height,
            half_words: self.half_words(stop),
            shape,
            name: fitted(&full_name, room, LETTER),
            told: format!("{kind} {full_name}{told_detail}{faults}{marked}"),
            mark,
            is_elsewhere: self.is_of_one_type
                && self.contacts_at(stop).is_some_and(|contacts| contacts <= 0.0),
            target: match self.ways.journey.stops[stop] {
                Stop::Step(at) => format!("step.{}", self.strategy.steps[at].id),
                Stop::End(WayEnd::Released) => "release".to_owned(),
                Stop::End(WayEnd::BusyTone) => "busy_tone".to_owned(),
                Stop::Entry(_) | Stop::Campaign(_) | Stop::End(_) => String::new(),
            },
            detail: fitted(&detail, room, SMALL_LETTER),
            address: part.as_ref().map(|part| format!("{}&part={part}", self.address)),
            is_passed: self.step(stop).is_some_and(|(_, step)| self.passed.contains(&step.id)),
            part: part.as_ref().map_or_else(String::new, ToString::to_string),
            id: self.step(stop).map_or_else(String::new, |(_, step)| step.id.clone()),
            is_open: self.open.is_some_and(is_here),
            is_folded: self.ways.is_folded(stop),
            fold: self.fold_link(stop),
            found,
            full_name,
        }
    }

    /// What folds the ways of an entry or a campaign, or unfolds them.
    fn fold_link(&self, stop: usize) -> Option<FoldLink> {
        let own = self.ways.own[stop];
        let address = self.to_fold.filter(|_| own > 0)?;
        let act = if self.ways.is_folded(stop) { "Unfold" } else { "Fold" };
        let steps = words::counted(own, "step", "steps");
        Some(FoldLink {
            address: with_fold(address, &self.ways.turned(self.strategy, stop)),
            told: format!("{act} the way of {}: {steps}", self.name_of(stop)),
        })
    }

    /// The few telling figures of a stop.
    fn detail(&self, stop: usize) -> String {
        let counted = self.contacts_at(stop).map(words::thousands);
        match self.ways.journey.stops[stop] {
            Stop::Entry(_) | Stop::Campaign(_) if self.ways.is_folded(stop) => {
                let folded = self.ways.behind[stop].len();
                match counted.filter(|_| matches!(self.ways.journey.stops[stop], Stop::Entry(_))) {
                    Some(counted) => format!("{counted} a day · {folded} folded"),
                    None => format!("{} folded", words::counted(folded, "step", "steps")),
                }
            }
            Stop::Entry(at) => match counted {
                Some(counted) => format!("{counted} a day"),
                None => match self.strategy.entries[at].contact_types.as_slice() {
                    [] => "every contact type".to_owned(),
                    names => names.join(", "),
                },
            },
            Stop::Campaign(at) => {
                let campaign = &self.strategy.campaigns[at];
                match campaign.paused_because {
                    Some(_) => "paused".to_owned(),
                    None => campaign.pacing.words().to_owned(),
                }
            }
            Stop::End(_) => counted.map_or_else(String::new, |counted| {
                let share = self.contacts_at(stop).map_or(0.0, |contacts| self.share(contacts));
                format!("{counted} · {}", words::percent(share))
            }),
            Stop::Step(at) => self.step_detail(at),
        }
    }

    fn step_detail(&self, at: usize) -> String {
        let now = self.now.get(at);
        let wait = self.ways.load.as_ref().and_then(|load| load.wait_secs[at]);
        let waits = wait.map_or_else(String::new, |secs| format!(" · waits {secs:.0} s"));
        match &self.strategy.steps[at].does {
            StepKind::HoursGate(gate) => {
                let state = match now.and_then(|now| now.is_open) {
                    Some(true) => "open now",
                    _ => "closed now",
                };
                let hours = gate.hours_on(self.at.date()).into_iter().map(|(from, until)| {
                    format!("{}–{}", words::clock_time(from), words::clock_time(until))
                });
                let hours = hours.collect::<Vec<_>>().join(", ");
                if hours.is_empty() { state.to_owned() } else { format!("{state} · {hours}") }
            }
            StepKind::Menu(menu) => words::counted(menu.choices.len(), "choice", "choices"),
            StepKind::Labelling(labelling) => {
                words::counted(labelling.rules.len(), "label", "labels")
            }
            StepKind::Routing(routing) => words::counted(routing.routes.len() + 1, "way", "ways"),
            StepKind::Announcement(told) => format!("{:.0} s", told.time.mean_secs()),
            StepKind::Assistant(assistant) => {
                format!("contains {}", words::whole_percent(assistant.contained_share))
            }
            StepKind::Queue(queue) => {
                let places = queue.places.map(|places| format!("{places} places"));
                let limit = queue.longest_wait_secs.map(|secs| format!("up to {secs} s"));
                let limits: Vec<String> = [places, limit].into_iter().flatten().collect();
                let limits =
                    if limits.is_empty() { "no limit".to_owned() } else { limits.join(" · ") };
                // What happens says more than what may.
                if waits.is_empty() { limits } else { format!("{limits}{waits}") }
            }
            StepKind::HuntGroup(_) => {
                let on_shift = now.map_or(0, StepNow::on_shift);
                format!("{}{waits}", words::counted(on_shift as usize, "on shift", "on shift"))
            }
            StepKind::Callback(callback) => match callback.promise {
                Promise::PlaceKept => "place kept".to_owned(),
                Promise::AfterSecs(secs) => format!("after {:.0} min", secs / 60.0),
            },
            StepKind::Voicemail(voicemail) if voicemail.work.is_some() => "becomes work".to_owned(),
            StepKind::Voicemail(_) => "nobody hears it".to_owned(),
            StepKind::Outside(outside) => outside.number.clone(),
        }
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

/// A text that fits a width, cut where it is longer.
fn fitted(text: &str, room: f64, letter: f64) -> String {
    let most = (room / letter) as usize;
    if text.chars().count() <= most {
        return text.to_owned();
    }
    let kept: String = text.chars().take(most.saturating_sub(1)).collect();
    format!("{}…", kept.trim_end())
}

/// A smooth way through points, level at each.
fn led(start: (f64, f64), bends: &[(f64, f64)], end: (f64, f64)) -> String {
    let mut path = format!("M{:.1},{:.1}", start.0, start.1);
    let mut from = start;
    for &to in bends.iter().chain([&end]) {
        let middle = (from.0 + to.0) / 2.0;
        let (y, to_y, to_x) = (from.1, to.1, to.0);
        path += &format!(" C{middle:.1},{y:.1} {middle:.1},{to_y:.1} {to_x:.1},{to_y:.1}");
        from = to;
    }
    path
}

/// A way back, below the stops.
fn led_back(start: (f64, f64), end: (f64, f64)) -> String {
    let foot = start.1.max(end.1) + 34.0;
    let (x, y, to_x, to_y) = (start.0, start.1, end.0, end.1);
    format!(
        "M{x:.1},{y:.1} C{:.1},{y:.1} {:.1},{foot:.1} {x:.1},{foot:.1} L{to_x:.1},{foot:.1} C{:.1},{foot:.1} {:.1},{to_y:.1} {to_x:.1},{to_y:.1}",
        x + 24.0,
        x + 24.0,
        to_x - 24.0,
        to_x - 24.0
    )
}
