//! Stops as they are drawn: the words and figures beside each instrument, and what can be pressed.

use barometer_preflight::StepNow;
use barometer_strategy::{PartChange, PartId, Promise, StepKind, Stop, WayEnd};

use super::shape::{Shape, half_size};
use super::ways::part_of;
use super::{Drawn, MOST_WORDS, class_of, with_fold};
use crate::words;

/// Width of a letter of a name and of a detail, about.
const LETTER: f64 = 5.6;
const SMALL_LETTER: f64 = 4.7;

/// A stop with its instrument.
pub(super) struct StopView {
    pub at: usize,
    pub x: f64,
    pub y: f64,
    pub shape: Shape,
    pub half_width: f64,
    pub half_height: f64,
    /// Half of the width of the words above it; 0 where none stand there.
    pub half_words: f64,
    pub name: String,
    pub full_name: String,
    pub detail: String,
    /// Everything in a sentence, for those who hear the map.
    pub told: String,
    pub address: Option<String>,
    pub is_open: bool,
    /// Whether a walked contact passed it.
    pub is_passed: bool,
    /// The part, as addresses say it; empty for an end.
    pub part: String,
    /// The step's id.
    pub id: String,
    /// Whether none of those come here whose ways are drawn.
    pub is_elsewhere: bool,
    /// Findings, and the class of the worst.
    pub found: Option<(usize, &'static str)>,
    /// How it differs from another version: a class, and the sign that is drawn.
    pub mark: Option<(&'static str, &'static str)>,
    /// What a way that is led here leads to, as forms say it; empty where none can.
    pub target: String,
    /// Whether steps are folded behind it.
    pub is_folded: bool,
    /// What folds its ways, or unfolds them; none where it has no step of its own.
    pub fold: Option<FoldLink>,
}

/// What folds the ways of an entry or a campaign, or unfolds them.
pub(super) struct FoldLink {
    pub address: String,
    pub told: String,
}

impl StopView {
    /// The frame around it and its words: x, y, width, height.
    pub(super) fn halo(&self) -> (f64, f64, f64, f64) {
        let words = if self.is_step() { 30.0 } else { 7.0 };
        let half = self.half_width.max(self.half_words) + 5.0;
        let top = self.half_height + words;
        (-half, -top, 2.0 * half, top + self.half_height + 7.0)
    }

    /// Whether it is a step, whose words stand above it.
    pub(super) fn is_step(&self) -> bool {
        !matches!(self.shape, Shape::Inlet | Shape::Outlet | Shape::Bar { .. })
    }
}

impl Drawn<'_> {
    /// Half of the width of the words above a stop.
    pub(super) fn half_words(&self, stop: usize) -> f64 {
        let Stop::Step(_) = self.ways.journey.stops[stop] else { return 0.0 };
        let name = self.name_of(stop).chars().count() as f64 * LETTER;
        let detail = self.detail(stop).chars().count() as f64 * SMALL_LETTER;
        name.max(detail).min(MOST_WORDS) / 2.0
    }

    pub(super) fn stop_view(&self, stop: usize, (x, y): (f64, f64), shape: Shape) -> StopView {
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
            is_passed: match self.ways.journey.stops[stop] {
                Stop::Step(at) => self.passed.contains(&self.strategy.steps[at].id),
                Stop::Campaign(at) => self.passed.contains(&self.strategy.campaigns[at].id),
                Stop::Entry(_) | Stop::End(_) => false,
            },
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

/// A text that fits a width, cut where it is longer.
fn fitted(text: &str, room: f64, letter: f64) -> String {
    let most = (room / letter) as usize;
    if text.chars().count() <= most {
        return text.to_owned();
    }
    let kept: String = text.chars().take(most.saturating_sub(1)).collect();
    format!("{}…", kept.trim_end())
}
