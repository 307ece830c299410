//! The ring timeline: who rings from which second to which, beside how many callers are still there.

use askama::Template;
use barometer_strategy::{PartId, StepKind};
use barometer_walk::ring_timeline;
use jiff::tz::TimeZone;

use super::seen::Seen;
use crate::words;

/// The timeline of a queue or hunt group, as SVG.
#[derive(Template)]
#[template(path = "strategy/timeline.html")]
pub(super) struct TimelineView {
    title: String,
    rows: Vec<Row>,
    /// Members that are not drawn.
    more: usize,
    ticks: Vec<(f64, String)>,
    /// Where the contact leaves, and why.
    limit: Option<(f64, String)>,
    /// Moments marked below: waves, relaxations, announcements, a callback offer.
    marks: Vec<(f64, String)>,
    /// The area of callers who are still there, as points of a polygon.
    patience: Option<String>,
    half_left: Option<(f64, String)>,
    width: f64,
    height: f64,
    told: String,
}

struct Row {
    name: String,
    y: f64,
    bars: Vec<(f64, f64)>,
}

/// Drawing units: the names' column, the seconds' width, a row's height.
const NAMES: f64 = 92.0;
const SECONDS: f64 = 240.0;
const ROW: f64 = 17.0;
const TOP: f64 = 18.0;
/// Letters of a name that fit its column.
const MOST_LETTERS: usize = 17;
/// Members that are drawn, at most.
const MOST_ROWS: usize = 9;
/// Seconds that are drawn, at least and at most.
const LEAST_SECS: f64 = 30.0;
const MOST_SECS: f64 = 600.0;

impl TimelineView {
    /// `None` for a part that nobody rings for, or where nobody is on shift and nothing is timed.
    pub fn of(seen: &Seen, part: &PartId, zone: &TimeZone) -> Option<Self> {
        let PartId::Step(id) = part else { return None };
        let strategy = &seen.opened.strategy;
        let step = strategy.step(id)?;
        let at = part.find(strategy)?;
        let (offering, limit) = match &step.does {
            StepKind::Queue(queue) => (&queue.offering, queue.longest_wait_secs),
            StepKind::HuntGroup(group) => (&group.offering, group.group_limit_secs),
            _ => return None,
        };
        let marks = marks_of(&step.does);
        // Without ring windows a queue's people ring until they answer: nothing is timed but its marks.
        let is_group = matches!(step.does, StepKind::HuntGroup(_));
        if !is_group && offering.ring_window_secs.is_none() && marks.is_empty() && limit.is_none() {
            return None;
        }
        let kind = kind_at(seen, at)?;
        let people: Vec<_> = seen
            .premises
            .teams
            .iter()
            .map(|team| barometer_walk::OnShift {
                team: team.team.clone(),
                people: team.people.get(seen.interval).copied().unwrap_or(0),
                busy: 0,
                free_after_secs: 0.0,
                answers_after_secs: None,
            })
            .collect();
        let rung =
            ring_timeline(strategy, id, &kind.name, kind.channel, &people, zone, seen.at).ok()?;
        let mut names: Vec<&str> = Vec::new();
        for ring in &rung.rings {
            if !names.contains(&ring.agent.as_str()) {
                names.push(&ring.agent);
            }
        }
        let shown = names.len().min(MOST_ROWS);
        let first_round =
            rung.rings.iter().filter(|ring| names[..shown].contains(&ring.agent.as_str()));
        let last_ring = first_round
            .take(shown)
            .map(|ring| ring.to_secs.unwrap_or(ring.from_secs + 20.0))
            .fold(0.0, f64::max);
        let last_mark = marks.iter().map(|mark| mark.0).fold(0.0, f64::max);
        let leaves = rung.leaves.as_ref().map_or(0.0, |leaves| leaves.0).max(limit.unwrap_or(0.0));
        let end = (last_ring.max(last_mark).max(leaves) * 1.08).clamp(LEAST_SECS, MOST_SECS);
        let x = |secs: f64| NAMES + (secs / end).clamp(0.0, 1.0) * SECONDS;
        let rows = names.iter().take(shown).enumerate().map(|(nth, name)| Row {
            name: ending(name),
            y: TOP + ROW * nth as f64,
            bars: rung
                .rings
                .iter()
                .filter(|ring| ring.agent == *name && ring.from_secs < end)
                .map(|ring| {
                    let from = x(ring.from_secs);
                    (from, (x(ring.to_secs.unwrap_or(end)) - from).max(1.5))
                })
                .collect(),
        });
        let rows: Vec<Row> = rows.collect();
        let height = TOP + ROW * rows.len().max(2) as f64;
        let still = |secs: f64| kind.still_waiting(secs);
        let patience = still(0.0).map(|_| {
            let points = (0..=48).map(|nth| {
                let secs = end * f64::from(nth) / 48.0;
                let left = still(secs).unwrap_or(0.0);
                format!("{:.1},{:.1}", x(secs), height - left * (height - TOP))
            });
            let points: Vec<String> = points.collect();
            format!("{:.1},{height:.1} {} {:.1},{height:.1}", x(0.0), points.join(" "), x(end))
        });
        let half =
            (1..=600).map(f64::from).find(|&secs| still(secs).is_some_and(|left| left <= 0.5));
        let leaves = rung.leaves.clone().or_else(|| limit.map(|limit| (limit, String::new())));
        Some(Self {
            title: format!("Who rings when, {}", seen.at.strftime("%a %H:%M")),
            told: told(&names, &rung.rings, leaves.as_ref()),
            more: names.len() - shown,
            rows,
            ticks: ticks(end).into_iter().map(|secs| (x(secs), format!("{secs:.0}"))).collect(),
            limit: leaves.filter(|leaves| leaves.0 <= end).map(|(secs, _)| (x(secs), whole(secs))),
            marks: marks
                .into_iter()
                .filter(|mark| mark.0 <= end)
                .map(|(secs, what)| (x(secs), what))
                .collect(),
            half_left: half.filter(|half| *half <= end).map(|half| (x(half), whole(half))),
            patience,
            width: NAMES + SECONDS + 22.0,
            height,
        })
    }
}

