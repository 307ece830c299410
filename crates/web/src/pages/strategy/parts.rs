//! The parts of a strategy: how they are addressed, listed and described.

use barometer_preflight::{Finding, Severity};
use barometer_strategy::{
    Campaign, Entry, Pacing, Part, PartId, Step, StepKind, Stop, Strategy, Team,
};

use super::seen::Seen;
use crate::words;

/// A part in the list of parts.
pub(super) struct PartLine {
    pub name: String,
    pub kind: String,
    /// Where contacts go from here.
    pub ways: Vec<(String, String)>,
    pub address: String,
    pub is_open: bool,
}

/// What a part is called, with its kind.
pub(super) fn title(part: &PartId, strategy: &Strategy) -> String {
    match part.of(strategy) {
        Ok(Part::Step(step)) => format!("“{}”, {}", step.name, with_article(step.does.words())),
        Ok(part) => format!("{} “{}”", crate::words::capitalised(part.kind()), part.name()),
        Err(_) => "A new part".to_owned(),
    }
}

/// The type that describes a part in the schema.
pub(super) const fn definition(part: &PartId) -> &'static str {
    match part {
        PartId::Entry(_) => "Entry",
        PartId::Step(_) => "Step",
        PartId::Team(_) => "Team",
        PartId::Campaign(_) => "Campaign",
        PartId::Range(_) => "NumberRange",
    }
}

fn with_article(noun: &str) -> String {
    let article = if noun.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" };
    // The h of hours is not spoken.
    let article = if noun.starts_with("hours") { "an" } else { article };
    format!("{article} {noun}")
}

/// The parts of a strategy as lists.
pub(super) struct PartLines {
    pub entries: Vec<PartLine>,
    pub steps: Vec<PartLine>,
    pub teams: Vec<PartLine>,
    pub campaigns: Vec<PartLine>,
}

pub(super) fn part_lines(strategy: &Strategy, open: &PartId, address: &str) -> PartLines {
    let line = |key: PartId, name: &str, kind: String, ways| PartLine {
        address: format!("{address}&part={}", key),
        is_open: key == *open,
        name: name.to_owned(),
        kind,
        ways,
    };
    let entry = |(at, entry): (usize, &Entry)| {
        let first = ("first".to_owned(), strategy.next_words(&entry.first));
        let kind = match entry.contact_types.as_slice() {
            [] => "every contact type".to_owned(),
            names => names.join(", "),
        };
        line(PartId::Entry(at), &entry.name, kind, vec![first])
    };
    let step = |step: &Step| {
        let kind = format!("{}{}", step.does.words(), facts(&step.does));
        // Ways that keep a contact where it is are no ways.
        let mut ways = strategy.ways_of(step);
        ways.retain(|(_, to)| to != "keeps ringing");
        line(PartId::Step(step.id.clone()), &step.name, kind, ways)
    };
    let team =
        |team: &Team| line(PartId::Team(team.id.clone()), &team.name, team_facts(team), Vec::new());
    let campaign = |campaign: &Campaign| {
        let id = PartId::Campaign(campaign.id.clone());
        line(id, &campaign.name, campaign_facts(campaign), Vec::new())
    };
    PartLines {
        entries: strategy.entries.iter().enumerate().map(entry).collect(),
        steps: strategy.steps.iter().map(step).collect(),
        teams: strategy.teams.iter().map(team).collect(),
        campaigns: strategy.campaigns.iter().map(campaign).collect(),
    }
}

/// The most telling settings of a campaign.
pub(in crate::pages) fn campaign_facts(campaign: &Campaign) -> String {
    let people = words::thousands(f64::from(campaign.list.people));
    let paused = if campaign.paused_because.is_some() { ", paused" } else { "" };
    format!("{}, {people} people{paused}", pacing_words(&campaign.pacing))
}

/// How a campaign dials, with its one number where it has one.
pub(in crate::pages) fn pacing_words(pacing: &Pacing) -> String {
    match pacing {
        Pacing::Steady { lines_per_agent } => {
            format!("steady, {lines_per_agent} lines for each free agent")
        }
        other => other.words().to_owned(),
    }
}

/// The most telling settings of a step.
fn facts(kind: &StepKind) -> String {
    let limit =
        |secs: Option<f64>| secs.map_or_else(String::new, |secs| format!(", up to {secs} s"));
    let places = |places: Option<u32>| places.map_or_else(String::new, |n| format!(", {n} places"));
    match kind {
        StepKind::Queue(queue) => {
            format!("{}{}", places(queue.places), limit(queue.longest_wait_secs))
        }
        StepKind::HuntGroup(group) => format!(
            ", {}{}{}",
            barometer_strategy::field_words(&order_name(group.offering.order)),
            places(group.places),
            limit(group.group_limit_secs)
        ),
        _ => String::new(),
    }
}

fn order_name(order: barometer_strategy::OfferOrder) -> String {
    serde_json::to_value(order)
        .ok()
        .and_then(|name| Some(name.as_str()?.to_owned()))
        .unwrap_or_default()
}

fn team_facts(team: &Team) -> String {
    let at_once = team.channels.iter().map(|channel| channel.at_once).max().unwrap_or(1);
    let contacts = match at_once {
        1 => "one contact at a time".to_owned(),
        more => format!("{more} contacts at once"),
    };
    let skills: Vec<&str> = team.skills.iter().map(|skill| skill.skill.as_str()).collect();
    if skills.is_empty() { contacts } else { format!("{contacts}; {}", skills.join(", ")) }
}

/// Where contacts are lost and what preflight finds, in a sentence or two.
pub(super) fn answer(seen: &Seen) -> String {
    let strategy = &seen.opened.strategy;
    let lost = match &seen.load {
        Some(load) => match load.worst(&seen.journey) {
            Some((stop, lost, cause)) => {
                let name = match seen.journey.stops[stop] {
                    Stop::Entry(at) => &strategy.entries[at].name,
                    Stop::Step(at) => &strategy.steps[at].name,
                    Stop::Campaign(at) => &strategy.campaigns[at].name,
                    Stop::End(_) => "",
                };
                let of_those = if load.stops[stop] > 0.0 { lost / load.stops[stop] } else { 0.0 };
                let whose =
                    seen.only.as_ref().map_or_else(String::new, |only| format!(" of {only}"));
                format!(
                    "Most contacts{whose} are lost at “{name}”: {} a day, {} of those who reach it, mostly by “{cause}”.",
                    words::thousands(lost),
                    words::percent(of_those.min(1.0))
                )
            }
            None => "No contact is lost.".to_owned(),
        },
        None => "No trial of this version shows yet where contacts are lost.".to_owned(),
    };
    format!("{lost} {}", found(&seen.findings))
}

/// What preflight finds, counted.
fn found(findings: &[Finding]) -> String {
    let count = |severity: Severity| {
        findings.iter().filter(|finding| finding.rule.severity() == severity).count()
    };
    let told = |count: usize, one: &str, more: &str| match count {
        0 => None,
        1 => Some(format!("one {one}")),
        count => Some(format!("{} {more}", words::count_word(count))),
    };
    let parts: Vec<String> = [
        told(count(Severity::Serious), "serious fault", "serious faults"),
        told(count(Severity::Warning), "warning", "warnings"),
        told(count(Severity::Note), "note", "notes"),
    ]
    .into_iter()
    .flatten()
    .collect();
    if parts.is_empty() {
        return "Preflight finds nothing wrong.".to_owned();
    }
    format!("Preflight finds {}.", words::listing(&parts))
}
