//! All numbers of a ruleset with their paths, and those on which a fight can depend.

use std::collections::BTreeSet;

use crate::formula::{ExprKind, parse};
use crate::text::{Document, Node, Table, Value};

/// A number, or a formula for a number, with its path.
#[derive(Clone, Debug, PartialEq)]
pub struct NumberAt {
    /// Its path, as [`Override`](crate::text::Override) takes it.
    pub path: String,
    /// As written.
    pub text: String,
    /// The value, if it is a plain number.
    pub value: Option<f64>,
}

/// Sections that affect every fight.
const EVERYWHERE: [&str; 7] = ["attributes", "pools", "damage_types", "hit_steps", "heal_steps", "threat", "levels"];
/// Sections of which a fight uses some entries.
const NAMED: [&str; 11] =
    ["status", "diminish", "ability", "gear", "gear_set", "zone", "policy", "point", "character", "curve", "formula"];

/// Every number that can matter in an encounter, in the order of the files. They are found by following names, so some
/// may be listed that never come into play.
pub(crate) fn numbers_of(document: &Document, encounter: &str) -> Vec<NumberAt> {
    let used = used_by(document, encounter);
    let mut numbers = Vec::new();
    for section in &document.root.entries {
        let Value::Table(table) = &section.node.value else {
            if EVERYWHERE.contains(&section.key.as_str()) {
                gather(&section.node, &section.key, &mut numbers);
            }
            continue;
        };
        for entry in &table.entries {
            let name = (section.key.clone(), entry.key.clone());
            if EVERYWHERE.contains(&section.key.as_str()) || used.contains(&name) {
                gather(&entry.node, &format!("{}.{}", section.key, spelt(&entry.key)), &mut numbers);
            }
        }
    }
    numbers
}

/// Follows every word in the encounter to the rules of that name, and further from there.
fn used_by(document: &Document, encounter: &str) -> BTreeSet<(String, String)> {
    let mut used = BTreeSet::new();
    let mut waiting: Vec<&Node> = EVERYWHERE.iter().filter_map(|section| document.root.get(section)).collect();
    if let Some(Value::Table(table)) = document.root.get("encounter").map(|node| &node.value)
        && let Some(node) = table.get(encounter)
    {
        used.insert(("encounter".to_owned(), encounter.to_owned()));
        waiting.push(node);
    }
    while let Some(node) = waiting.pop() {
        let mut words = BTreeSet::new();
        words_of(node, &mut words);
        for section in NAMED {
            let Some(Value::Table(table)) = document.root.get(section).map(|node| &node.value) else { continue };
            for entry in table.entries.iter().filter(|entry| words.contains(entry.key.as_str())) {
                if used.insert((section.to_owned(), entry.key.clone())) {
                    waiting.push(&entry.node);
                }
            }
        }
    }
    used
}

/// Identifiers in texts and keys.
fn words_of<'a>(node: &'a Node, words: &mut BTreeSet<&'a str>) {
    match &node.value {
        Value::Text(text, _) => words.extend(text.split(|c: char| !c.is_alphanumeric() && c != '_')),
        Value::List(list) => list.iter().for_each(|item| words_of(item, words)),
        Value::Table(Table { entries }) => {
            for entry in entries.iter().filter(|entry| !["about", super::data::KEY].contains(&entry.key.as_str())) {
                words.insert(&entry.key);
                words_of(&entry.node, words);
            }
        }
        Value::Number(_) | Value::Flag(_) | Value::Moment => {}
    }
}

fn spelt(key: &str) -> String {
    if key.contains('.') { format!("\"{key}\"") } else { key.to_owned() }
}

fn gather(node: &Node, path: &str, numbers: &mut Vec<NumberAt>) {
    let mut push = |text: String, value| numbers.push(NumberAt { path: path.to_owned(), text, value });
    match &node.value {
        Value::Number(value) if value.is_finite() => push(value.to_string(), Some(*value)),
        Value::Text(text, _) if is_formula(text) => push(text.clone(), None),
        Value::List(list) => {
            for (index, item) in list.iter().enumerate() {
                gather(item, &format!("{path}.{}", entry_name(list, item).unwrap_or(index.to_string())), numbers);
            }
        }
        Value::Table(table) => {
            for entry in table
                .entries
                .iter()
                .filter(|entry| !["about", "name", "text", super::data::KEY].contains(&entry.key.as_str()))
            {
                gather(&entry.node, &format!("{path}.{}", spelt(&entry.key)), numbers);
            }
        }
        _ => {}
    }
}

/// Hit steps are addressed by name if it is unique.
fn entry_name(list: &[Node], item: &Node) -> Option<String> {
    let name_of = |node: &Node| match &node.value {
        Value::Table(table) => match table.get("name").map(|name| &name.value) {
            Some(Value::Text(name, _)) => Some(name.clone()),
            _ => None,
        },
        _ => None,
    };
    let name = name_of(item)?;
    (list.iter().filter(|other| name_of(other).as_ref() == Some(&name)).count() == 1).then_some(name)
}

/// A single word is a name; any other readable text is taken for a formula.
fn is_formula(text: &str) -> bool {
    parse(text).is_ok_and(|expr| !matches!(&expr.kind, ExprKind::Name(words) if words.len() == 1))
}
