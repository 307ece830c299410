//! From a value to the fields of its form.

use std::collections::BTreeMap;

use serde_json::Value;

use super::{Field, FieldKind, Row, Schema, SelectOption, hint_of, is_carried, type_of, variants};

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
        if is_carried(part) {
            let kind = FieldKind::Hidden { value: value.to_string() };
            return self.push(pointer, label, hint, depth, kind);
        }
        let (schema, is_optional) = self.schema.resolved(part);
        if let Some(variants) = variants(schema) {
            if self.schema.keeps.contains(&pointer) {
                return self.kept(schema, value, pointer, depth);
            }
            if variants.iter().any(|variant| self.schema.ids_of(variant).is_some()) {
                let kind = self.one_of(&variants, value, is_optional);
                return self.push(&format!("{pointer}?"), label, hint, depth, kind);
            }
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
            // A kind that has no settings of its own.
            "object" if schema["additionalProperties"] == Value::Bool(false) => {}
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
                    None => FieldKind::Text { value, is_number, row: None },
                };
                self.push(pointer, label, hint, depth, kind);
            }
        }
    }

    /// Everything that can be chosen in one list: where to go, or whom.
    fn one_of(
        &self,
        variants: &[super::Variant<'_>],
        value: &Value,
        is_optional: bool,
    ) -> FieldKind {
        let mut options = Vec::new();
        if is_optional {
            let name = "no, nothing".to_owned();
            options.push(SelectOption { value: String::new(), name, is_chosen: value.is_null() });
        }
        for variant in variants {
            match self.schema.ids_of(variant) {
                Some(ids) => {
                    let chosen = value[variant.name].as_str();
                    let known = ids.iter().any(|(id, _)| Some(id.as_str()) == chosen);
                    if let Some(id) = chosen.filter(|_| !known) {
                        let name = "choose …".to_owned();
                        let value = format!("{}:{id}", variant.name);
                        options.push(SelectOption { value, name, is_chosen: true });
                    }
                    options.extend(ids.iter().map(|(id, name)| SelectOption {
                        value: format!("{}:{id}", variant.name),
                        name: name.clone(),
                        is_chosen: chosen == Some(id),
                    }));
                }
                None => options.push(SelectOption {
                    value: variant.name.to_owned(),
                    name: (self.schema.words)(variant.name),
                    is_chosen: value.as_str() == Some(variant.name),
                }),
            }
        }
        FieldKind::Select { options, redraws: false }
    }

    /// A kind that is no setting: only what it holds is laid out.
    fn kept(&mut self, schema: &'a Value, value: &Value, pointer: &str, depth: usize) {
        let kinds = variants(schema).into_iter().flatten();
        let held = kinds
            .filter(|variant| !value[variant.name].is_null())
            .find_map(|variant| Some((variant.name, variant.inner?)));
        let Some((name, inner)) = held else { return };
        let kind = FieldKind::Hidden { value: name.to_owned() };
        self.push(&format!("{pointer}?"), name, String::new(), depth, kind);
        self.fields_of(inner, &value[name], &format!("{pointer}/{name}"), depth);
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
            self.push(pointer, label, hint, depth, FieldKind::Heading { row: None });
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
            let row = Row { place: Some((nth, count)) };
            if is_part {
                let name = match self.named(value) {
                    Some(name) => format!("{}. {name}", nth + 1),
                    None => format!("{label} {}", nth + 1),
                };
                let kind = FieldKind::Heading { row: Some(row) };
                self.push(&pointer, &name, String::new(), depth + 1, kind);
                self.fields_of(item, value, &pointer, depth + 2);
            } else {
                let words = format!("{label} {}", nth + 1);
                self.field(item, value, "", (&pointer, &words), depth + 1);
                self.can_go(&pointer, &words, row, depth + 1);
            }
        }
    }

    /// What a row of a list is called: by its own name, or by that of whom it stands for.
    fn named(&self, value: &Value) -> Option<String> {
        let own =
            ["name", "label", "skill", "channel"].iter().find_map(|field| value[field].as_str());
        let stands_for = || {
            let (kind, id) = value["who"].as_object()?.iter().next()?;
            let ids = self.schema.ids.get(kind.as_str())?;
            let id = id.as_str()?;
            let name = ids.iter().find(|(other, _)| other == id).map(|(_, name)| name.as_str());
            Some(name.unwrap_or(id))
        };
        own.or_else(stands_for).filter(|name| !name.is_empty()).map(str::to_owned)
    }

    /// Lets the field that was laid out last be a row that can go; a heading above it where it is no text.
    fn can_go(&mut self, pointer: &str, label: &str, of: Row, depth: usize) {
        match self.fields.last_mut().filter(|field| field.name == pointer) {
            Some(Field { kind: FieldKind::Text { row, .. }, .. }) => *row = Some(of),
            _ => {
                let first = self.fields.iter().position(|field| {
                    field.name.trim_end_matches(['?', '!', '#']) == pointer
                        || field.name.starts_with(&format!("{pointer}/"))
                });
                let kind = FieldKind::Heading { row: Some(of) };
                self.push(pointer, label, String::new(), depth, kind);
                if let (Some(first), Some(heading)) = (first, self.fields.pop()) {
                    self.fields.insert(first, heading);
                }
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
            let is_row = Row { place: None };
            let kind = FieldKind::Heading { row: Some(is_row) };
            self.push(&pointer, &row, String::new(), depth + 1, kind);
            let of = match self.schema.ids.get("line").filter(|_| pointer.contains("/ranks")) {
                Some(lines) => select(lines, key),
                None => FieldKind::Text { value: key.clone(), is_number: false, row: None },
            };
            self.push(&format!("{pointer}/key"), "of", String::new(), depth + 2, of);
            let inner = &schema["additionalProperties"];
            self.field(inner, value, "", (&format!("{pointer}/value"), "is"), depth + 2);
        }
    }

    fn push(&mut self, name: &str, label: &str, hint: String, depth: usize, kind: FieldKind) {
        let plain = name.trim_end_matches(['?', '!', '#']);
        let own = self.schema.hints.iter().find(|(end, _)| plain.ends_with(end));
        self.fields.push(Field {
            name: name.to_owned(),
            label: crate::words::capitalised(label),
            hint: own.map_or(hint, |(_, own)| (*own).to_owned()),
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
