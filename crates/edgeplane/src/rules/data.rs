//! `data`: content of rules for the game only.

use std::collections::BTreeMap;

use crate::text::{Code, Data, Diagnostic, Diagnostics, Node, Table, Value};

/// The key.
pub(super) const KEY: &str = "data";

/// All of it, by the path of the rule: `ability.boathook`. A character without `data` has that of the character that it
/// extends; for all other rules, inheritance has already been resolved.
pub(super) fn read_all(root: &Table, out: &mut Diagnostics) -> BTreeMap<String, Data> {
    let mut all = BTreeMap::new();
    for section in &root.entries {
        let Value::Table(rules) = &section.node.value else { continue };
        for rule in &rules.entries {
            let Some(node) = own_or_inherited(rules, &rule.node) else { continue };
            out.share(node.span);
            let path = format!("{}.{}", section.key, rule.key);
            if matches!(node.value, Value::Table(_)) {
                let data = Data::read(node, &format!("{path}.{KEY}"), out);
                all.insert(path, data);
            } else {
                let message = format!("`{path}.{KEY}` is {}; it takes a table", node.value.what());
                let example = "for example: data = { icon = \"shout.png\" }";
                out.push(Diagnostic::at(Code::WrongType, node.span, message).help(example));
            }
        }
    }
    all
}

fn own_or_inherited<'a>(rules: &'a Table, rule: &'a Node) -> Option<&'a Node> {
    let mut next = Some(rule);
    for _ in 0..=rules.entries.len() {
        let Value::Table(table) = &next?.value else { return None };
        if let Some(data) = table.get(KEY) {
            return Some(data);
        }
        next = match table.get("extends").map(|node| &node.value) {
            Some(Value::Text(parent, _)) => rules.get(parent),
            _ => None,
        };
    }
    None
}
