//! The format of rulesets as a JSON Schema, with which editors complete, explain and check keys.

use edgeplane::rules::shape::{Key, RULESET, Shape, TableShape};
use serde_json::{Map, Value, json};

/// The schema, with one definition for each kind of table.
pub(crate) fn draw() -> Value {
    let mut tables = Map::new();
    define(&RULESET, &mut tables);
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A ruleset of edgeplane, format 1",
        "$ref": reference(&RULESET),
        "$defs": tables,
    })
}

fn reference(table: &TableShape) -> String {
    format!("#/$defs/{}", table.name)
}

/// Defines a table and all tables inside it.
fn define(table: &'static TableShape, tables: &mut Map<String, Value>) {
    if tables.contains_key(table.name) {
        return;
    }
    // Tables refer to each other: this one is registered before it is complete.
    tables.insert(table.name.to_owned(), Value::Null);
    let keys: Map<String, Value> = table.keys.iter().map(|key| (key.name.to_owned(), described(key, tables))).collect();
    let mut whole = json!({
        "description": table.about,
        "type": "object",
        "properties": keys,
        "additionalProperties": false,
    });
    if !table.needs.is_empty() {
        whole["required"] = json!(table.needs);
    }
    tables.insert(table.name.to_owned(), whole);
}

fn described(key: &Key, tables: &mut Map<String, Value>) -> Value {
    let mut value = taken(&key.takes, tables);
    value["description"] = json!(key.about);
    value
}

fn taken(shape: &Shape, tables: &mut Map<String, Value>) -> Value {
    match shape {
        Shape::Text | Shape::Condition => json!({ "type": "string" }),
        Shape::Flag => json!({ "type": "boolean" }),
        Shape::Formula => json!({ "type": ["number", "string"] }),
        Shape::FormulaWithin(least, most) => {
            let mut value = json!({ "type": ["number", "string"], "minimum": least });
            if most.is_finite() {
                value["maximum"] = json!(most);
            }
            value
        }
        Shape::Number(least, most) if *least == f64::MIN && *most == f64::MAX => json!({ "type": "number" }),
        Shape::Number(least, most) => json!({ "type": "number", "minimum": least, "maximum": most }),
        Shape::Whole(least, most) => json!({ "type": "integer", "minimum": least, "maximum": most }),
        Shape::Choice(words) => json!({ "enum": words }),
        Shape::Place => json!({ "type": "array", "items": { "type": "number" }, "minItems": 2, "maxItems": 2 }),
        Shape::Anything => json!({ "type": "object" }),
        Shape::List(items) => json!({ "type": "array", "items": taken(items, tables) }),
        Shape::ByName(each) => json!({ "type": "object", "additionalProperties": taken(each, tables) }),
        Shape::Table(table) => {
            define(table, tables);
            json!({ "$ref": reference(table) })
        }
        Shape::Either(shapes) => {
            json!({ "anyOf": shapes.iter().map(|shape| taken(shape, tables)).collect::<Vec<_>>() })
        }
    }
}
