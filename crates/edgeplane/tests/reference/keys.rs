//! The keys of the format that generated worlds use.

use std::collections::BTreeSet;

use edgeplane::rules::shape::{RULESET, Shape, TableShape};

pub(super) type Keys = BTreeSet<(&'static str, &'static str)>;

/// All keys of a ruleset, by the names of their tables.
pub(super) fn all() -> Keys {
    fn of_shape(shape: &'static Shape, keys: &mut Keys) {
        match shape {
            Shape::List(each) | Shape::ByName(each) => of_shape(each, keys),
            Shape::Either(shapes) => shapes.iter().for_each(|shape| of_shape(shape, keys)),
            Shape::Table(table) => of_table(table, keys),
            _ => {}
        }
    }
    fn of_table(table: &'static TableShape, keys: &mut Keys) {
        for key in table.keys {
            if keys.insert((table.name, key.name)) {
                of_shape(&key.takes, keys);
            }
        }
    }
    let mut keys = Keys::new();
    of_table(&RULESET, &mut keys);
    keys
}

/// The keys in a text, including those of its tables.
pub(super) fn used(text: &str, keys: &mut Keys) {
    fn of_value(value: &toml::Value, shape: &'static Shape, keys: &mut Keys) {
        match (value, shape) {
            (toml::Value::Array(list), Shape::List(each)) => list.iter().for_each(|one| of_value(one, each, keys)),
            (toml::Value::Table(table), Shape::ByName(each)) => {
                table.values().for_each(|one| of_value(one, each, keys))
            }
            (_, Shape::Either(shapes)) => shapes.iter().for_each(|shape| of_value(value, shape, keys)),
            (toml::Value::Table(table), Shape::Table(shape)) => of_table(table, shape, keys),
            _ => {}
        }
    }
    fn of_table(table: &toml::Table, shape: &'static TableShape, keys: &mut Keys) {
        let known = |name: &String| shape.keys.iter().find(|key| key.name == name);
        // One of several possible shapes of a value, but not this one.
        if table.keys().any(|name| known(name).is_none()) || shape.needs.iter().any(|need| !table.contains_key(*need)) {
            return;
        }
        for (name, value) in table {
            if let Some(key) = known(name) {
                keys.insert((shape.name, key.name));
                of_value(value, &key.takes, keys);
            }
        }
    }
    of_table(&text.parse().unwrap(), &RULESET, keys);
}
