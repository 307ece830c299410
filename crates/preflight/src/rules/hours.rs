//! Opening hours: never open, in another zone, closed while people are on shift.

use barometer_strategy::{HoursGate, Next, StepKind};
use jiff::tz::TimeZone;
use serde_json::Value;

use super::{contacts, found, set};
use crate::finding::Finding;
use crate::ground::Ground;
use crate::rule::Rule;
use crate::traffic::open_intervals;

/// Contacts of the period turned away from which it is worth saying.
const WORTH_SAYING: f64 = 1.0;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let gates =
        ground.strategy.steps.iter().enumerate().filter_map(|(at, step)| match &step.does {
            StepKind::HoursGate(gate) => Some((at, gate)),
            _ => None,
        });
    gates
        .flat_map(|(at, gate)| {
            let found = [
                never_open(ground, at),
                other_zone(ground, at, gate),
                while_staffed(ground, at, gate),
            ];
            found.into_iter().flatten()
        })
        .collect()
}

fn never_open(ground: &Ground<'_>, at: usize) -> Option<Finding> {
    if open_intervals(ground, at).contains(&true) {
        return None;
    }
    let step = &ground.strategy.steps[at];
    let expected = ground.traffic().expected(at);
    let reason = format!(
        "“{}” is closed in the whole period; {} take its closed way.",
        step.name,
        contacts(expected)
    );
    let setting = Some("/does/hours_gate/hours".to_owned());
    Some(found(Rule::NeverOpen, ground.part(at), setting, reason).touching(expected))
}

fn other_zone(ground: &Ground<'_>, at: usize, gate: &HoursGate) -> Option<Finding> {
    let name = gate.zone.as_ref()?;
    let own = TimeZone::get(name).ok()?;
    let offset = |zone: &TimeZone| zone.to_offset(ground.premises.start).seconds();
    let ahead = offset(&own) - offset(&ground.premises.zone);
    let opens = gate.hours.first()?.from;
    if ahead == 0 {
        return None;
    }
    let here = opens.wrapping_sub(jiff::SignedDuration::from_secs(i64::from(ahead)));
    let part = ground.part(at);
    let setting = "/does/hours_gate/zone".to_owned();
    let reason = format!(
        "“{}” opens at {} in {name}, which is {} on the centre’s clock.",
        ground.strategy.steps[at].name,
        opens.strftime("%H:%M"),
        here.strftime("%H:%M")
    );
    let edit = set(&part, &setting, Value::Null);
    let finding = found(Rule::OtherZone, part, Some(setting), reason);
    Some(finding.mended_by("Read the hours on the centre’s clock", edit))
}

fn while_staffed(ground: &Ground<'_>, at: usize, gate: &HoursGate) -> Option<Finding> {
    let Next::Step(opens_to) = &gate.open else { return None };
    let opens_to = ground.step_place(opens_to)?;
    let entries = ground.strategy.entries.len();
    let behind = ground.journey.reach(entries + opens_to, true);
    let closed_to = match &gate.closed {
        Next::Step(id) => ground.step_place(id).map(|to| ground.journey.reach(entries + to, true)),
        _ => None,
    };
    // Those who answer only behind the open way: the closed way may lead to people as well.
    let points: Vec<_> = ground
        .points
        .iter()
        .filter(|point| {
            let is_behind = |reach: &[bool]| reach.get(entries + point.at) == Some(&true);
            is_behind(&behind) && !closed_to.as_deref().is_some_and(is_behind)
        })
        .collect();
    let open = open_intervals(ground, at);
    let mut turned_away = vec![0.0; ground.premises.intervals];
    for each in ground.traffic().at(at) {
        let channel = ground.premises.types[each.of].channel;
        for interval in 0..ground.premises.intervals {
            let is_staffed = points.iter().any(|point| {
                let comes_here =
                    ground.traffic().at(point.at).iter().any(|other| other.of == each.of);
                comes_here && point.staff(channel, interval) > 0
            });
            if !open[interval] && is_staffed {
                turned_away[interval] += each.expected[interval];
            }
        }
    }
    let expected: f64 = turned_away.iter().sum();
    if expected < WORTH_SAYING {
        return None;
    }
    let first = ground.first_stretch(|interval| turned_away[interval] > 0.0)?;
    let reason = format!(
        "{} take the closed way of “{}” while people who would answer them are on shift; first {first}.",
        contacts(expected),
        ground.strategy.steps[at].name
    );
    let setting = Some("/does/hours_gate/hours".to_owned());
    Some(found(Rule::ClosedWhileStaffed, ground.part(at), setting, reason).touching(expected))
}
