//! Joining what two planners made of one strategy, setting by setting.
//!
//! A three-way merge: what only one of them changed is taken, what both changed alike is taken once, and
//! what both changed in different ways is a [`Conflict`], for which one side has to be chosen. Steps and
//! teams are matched by their ids. Entries have none: they are matched by their place where nobody added or
//! removed one, and by their name otherwise. A list within a part is joined row by row where nobody added
//! or removed a row, and is one setting otherwise.

use std::collections::HashSet;

use serde_json::{Map, Value};

use crate::changes::{field_words, joined, words_of};
use crate::faults::Fault;
use crate::types::Strategy;

/// Whose change it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// The change that is being saved.
    Mine,
    /// That which was saved meanwhile.
    Theirs,
}

/// A setting that both changed, in different ways.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Conflict {
    /// By which it is known: a path within the strategy, such as `steps/queue/does/queue/places`.
    pub key: String,
    /// What it is: "“Bookings queue”, queue, places".
    pub name: String,
    /// Its value before, in words; none where it was not there.
    pub base: Option<String>,
    /// Its value in the change that is being saved; none where it is gone.
    pub mine: Option<String>,
    /// Its value as it was saved meanwhile; none where it is gone.
    pub theirs: Option<String>,
}

/// Which side is preferred for a conflict; none where nobody has chosen yet.
pub type Prefer<'a> = &'a dyn Fn(&Conflict) -> Option<Side>;

/// What comes of two strategies that were both made of `base`.
///
/// # Errors
///
/// The conflicts for which `prefer` has no answer. A merged strategy may have [faults](Strategy::faults) that
/// neither side has.
pub fn merge(
    base: &Strategy,
    mine: &Strategy,
    theirs: &Strategy,
    prefer: Prefer<'_>,
) -> Result<Strategy, Vec<Conflict>> {
    if mine == theirs {
        return Ok(mine.clone());
    }
    let mine = &with_own_ids(base, mine, theirs);
    let by_place =
        base.entries.len() == mine.entries.len() && base.entries.len() == theirs.entries.len();
    let keyed = |strategy| Keyed::of(strategy, by_place);
    let mut merging = Merging { prefer, conflicts: Vec::new() };
    let merged = merging.keyed(&keyed(base), &keyed(mine), &keyed(theirs));
    if !merging.conflicts.is_empty() {
        return Err(merging.conflicts);
    }
    merged.map_err(|fault| {
        // Each side reads by itself; a mixture that does not is told as one conflict.
        let told = format!("{}: {}", fault.field, fault.message);
        vec![Conflict { key: "strategy".into(), name: told, base: None, mine: None, theirs: None }]
    })
}

/// What I made, with other ids for the parts that I added where they added others of the same id:
/// two new queues are two, although each got the first free id.
fn with_own_ids(base: &Strategy, mine: &Strategy, theirs: &Strategy) -> Strategy {
    let ids = |strategy: &Strategy| -> HashSet<String> {
        let steps = strategy.steps.iter().map(|step| step.id.clone());
        let teams = strategy.teams.iter().map(|team| team.id.clone());
        let campaigns = strategy.campaigns.iter().map(|campaign| campaign.id.clone());
        let ranges = strategy.number_ranges.iter().map(|range| range.id.clone());
        steps.chain(teams).chain(campaigns).chain(ranges).collect()
    };
    let (were, their, my) = (ids(base), ids(theirs), ids(mine));
    let mut own = mine.clone();
    for id in my.iter().filter(|id| !were.contains(*id) && their.contains(*id)) {
        let mut fresh = (2..).map(|nth| format!("{id}-{nth}"));
        let is_free = |other: &String| !my.contains(other) && !their.contains(other);
        let Some(fresh) = fresh.find(is_free) else { continue };
        own.rename_id(id, &fresh);
    }
    own
}

/// A strategy as parts by key, in their order.
struct Keyed {
    name: String,
    lists: [Vec<(String, Value)>; 5],
}

const LISTS: [&str; 5] = ["entries", "steps", "teams", "campaigns", "number_ranges"];

impl Keyed {
    fn of(strategy: &Strategy, entries_by_place: bool) -> Self {
        let entries = strategy.entries.iter().enumerate().map(|(at, entry)| {
            let key = if entries_by_place { at.to_string() } else { entry.name.clone() };
            (key, json(entry))
        });
        let steps = strategy.steps.iter().map(|step| (step.id.clone(), json(step)));
        let teams = strategy.teams.iter().map(|team| (team.id.clone(), json(team)));
        let campaigns = strategy.campaigns.iter().map(|each| (each.id.clone(), json(each)));
        let ranges = strategy.number_ranges.iter().map(|each| (each.id.clone(), json(each)));
        Self {
            name: strategy.name.clone(),
            lists: [
                entries.collect(),
                steps.collect(),
                teams.collect(),
                campaigns.collect(),
                ranges.collect(),
            ],
        }
    }
}

fn json(part: &impl serde::Serialize) -> Value {
    serde_json::to_value(part).unwrap_or_default()
}

struct Merging<'a> {
    prefer: Prefer<'a>,
    conflicts: Vec<Conflict>,
}

/// One value in the three strategies; none where it is not there.
type Three<'a> = [Option<&'a Value>; 3];

