//! Telephone numbers: had twice, hidden behind others, outside what is set aside; and what is recorded.

use barometer_strategy::{NumberPlace, NumberPurpose, PartId, StepKind};
use serde_json::{Value, json};

use super::{found, set};
use crate::finding::Finding;
use crate::ground::Ground;
use crate::rule::Rule;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let places = ground.strategy.number_places();
    let numbered: Vec<(NumberPlace, String)> = places
        .into_iter()
        .filter_map(|place| {
            let dialled = place.dialled()?;
            Some((place, dialled))
        })
        .collect();
    let mut all = had_twice(ground, &numbered);
    all.extend(hidden(ground, &numbered));
    all.extend(outside(ground, &numbered));
    all.extend(overlapping(ground));
    all.extend(blocking(ground));
    all.extend(untold(ground));
    all
}

fn called(place: &NumberPlace) -> String {
    format!("{} “{}”", place.kind, place.name)
}

/// A finding at a number, with the next free one as a repair.
fn at_number(ground: &Ground<'_>, rule: Rule, place: &NumberPlace, reason: String) -> Finding {
    let setting = Some(place.setting.clone());
    let finding = found(rule, place.part.clone(), setting, reason);
    match ground.strategy.next_free_number(place.purpose) {
        Some(free) => {
            let edit = set(&place.part, &place.setting, json!(free));
            finding.mended_by(format!("Give it {free}"), edit)
        }
        None => finding,
    }
}

/// Campaigns may show the number of an entry, or one number together.
fn is_reached(place: &NumberPlace) -> bool {
    place.purpose != NumberPurpose::Campaigns
}

fn had_twice(ground: &Ground<'_>, numbered: &[(NumberPlace, String)]) -> Vec<Finding> {
    let mut all = Vec::new();
    for (at, (place, number)) in
        numbered.iter().enumerate().filter(|(_, (each, _))| is_reached(each))
    {
        let mut earlier = numbered[..at].iter().filter(|(other, _)| is_reached(other));
        if let Some((first, _)) = earlier.find(|(_, other)| other == number) {
            let (told, first) = (called(place), called(first));
            let reason = format!("{number} is the number of {first} and of {told}.");
            all.push(at_number(ground, Rule::NumberTwice, place, reason));
        }
    }
    all
}

/// Numbers that are dialled from within and begin with all of another one.
fn hidden(ground: &Ground<'_>, numbered: &[(NumberPlace, String)]) -> Vec<Finding> {
    let within = || {
        let purposes = [NumberPurpose::Lines, NumberPurpose::People];
        numbered.iter().filter(move |(place, _)| purposes.contains(&place.purpose))
    };
    let mut all = Vec::new();
    for (place, number) in within() {
        let shorter = within()
            .find(|(_, other)| number.len() > other.len() && number.starts_with(other.as_str()));
        if let Some((first, other)) = shorter {
            let reason = format!(
                "A call to {number} reaches {}, whose number is {other}, and never {}.",
                called(first),
                called(place)
            );
            all.push(at_number(ground, Rule::NumberHidden, place, reason));
        }
    }
    all
}

fn outside(ground: &Ground<'_>, numbered: &[(NumberPlace, String)]) -> Vec<Finding> {
    let ranges = &ground.strategy.number_ranges;
    let mut all = Vec::new();
    for (place, number) in numbered {
        let mut own = ranges.iter().filter(|range| range.purpose == place.purpose).peekable();
        if own.peek().is_some() && !own.any(|range| range.contains(number)) {
            let reason = format!(
                "{number} of {} is in no range that is set aside for {}.",
                called(place),
                place.purpose.words()
            );
            all.push(at_number(ground, Rule::NumberOutsideRanges, place, reason));
        }
    }
    all
}

fn overlapping(ground: &Ground<'_>) -> Vec<Finding> {
    let ranges = &ground.strategy.number_ranges;
    let mut all = Vec::new();
    for (at, range) in ranges.iter().enumerate() {
        let mut earlier = ranges[..at].iter();
        let other = earlier.find(|other| other.purpose != range.purpose && other.overlaps(range));
        if let Some(other) = other {
            let reason = format!(
                "“{}” ({} – {}) and “{}” ({} – {}) have numbers in common.",
                other.name, other.from, other.until, range.name, range.from, range.until
            );
            let (part, setting) = (PartId::Range(range.id.clone()), Some("/from".to_owned()));
            let finding = found(Rule::RangesOverlap, part.clone(), setting, reason);
            all.push(match range.first_behind(other) {
                Some(first) => {
                    let edit = set(&part, "/from", json!(first));
                    finding.mended_by(format!("Let “{}” begin at {first}", range.name), edit)
                }
                None => finding,
            });
        }
    }
    all
}

fn blocking(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    for (at, entry) in ground.strategy.entries.iter().enumerate() {
        let fits_all =
            |pattern: &&String| pattern.trim_matches('*').trim_start_matches('+').is_empty();
        if let Some(pattern) = entry.blocked.iter().find(fits_all) {
            let reason = format!("“{}” blocks {pattern}, which is everybody.", entry.name);
            let part = PartId::Entry(at);
            let kept: Vec<&String> = entry.blocked.iter().filter(|each| *each != pattern).collect();
            let edit = set(&part, "/blocked", json!(kept));
            let finding = found(Rule::BlocksEverybody, part, Some("/blocked".to_owned()), reason);
            all.push(finding.mended_by(format!("Do not block {pattern}"), edit));
        }
    }
    all
}

fn untold(ground: &Ground<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    for (at, step) in ground.strategy.steps.iter().enumerate() {
        let (recording, kind) = match &step.does {
            StepKind::Queue(queue) => (queue.recording, "queue"),
            StepKind::HuntGroup(group) => (group.recording, "hunt_group"),
            _ => continue,
        };
        let is_untold =
            |each: &barometer_strategy::Recording| each.share > 0.0 && !each.is_announced;
        let Some(recording) = recording.filter(is_untold) else { continue };
        let part = ground.part(at);
        let share = super::percent(recording.share);
        let reason =
            format!("“{}” records {share} of its conversations and tells nobody.", step.name);
        let setting = format!("/does/{kind}/recording");
        let told = set(&part, &format!("{setting}/is_announced"), Value::Bool(true));
        let none = set(&part, &setting, Value::Null);
        all.push(
            found(Rule::RecordedUntold, part, Some(setting), reason)
                .mended_by("Callers are told", told)
                .mended_by("Record nothing", none),
        );
    }
    all
}
