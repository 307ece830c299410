//! From a value to the fields of its form.

use std::collections::BTreeMap;

use serde_json::Value;

use super::{Field, FieldKind, Schema, SelectOption, hint_of, type_of, variants};

/// The fields of `value`, with messages beside those that are wrong.
pub(crate) fn lay_out<'a>(
    schema: Schema<'a>,
    part: &'a Value,
    value: &Value,
    wrong: &BTreeMap<String, String>,
) -> Vec<Field> {
    let mut form = Form { schema, wrong, fields: Vec::new() };
    form.fields_of(part, value, "", 0);
    form.fields
}

struct Form<'a, 'b> {
    schema: Schema<'a>,
    wrong: &'b BTreeMap<String, String>,
    fields: Vec<Field>,
}

impl<'a> Form<'a, '_> {
    /// The fields of an object, one after the other.
    fn fields_of(&mut self, part: &'a Value, value: &Value, pointer: &str, depth: usize) {
        let (part, _) = self.schema.resolved(part);
        for (field, inner) in in_written_order(part) {
            let label = (self.schema.words)(field);
            let pointer = format!("{pointer}/{field}");
            self.field(inner, &value[field.as_str()], field, (&pointer, &label), depth);
        }
    }

    fn field(
        &mut self,
        part: &'a Value,
        value: &Value,
        field: &str,
        (pointer, label): (&str, &str),
        depth: usize,
    ) {
        let hint = hint_of(part);
        let (schema, is_optional) = self.schema.resolved(part);
        if let Some(variants) = variants(schema) {
            let names = variants.iter().map(|variant| variant.name);
            return self.choice(
                schema,
                names.collect(),
                value,
                (pointer, label, hint),
                is_optional,
                depth,
            );
        }
        match type_of(schema) {
            "object" if schema["properties"].is_object() => {
                self.part(schema, value, (pointer, label, hint), is_optional, depth);
            }
            "object" => self.map(schema, value, (pointer, label, hint), depth),
            "array" => self.list(schema, value, (pointer, label, hint), is_optional, depth),
            "boolean" => {
                let is_on = value.as_bool().unwrap_or(false);
                self.push(pointer, label, hint, depth, FieldKind::Check { is_on, redraws: false });
            }
            kind => {
                let is_number = matches!(kind, "integer" | "number");
                let value = shown(value);
                let kind = match self.schema.ids.get(field) {
                    Some(ids) => select(ids, &value),
                    None => FieldKind::Text { value, is_number },
                };
                self.push(pointer, label, hint, depth, kind);
            }
        }
    }

    fn choice(
        &mut self,
        schema: &'a Value,
        names: Vec<&str>,
        value: &Value,
        (pointer, label, hint): (&str, &str, String),
        is_optional: bool,
        depth: usize,
    ) {
        let chosen = match value {
            Value::Object(held) => held.keys().next().map_or("", String::as_str),
            other => other.as_str().unwrap_or_default(),
        };
        let option = |name: &str, words: String| SelectOption {
            value: name.to_owned(),
            name: words,
            is_chosen: name == chosen,
        };
        let nothing = is_optional.then(|| option("", "no, nothing".to_owned()));
        let ways = names.into_iter().map(|name| option(name, (self.schema.words)(name)));
        let options = nothing.into_iter().chain(ways).collect();
        let kind = FieldKind::Select { options, redraws: true };
        self.push(&format!("{pointer}?"), label, hint, depth, kind);
        let held = variants(schema).into_iter().flatten().find(|variant| variant.name == chosen);
        if let Some(inner) = held.and_then(|variant| variant.inner) {
            let pointer = format!("{pointer}/{chosen}");
            let (resolved, _) = self.schema.resolved(inner);
            if resolved["properties"].is_object() {
                self.fields_of(inner, &value[chosen], &pointer, depth + 1);
            } else {
                let label = (self.schema.words)(chosen);
                self.field(inner, &value[chosen], chosen, (&pointer, &label), depth + 1);
            }
        }
    }

    /// A part of its own, which may be left out.
    fn part(
        &mut self,
        schema: &'a Value,
        value: &Value,
        (pointer, label, hint): (&str, &str, String),
        is_optional: bool,
        depth: usize,
    ) {
        if is_optional {
            let is_on = !value.is_null();
            let kind = FieldKind::Check { is_on, redraws: true };
            self.push(&format!("{pointer}!"), label, hint, depth, kind);
            if !is_on {
                return;
            }
        } else {
            self.push(pointer, label, hint, depth, FieldKind::Heading { removes: false });
        }
        self.fields_of(schema, value, pointer, depth + 1);
    }

    fn list(
        &mut self,
        schema: &'a Value,
        value: &Value,
        (pointer, label, hint): (&str, &str, String),
        is_optional: bool,
        depth: usize,
    ) {
        if let Some(items) = schema["prefixItems"].as_array() {
            for (nth, (item, words)) in items.iter().zip(["from", "until"]).enumerate() {
                let pointer = format!("{pointer}/{nth}");
                self.field(item, &value[nth], words, (&pointer, words), depth);
            }
            return;
        }
        if is_optional {
            let is_on = !value.is_null();
            let kind = FieldKind::Check { is_on, redraws: true };
            self.push(&format!("{pointer}!"), label, hint.clone(), depth, kind);
            if !is_on {
                return;
            }
        }
        let items = value.as_array().map(Vec::as_slice).unwrap_or_default();
        let count = items.len();
        let kind = FieldKind::List { count, label: label.to_owned() };
        self.push(&format!("{pointer}#"), label, hint, depth, kind);
        let item = &schema["items"];
        let (resolved, _) = self.schema.resolved(item);
        let is_part = resolved["properties"].is_object();
        for (nth, value) in items.iter().enumerate() {
            let pointer = format!("{pointer}/{nth}");
            let row = format!("{label} {}", nth + 1);
            let kind = FieldKind::Heading { removes: true };
            self.push(&pointer, &row, String::new(), depth + 1, kind);
            if is_part {
                self.fields_of(item, value, &pointer, depth + 2);
            } else {
                self.field(item, value, "", (&pointer, &row), depth + 2);
            }
        }
    }

    /// Values by names that the planner writes.
    fn map(
        &mut self,
        schema: &'a Value,
        value: &Value,
        (pointer, label, hint): (&str, &str, String),
        depth: usize,
    ) {
        let rows = value.as_object();
        let count = rows.map_or(0, serde_json::Map::len);
        let kind = FieldKind::List { count, label: label.to_owned() };
        self.push(&format!("{pointer}#"), label, hint, depth, kind);
        for (nth, (key, value)) in rows.into_iter().flatten().enumerate() {
            let pointer = format!("{pointer}/{nth}");
            let row = format!("{label} {}", nth + 1);
            let kind = FieldKind::Heading { removes: true };
            self.push(&pointer, &row, String::new(), depth + 1, kind);
            let of = match self.schema.ids.get("line").filter(|_| pointer.contains("/ranks")) {
                Some(lines) => select(lines, key),
                None => FieldKind::Text { value: key.clone(), is_number: false },
            };
            self.push(&format!("{pointer}/key"), "of", String::new(), depth + 2, of);
            let inner = &schema["additionalProperties"];
            self.field(inner, value, "", (&format!("{pointer}/value"), "is"), depth + 2);
        }
    }

    fn push(&mut self, name: &str, label: &str, hint: String, depth: usize, kind: FieldKind) {
        let plain = name.trim_end_matches(['?', '!', '#']);
        self.fields.push(Field {
            name: name.to_owned(),
            label: crate::words::capitalised(label),
            hint,
            depth,
            kind,
            wrong: self.wrong.get(plain).cloned(),
        });
    }
}

/// Fields in the order in which they were written, which the schema's own order is not.
fn in_written_order(part: &Value) -> impl Iterator<Item = (&String, &Value)> {
    part["properties"].as_object().into_iter().flatten()
}

fn select(ids: &[(String, String)], chosen: &str) -> FieldKind {
    let known = ids.iter().any(|(id, _)| id == chosen);
    let unknown = (!known).then(|| (chosen.to_owned(), "choose …".to_owned()));
    let options = unknown.into_iter().chain(ids.iter().cloned());
    let option =
        |(value, name): (String, String)| SelectOption { is_chosen: value == chosen, value, name };
    FieldKind::Select { options: options.map(option).collect(), redraws: false }
}

fn shown(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        other => other.to_string().trim_end_matches(".0").to_owned(),
    }
}
