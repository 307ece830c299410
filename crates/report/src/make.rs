//! From a definition and its facts to a report.

use std::collections::BTreeSet;

use crate::facts::Facts;
use crate::report::{Part, Report};
use crate::sections::{Missed, against_in_words, campaigns_over, missed_targets, part, unjudged};
use crate::told::Told;
use crate::{Against, Definition, Section, words};

/// Makes a report of facts that were read for its definition.
pub fn make(definition: &Definition, facts: &Facts) -> Report {
    let told = Told { facts, definition };
    let mut seen = BTreeSet::new();
    let sections = definition.sections.iter().copied().filter(|section| seen.insert(*section));
    let missed = missed_targets(&told);
    let missed = missed.iter().map(Missed::sentence).chain(campaigns_over(&told));
    let out_of_target: Vec<String> = missed.collect();
    let parts: Vec<Part> = sections.map(|section| part(section, &told)).collect();
    Report {
        title: definition.title.clone(),
        centre: facts.centre.clone(),
        zone: facts.zone.clone(),
        days: facts.days,
        covers: covers(&told),
        against: compared(&told),
        read_at: facts.read_at,
        answer: first_sentence(&told, &parts, &out_of_target),
        out_of_target,
        parts,
        definitions: definitions(&told),
    }
}

fn covers(told: &Told<'_>) -> String {
    if told.definition.contact_types.is_empty() {
        return "all contact types".to_owned();
    }
    let names: Vec<String> = told.facts.types.iter().map(|each| each.name.clone()).collect();
    words::listing(&names)
}

fn compared(told: &Told<'_>) -> Option<String> {
    match (told.definition.against, told.facts.compared) {
        (Against::Nothing, _) => None,
        (Against::Plan, _) if !told.has_plan() => Some(
            "the plan; none was kept of these days, since one is kept of days that are watched on the switch from \
             their beginning"
                .to_owned(),
        ),
        (against @ (Against::Forecast | Against::Plan), _) => Some(against.words().to_owned()),
        (against, Some(days)) => Some(format!("{}, {}", against.words(), days.words())),
        (against, None) => Some(against.words().to_owned()),
    }
}

/// The sentence that a reader in a hurry reads: of service where the report is about it, else its first section's.
fn first_sentence(told: &Told<'_>, parts: &[Part], out_of_target: &[String]) -> String {
    let is_about_service = parts.iter().any(|part| part.section == Section::Service);
    let first = parts.iter().find(|part| !part.is_missing).filter(|_| !is_about_service);
    first.map_or_else(|| answer(told, out_of_target), |part| part.sentence.clone())
}

/// How much, how well, and what is out of target.
fn answer(told: &Told<'_>, out_of_target: &[String]) -> String {
    let total = told.total();
    if total.offered == 0.0 {
        return ahead(told);
    }
    let mut text = format!("{} contacts were offered", words::count(total.offered));
    if let Some(against) = against_in_words(told) {
        text += &format!(", {against}");
    }
    if let Some(level) = total.service_level() {
        text += &format!("; {} were answered within their thresholds", words::percent(level));
    }
    let unjudged = unjudged(told);
    text += &match out_of_target {
        [] if unjudged.is_empty() => " and every contact type met its targets.".to_owned(),
        [] => format!(
            ". No recorded figure is out of target; how fast contacts were answered is not recorded for {}.",
            words::listing(&unjudged)
        ),
        [only] => format!(". Out of target: {only}."),
        [first, second] => format!(". Out of target: {first}; {second}."),
        [first, second, rest @ ..] => {
            format!(". Out of target: {first}; {second}; and {} more.", rest.len())
        }
    };
    text
}

/// Of a period that is still to come.
fn ahead(told: &Told<'_>) -> String {
    let forecast: f64 = told.facts.types.iter().map(|each| each.forecast_contacts()).sum();
    if forecast == 0.0 {
        return "Nothing is recorded or forecast in this period.".to_owned();
    }
    let staffed = told.facts.types.iter().flat_map(|each| &each.staffed);
    let (intervals, short) =
        staffed.fold((0, 0), |sum, each| (sum.0 + each.intervals, sum.1 + each.short_intervals));
    let cover = match (intervals, short) {
        (0, _) => String::new(),
        (_, 0) => "; the cover meets the need in every interval".to_owned(),
        (intervals, short) => format!(
            "; {} of {} intervals are short of people",
            words::count(f64::from(short)),
            words::count(f64::from(intervals))
        ),
    };
    let level = told.total_beside().all.service_level().map_or_else(String::new, |level| {
        format!("; as planned, {} will be answered within their thresholds", words::percent(level))
    });
    format!("{} contacts are forecast{level}{cover}.", words::count(forecast))
}

/// The measures of the sections that stand in it.
fn definitions(told: &Told<'_>) -> Vec<(String, String)> {
    let has = |section| told.definition.sections.contains(&section);
    let thresholds: BTreeSet<String> = told
        .facts
        .types
        .iter()
        .map(|each| format!("{} {}", each.name, words::threshold(each.rules.within_secs)))
        .collect();
    let thresholds: Vec<String> = thresholds.into_iter().collect();
    let all = [
        (
            has(Section::Service) || has(Section::Causes),
            "Service level",
            format!(
                "share of offered contacts that were answered within the contact type's threshold ({}); where a \
                 target is a share of the answered, of those",
                words::listing(&thresholds)
            ),
        ),
        (
            has(Section::Service),
            "Speed of answer (ASA)",
            "mean wait of the answered contacts".to_owned(),
        ),
        (
            has(Section::Service),
            "Abandonment",
            "share of offered contacts whose callers hung up before an agent answered".to_owned(),
        ),
        (
            has(Section::Accuracy),
            "Error (WAPE)",
            "sum of the daily differences between forecast and actual contacts, signs left out, as a share of the \
             actual contacts; forecasts made before the days, up to four weeks ahead"
                .to_owned(),
        ),
        (
            has(Section::Accuracy),
            "Bias",
            "forecast less actual contacts, as a share of the actual: above zero is too high".to_owned(),
        ),
        (
            has(Section::HandleTime),
            "Handle time (AHT)",
            "mean of talk, hold and wrap-up of the answered contacts".to_owned(),
        ),
        (
            has(Section::Staffing),
            "Need",
            "people with which every target of the contact type is met in an interval, times its hours: from the \
             forecast, and of past days from the contacts that were offered"
                .to_owned(),
        ),
        (
            has(Section::Staffing),
            "Cover",
            "people planned in an interval, times its hours; paid cost adds shrinkage".to_owned(),
        ),
        (
            has(Section::Staffing) || has(Section::Teams),
            "Occupancy",
            "share of the time on shift that is spent with contacts".to_owned(),
        ),
        (
            has(Section::Campaigns),
            "Abandoned (campaigns)",
            "share of the calls answered by a person that are hung up because no agent is free".to_owned(),
        ),
        (
            has(Section::Causes),
            "Effect of a cause",
            "points of service level that a cause moves a day away from its plan: the average over all orders in \
             which the causes can be introduced, in simulations of the day"
                .to_owned(),
        ),
    ];
    let wanted = all.into_iter().filter(|(has, ..)| *has);
    wanted.map(|(_, name, meaning)| (name.to_owned(), meaning)).collect()
}
