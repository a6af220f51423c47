//! `[encounter.*]`: sides, their members, and the course of a fight.

use super::reader::{Fields, Formula, Word, list, word};
use super::shape::{self, MAX_COMBATANTS, MAX_METRES};
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span, Value};

/// One encounter.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct EncounterRule {
    /// For readers.
    pub about: String,
    /// The sides in the order listed.
    pub sides: Vec<SideMembers>,
    /// The distance between the two sides in metres, for members without positions.
    pub distance: Option<f64>,
    /// The time limit in seconds.
    pub time_limit: Option<f64>,
    /// The side that wins at the time limit; none if not given.
    pub at_limit: Option<Word>,
    /// Scripted abilities.
    pub script: Vec<MomentRule>,
}

/// When a member joins.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Joins {
    /// At the start.
    #[default]
    AtStart,
    /// A number of seconds later.
    After(f64),
    /// When it is called.
    Called,
}

/// A scripted ability.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct MomentRule {
    /// Its first time, in seconds.
    pub at: f64,
    /// Seconds between repetitions, if there are any.
    pub every: Option<f64>,
    /// The maximum number of times.
    pub times: Option<u32>,
    /// The ability.
    pub ability: Word,
    /// Its caster: a character of the encounter, or a side.
    pub by: Word,
}

/// One side of an encounter.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SideMembers {
    /// The side's name.
    pub name: Word,
    /// Its members.
    pub members: Vec<MemberRule>,
}

/// Combatants of one character.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct MemberRule {
    /// The character.
    pub character: Word,
    /// The number of combatants.
    pub count: u32,
    /// Their position in metres.
    pub at: Option<[f64; 2]>,
    /// The distance between two of them in metres, in a row across.
    pub spread: f64,
    /// When they join.
    pub joins: Joins,
    /// Their side loses as soon as one of them is defeated.
    pub vital: bool,
    /// Additional initial statuses, for their own duration.
    pub statuses: Vec<Word>,
    /// Initial amounts of pools, replacing those of the pools' rules.
    pub start: Vec<(Word, Formula)>,
    /// The span of the whole entry.
    pub span: Span,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> EncounterRule {
    let Some(fields) = Fields::open(node, path, &shape::ENCOUNTER, out) else {
        return EncounterRule::default();
    };
    let sides = sides(&fields, out);
    let distance = fields.number("distance", out);
    check_places(&fields, &sides, distance, out);
    let time_limit = fields.number("time_limit", out);
    let at_limit = fields.text("at_limit", out);
    if let Some(word) = at_limit.as_ref().filter(|_| fields.get("time_limit").is_none()) {
        let message = format!("`{path}` names the winner at the time limit, but has no time limit");
        out.push(Diagnostic::at(Code::MissingKey, word.span, message).help("add `time_limit = 60`"));
    }
    let script = fields.get("script").and_then(|node| script(node, &fields.path_of("script"), out));
    EncounterRule {
        about: fields.about(out),
        sides,
        distance,
        time_limit,
        at_limit,
        script: script.unwrap_or_default(),
    }
}

fn script(node: &Node, path: &str, out: &mut Diagnostics) -> Option<Vec<MomentRule>> {
    let items = list(node, path, out)?;
    Some(items.iter().enumerate().filter_map(|(index, item)| moment(item, &format!("{path}.{index}"), out)).collect())
}

/// `{ at = 20, every = 15, times = 3, ability = "cold_surge", by = "keepers" }`
fn moment(node: &Node, path: &str, out: &mut Diagnostics) -> Option<MomentRule> {
    let fields = Fields::open(node, path, &shape::MOMENT, out)?;
    for (key, example) in [("at", "at = 20"), ("ability", "ability = \"cold_surge\""), ("by", "by = \"keepers\"")] {
        if fields.get(key).is_none() {
            fields.missing(key, example, out);
        }
    }
    let every = fields.number("every", out);
    let times = fields.whole("times", out);
    if let Some(node) = fields.get("times").filter(|_| fields.get("every").is_none()) {
        let message = format!("`{path}` happens several times, but has no interval");
        out.push(Diagnostic::at(Code::MissingKey, node.span, message).help("add `every = 15`"));
    }
    let (at, ability, by) = (fields.number("at", out), fields.text("ability", out), fields.text("by", out));
    Some(MomentRule { at: at?, every, times, ability: ability?, by: by? })
}