impl Merging<'_> {
    fn keyed(&mut self, base: &Keyed, mine: &Keyed, theirs: &Keyed) -> Result<Strategy, Fault> {
        let name = |keyed: &Keyed| Value::from(keyed.name.as_str());
        let (was, my, their) = (name(base), name(mine), name(theirs));
        let three = [Some(&was), Some(&my), Some(&their)];
        let name = self.value("name", "name of the strategy", three).unwrap_or(was);
        let mut whole = Map::new();
        whole.insert("schema_version".to_owned(), crate::SCHEMA_VERSION.into());
        whole.insert("name".to_owned(), name);
        for (at, list) in LISTS.into_iter().enumerate() {
            let parts = self.list(list, [&base.lists[at], &mine.lists[at], &theirs.lists[at]]);
            whole.insert(list.to_owned(), Value::Array(parts));
        }
        serde_path_to_error::deserialize(Value::Object(whole)).map_err(|error| Fault {
            field: error.path().to_string(),
            message: error.inner().to_string(),
        })
    }

    /// The parts of a list: in the order of theirs, with mine put in after the part before them. Where only I
    /// changed the order, mine holds.
    fn list(&mut self, list: &str, [base, mine, theirs]: [&[(String, Value)]; 3]) -> Vec<Value> {
        let find = |parts: &'_ [(String, Value)], key: &str| {
            parts.iter().position(|(other, _)| other == key)
        };
        let order = |parts: &[(String, Value)], others: &[(String, Value)]| -> Vec<String> {
            let shared = parts.iter().filter(|(key, _)| find(others, key).is_some());
            shared.map(|(key, _)| key.clone()).collect()
        };
        let they_moved = order(theirs, base) != order(base, theirs);
        let (first, second) = if they_moved { (theirs, mine) } else { (mine, theirs) };
        let mut keys: Vec<&String> = first.iter().map(|(key, _)| key).collect();
        let mut after = None;
        for (key, _) in second {
            match keys.iter().position(|other| *other == key) {
                Some(at) => after = Some(at),
                None => {
                    let at = after.map_or(0, |at| at + 1);
                    keys.insert(at, key);
                    after = Some(at);
                }
            }
        }
        let mut merged = Vec::new();
        for key in keys {
            let of = |parts| -> Option<usize> { find(parts, key) };
            let three = [
                of(base).map(|at| &base[at].1),
                of(mine).map(|at| &mine[at].1),
                of(theirs).map(|at| &theirs[at].1),
            ];
            let named = three.iter().flatten().find_map(|part| part["name"].as_str());
            let name = format!("“{}”", named.unwrap_or(key));
            merged.extend(self.value(&format!("{list}/{key}"), &name, three));
        }
        merged
    }

    /// The merged value; none where it is gone, or in conflict.
    fn value(&mut self, key: &str, name: &str, three: Three<'_>) -> Option<Value> {
        let [base, mine, theirs] = three;
        if mine == theirs || theirs == base {
            return mine.cloned();
        }
        if mine == base {
            return theirs.cloned();
        }
        match (mine, theirs) {
            (Some(Value::Object(my)), Some(Value::Object(their))) if is_of_one_kind(my, their) => {
                let empty = Map::new();
                let base = base.and_then(Value::as_object).unwrap_or(&empty);
                return Some(Value::Object(self.fields(key, name, [base, my, their])));
            }
            (Some(Value::Array(my)), Some(Value::Array(their))) => {
                let base = base.and_then(Value::as_array);
                if let Some(base) = base.filter(|b| b.len() == my.len() && b.len() == their.len())
                    && my.iter().all(Value::is_object)
                {
                    let rows = (0..my.len()).map(|at| {
                        let three = [base.get(at), my.get(at), their.get(at)];
                        let nth = (at + 1).to_string();
                        self.value(&format!("{key}/{at}"), &joined(name, &nth), three)
                    });
                    return Some(Value::Array(rows.map(Option::unwrap_or_default).collect()));
                }
            }
            _ => {}
        }
        let told = |value: Option<&Value>| value.map(in_words);
        let conflict = Conflict {
            key: key.to_owned(),
            name: name.to_owned(),
            base: told(base),
            mine: told(mine),
            theirs: told(theirs),
        };
        match (self.prefer)(&conflict) {
            Some(Side::Mine) => mine.cloned(),
            Some(Side::Theirs) => theirs.cloned(),
            None => {
                self.conflicts.push(conflict);
                None
            }
        }
    }

    fn fields(
        &mut self,
        key: &str,
        name: &str,
        [base, mine, theirs]: [&Map<String, Value>; 3],
    ) -> Map<String, Value> {
        let mut merged = Map::new();
        let fields = mine.keys().chain(theirs.keys().filter(|field| !mine.contains_key(*field)));
        for field in fields {
            // The kind of a step stands in its name.
            let name =
                if field == "does" { name.to_owned() } else { joined(name, &field_words(field)) };
            let three = [base.get(field), mine.get(field), theirs.get(field)];
            if let Some(value) = self.value(&format!("{key}/{field}"), &name, three) {
                merged.insert(field.clone(), value);
            }
        }
        merged
    }
}

/// A setting's value as planners say it; what has settings of its own is told by its name, if it has one.
fn in_words(value: &Value) -> String {
    match value {
        Value::Object(fields) => match (fields.get("step"), fields.get("name")) {
            (Some(step), _) => format!("to “{}”", step.as_str().unwrap_or_default()),
            (None, Some(name)) => format!("“{}”", name.as_str().unwrap_or_default()),
            (None, None) => "set".to_owned(),
        },
        Value::Array(items) if items.iter().any(Value::is_object) => match items.len() {
            1 => "one row".to_owned(),
            rows => format!("{rows} rows"),
        },
        other => words_of(other),
    }
}

/// Whether two objects can be joined field by field: not where the only field says a kind, or a step that
/// contacts go to, and the other has another one.
fn is_of_one_kind(mine: &Map<String, Value>, theirs: &Map<String, Value>) -> bool {
    let only = |fields: &Map<String, Value>| match fields.len() {
        1 => fields.keys().next().cloned(),
        _ => None,
    };
    only(mine) == only(theirs) && !mine.contains_key("step")
}