/// The contact type that arrives most at a step; the first where nothing is known of it.
fn kind_at(seen: &Seen, step: usize) -> Option<&barometer_preflight::ContactTypePremise> {
    let strategy = &seen.opened.strategy;
    let stop = strategy.entries.len() + step;
    let reached = seen.journey.reach(stop, false);
    let arrives = |each: &&barometer_preflight::ContactTypePremise| {
        let entry = strategy.entry_of(&each.name);
        let at = strategy.entries.iter().position(|other| Some(other) == entry);
        at.is_some_and(|at| reached[at])
    };
    let all = |each: &barometer_preflight::ContactTypePremise| each.contacts.iter().sum::<f64>();
    seen.premises.types.iter().filter(arrives).max_by(|a, b| all(a).total_cmp(&all(b)))
}

fn whole(secs: f64) -> String {
    format!("{secs:.0} s")
}

/// What happens to a contact that waits, by the second.
fn marks_of(does: &StepKind) -> Vec<(f64, String)> {
    let mut marks = Vec::new();
    match does {
        StepKind::Queue(queue) => {
            for (nth, each) in queue.need.relaxations.iter().enumerate() {
                marks.push((each.after_secs, format!("relaxation {}", nth + 1)));
            }
            for (nth, each) in queue.announcements.iter().enumerate() {
                marks.push((each.at_secs, format!("announcement {}", nth + 1)));
            }
            if let Some(offer) = &queue.callback {
                marks.push((offer.after_secs, "callback".to_owned()));
            }
        }
        StepKind::HuntGroup(group) => {
            for (nth, secs) in group.waves_secs.iter().enumerate() {
                marks.push((*secs, format!("wave {}", nth + 1)));
            }
        }
        _ => {}
    }
    marks.sort_by(|a, b| a.0.total_cmp(&b.0));
    marks
}

/// The end of a name that fits its column: what tells members of a team apart stands there.
fn ending(name: &str) -> String {
    let count = name.chars().count();
    if count <= MOST_LETTERS {
        return name.to_owned();
    }
    let kept: String = name.chars().skip(count - MOST_LETTERS + 1).collect();
    format!("…{}", kept.trim_start())
}

/// Whole seconds for an axis: four to seven of them.
fn ticks(end: f64) -> Vec<f64> {
    let steps = [5.0, 10.0, 15.0, 20.0, 30.0, 60.0, 120.0];
    let step = steps.into_iter().find(|step| end / step <= 6.0).unwrap_or(120.0);
    (0..).map(|nth| f64::from(nth) * step).take_while(|secs| *secs <= end).collect()
}

/// The timeline in words, for those who do not see it.
fn told(names: &[&str], rings: &[barometer_walk::Rung], leaves: Option<&(f64, String)>) -> String {
    let each = names.iter().map(|name| {
        let mine = rings.iter().filter(|ring| ring.agent == *name).take(2).map(|ring| {
            match ring.to_secs {
                Some(to) => format!("{} to {}", words::secs(ring.from_secs), words::secs(to)),
                None => format!("from {}", words::secs(ring.from_secs)),
            }
        });
        format!("{name} rings {}", mine.collect::<Vec<_>>().join(" and "))
    });
    let each: Vec<String> = each.take(MOST_ROWS).collect();
    let leaves = leaves.map_or_else(String::new, |(secs, _)| {
        format!("; the contact leaves after {}", words::secs(*secs))
    });
    if each.is_empty() {
        format!("Nobody rings{leaves}.")
    } else {
        format!("{}{leaves}.", each.join("; "))
    }
}
