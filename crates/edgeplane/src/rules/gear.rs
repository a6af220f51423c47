//! `[gear.*]` and `[gear_set.*]`: what a character wears or holds.
//!
//! What a piece does while it is worn, it does as a status without end: it changes attributes, adds
//! hit steps, ticks and triggers like any other, so there is one way in which numbers come about.

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
#[non_exhaustive]
pub struct GearSetRule {
    /// For readers.
    pub about: String,
    /// From so many pieces on, these statuses and no others; in order.
    pub worn: Vec<(u32, Vec<SetStatusRule>)>,
}

/// A status that a set gives.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SetStatusRule {
    /// Which.
    pub status: Word,
    /// How many stacks.
    pub stacks: u32,
    /// Seconds that it lasts from then on; for as long as the pieces are worn, if it is not said.
    pub duration: Option<Formula>,
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
        let Some(inner) = Fields::open(item, &path, &shape::SET_STATUS.names(), out) else { continue };
        if inner.get("status").is_none() {
            inner.missing("status", "{ status = \"steady\", stacks = 2 }", out);
        }
        let (stacks, duration) = (inner.whole("stacks", 1..=1_000_000, out), inner.formula("duration", out));
        let status = inner.text("status", out);
        given.extend(status.map(|status| SetStatusRule { status, stacks: stacks.unwrap_or(1), duration }));
    }
    given
}
