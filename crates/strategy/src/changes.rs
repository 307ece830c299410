//! How two versions of a strategy differ, in the planner's words.
//!
//! Both are laid out as settings: a subject ("Queue “Bookings”"), what is set, and its value. Parts
//! are matched by their ids, so a part that moved is no change, and a part that only one has is told
//! as a whole.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::types::{Step, Strategy, Team};

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

/// What stands for a setting that one side has not.
const ABSENT: &str = "not there";

/// Every setting in which `after` differs from `before`: the strategy's own, entries, steps, teams.
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
    told
}

impl Strategy {
    /// Every number that can be set in steps and teams, limits that are not set included: its JSON
    /// pointer and what it is, in the planner's words.
    pub fn numbers(&self) -> Vec<(String, String)> {
        let mut found = Vec::new();
        let whole = serde_json::to_value(self).unwrap_or_default();
        for (list, kind) in [("steps", ""), ("teams", "team ")] {
            for (at, part) in whole[list].as_array().into_iter().flatten().enumerate() {
                let subject = format!("{kind}“{}”", part["name"].as_str().unwrap_or_default());
                find_numbers(part, &format!("/{list}/{at}"), &subject, "", &mut found);
            }
        }
        found
    }
}

fn find_numbers(
    value: &Value,
    pointer: &str,
    subject: &str,
    setting: &str,
    found: &mut Vec<(String, String)>,
) {
    // A limit that is not set has no number yet, but could have one.
    let is_limit = value.is_null()
        && ["places", "_secs", "most_offers", "most_devices"]
            .iter()
            .any(|end| pointer.ends_with(end));
    match value {
        Value::Number(_) => found.push((pointer.to_owned(), format!("{subject}, {setting}"))),
        Value::Null if is_limit => {
            found.push((pointer.to_owned(), format!("{subject}, {setting}")))
        }
        Value::Object(fields) => {
            for (field, inner) in fields {
                let pointer = format!("{pointer}/{field}");
                let is_kind = field == "does" || pointer.rsplit('/').nth(1) == Some("does");
                let setting =
                    if is_kind { setting.to_owned() } else { joined(setting, &field_words(field)) };
                find_numbers(inner, &pointer, subject, &setting, found);
            }
        }
        Value::Array(items) => {
            for (at, inner) in items.iter().enumerate() {
                let setting = joined(setting, &(at + 1).to_string());
                find_numbers(inner, &format!("{pointer}/{at}"), subject, &setting, found);
            }
        }
        _ => {}
    }
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
                // The kind of a step stands in its subject already.
                match (field.as_str(), value.as_object().and_then(|kind| kind.values().next())) {
                    ("does", Some(kind)) => lay_out(kind, setting, settings),
                    _ => lay_out(value, &joined(setting, &field_words(field)), settings),
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

fn joined(setting: &str, part: &str) -> String {
    if setting.is_empty() { part.to_owned() } else { format!("{setting}, {part}") }
}

fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
}

fn words_of(value: &Value) -> String {
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
fn choice_words(name: &str) -> Option<&'static str> {
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
