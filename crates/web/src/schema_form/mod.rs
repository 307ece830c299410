//! A form for any part of a JSON Schema: fields laid out from a value, a value read back from what
//! was typed. So every setting of a strategy has its field, and a new one gets it by being written.
//!
//! Fields are named by their place in the value, as a JSON pointer (`/does/queue/places`). Beside it,
//! `?` names the chosen variant of an enum, `!` says that an optional part is there, `#` counts the
//! rows of a list.

mod laid_out;
mod typed;

use std::collections::BTreeMap;

use serde_json::Value;

pub(crate) use laid_out::lay_out;
pub(crate) use typed::{Typed, read};

/// One line of a form.
pub(crate) struct Field {
    /// Name of the field, and what tells it from others.
    pub name: String,
    pub label: String,
    /// What it means.
    pub hint: String,
    /// How far it is set in: parts of parts.
    pub depth: usize,
    pub kind: FieldKind,
    pub wrong: Option<String>,
}

/// What a line is for.
pub(crate) enum FieldKind {
    /// The beginning of a part; a row of a list can be removed, and moved up or down.
    Heading {
        row: Option<Row>,
    },
    /// The number of rows of a list, and a button for one more.
    List {
        count: usize,
        label: String,
    },
    Text {
        value: String,
        is_number: bool,
        /// Where it is a row of a list by itself.
        row: Option<Row>,
    },
    /// What stays as it is.
    Hidden {
        value: String,
    },
    Check {
        is_on: bool,
        redraws: bool,
    },
    Select {
        options: Vec<SelectOption>,
        redraws: bool,
    },
}

/// A row of a list, which can be removed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Row {
    /// Its place, from 0, and how many there are, where their order can be changed.
    pub place: Option<(usize, usize)>,
}

pub(crate) struct SelectOption {
    pub value: String,
    pub name: String,
    pub is_chosen: bool,
}

impl Field {
    /// The row of a list that it is, if it is one.
    pub const fn row(&self) -> Option<Row> {
        match self.kind {
            FieldKind::Heading { row } | FieldKind::Text { row, .. } => row,
            _ => None,
        }
    }

    /// What moves it up or down among the rows of its list, if it can go there.
    pub fn moved(&self, is_up: bool) -> Option<String> {
        let (nth, count) = self.row()?.place?;
        let to = if is_up { nth.checked_sub(1)? } else { nth + 1 };
        let list = self.name.rsplit_once('/')?.0;
        (to < count).then(|| format!("move:{list}:{nth}:{to}"))
    }

    /// A name that can be an id in a page.
    pub fn id(&self) -> String {
        self.name.replace(|letter: char| !letter.is_ascii_alphanumeric(), "-")
    }
}

/// Whether a setting is no field: it goes through the form as JSON and comes back as it was.
fn is_carried(part: &Value) -> bool {
    part["x-form"] == "carried"
}

/// A schema and the definitions that it refers to.
#[derive(Clone, Copy)]
pub(crate) struct Schema<'a> {
    pub root: &'a Value,
    /// Ids that fields of a name can refer to, as pairs of id and name.
    pub ids: &'a BTreeMap<&'static str, Vec<(String, String)>>,
    /// Fields as people say them.
    pub words: fn(&str) -> String,
    /// What a field does, where a person is told more than the schema says: by the end of its pointer.
    pub hints: &'a [(&'a str, &'a str)],
    /// Enums whose kind is not for this form to change, by pointer.
    pub keeps: &'a [&'a str],
}

impl<'a> Schema<'a> {
    /// The definition of a type.
    pub fn definition(&self, name: &str) -> &'a Value {
        &self.root["$defs"][name]
    }

    /// What a schema really says, behind a reference; and whether nothing is allowed too.
    fn resolved(&self, schema: &'a Value) -> (&'a Value, bool) {
        if let Some(name) = schema["$ref"].as_str() {
            let name = name.rsplit('/').next().unwrap_or_default();
            return self.resolved(self.definition(name));
        }
        match schema["anyOf"].as_array().map(Vec::as_slice) {
            Some([inner, null]) if null["type"] == "null" => (self.resolved(inner).0, true),
            _ => {
                let types = schema["type"].as_array();
                (schema, types.is_some_and(|types| types.iter().any(|each| each == "null")))
            }
        }
    }

    /// A value to begin with.
    pub fn blank(&self, schema: &'a Value) -> Value {
        if let Some(default) = schema.get("default") {
            return default.clone();
        }
        let (schema, is_optional) = self.resolved(schema);
        if is_optional {
            return Value::Null;
        }
        if let Some(variants) = variants(schema) {
            // Where something simple will do, nothing has to be filled in.
            let simple = variants.iter().find(|variant| variant.inner.is_none());
            return simple
                .or(variants.first())
                .map_or(Value::Null, |variant| self.of_variant(variant));
        }
        match type_of(schema) {
            "object" => {
                let fields = schema["properties"].as_object().into_iter().flatten();
                fields.map(|(field, inner)| (field.clone(), self.blank(inner))).collect()
            }
            "array" => match schema["prefixItems"].as_array() {
                Some(items) => items.iter().map(|item| self.blank(item)).collect(),
                None => Value::Array(Vec::new()),
            },
            "boolean" => Value::Bool(false),
            "integer" => Value::from(schema["minimum"].as_u64().unwrap_or(0)),
            "number" => Value::from(0.0),
            _ => Value::from(""),
        }
    }

    fn of_variant(&self, variant: &Variant<'a>) -> Value {
        match variant.inner {
            None => Value::from(variant.name),
            Some(inner) => {
                Value::Object([(variant.name.to_owned(), self.blank(inner))].into_iter().collect())
            }
        }
    }
}

impl Schema<'_> {
    /// The ids among which a variant of an enum chooses, where that is all it holds: a step to go to, a team.
    fn ids_of(&self, variant: &Variant<'_>) -> Option<&[(String, String)]> {
        let holds_text = variant.inner.is_some_and(|inner| type_of(inner) == "string");
        self.ids.get(variant.name).filter(|_| holds_text).map(Vec::as_slice)
    }
}

/// One way of an enum.
struct Variant<'a> {
    name: &'a str,
    /// What it holds, if anything.
    inner: Option<&'a Value>,
}

fn variants(schema: &Value) -> Option<Vec<Variant<'_>>> {
    if let Some(names) = schema["enum"].as_array() {
        let names = names.iter().filter_map(Value::as_str);
        return Some(names.map(|name| Variant { name, inner: None }).collect());
    }
    let ways = schema["oneOf"].as_array()?.iter();
    Some(
        ways.flat_map(|way| {
            let constant = way["const"].as_str();
            let several = way["enum"].as_array().into_iter().flatten().filter_map(Value::as_str);
            let simple = constant.into_iter().chain(several);
            let held = way["properties"].as_object().into_iter().flatten();
            simple
                .map(|name| Variant { name, inner: None })
                .chain(held.map(|(name, inner)| Variant { name, inner: Some(inner) }))
        })
        .collect(),
    )
}

fn type_of(schema: &Value) -> &str {
    let plain = schema["type"].as_str();
    let several =
        || schema["type"].as_array()?.iter().filter_map(Value::as_str).find(|each| *each != "null");
    plain.or_else(several).unwrap_or("string")
}

/// The first sentence of what a schema says about itself.
fn hint_of(schema: &Value) -> String {
    schema["description"].as_str().unwrap_or_default().replace('\n', " ")
}
