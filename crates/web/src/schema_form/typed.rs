//! From what was typed back to a value.

use std::collections::BTreeMap;

use serde_json::{Map, Value};

use super::{Schema, is_carried, type_of, variants};

/// What was typed, by the names of the fields.
pub(crate) type Typed = BTreeMap<String, String>;

/// Reads a value; what could not be read is told by its pointer, and kept in the value as it was
/// typed, so that the form can come back with it.
pub(crate) fn read<'a>(
    schema: Schema<'a>,
    part: &'a Value,
    typed: &Typed,
) -> (Value, BTreeMap<String, String>) {
    let mut reader = Reader { schema, typed, wrong: BTreeMap::new() };
    let value = reader.object(part, "");
    (value, reader.wrong)
}

/// Rows that a list of a form may have.
const MOST_ROWS: usize = 500;

struct Reader<'a, 'b> {
    schema: Schema<'a>,
    typed: &'b Typed,
    wrong: BTreeMap<String, String>,
}

impl<'a> Reader<'a, '_> {
    fn object(&mut self, part: &'a Value, pointer: &str) -> Value {
        let (part, _) = self.schema.resolved(part);
        let fields = part["properties"].as_object().into_iter().flatten();
        let value: Map<String, Value> = fields
            .map(|(field, inner)| (field.clone(), self.value(inner, &format!("{pointer}/{field}"))))
            .collect();
        Value::Object(value)
    }

    fn value(&mut self, part: &'a Value, pointer: &str) -> Value {
        if is_carried(part) {
            let held = self.typed.get(pointer).map_or("null", String::as_str);
            return serde_json::from_str(held).unwrap_or_else(|_| Value::from(held));
        }
        let (schema, is_optional) = self.schema.resolved(part);
        if variants(schema).is_some() {
            return self.choice(schema, pointer, is_optional);
        }
        match type_of(schema) {
            "object" if schema["properties"].is_object() => {
                if is_optional && !self.is_on(pointer) {
                    return Value::Null;
                }
                self.object(schema, pointer)
            }
            "object" => self.map(schema, pointer),
            "array" => self.list(schema, pointer, is_optional),
            "boolean" => Value::Bool(self.typed.contains_key(pointer)),
            kind @ ("integer" | "number") => self.number(kind, pointer, is_optional),
            _ => match self.typed.get(pointer).map_or("", |typed| typed.trim()) {
                "" if is_optional => Value::Null,
                typed => Value::from(typed),
            },
        }
    }

    /// Whether an optional part is there; one that has just been ticked has no fields yet.
    fn is_on(&self, pointer: &str) -> bool {
        self.typed.contains_key(&format!("{pointer}!"))
    }

    fn was_laid_out(&self, pointer: &str) -> bool {
        let inside = format!("{pointer}/");
        self.typed.range(inside.clone()..).next().is_some_and(|(name, _)| name.starts_with(&inside))
    }

    fn choice(&mut self, schema: &'a Value, pointer: &str, is_optional: bool) -> Value {
        let chosen = self.typed.get(&format!("{pointer}?")).map_or("", String::as_str);
        if chosen.is_empty() && is_optional {
            return Value::Null;
        }
        // A choice among ids is written with the id.
        let (chosen, id) = match chosen.split_once(':') {
            Some((kind, id)) => (kind, Some(id)),
            None => (chosen, None),
        };
        let known = variants(schema).into_iter().flatten().find(|variant| variant.name == chosen);
        let Some(variant) = known else {
            self.wrong.insert(pointer.to_owned(), "Choose one of these.".to_owned());
            return Value::from(chosen);
        };
        let Some(inner) = variant.inner else { return Value::from(chosen) };
        if let Some(id) = id {
            return Value::Object([(chosen.to_owned(), Value::from(id))].into_iter().collect());
        }
        let pointer = format!("{pointer}/{chosen}");
        let is_new = !self.typed.contains_key(&pointer) && !self.was_laid_out(&pointer);
        let held = if is_new { self.schema.blank(inner) } else { self.value(inner, &pointer) };
        Value::Object([(chosen.to_owned(), held)].into_iter().collect())
    }

    fn list(&mut self, schema: &'a Value, pointer: &str, is_optional: bool) -> Value {
        if let Some(items) = schema["prefixItems"].as_array() {
            let pair = items.iter().enumerate();
            return pair.map(|(nth, item)| self.value(item, &format!("{pointer}/{nth}"))).collect();
        }
        if is_optional && !self.is_on(pointer) {
            return Value::Null;
        }
        let rows = self.rows(pointer);
        let item = &schema["items"];
        let mut values: Vec<Value> =
            rows.into_iter().map(|nth| self.value(item, &format!("{pointer}/{nth}"))).collect();
        if self.adds_to(pointer) {
            values.push(self.schema.blank(item));
        }
        if let Some((from, to)) = self.moved_in(pointer)
            && from.max(to) < values.len()
        {
            let moved = values.remove(from);
            values.insert(to, moved);
        }
        Value::Array(values)
    }

    fn map(&mut self, schema: &'a Value, pointer: &str) -> Value {
        let inner = &schema["additionalProperties"];
        let mut values = Map::new();
        for nth in self.rows(pointer) {
            let key = self.typed.get(&format!("{pointer}/{nth}/key")).cloned().unwrap_or_default();
            let value = self.value(inner, &format!("{pointer}/{nth}/value"));
            values.insert(key, value);
        }
        if self.adds_to(pointer) {
            values.insert(String::new(), self.schema.blank(inner));
        }
        Value::Object(values)
    }

    /// Rows that are there, without the one that is to be removed.
    fn rows(&self, pointer: &str) -> Vec<usize> {
        let count = self.typed.get(&format!("{pointer}#")).and_then(|count| count.parse().ok());
        let removed = self.typed.get("do").and_then(|what| what.strip_prefix("remove:"));
        (0..count.unwrap_or(0).min(MOST_ROWS))
            .filter(|nth| removed != Some(format!("{pointer}/{nth}").as_str()))
            .collect()
    }

    /// A row of this list that is moved: from which place to which.
    fn moved_in(&self, pointer: &str) -> Option<(usize, usize)> {
        let what = self.typed.get("do")?.strip_prefix("move:")?;
        let (from, to) = what.strip_prefix(pointer)?.strip_prefix(':')?.split_once(':')?;
        Some((from.parse().ok()?, to.parse().ok()?))
    }

    fn adds_to(&self, pointer: &str) -> bool {
        self.typed.get("do").and_then(|what| what.strip_prefix("add:")) == Some(pointer)
    }

    fn number(&mut self, kind: &str, pointer: &str, is_optional: bool) -> Value {
        let typed = self.typed.get(pointer).map_or("", |typed| typed.trim());
        if typed.is_empty() && is_optional {
            return Value::Null;
        }
        let plain = typed.replace('−', "-").replace(',', ".");
        let number = if kind == "integer" {
            plain.parse::<i64>().ok().map(Value::from)
        } else {
            plain.parse::<f64>().ok().filter(|number| number.is_finite()).map(Value::from)
        };
        number.unwrap_or_else(|| {
            let whole = if kind == "integer" { "a whole number" } else { "a number" };
            let message = match typed {
                "" => format!("Needs {whole}."),
                typed => format!("“{typed}” is not {whole}."),
            };
            self.wrong.insert(pointer.to_owned(), message);
            Value::from(typed)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::super::{FieldKind, lay_out};
    use super::*;
    use barometer_strategy::{Strategy, field_words};

    /// What a browser sends for a form that nobody touched.
    fn untouched(fields: &[super::super::Field]) -> Typed {
        let mut typed = Typed::new();
        for field in fields {
            let value = match &field.kind {
                FieldKind::Heading { .. } => continue,
                FieldKind::List { count, .. } => count.to_string(),
                FieldKind::Text { value, .. } | FieldKind::Hidden { value } => value.clone(),
                FieldKind::Check { is_on: false, .. } => continue,
                FieldKind::Check { .. } => "on".to_owned(),
                FieldKind::Select { options, .. } => {
                    let chosen = options.iter().find(|option| option.is_chosen);
                    chosen.or(options.first()).unwrap().value.clone()
                }
            };
            typed.insert(field.name.clone(), value);
        }
        typed
    }

    /// Every kind of step there is, filled with what a blank form holds.
    #[test]
    fn a_form_that_nobody_touched_is_the_value_it_was_laid_out_from() {
        let root = Strategy::schema();
        let ids = BTreeMap::new();
        let schema = Schema { root: &root, ids: &ids, words: field_words, hints: &[], keeps: &[] };
        let step = schema.definition("Step");
        for kind in variants(schema.definition("StepKind")).unwrap() {
            let does = serde_json::json!({ kind.name: schema.blank(kind.inner.unwrap()) });
            let value = serde_json::json!({ "id": "one", "name": "One", "does": does });
            let fields = lay_out(schema, step, &value, &BTreeMap::new());
            let (back, wrong) = read(schema, step, &untouched(&fields));
            assert_eq!((back, wrong), (value, BTreeMap::new()), "{}", kind.name);
        }
    }

    #[test]
    fn a_way_is_chosen_in_one_list_and_a_kind_that_is_kept_is_no_field() {
        let root = Strategy::schema();
        let ids = BTreeMap::from([("step", vec![("q".to_owned(), "A queue".to_owned())])]);
        let keeps = ["/does"];
        let schema =
            Schema { root: &root, ids: &ids, words: field_words, hints: &[], keeps: &keeps };
        let step = schema.definition("Step");
        let gate = serde_json::json!({ "id": "g", "name": "G", "does": { "hours_gate": {
            "zone": null, "hours": [], "exceptions": [], "open": { "step": "q" },
            "closed": { "step": "gone" },
        } } });
        let fields = lay_out(schema, step, &gate, &BTreeMap::new());
        let options = |name: &str| -> Vec<(String, bool)> {
            let field = fields.iter().find(|field| field.name == name).unwrap();
            let FieldKind::Select { options, redraws: false } = &field.kind else {
                panic!("{name} is chosen in one list")
            };
            options.iter().map(|option| (option.name.clone(), option.is_chosen)).collect()
        };
        let open = options("/does/hours_gate/open?");
        assert!(open.contains(&("A queue".to_owned(), true)), "{open:?}");
        assert!(open.contains(&("busy tone".to_owned(), false)), "{open:?}");
        let closed = options("/does/hours_gate/closed?");
        assert!(closed.contains(&("choose …".to_owned(), true)), "{closed:?}");
        assert!(fields.iter().any(|field| matches!(field.kind, FieldKind::Hidden { .. })));
        let (back, wrong) = read(schema, step, &untouched(&fields));
        assert_eq!((back, wrong), (gate, BTreeMap::new()));
    }

    #[test]
    fn what_a_form_only_carries_is_no_field_and_comes_back_as_it_was() {
        let root = Strategy::schema();
        let ids = BTreeMap::new();
        let schema = Schema { root: &root, ids: &ids, words: field_words, hints: &[], keeps: &[] };
        let list = schema.definition("CampaignList");
        let groups = serde_json::json!([{ "people": 3, "zone": "UTC" }]);
        let value = serde_json::json!({
            "people": 3, "zones": [], "imported": { "number": 1, "name": "A", "groups": groups }
        });
        let fields = lay_out(schema, list, &value, &BTreeMap::new());
        let carried = fields.iter().find(|field| field.name == "/imported").unwrap();
        assert!(matches!(carried.kind, FieldKind::Hidden { .. }));
        assert!(!fields.iter().any(|field| field.name.contains("groups")));
        assert_eq!(read(schema, list, &untouched(&fields)), (value, BTreeMap::new()));
        let mut broken = untouched(&fields);
        broken.insert("/imported".to_owned(), "no JSON".to_owned());
        assert_eq!(read(schema, list, &broken).0["imported"], "no JSON");
    }

    #[test]
    fn rows_are_added_and_removed_and_what_is_no_number_comes_back_as_typed() {
        let root = Strategy::schema();
        let ids = BTreeMap::new();
        let schema = Schema { root: &root, ids: &ids, words: field_words, hints: &[], keeps: &[] };
        let step = schema.definition("Step");
        let menu = serde_json::json!({ "id": "m", "name": "M", "does": { "menu": {
            "time": { "constant": { "secs": 5.0 } },
            "choices": [
                { "name": "One", "share": 0.5, "next": "release" },
                { "name": "Two", "share": 0.3, "next": { "step": "m" } },
            ],
            "retries": 1,
            "no_choice": "busy_tone",
        } } });
        let mut typed = untouched(&lay_out(schema, step, &menu, &BTreeMap::new()));
        typed.insert("do".to_owned(), "remove:/does/menu/choices/0".to_owned());
        let (fewer, _) = read(schema, step, &typed);
        assert_eq!(fewer["does"]["menu"]["choices"][0]["name"], "Two");
        assert_eq!(fewer["does"]["menu"]["choices"].as_array().unwrap().len(), 1);
        typed.insert("do".to_owned(), "add:/does/menu/choices".to_owned());
        typed.insert("/does/menu/retries".to_owned(), "often".to_owned());
        let (more, wrong) = read(schema, step, &typed);
        assert_eq!(more["does"]["menu"]["choices"].as_array().unwrap().len(), 3);
        assert_eq!(more["does"]["menu"]["retries"], "often");
        assert_eq!(wrong["/does/menu/retries"], "“often” is not a whole number.");
        typed.insert("do".to_owned(), "move:/does/menu/choices:1:0".to_owned());
        typed.insert("/does/menu/choices/1/next?".to_owned(), "step:m".to_owned());
        let (moved, _) = read(schema, step, &typed);
        let rows = &moved["does"]["menu"]["choices"];
        assert_eq!((&rows[0]["name"], &rows[1]["name"]), (&"Two".into(), &"One".into()));
        assert_eq!(rows[0]["next"], serde_json::json!({ "step": "m" }));
        typed.insert("do".to_owned(), "move:/does/menu/choices:1:2".to_owned());
        let (stays, _) = read(schema, step, &typed);
        assert_eq!(stays["does"]["menu"]["choices"][1]["name"], "Two", "nothing is below it");
        typed.insert("/does/menu/time?".to_owned(), "gamma".to_owned());
        let (other, _) = read(schema, step, &typed);
        assert!(other["does"]["menu"]["time"]["gamma"]["mean_secs"].is_number(), "{other}");
    }
}
