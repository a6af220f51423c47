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
    /// Metres between the two sides, where members do not say where they stand.
    pub distance: Option<f64>,
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
    /// Where they stand, in metres.
    pub at: Option<[f64; 2]>,
    /// Metres between two of them, in a row across.
    pub spread: f64,
    /// All of it.
    pub span: Span,
}

/// Longest fight, in seconds: ten days.
const MAX_TIME: f64 = 10.0 * 86_400.0;

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> EncounterRule {
    let Some(fields) = Fields::open(node, path, &["about", "sides", "distance", "time_limit"], out) else {
        return EncounterRule::default();
    };
    let sides = sides(&fields, out);
    let distance = fields.number("distance", 0.0..=MAX_METRES, out);
    check_places(&fields, &sides, distance, out);
    EncounterRule {
        about: fields.about(out),
        sides,
        distance,
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

/// Farthest from the middle of the plane, in metres.
const MAX_METRES: f64 = 1e6;
/// Metres between two of the same members, where it is not said.
const SPREAD: f64 = 1.0;

/// Either nobody has a place, or everybody can be given one.
fn check_places(fields: &Fields<'_>, sides: &[SideMembers], distance: Option<f64>, out: &mut Diagnostics) {
    let mut lost = sides.iter().flat_map(|side| &side.members).filter(|member| member.at.is_none()).peekable();
    let placed = sides.iter().flat_map(|side| &side.members).any(|member| member.at.is_some());
    match (distance, lost.peek()) {
        (Some(_), Some(_)) if sides.len() > 2 => {
            let message =
                format!("`{}` is between two sides, and there are {}", fields.path_of("distance"), sides.len());
            let span = fields.get("distance").map_or(fields.span, |node| node.span);
            out.push(Diagnostic::at(Code::BadValue, span, message).help("say where each stands: `at = [9, 0]`"));
        }
        (None, Some(member)) if placed => {
            let message =
                format!("where does `{}` stand? Others of this encounter have a place", member.character.text);
            let help = "add `at = [9, 0]`, or a `distance` to the encounter";
            out.push(Diagnostic::at(Code::MissingKey, member.span, message).help(help));
        }
        _ => {}
    }
}

/// `[x, y]`
fn point(node: &Node, path: &str, out: &mut Diagnostics) -> Option<[f64; 2]> {
    if let Value::List(items) = &node.value
        && let [Node { value: Value::Number(x), .. }, Node { value: Value::Number(y), .. }] = items.as_slice()
        && x.abs().max(y.abs()) <= MAX_METRES
    {
        return Some([*x, *y]);
    }
    let message = format!("`{path}` takes two numbers of metres, such as [9, 0]");
    let help = format!("each at most {MAX_METRES} from the middle of the plane");
    out.push(Diagnostic::at(Code::BadValue, node.span, message).help(help));
    None
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
        return Some(MemberRule {
            character: word(node, path, out)?,
            count: 1,
            at: None,
            spread: SPREAD,
            span: node.span,
        });
    }
    let fields = Fields::open(node, path, &["character", "count", "at", "spread"], out)?;
    if fields.get("character").is_none() {
        fields.missing("character", "{ character = \"silt_crab\", count = 3 }", out);
    }
    let count = fields.whole("count", 1..=MAX_COMBATANTS, out).unwrap_or(1);
    let spread = fields.number("spread", 0.0..=MAX_METRES, out).unwrap_or(SPREAD);
    let at = fields.get("at").and_then(|node| point(node, &fields.path_of("at"), out));
    Some(MemberRule { character: fields.text("character", out)?, count, at, spread, span: node.span })
}
