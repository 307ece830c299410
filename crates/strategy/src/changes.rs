//! How two versions of a strategy differ, in the planner's words.
//!
//! Both are laid out as settings: a subject ("Queue “Bookings”"), what is set, and its value. Parts
//! are matched by their ids, so a part that moved is no change, and a part that only one has is told
//! as a whole.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::edit::PartId;
use crate::types::{Campaign, NumberRange, Step, Strategy, Team};

/// One setting that differs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// What has the setting: "Queue “Bookings queue”".
    pub subject: String,
    /// The setting, with its unit.
    pub setting: String,
    /// Its value before; "not there" where it was not.
    pub before: String,
    /// Its value after.
    pub after: String,
}

impl Change {
    /// The change without its subject: "places 20 → 30".
    pub fn in_short(&self) -> String {
        let mut setting = self.setting.clone();
        if let Some(first) = setting.get_mut(..1) {
            first.make_ascii_lowercase();
        }
        match (self.before.as_str(), self.after.as_str()) {
            ("there", after) | (ABSENT, after @ "added") => after.to_owned(),
            (before, after) => format!("{setting} {before} → {after}"),
        }
    }
}

/// What stands for a setting that one side has not.
const ABSENT: &str = "not there";

/// Every setting in which `after` differs from `before`: the strategy's own, then those of entries, steps,
/// teams, campaigns and ranges of numbers.
pub fn changes(before: &Strategy, after: &Strategy) -> Vec<Change> {
    let mut told = Vec::new();
    let value = |strategy: &Strategy| Value::from(strategy.name.as_str());
    let name = |strategy| BTreeMap::from([("Name".to_owned(), words_of(&value(strategy)))]);
    compare("Strategy", &name(before), &name(after), &mut told);
    let entries = |strategy: &Strategy| -> Vec<Part> {
        strategy
            .entries
            .iter()
            .map(|entry| Part::of(&entry.name, "Entry", &entry.name, entry))
            .collect()
    };
    compare_parts(&entries(before), &entries(after), &mut told);
    compare_parts(&steps(before), &steps(after), &mut told);
    compare_parts(&teams(before), &teams(after), &mut told);
    compare_parts(&campaigns(before), &campaigns(after), &mut told);
    compare_parts(&ranges(before), &ranges(after), &mut told);
    told
}

/// How a part differs between two versions.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PartChange {
    /// Only the later one has it.
    Added,
    /// Both have it, with different settings.
    Changed,
}

/// The parts of `after` that `before` has not, or has with other settings. Entries are matched by their
/// names, all others by their ids.
pub fn changed_parts(before: &Strategy, after: &Strategy) -> Vec<(PartId, PartChange)> {
    let told = |same: Option<bool>| match same {
        None => Some(PartChange::Added),
        Some(false) => Some(PartChange::Changed),
        Some(true) => None,
    };
    let entries = after.entries.iter().enumerate().filter_map(|(at, entry)| {
        let old = before.entries.iter().find(|old| old.name == entry.name);
        Some((PartId::Entry(at), told(old.map(|old| old == entry))?))
    });
    let steps = after.steps.iter().filter_map(|step| {
        let old = before.step(&step.id);
        Some((PartId::Step(step.id.clone()), told(old.map(|old| old == step))?))
    });
    let teams = after.teams.iter().filter_map(|team| {
        let old = before.teams.iter().find(|old| old.id == team.id);
        Some((PartId::Team(team.id.clone()), told(old.map(|old| old == team))?))
    });
    let campaigns = after.campaigns.iter().filter_map(|campaign| {
        let old = before.campaign(&campaign.id);
        let change = told(old.map(|old| old == campaign))?;
        Some((PartId::Campaign(campaign.id.clone()), change))
    });
    let ranges = after.number_ranges.iter().filter_map(|range| {
        let old = before.number_ranges.iter().find(|old| old.id == range.id);
        Some((PartId::Range(range.id.clone()), told(old.map(|old| old == range))?))
    });
    entries.chain(steps).chain(teams).chain(campaigns).chain(ranges).collect()
}

