//! Telephone numbers: had twice, hidden behind others, outside what is set aside; and what is recorded.

use std::cell::OnceCell;
use std::collections::HashMap;

use barometer_strategy::{NumberPlace, NumberPurpose, PartId};
use serde_json::{Value, json};

use super::{found, set};
use crate::finding::Finding;
use crate::ground::Ground;
use crate::rule::Rule;

pub(super) fn find(ground: &Ground<'_>) -> Vec<Finding> {
    let numbers = Numbers::of(ground);
    let mut all = numbers.had_twice();
    all.extend(numbers.hidden());
    all.extend(numbers.outside());
    all.extend(overlapping(ground));
    all.extend(blocking(ground));
    all.extend(untold(ground));
    all
}

fn called(place: &NumberPlace) -> String {
    format!("{} “{}”", place.kind, place.name)
}

/// Everything that has a number.
struct Numbers<'g> {
    ground: &'g Ground<'g>,
    /// In the order of the parts, each with the digits that are dialled.
    places: Vec<(NumberPlace, String)>,
    /// The next free number by purpose, where one has been looked for.
    free: [OnceCell<Option<String>>; NumberPurpose::ALL.len()],
}

impl<'g> Numbers<'g> {
    fn of(ground: &'g Ground<'g>) -> Self {
        let places = ground.strategy.number_places().into_iter();
        let places = places.filter_map(|place| {
            let dialled = place.dialled()?;
            Some((place, dialled))
        });
        Self { ground, places: places.collect(), free: Default::default() }
    }

    /// A finding at a number, with the next free one as a repair.
    fn found(&self, rule: Rule, place: &NumberPlace, reason: String) -> Finding {
        let finding = found(rule, place.part.clone(), Some(place.setting.clone()), reason);
        let purpose = place.purpose;
        let free = self.free[purpose as usize]
            .get_or_init(|| self.ground.strategy.next_free_number(purpose));
        match free {
            Some(free) => finding.mended_by(format!("Give it {free}"), place.set_to(free)),
            None => finding,
        }
    }

    fn had_twice(&self) -> Vec<Finding> {
        let (mut all, mut first_of) = (Vec::new(), HashMap::new());
        // Campaigns may show the number of an entry, or one number together.
        let is_reached = |place: &NumberPlace| place.purpose != NumberPurpose::Campaigns;
        for (place, number) in self.places.iter().filter(|(place, _)| is_reached(place)) {
            let is_dialled = place.purpose.is_dialled();
            let first = *first_of.entry((is_dialled, number)).or_insert(place);
            if !std::ptr::eq(first, place) {
                let reason = if is_dialled {
                    let (told, first) = (called(place), called(first));
                    format!("{number} is the number of {first} and of {told}.")
                } else {
                    let (first, other) = (&first.name, &place.name);
                    format!(
                        "The telephones of “{first}” and of “{other}” are at one port, {number}."
                    )
                };
                all.push(self.found(Rule::NumberTwice, place, reason));
            }
        }
        all
    }

    /// Numbers that are dialled from within and begin with all of another one.
    fn hidden(&self) -> Vec<Finding> {
        let within = [NumberPurpose::Lines, NumberPurpose::People];
        let within =
            || self.places.iter().filter(move |(place, _)| within.contains(&place.purpose));
        let by_number: HashMap<&str, &NumberPlace> =
            within().map(|(place, number)| (number.as_str(), place)).collect();
        let mut all = Vec::new();
        for (place, number) in within() {
            let shorter = (1..number.len()).map(|digits| &number[..digits]);
            let hiding = shorter.into_iter().find_map(|other| Some((other, by_number.get(other)?)));
            if let Some((other, first)) = hiding {
                let reason = format!(
                    "A call to {number} reaches {}, whose number is {other}, and never {}.",
                    called(first),
                    called(place)
                );
                all.push(self.found(Rule::NumberHidden, place, reason));
            }
        }
        all
    }

    fn outside(&self) -> Vec<Finding> {
        let ranges = &self.ground.strategy.number_ranges;
        let mut all = Vec::new();
        for (place, number) in &self.places {
            let mut own = ranges.iter().filter(|range| range.purpose == place.purpose).peekable();
            if own.peek().is_some() && !own.any(|range| range.contains(number)) {
                let reason = format!(
                    "{number} of {} is in no range that is set aside for {}.",
                    called(place),
                    place.purpose.words()
                );
                all.push(self.found(Rule::NumberOutsideRanges, place, reason));
            }
        }
        all
    }
}

fn overlapping(ground: &Ground<'_>) -> Vec<Finding> {
    let ranges = &ground.strategy.number_ranges;
    let mut all = Vec::new();
    for (at, range) in ranges.iter().enumerate() {
        let mut earlier = ranges[..at].iter();
        let other = earlier.find(|other| {
            let are_alike = other.purpose.is_dialled() == range.purpose.is_dialled();
            are_alike && other.purpose != range.purpose && other.overlaps(range)
        });
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
        let Some(recording) = step.does.recording() else { continue };
        if recording.share == 0.0 || recording.is_announced {
            continue;
        }
        let part = ground.part(at);
        let share = super::percent(recording.share);
        let reason =
            format!("“{}” records {share} of its conversations and tells nobody.", step.name);
        let setting = format!("/does/{}/recording", step.does.name().key());
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
