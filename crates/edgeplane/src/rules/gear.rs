//! `[gear.*]` and `[gear_set.*]`: gear of characters.
//!
//! While it is worn, a piece works like a permanent status: it changes attributes, adds hit steps, ticks and triggers
//! by the same mechanism.

use super::reader::{Fields, Formula, Word, list, word, wrong_type};
use super::shape;
use super::statuses::{self, StatusRule};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One piece of gear.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct GearRule {
    /// For readers.
    pub about: String,
    /// Its slot; one piece can be worn in each slot. A piece without a slot uses none.
    pub slot: Option<Word>,
    /// Its set.
    pub set: Option<Word>,
    /// Additional statuses of its wearer.
    pub statuses: Vec<Word>,
    /// Its effects while it is worn.
    pub worn: StatusRule,
}

/// The effects of wearing several pieces of one set.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct GearSetRule {
    /// For readers.
    pub about: String,
    /// The statuses for each threshold of pieces, in order.
    pub worn: Vec<(u32, Vec<SetStatusRule>)>,
}

/// A status that a set gives.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SetStatusRule {
    /// The status.
    pub status: Word,
    /// How many stacks.
    pub stacks: u32,
    /// Its duration in seconds; if not given, it lasts while the pieces are worn.
    pub duration: Option<Formula>,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> GearRule {
    let Some(fields) = Fields::open_own(node, path, &shape::GEAR, out) else { return GearRule::default() };
    let about = fields.about(out);
    GearRule {
        slot: fields.text("slot", out),
        set: fields.text("set", out),
        statuses: fields.words("statuses", out).unwrap_or_default(),
        worn: statuses::worn(&fields, about.clone(), out),
        about,
    }
}

pub(super) fn read_set(node: &Node, path: &str, out: &mut Diagnostics) -> GearSetRule {
    let Some(fields) = Fields::open(node, path, &shape::GEAR_SET, out) else { return GearSetRule::default() };
    let mut rule = GearSetRule { about: fields.about(out), worn: Vec::new() };
    let Some(node) = fields.get("worn") else {
        fields.missing("worn", "worn = { 2 = [\"steady_footing\"] }", out);
        return rule;
    };
    let path = fields.path_of("worn");
    let Value::Table(table) = &node.value else {
        out.push(wrong_type(node, "statuses by number of pieces, such as { 2 = [\"steady_footing\"] }", &path));
        return rule;
    };
    for entry in &table.entries {
        let Some(pieces) = entry.key.parse().ok().filter(|pieces| (1..=100).contains(pieces)) else {
            let message = format!("`{path}.{}` is not a number of pieces", entry.key);
            out.push(Diagnostic::at(Code::BadValue, entry.key_span, message).help("a whole number from 1 to 100"));
            continue;
        };
        rule.worn.push((pieces, given(&entry.node, &format!("{path}.{}", entry.key), out)));
    }
    rule.worn.sort_by_key(|(pieces, _)| *pieces);
    rule
}

/// Names of statuses, or `{ status = "steady", stacks = 2, duration = 8 }`.
fn given(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<SetStatusRule> {
    let mut given = Vec::new();
    for (index, item) in list(node, path, out).unwrap_or_default().iter().enumerate() {
        let path = format!("{path}.{index}");
        let Value::Table(_) = item.value else {
            given.extend(word(item, &path, out).map(|status| SetStatusRule { status, stacks: 1, duration: None }));
            continue;
        };
        let Some(inner) = Fields::open(item, &path, &shape::SET_STATUS, out) else { continue };
        if inner.get("status").is_none() {
            inner.missing("status", "{ status = \"steady\", stacks = 2 }", out);
        }
        let (stacks, duration) = (inner.whole("stacks", out), inner.formula("duration", out));
        let status = inner.text("status", out);
        given.extend(status.map(|status| SetStatusRule { status, stacks: stacks.unwrap_or(1), duration }));
    }
    given
}
