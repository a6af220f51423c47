//! The schema of rulesets, checked against rulesets.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::{Value, json};

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

fn schema() -> Value {
    let output = Command::new(env!("CARGO_BIN_EXE_edgeplane")).arg("schema").output().unwrap();
    assert_eq!(output.status.code(), Some(0));
    serde_json::from_slice(&output.stdout).unwrap()
}

/// Every TOML file below a folder.
fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for path in fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if path.is_dir() {
            files(&path, found);
        } else if path.extension().is_some_and(|kind| kind == "toml") {
            found.push(path);
        }
    }
}

fn read(path: &Path) -> Option<Value> {
    Some(as_json(&toml::Value::Table(toml::from_str(&fs::read_to_string(path).ok()?).ok()?)))
}

/// JSON has no infinite number.
fn as_json(value: &toml::Value) -> Value {
    match value {
        toml::Value::Table(table) => table.iter().map(|(key, value)| (key.clone(), as_json(value))).collect(),
        toml::Value::Array(items) => items.iter().map(as_json).collect(),
        toml::Value::Float(number) => json!(number.clamp(f64::MIN, f64::MAX)),
        toml::Value::Integer(number) => json!(number),
        toml::Value::Boolean(flag) => json!(flag),
        other => json!(other.as_str().unwrap()),
    }
}

/// The place at which a value does not fit; nothing if it does. Supports the keywords that the schema uses, and no
/// others.
fn misfit(value: &Value, schema: &Value, root: &Value, at: &str) -> Option<String> {
    let items = value.as_array().map_or(&[][..], Vec::as_slice);
    let no = |why: &str| Some(format!("{at}: {value} {why}"));
    for (word, wanted) in schema.as_object().unwrap() {
        let found = match word.as_str() {
            "$ref" => misfit(value, root.pointer(&wanted.as_str().unwrap()[1..]).unwrap(), root, at),
            "anyOf" => {
                let fits = wanted.as_array().unwrap().iter().any(|one| misfit(value, one, root, at).is_none());
                if fits { None } else { no("fits nothing of what it can be") }
            }
            "enum" if !wanted.as_array().unwrap().contains(value) => no("is none of the words"),
            "type" => {
                let is = |kind: &Value| match kind.as_str().unwrap() {
                    "string" => value.is_string(),
                    "boolean" => value.is_boolean(),
                    "number" => value.is_number(),
                    "integer" => value.as_f64().is_some_and(|number| number.fract() == 0.0),
                    "array" => value.is_array(),
                    "object" => value.is_object(),
                    other => panic!("no type is called {other}"),
                };
                let fits = wanted.as_array().map_or_else(|| is(wanted), |kinds| kinds.iter().any(is));
                if fits { None } else { no("is of another type") }
            }
            "minimum" if value.is_number() && value.as_f64() < wanted.as_f64() => no("is too small"),
            "maximum" if value.is_number() && value.as_f64() > wanted.as_f64() => no("is too great"),
            "minItems" if (items.len() as u64) < wanted.as_u64().unwrap() => no("is too short"),
            "maxItems" if (items.len() as u64) > wanted.as_u64().unwrap() => no("is too long"),
            "items" => items.iter().find_map(|item| misfit(item, wanted, root, at)),
            "required" => {
                let missing = wanted.as_array().unwrap().iter().find(|key| value.get(key.as_str().unwrap()).is_none());
                missing.and_then(|key| no(&format!("lacks {key}")))
            }
            "properties" | "additionalProperties" => {
                let known = &schema["properties"];
                value.as_object().into_iter().flatten().find_map(|(key, value)| match (known.get(key), word.as_str()) {
                    (Some(shape), "properties") => misfit(value, shape, root, &format!("{at}.{key}")),
                    (None, "additionalProperties") if wanted == false => Some(format!("{at}: no key {key}")),
                    (None, "additionalProperties") => misfit(value, wanted, root, &format!("{at}.{key}")),
                    _ => None,
                })
            }
            "enum" | "minimum" | "maximum" | "minItems" | "maxItems" => None,
            "$schema" | "$defs" | "title" | "description" => None,
            other => panic!("the schema uses {other}"),
        };
        if found.is_some() {
            return found;
        }
    }
    None
}

#[test]
fn every_sound_ruleset_here_fits_the_schema() {
    let schema = schema();
    let mut found = Vec::new();
    for folder in [
        "demo",
        "crates/edgeplane/benches/rulesets",
        "crates/edgeplane/examples",
        "crates/edgeplane/tests/cases/suspicious",
    ] {
        files(&Path::new(ROOT).join(folder), &mut found);
    }
    assert!(found.len() > 20);
    for path in found {
        assert_eq!(misfit(&read(&path).unwrap(), &schema, &schema, ""), None, "{}", path.display());
    }
}

#[test]
fn what_a_ruleset_cannot_say_does_not_fit() {
    let schema = schema();
    for wrong in [
        json!({ "abilitys": {} }),
        json!({ "ability": { "hook": { "cooldwon": 3 } } }),
        json!({ "ability": { "hook": { "does": [{ "damage": 3, "to": "nobody" }] } } }),
        json!({ "ability": { "hook": { "does": [{ "damage": 3, "amount": 3 }] } } }),
        json!({ "ability": { "hook": { "does": { "damage": 3 } } } }),
        json!({ "status": { "soaked": { "reapply": "pile" } } }),
        json!({ "status": { "soaked": { "hidden": "yes" } } }),
        json!({ "pools": { "health": { "start": "full" } } }),
        json!({ "encounter": { "duel": { "sides": { "a": [{ "count": 2 }] } } } }),
        json!({ "expect": [{ "that": "win_rate(a)", "in": "duel", "trials": 3 }] }),
        // Words of earlier versions.
        json!({ "status": { "soaked": { "again": "stack" } } }),
        json!({ "status": { "soaked": { "sticky": true } } }),
        json!({ "status": { "soaked": { "on": [{ "event": "fell", "does": [{ "damage": 1 }] }] } } }),
        json!({ "character": { "one": { "withheld": [] } } }),
        json!({ "character": { "one": { "worth": 3 } } }),
        json!({ "zone": { "bog": { "inflict": ["soaked"] } } }),
        json!({ "ability": { "hook": { "does": [{ "inflict": "soaked" }] } } }),
    ] {
        assert!(misfit(&wrong, &schema, &schema, "").is_some(), "{wrong}");
    }
    // Rulesets with unknown keys, as the reader reports them; the keys of a trigger depend on its event.
    let mut found = Vec::new();
    files(&Path::new(ROOT).join("crates/edgeplane/tests/cases/bad"), &mut found);
    let unknown = found.iter().filter(|path| fs::read_to_string(path).is_ok_and(|text| text.contains(" unknown-key")));
    let unknown = unknown.filter(|path| !path.ends_with("status_trigger_key_of_another.toml"));
    let read: Vec<(&PathBuf, Value)> = unknown.filter_map(|path| Some((path, read(path)?))).collect();
    assert!(read.len() > 3);
    for (path, ruleset) in read {
        assert!(misfit(&ruleset, &schema, &schema, "").is_some(), "{}", path.display());
    }
}

#[test]
fn every_key_says_what_it_is_for() {
    let schema = schema();
    for (name, table) in schema["$defs"].as_object().unwrap() {
        for (key, value) in table["properties"].as_object().unwrap() {
            assert!(value["description"].as_str().is_some_and(|text| text.len() > 4), "{name}.{key}");
        }
    }
}