/// A part of a strategy and its settings.
struct Part {
    id: String,
    subject: String,
    settings: BTreeMap<String, String>,
}

impl Part {
    fn of(id: &str, kind: &str, name: &str, part: &impl serde::Serialize) -> Self {
        let mut settings = BTreeMap::new();
        let value = serde_json::to_value(part).unwrap_or_default();
        lay_out(&value, "", &mut settings);
        settings.remove("id");
        let mut kind = kind.to_owned();
        kind[..1].make_ascii_uppercase();
        Self { id: id.to_owned(), subject: format!("{kind} “{name}”"), settings }
    }
}

fn steps(strategy: &Strategy) -> Vec<Part> {
    let part = |step: &Step| Part::of(&step.id, step.does.words(), &step.name, step);
    strategy.steps.iter().map(part).collect()
}

fn teams(strategy: &Strategy) -> Vec<Part> {
    let part = |team: &Team| Part::of(&team.id, "Team", &team.name, team);
    strategy.teams.iter().map(part).collect()
}

fn campaigns(strategy: &Strategy) -> Vec<Part> {
    let part = |campaign: &Campaign| {
        let mut part = Part::of(&campaign.id, "Campaign", &campaign.name, campaign);
        // A list is told in a line, not group by group.
        if let Some(imported) = &campaign.list.imported {
            part.settings.retain(|setting, _| !setting.starts_with("List, imported"));
            part.settings.insert("Imported list".to_owned(), imported.words());
        }
        part
    };
    strategy.campaigns.iter().map(part).collect()
}

fn ranges(strategy: &Strategy) -> Vec<Part> {
    let part = |range: &NumberRange| Part::of(&range.id, "Range of numbers", &range.name, range);
    strategy.number_ranges.iter().map(part).collect()
}

fn compare_parts(before: &[Part], after: &[Part], told: &mut Vec<Change>) {
    let whole = |part: &Part, before: &str, after: &str| Change {
        subject: part.subject.clone(),
        setting: "The whole of it".to_owned(),
        before: before.to_owned(),
        after: after.to_owned(),
    };
    for old in before {
        match after.iter().find(|new| new.id == old.id) {
            Some(new) => compare(&new.subject, &old.settings, &new.settings, told),
            None => told.push(whole(old, "there", "removed")),
        }
    }
    let added = after.iter().filter(|new| before.iter().all(|old| old.id != new.id));
    told.extend(added.map(|new| whole(new, ABSENT, "added")));
}

fn compare(
    subject: &str,
    before: &BTreeMap<String, String>,
    after: &BTreeMap<String, String>,
    told: &mut Vec<Change>,
) {
    let value = |settings: &BTreeMap<String, String>, setting: &str| {
        settings.get(setting).cloned().unwrap_or_else(|| ABSENT.to_owned())
    };
    let settings = before.keys().chain(after.keys().filter(|key| !before.contains_key(*key)));
    for setting in settings {
        let (old, new) = (value(before, setting), value(after, setting));
        if old != new {
            told.push(Change {
                subject: subject.to_owned(),
                setting: setting.clone(),
                before: old,
                after: new,
            });
        }
    }
}

