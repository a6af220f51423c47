//! `[gear.*]` and `[gear_set.*]`: what a character wears or holds.
//!
//! What a piece does while it is worn, it does as a status without end: it changes attributes, adds
//! hit steps, ticks and answers like any other, so there is one way in which numbers come about.

use super::reader::{Fields, Word, wrong_type};
use super::shape;
use super::statuses::{self, StatusRule};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One piece of gear.
#[derive(Clone, Debug, Default)]
pub struct GearRule {
    /// For readers.
    pub about: String,
    /// Where it is worn; one piece for each slot. A piece without a slot takes up none.
    pub slot: Option<Word>,
    /// The set that it belongs to.
    pub set: Option<Word>,
    /// Statuses that its wearer has besides.
    pub statuses: Vec<Word>,
    /// What it does while it is worn.
    pub worn: StatusRule,
}

/// What wearing several pieces of one set gives.
#[derive(Clone, Debug, Default)]
pub struct GearSetRule {
    /// For readers.
    pub about: String,
    /// From so many pieces on, these statuses and no others; in order.
    pub worn: Vec<(u32, Vec<Word>)>,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> GearRule {
    let Some(fields) = Fields::open(node, path, &shape::own(&shape::GEAR), out) else { return GearRule::default() };
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
    let Some(fields) = Fields::open(node, path, &shape::GEAR_SET.names(), out) else { return GearSetRule::default() };
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
            let message = format!("`{path}.{}` is no number of pieces", entry.key);
            out.push(Diagnostic::at(Code::BadValue, entry.key_span, message).help("a whole number from 1 to 100"));
            continue;
        };
        let words = super::reader::words(&entry.node, &format!("{path}.{}", entry.key), out).unwrap_or_default();
        rule.worn.push((pieces, words));
    }
    rule.worn.sort_by_key(|(pieces, _)| *pieces);
    rule
}
