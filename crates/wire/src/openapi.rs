//! The interface for machines, as OpenAPI 3.1.

use schemars::SchemaGenerator;
use schemars::generate::SchemaSettings;
use serde_json::{Value, json};

use crate::{
    Accepted, Conduct, DayPlan, IntervalPage, Live, Refusal, Release, StaffingPage, SwitchState,
    paths,
};

/// Schemas as OpenAPI keeps them.
pub(crate) fn schemas() -> SchemaGenerator {
    let settings = SchemaSettings::draft2020_12().with(|settings| {
        settings.definitions_path = "/components/schemas".into();
        settings.meta_schema = None;
    });
    settings.into_generator()
}

/// The interface as an OpenAPI document; its schemas are those of the documents of this crate.
pub fn openapi() -> Value {
    let mut schemas = schemas();
    let mut of = |name: &str| -> Value {
        let schema = match name {
            "Release" => schemas.subschema_for::<Release>(),
            "Accepted" => schemas.subschema_for::<Accepted>(),
            "Live" => schemas.subschema_for::<Live>(),
            "DayPlan" => schemas.subschema_for::<DayPlan>(),
            "SwitchState" => schemas.subschema_for::<SwitchState>(),
            "IntervalPage" => schemas.subschema_for::<IntervalPage>(),
            "StaffingPage" => schemas.subschema_for::<StaffingPage>(),
            "Conduct" => schemas.subschema_for::<Conduct>(),
            _ => schemas.subschema_for::<Refusal>(),
        };
        schema.to_value()
    };
    let refusal = of("Refusal");
    let mut answer = |name: &str, says: &str| json!({ "description": says, "content": { "application/json": { "schema": of(name) } } });
    let refused = |says: &str| json!({ "description": says, "content": { "application/json": { "schema": refusal } } });
    let unknown = refused("The token is missing or wrong");
    let away = refused("The switch is out of order: ask again");
    let number = json!({ "name": "number", "in": "path", "required": true, "schema": { "type": "integer", "minimum": 1 } });
    let date = json!({ "name": "date", "in": "path", "required": true, "schema": { "type": "string", "format": "date" } });
    let (accepted, live) = (answer("Accepted", "It is live"), answer("Live", "What is live"));
    let state = answer("SwitchState", "What is true now");
    let page = answer("IntervalPage", "The rows after the one that was named");
    let staffing = answer("StaffingPage", "The rows after the one that was named");
    let conduct = answer("Conduct", "How the stand-in behaves");
    let (release, plan, told) =
        (answer("Release", ""), answer("DayPlan", ""), answer("Conduct", ""));
    let body = |of: &Value| json!({ "required": true, "content": of["content"] });
    let query = |name: &str, says: &str| json!({ "name": name, "in": "query", "required": false, "description": says, "schema": { "type": "integer", "minimum": 0 } });
    let rows = json!([
        query("after", "The number of the last row that was taken; 0 at first"),
        query("limit", "Rows at most; 1000 unless told otherwise")
    ]);
    let below = |path: &str, parameter: &str| format!("{path}/{{{parameter}}}");
    let mut paths = json!({
        paths::LIVE: { "get": {
            "summary": "What is live on the switch",
            "responses": { "200": live, "401": unknown, "503": away } } },
        paths::STATE: { "get": {
            "summary": "What is true on the switch now",
            "responses": { "200": state, "401": unknown, "503": away } } },
        paths::INTERVALS: { "get": {
            "summary": "Intervals that are over, each told once",
            "parameters": rows,
            "responses": { "200": page, "401": unknown, "503": away } } },
        paths::STAFFING: { "get": {
            "summary": "Who was on shift in intervals that are over, each told once",
            "parameters": rows,
            "responses": { "200": staffing, "401": unknown, "503": away } } },
        paths::EVENTS: { "get": {
            "summary": "The state each second, and what contacts and agents do, as server-sent events",
            "responses": {
                "200": { "description": "Events named state, contact and agent", "content": { "text/event-stream": {} } },
                "401": unknown, "503": away } } },
        paths::CONDUCT: {
            "get": { "summary": "Of the stand-in alone: how it behaves", "responses": { "200": conduct, "401": unknown } },
            "post": { "summary": "Of the stand-in alone: its clock, and what goes wrong", "requestBody": body(&told),
                "responses": { "200": conduct, "401": unknown, "422": refused("It cannot behave like that") } } },
    });
    paths[below(paths::RELEASES, "number")] = json!({ "put": {
        "summary": "Makes a strategy live; the same release again changes nothing",
        "parameters": [number],
        "requestBody": body(&release),
        "responses": {
            "200": accepted, "401": unknown, "503": away,
            "409": refused("The number stands for another strategy, or a later release is live"),
            "422": refused("The switch cannot do what the strategy says") } } });
    paths[below(paths::DAYS, "date")] = json!({ "put": {
        "summary": "The plan of a day; the same plan again changes nothing",
        "parameters": [date],
        "requestBody": body(&plan),
        "responses": {
            "200": { "description": "It is known" }, "401": unknown, "503": away,
            "422": refused("The plan does not add up") } } });
    json!({
        "openapi": "3.1.0",
        "info": {
            "title": "Telephone switch",
            "version": "1",
            "description": "What Barometer asks of a telephone switch, and what it tells one. Every request can be repeated."
        },
        "security": [{ "token": [] }],
        "paths": paths,
        "components": {
            "securitySchemes": { "token": { "type": "http", "scheme": "bearer" } },
            "schemas": schemas.take_definitions(true)
        }
    })
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;

    /// Every `$ref` of a document.
    pub(crate) fn references<'a>(of: &'a Value, found: &mut Vec<&'a str>) {
        match of {
            Value::Object(fields) => {
                found.extend(fields.get("$ref").and_then(Value::as_str));
                fields.values().for_each(|each| references(each, found));
            }
            Value::Array(all) => all.iter().for_each(|each| references(each, found)),
            _ => {}
        }
    }

    #[test]
    fn the_document_in_docs_is_this_one() {
        let kept = include_str!("../../../docs/switch-interface.json");
        let kept: Value = serde_json::from_str(kept).expect("docs/switch-interface.json is JSON");
        assert_eq!(kept, openapi(), "write it anew: barometer switch --openapi");
    }

    #[test]
    fn every_schema_that_is_named_is_there() {
        let document = openapi();
        let mut found = Vec::new();
        references(&document, &mut found);
        assert!(found.len() > 20);
        for reference in found {
            let pointer = reference.trim_start_matches('#');
            assert!(document.pointer(pointer).is_some(), "{reference} leads nowhere");
        }
        assert!(document["paths"]["/v1/releases/{number}"]["put"]["requestBody"].is_object());
    }
}
