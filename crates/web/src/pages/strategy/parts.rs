//! The parts of a strategy: how they are addressed, listed and described.

use barometer_strategy::{Entry, Next, Part, PartId, Step, StepKind, Strategy, Team};

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
    }
}

fn with_article(noun: &str) -> String {
    let article = if noun.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" };
    // The h of hours is not spoken.
    let article = if noun.starts_with("hours") { "an" } else { article };
    format!("{article} {noun}")
}

/// Entries, steps and teams as lists.
pub(super) fn part_lines(
    strategy: &Strategy,
    open: &PartId,
    address: &str,
) -> (Vec<PartLine>, Vec<PartLine>, Vec<PartLine>) {
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
    (
        strategy.entries.iter().enumerate().map(entry).collect(),
        strategy.steps.iter().map(step).collect(),
        strategy.teams.iter().map(team).collect(),
    )
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

/// What happens to a contact, in a sentence.
pub(super) fn answer(strategy: &Strategy) -> String {
    let Strategy { entries, steps, teams, .. } = strategy;
    let (Some(entry), Some(team)) = (entries.first(), teams.first()) else {
        return "Nothing is described yet.".to_owned();
    };
    let count = |count: usize, noun: &str| match count {
        1 => format!("one {noun}"),
        more => format!("{more} {noun}s"),
    };
    let Next::Step(id) = &entry.first else {
        return format!("A contact on “{}” is not let in.", entry.name);
    };
    let first = strategy.step(id);
    match first.map(|step| (&step.name, &step.does)) {
        Some((_, StepKind::Queue(queue))) if entries.len() == 1 && teams.len() == 1 => {
            let places = queue.places.map_or_else(
                || "without a limit of places".to_owned(),
                |places| format!("of {places} places"),
            );
            let wait = queue.longest_wait_secs.map_or_else(
                || "until it gives up".to_owned(),
                |secs| {
                    format!("for up to {secs} s, then {}", went(strategy, &queue.exits.too_long))
                },
            );
            let full = match queue.places {
                Some(_) => {
                    format!(" When it is full: {}.", went(strategy, &queue.exits.full))
                }
                None => String::new(),
            };
            format!(
                "A contact on “{}” that finds nobody free waits in a queue {places}, {wait}; {} answers.{full}",
                entry.name, team.name
            )
        }
        Some(_) if entries.len() > 1 => format!(
            "Contacts arrive at {} entries and pass up to {}; {} answer.",
            entries.len(),
            count(steps.len(), "step"),
            count(teams.len(), "team"),
        ),
        Some((name, does)) => format!(
            "Contacts arrive at “{}”, go first to “{name}” ({}), and pass up to {}; {} answer.",
            entry.name,
            does.words(),
            count(steps.len(), "step"),
            count(teams.len(), "team"),
        ),
        None => format!("A contact on “{}” is sent to a step that is not there.", entry.name),
    }
}

fn went(strategy: &Strategy, next: &Next) -> String {
    match next {
        Next::Step(_) => format!("to “{}”", strategy.next_words(next)),
        _ => strategy.next_words(next),
    }
}
