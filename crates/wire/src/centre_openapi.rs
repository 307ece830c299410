//! The centre's interface for scripts, as OpenAPI 3.1.

use barometer_strategy::Strategy;
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::{Value, json};

use crate::Refusal;
use crate::centre::{Board, ContactTypeLine, HistoryTaken, SheetLine, VersionLine, paths};
use crate::openapi::schemas;

/// The interface as an OpenAPI document.
pub fn centre_openapi() -> Value {
    let mut schemas = schemas();
    let refused = answer::<Refusal>(&mut schemas, "Refused; the message says why");
    let unknown = json!({ "401": refused });
    let with = |answers: Value| {
        let mut all = unknown.clone();
        if let (Value::Object(all), Value::Object(more)) = (&mut all, answers) {
            all.extend(more);
        }
        all
    };
    let get = |summary: &str, taken: Value| json!({ "get": { "summary": summary, "responses": with(taken) } });
    let types = answer::<Vec<ContactTypeLine>>(&mut schemas, "Contact types");
    let versions = answer::<Vec<VersionLine>>(&mut schemas, "Versions, the newest first");
    let sheets = answer::<Vec<SheetLine>>(&mut schemas, "Change sheets, the newest first");
    let board = answer::<Board>(&mut schemas, "The board");
    let taken = answer::<HistoryTaken>(&mut schemas, "What was saved");
    let not_taken = answer::<HistoryTaken>(&mut schemas, "Nothing was saved, and why");
    let strategy = answer::<Strategy>(&mut schemas, "The strategy");
    let sheet = json!({ "description": "The sheet; docs/change-sheets.md describes it", "content": { "application/json": { "schema": { "type": "object" } } } });
    let lost = &refused;
    let mut described = json!({
        paths::CONTACT_TYPES: get("Contact types with their targets", json!({ "200": types })),
        paths::STRATEGIES: get("The versions of the strategy", json!({ "200": versions })),
        paths::SHEETS: get("Change sheets", json!({ "200": sheets })),
        paths::BOARD: get("The board of the day, in figures", json!({ "200": board, "503": lost })),
        paths::HISTORY: { "put": {
            "summary": "History in: all rows, or none of them; the same rows again change nothing",
            "parameters": [{ "name": "contact_type", "in": "query", "required": false, "schema": { "type": "string" },
                "description": "Whose contacts the rows count, where no column says so" }],
            "requestBody": { "required": true, "content": {
                "text/csv": {}, "application/json": { "schema": { "type": "array", "items": { "type": "object" } } } } },
            "responses": with(json!({ "200": taken, "413": not_taken, "422": not_taken })) } },
    });
    let below = |path: &str, parameter: &str| format!("{path}/{{{parameter}}}");
    let one = |summary: &str, name: &str, schema: Value, found: Value| {
        let mut described = get(summary, json!({ "200": found, "404": lost }));
        described["get"]["parameters"] =
            json!([{ "name": name, "in": "path", "required": true, "schema": schema }]);
        described
    };
    described[below(paths::STRATEGIES, "version")] = one(
        "A version of the strategy, as the strategy page exports it",
        "version",
        json!({ "anyOf": [{ "type": "integer", "minimum": 1 }, { "const": "live" }] }),
        strategy,
    );
    described[below(paths::SHEETS, "number")] = one(
        "A change sheet with its evidence, as `barometer verify` takes it",
        "number",
        json!({ "type": "integer", "minimum": 1 }),
        sheet,
    );
    json!({
        "openapi": "3.1.0",
        "info": {
            "title": "Barometer: the centre's interface",
            "version": "1",
            "description": "What scripts send and ask for, with a token that an administrator makes under People. A token may do what the person who made it may do.",
        },
        "security": [{ "token": [] }],
        "paths": described,
        "components": {
            "securitySchemes": { "token": { "type": "http", "scheme": "bearer" } },
            "schemas": schemas.take_definitions(true),
        },
    })
}

fn answer<T: JsonSchema>(schemas: &mut SchemaGenerator, says: &str) -> Value {
    let schema = schemas.subschema_for::<T>().to_value();
    json!({ "description": says, "content": { "application/json": { "schema": schema } } })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::openapi::tests::references;

    #[test]
    fn the_document_in_docs_is_this_one() {
        let kept = include_str!("../../../docs/centre-interface.json");
        let kept: Value = serde_json::from_str(kept).expect("docs/centre-interface.json is JSON");
        assert_eq!(kept, centre_openapi(), "write it anew: barometer schema centre-interface");
    }

    #[test]
    fn every_schema_that_is_named_is_there() {
        let document = centre_openapi();
        let mut found = Vec::new();
        references(&document, &mut found);
        assert!(found.len() > 10);
        for reference in found {
            let pointer = reference.trim_start_matches('#');
            assert!(document.pointer(pointer).is_some(), "{reference} leads nowhere");
        }
    }
}