fn sides(fields: &Fields<'_>, out: &mut Diagnostics) -> Vec<SideMembers> {
    let path = fields.path_of("sides");
    let Some(node) = fields.get("sides") else {
        fields.missing("sides", "sides.keepers = [\"lockhand\"]", out);
        return Vec::new();
    };
    let Value::Table(table) = &node.value else {
        out.push(super::reader::wrong_type(
            node,
            "a table of sides, such as { keepers = [\"lockhand\"], silt = [\"silt_crab\"] }",
            &path,
        ));
        return Vec::new();
    };
    for entry in &table.entries {
        let name = &entry.key;
        if name.contains([',', '(', ')', '"']) || name.trim() != name || name.is_empty() {
            let message = format!("`{name}` cannot be the name of a side: it could not be used in measures");
            let help = "remove commas, brackets, quotes, and spaces at its ends";
            out.push(Diagnostic::at(Code::BadName, entry.key_span, message).help(help));
        }
    }
    let read = |entry: &crate::text::Entry| SideMembers {
        name: Word { text: entry.key.clone(), span: entry.key_span },
        members: members(&entry.node, &format!("{path}.{}", entry.key), out),
    };
    let sides: Vec<SideMembers> = table.entries.iter().map(read).collect();
    check_numbers(&sides, node.span, &path, out);
    sides
}

/// The default distance between identical members in metres.
const SPREAD: f64 = 1.0;

/// Either no member has a position, or each of them can be given one.
fn check_places(fields: &Fields<'_>, sides: &[SideMembers], distance: Option<f64>, out: &mut Diagnostics) {
    let mut lost = sides.iter().flat_map(|side| &side.members).filter(|member| member.at.is_none()).peekable();
    let placed = sides.iter().flat_map(|side| &side.members).any(|member| member.at.is_some());
    match (distance, lost.peek()) {
        (Some(_), Some(_)) if sides.len() > 2 => {
            let message =
                format!("`{}` is between two sides, but there are {}", fields.path_of("distance"), sides.len());
            let span = fields.get("distance").map_or(fields.span, |node| node.span);
            out.push(Diagnostic::at(Code::BadValue, span, message).help("give each a position: `at = [9, 0]`"));
        }
        (None, Some(member)) if placed => {
            let message = format!("`{}` has no position, but others of this encounter have one", member.character.text);
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
        && x.abs() <= MAX_METRES
        && y.abs() <= MAX_METRES
    {
        return Some([*x, *y]);
    }
    let message = format!("`{path}` takes two numbers of metres, such as [9, 0]");
    let help = format!("each at most {MAX_METRES}");
    out.push(Diagnostic::at(Code::BadValue, node.span, message).help(help));
    None
}

fn check_numbers(sides: &[SideMembers], span: Span, path: &str, out: &mut Diagnostics) {
    if sides.len() < 2 {
        let message = format!("`{path}` has too few sides ({}); an encounter needs two or more", sides.len());
        out.push(Diagnostic::at(Code::BadValue, span, message));
    }
    for side in sides {
        if !side.members.is_empty() && side.members.iter().all(|member| member.joins == Joins::Called) {
            let message = format!("everyone on `{path}.{}` waits to be called, so the side is empty", side.name.text);
            out.push(Diagnostic::at(Code::BadValue, side.name.span, message));
        }
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
        out.push(Diagnostic::at(Code::BadValue, node.span, format!("`{path}` has no members")));
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
            joins: Joins::AtStart,
            vital: false,
            statuses: Vec::new(),
            start: Vec::new(),
            span: node.span,
        });
    }
    let fields = Fields::open(node, path, &shape::MEMBER, out)?;
    if fields.get("character").is_none() {
        fields.missing("character", "{ character = \"silt_crab\", count = 3 }", out);
    }
    let count = fields.whole("count", out).unwrap_or(1);
    let spread = fields.number("spread", out).unwrap_or(SPREAD);
    let at = fields.get("at").and_then(|node| point(node, &fields.path_of("at"), out));
    let joins = fields.get("joins").and_then(|_| joins(&fields, out)).unwrap_or_default();
    let vital = fields.flag("vital", out);
    let (statuses, start) = (
        fields.words("statuses", out).unwrap_or_default(),
        fields.amounts("start", "amounts by pool, such as { health = 40 }", out),
    );
    let character = fields.text("character", out)?;
    Some(MemberRule { character, count, at, spread, joins, vital, statuses, start, span: node.span })
}

/// A number of seconds, or `"called"`.
fn joins(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<Joins> {
    if let Some(Node { value: Value::Text(..), .. }) = fields.get("joins") {
        return fields.choice("joins", &[("called", Joins::Called)], out);
    }
    fields.number("joins", out).map(Joins::After)
}
