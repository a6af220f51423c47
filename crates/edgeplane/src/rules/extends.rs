//! `extends` for abilities, statuses, gear and zones: inheritance of keys.
//!
//! It is resolved in the tree of values before anything is read, so that every key can be inherited and no reader has
//! to know about it. (Characters are resolved later, because their attributes are inherited one by one.)

use crate::text::{Code, Diagnostic, Diagnostics, Entry, Node, Table, Value};

/// Sections whose rules can extend each other.
const SECTIONS: &[&str] = &["ability", "status", "gear", "zone"];
/// Keys that are not inherited.
const OWN: &[&str] = &["about", "extends", "template"];

/// The tree with all inherited keys inserted, and without templates.
pub(super) fn settled(root: &Table, out: &mut Diagnostics) -> Table {
    let mut settled = root.clone();
    for section in SECTIONS {
        if let Some(Entry { node: Node { value: Value::Table(rules), .. }, .. }) = settled.entry_mut(section) {
            settle(rules, section, out);
        }
    }
    settled
}

fn settle(rules: &mut Table, section: &str, out: &mut Diagnostics) {
    let used = |key: &str| rules.entries.iter().any(|rule| rule.node.table().is_some_and(|own| own.get(key).is_some()));
    if !used("extends") && !used("template") {
        return;
    }
    let parents = parents(rules, section, out);
    let written = rules.clone();
    for (index, rule) in rules.entries.iter_mut().enumerate() {
        let Value::Table(own) = &mut rule.node.value else { continue };
        own.entries.retain(|entry| !["extends", "template"].contains(&entry.key.as_str()));
        let mut next = parents[index];
        while let Some(parent) = next {
            let inherited = written.entries[parent].node.table().into_iter().flat_map(|table| &table.entries);
            for entry in inherited.filter(|entry| !OWN.contains(&entry.key.as_str())) {
                if own.get(&entry.key).is_none() {
                    out.share(entry.node.span);
                    own.entries.push(entry.clone());
                }
            }
            next = parents[parent];
        }
    }
    let mut index = 0;
    rules.entries.retain(|_| {
        let is_template = template(&written.entries[index], section, out);
        index += 1;
        !is_template
    });
}

/// The rule that each rule extends, by index; `None` for rules in a cycle.
fn parents(rules: &Table, section: &str, out: &mut Diagnostics) -> Vec<Option<usize>> {
    let mut parents = vec![None; rules.entries.len()];
    for (index, rule) in rules.entries.iter().enumerate() {
        let Some(node) = rule.node.table().and_then(|own| own.get("extends")) else { continue };
        let Value::Text(name, _) = &node.value else {
            let message = format!("`{section}.{}.extends` is {}; it takes a text", rule.key, node.value.what());
            out.push(Diagnostic::at(Code::WrongType, node.span, message));
            continue;
        };
        match rules.entries.iter().position(|other| other.key == *name) {
            Some(parent) => parents[index] = Some(parent),
            None => {
                let known = rules.entries.iter().map(|other| other.key.as_str());
                let message = format!("`{section}.{name}` cannot be extended");
                out.push(Diagnostic::at(Code::UnknownName, node.span, message).nearest(name, known));
            }
        }
    }
    for index in 0..rules.entries.len() {
        if let Some(circle) = circle(index, &parents) {
            let names: Vec<String> =
                circle.iter().chain([&index]).map(|one| format!("`{}`", rules.entries[*one].key)).collect();
            let span = rules.entries[index]
                .node
                .table()
                .and_then(|own| own.get("extends"))
                .map_or(rules.entries[index].key_span, |node| node.span);
            let message = format!("rules extend each other in a circle: {}", names.join(" → "));
            out.push(Diagnostic::at(Code::ExtendsCycle, span, message));
            // The other rules keep their keys, so that nothing else is reported as missing.
            if let Some(last) = circle.last() {
                parents[*last] = None;
            }
        }
    }
    parents
}

/// The rules of a cycle.
fn circle(from: usize, parents: &[Option<usize>]) -> Option<Vec<usize>> {
    let mut way = vec![from];
    let mut next = parents[from]?;
    while next != from {
        // A different cycle, into which this one leads, is found from its own members.
        if way.contains(&next) {
            return None;
        }
        way.push(next);
        next = parents[next]?;
    }
    Some(way)
}

fn template(rule: &Entry, section: &str, out: &mut Diagnostics) -> bool {
    match rule.node.table().and_then(|own| own.get("template")) {
        None => false,
        Some(Node { value: Value::Flag(flag), .. }) => *flag,
        Some(node) => {
            let message = format!("`{section}.{}.template` is {}; it takes true or false", rule.key, node.value.what());
            out.push(Diagnostic::at(Code::WrongType, node.span, message));
            false
        }
    }
}
