//! `[encounter.*]`: who fights whom, and for how long.

use super::reader::{Fields, Word, list, word};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span, Value};

/// Most combatants of one encounter.
pub(crate) const MAX_COMBATANTS: u32 = 1_000;

/// One encounter.
#[derive(Clone, Debug, Default)]
pub struct EncounterRule {
    /// For readers.
    pub about: String,
    /// The sides in the order listed.
    pub sides: Vec<SideMembers>,
    /// Seconds after which the fight ends without a winner.
    pub time_limit: Option<f64>,
}

/// One side of an encounter.
#[derive(Clone, Debug)]
pub struct SideMembers {
    /// The side's name.
    pub name: Word,
    /// Who stands on it.
    pub members: Vec<MemberRule>,
}

/// Combatants of one character.
#[derive(Clone, Debug)]
pub struct MemberRule {
    /// The character.
    pub character: Word,
    /// How many of it.
    pub count: u32,
}

/// Longest fight, in seconds: ten days.
const MAX_TIME: f64 = 10.0 * 86_400.0;

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> EncounterRule {
    let Some(fields) = Fields::open(node, path, &["about", "sides", "time_limit"], out) else {
        return EncounterRule::default();
    };
    EncounterRule {
        about: fields.about(out),
        sides: sides(&fields, out),
        time_limit: fields.number("time_limit", 0.001..=MAX_TIME, out),
    }
}

fn sides(fields: &Fields<'_>, out: &mut Diagnostics) -> Vec<SideMembers> {
    let path = fields.path_of("sides");
    let Some(node) = fields.get("sides") else {
        fields.missing("sides", "sides.keepers = [\"lockhand\"]", out);
        return Vec::new();
    };
    let Value::Table(table) = &node.value else {
        out.push(super::reader::wrong_type(node, "a table of sides", &path));
        return Vec::new();
    };
    let read = |entry: &crate::text::Entry| SideMembers {
        name: Word { text: entry.key.clone(), span: entry.key_span },
        members: members(&entry.node, &format!("{path}.{}", entry.key), out),
    };
    let sides: Vec<SideMembers> = table.entries.iter().map(read).collect();
    check_numbers(&sides, node.span, &path, out);
    sides
}

fn check_numbers(sides: &[SideMembers], span: Span, path: &str, out: &mut Diagnostics) {
    if sides.len() < 2 {
        let message = format!("`{path}` has {} sides; an encounter needs two or more", sides.len());
        out.push(Diagnostic::at(Code::BadValue, span, message));
    }
    let all: u32 = sides.iter().flat_map(|side| &side.members).map(|member| member.count).sum();
    if all > MAX_COMBATANTS {
        let message = format!("`{path}` has {all} combatants; at most {MAX_COMBATANTS} can fight");
        out.push(Diagnostic::at(Code::TooMany, span, message));
    }
}

fn members(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<MemberRule> {
    let Some(items) = list(node, path, out) else { return Vec::new() };
    if items.is_empty() {
        out.push(Diagnostic::at(Code::BadValue, node.span, format!("nobody stands on `{path}`")));
    }
    items.iter().enumerate().filter_map(|(index, item)| member(item, &format!("{path}.{index}"), out)).collect()
}

fn member(node: &Node, path: &str, out: &mut Diagnostics) -> Option<MemberRule> {
    if let Value::Text(..) = node.value {
        return Some(MemberRule { character: word(node, path, out)?, count: 1 });
    }
    let fields = Fields::open(node, path, &["character", "count"], out)?;
    if fields.get("character").is_none() {
        fields.missing("character", "{ character = \"silt_crab\", count = 3 }", out);
    }
    let count = fields.whole("count", 1..=MAX_COMBATANTS, out).unwrap_or(1);
    Some(MemberRule { character: fields.text("character", out)?, count })
}