/// Lays a JSON value out as settings with values in words.
fn lay_out(value: &Value, setting: &str, settings: &mut BTreeMap<String, String>) {
    match value {
        Value::Object(fields) if fields.len() == 1 && fields.contains_key("step") => {
            settings.insert(capitalised(setting), format!("to “{}”", plain(&fields["step"])));
        }
        Value::Object(fields) => {
            for (field, value) in fields {
                let kind = value.as_object().and_then(|kind| kind.values().next());
                let named = joined(setting, &field_words(field));
                match (field.as_str(), value, kind) {
                    // The kind of a step stands in its subject already.
                    ("does", _, Some(kind)) => lay_out(kind, setting, settings),
                    (field, Value::Null, _) if !is_limit(field) => {
                        settings.insert(capitalised(&named), "none".to_owned());
                    }
                    _ => lay_out(value, &named, settings),
                }
            }
        }
        Value::Array(items) if items.iter().any(|item| item.is_object() || item.is_array()) => {
            for (at, item) in items.iter().enumerate() {
                lay_out(item, &joined(setting, &(at + 1).to_string()), settings);
            }
        }
        other => {
            settings.insert(capitalised(setting), words_of(other));
        }
    }
}

/// Whether a field without a value means that there is no limit.
pub(crate) fn is_limit(field: &str) -> bool {
    ["places", "_secs", "most_offers", "most_devices"].iter().any(|end| field.ends_with(end))
}

pub(crate) fn joined(setting: &str, part: &str) -> String {
    if setting.is_empty() { part.to_owned() } else { format!("{setting}, {part}") }
}

fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
}

pub(crate) fn words_of(value: &Value) -> String {
    match value {
        Value::Null => "no limit".to_owned(),
        Value::Bool(true) => "yes".to_owned(),
        Value::Bool(false) => "no".to_owned(),
        Value::Array(items) if items.is_empty() => "none".to_owned(),
        Value::Array(items) => items.iter().map(plain).collect::<Vec<_>>().join(", "),
        other => plain(other),
    }
}

fn plain(value: &Value) -> String {
    match value.as_str() {
        Some(text) => choice_words(text).unwrap_or(text).to_owned(),
        None => value.to_string().trim_end_matches(".0").to_owned(),
    }
}

/// What can be chosen, where its name in JSON is not what planners say.
pub(crate) fn choice_words(name: &str) -> Option<&'static str> {
    Some(match name {
        "release" => "released",
        "busy_tone" => "busy tone",
        "keep_ringing" => "keeps ringing",
        "all_at_once" => "all at once",
        "top_down" => "top-down",
        "round_robin_fresh" => "round robin from a fresh start",
        "round_robin" => "round robin that keeps its place",
        "longest_idle" => "longest idle",
        "fewest_answered" => "fewest answered",
        "log_normal" => "log-normal",
        "signed_in" => "those at work",
        "step" => "to a step",
        _ => return None,
    })
}

/// A field of the JSON form, or something to choose in it, as planners say it, with its unit.
pub fn field_words(field: &str) -> String {
    if let Some(words) = choice_words(field) {
        return words.to_owned();
    }
    let known = match field {
        "at_least" => "least level",
        "does" => "what it is",
        "at_once" => "contacts at once",
        "exits" => "exit",
        "full" => "when it is full",
        "too_long" => "after the longest wait",
        "no_staff_at_arrival" => "when nobody is at work at arrival",
        "no_staff_while_waiting" => "when nobody is at work any more",
        "no_answer" => "when nobody answers",
        "no_choice" => "when nothing is chosen",
        "first" => "first step",
        "must_be_heard" => "must be heard to the end",
        "offering" => "offers",
        "order" => "offer order",
        "rings" => "whose device rings",
        "second_call" => "second call to a busy member",
        "parallel" => "parallel offering",
        "who" => "member",
        "most_devices" => "most devices at once",
        "most_offers" => "offers without an answer, at most",
        "if_expected_wait_secs" => "only if the expected wait is at least (s)",
        "group_limit_secs" => "group limit (s)",
        "waves_secs" => "waves (s)",
        "answer_delay" => "seconds to answer",
        other => {
            return match other.strip_suffix("_secs") {
                Some(base) => format!("{} (s)", base.replace('_', " ")),
                None => other.strip_suffix("_share").map_or_else(
                    || other.replace('_', " "),
                    |base| format!("share {}", base.replace('_', " ")),
                ),
            };
        }
    };
    known.to_owned()
}
