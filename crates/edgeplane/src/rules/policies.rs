//! `[policy.*]`: how combatants choose abilities.

use super::reader::{Fields, Formula, Selector, Word, list, word};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// A priority list: the first line is used whose condition holds and that is possible.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct PolicyRule {
    /// For readers.
    pub about: String,
    /// The reaction time in seconds, at most 3,600: the delay between a line becoming possible and the action of an
    /// idle combatant.
    pub reaction: Option<f64>,
    /// The score of a candidate, for abilities that leave targets to the policy: the highest is first.
    pub target: Option<Formula>,
    /// How it moves while it cannot act.
    pub moves: Moves,
    /// Zones, by name or tag, that it leaves and does not enter.
    pub avoid: Vec<Word>,
    /// Its lines, in order of priority.
    pub uses: Vec<UseRule>,
    /// Ranges of these lines among which chance chooses.
    pub groups: Vec<GroupRule>,
}

/// Consecutive lines among which chance chooses one that is possible.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct GroupRule {
    /// The first line.
    pub first: usize,
    /// The number of lines.
    pub count: usize,
}

/// One line of a priority list.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct UseRule {
    /// The ability, or all with a tag.
    pub ability: Selector,
    /// The condition.
    pub when: Option<Formula>,
    /// The weight with which it is chosen; 1 if not given.
    pub weight: Option<Formula>,
}

/// How a combatant moves while it cannot act.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Moves {
    /// Until an ability that it wants to use is in reach.
    #[default]
    Approach,
    /// Not at all.
    Hold,
    /// Away from the nearest enemy within this many metres, otherwise like `approach`, but no nearer than that to any
    /// enemy.
    KeepDistance(f64),
}

/// How one of several possible lines is chosen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Choose {
    /// The first one.
    #[default]
    First,
    /// By chance, with weights.
    Weighted,
    /// By chance, with equal probabilities.
    Random,
}

const CHOICES: &[(&str, Choose)] =
    &[("first", Choose::First), ("weighted", Choose::Weighted), ("random", Choose::Random)];

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> PolicyRule {
    let Some(fields) = Fields::open(node, path, &shape::POLICY, out) else {
        return PolicyRule::default();
    };
    let (moves, avoid) = moves(&fields, out);
    let mut rule = PolicyRule {
        about: fields.about(out),
        reaction: fields.number("reaction", out),
        target: fields.formula("target", out),
        moves,
        avoid,
        uses: Vec::new(),
        groups: Vec::new(),
    };
    let choose = fields.choice("choose", CHOICES, out).unwrap_or_default();
    let Some(node) = fields.get("use") else {
        fields.missing("use", "use = [\"boathook\"]", out);
        return rule;
    };
    let whole = fields.path_of("use");
    for (index, item) in list(node, &whole, out).unwrap_or_default().iter().enumerate() {
        let path = format!("{whole}.{index}");
        if is_group(item) {
            read_group(item, &whole, &path, choose, &mut rule, out);
        } else {
            rule.uses.extend(read_use(item, &whole, &path, choose, out));
        }
    }
    if choose != Choose::First && rule.groups.is_empty() {
        rule.groups.push(GroupRule { first: 0, count: rule.uses.len() });
    }
    rule
}

/// Whether it is a group. A text under `use` is a line whose author meant `ability`.
fn is_group(item: &Node) -> bool {
    let Value::Table(table) = &item.value else { return false };
    table.get("use").is_some_and(|node| !matches!(node.value, Value::Text(..)))
}

/// A group among whose lines chance chooses.
fn read_group(item: &Node, whole: &str, path: &str, around: Choose, rule: &mut PolicyRule, out: &mut Diagnostics) {
    let Some(group) = Fields::open(item, path, &shape::POLICY_GROUP, out) else { return };
    if around != Choose::First {
        let message = format!("`{path}` is a group inside a group");
        let help = "remove `choose` of the policy: its lines, including groups, are then tried in order";
        out.push(Diagnostic::at(Code::KeyConflict, group.span, message).help(help));
    }
    let choices = [("weighted", Choose::Weighted), ("random", Choose::Random)];
    if group.get("choose").is_none() {
        group.missing("choose", "{ choose = \"random\", use = [ … ] }", out);
    }
    let choose = group.choice("choose", &choices, out).unwrap_or(Choose::Weighted);
    let first = rule.uses.len();
    let inner = group.path_of("use");
    let items = group.get("use").and_then(|node| list(node, &inner, out)).unwrap_or_default();
    for (index, item) in items.iter().enumerate() {
        if is_group(item) {
            let message = format!("`{inner}.{index}` is a group within a group");
            out.push(Diagnostic::at(Code::KeyConflict, item.span, message).help("put its lines into the outer one"));
            continue;
        }
        rule.uses.extend(read_use(item, whole, &format!("{inner}.{index}"), choose, out));
    }
    rule.groups.push(GroupRule { first, count: rule.uses.len() - first });
}

/// One line; its formulas are identified by the ability or the tag that it uses.
fn read_use(item: &Node, whole: &str, path: &str, choose: Choose, out: &mut Diagnostics) -> Option<UseRule> {
    if let Value::Text(..) = item.value {
        return Some(UseRule { ability: Selector::Name(word(item, path, out)?), when: None, weight: None });
    }
    let fields = Fields::open(item, path, &shape::POLICY_USE, out)?;
    if fields.get("ability").or(fields.get("tag")).is_none() {
        fields.missing("ability", "{ ability = \"boathook\" }", out);
    }
    let ability = fields.name_or_tag("ability", out)?;
    if let Some(node) = fields.get("weight").filter(|_| choose != Choose::Weighted) {
        let message = format!("`{path}.weight` has an effect only where a policy chooses by weight");
        let help = "add `choose = \"weighted\"` to the policy, or to a group around this line";
        out.push(Diagnostic::at(Code::BadValue, node.span, message).help(help));
    }
    let named = fields.renamed(format!("{whole}.{}", ability.word().text));
    let (when, weight) = (named.formula("when", out), named.formula("weight", out));
    Some(UseRule { ability, when, weight })
}

/// How it moves, and which zones it avoids.
fn moves(fields: &Fields<'_>, out: &mut Diagnostics) -> (Moves, Vec<Word>) {
    let Some(node) = fields.get("move") else { return (Moves::default(), Vec::new()) };
    let Value::Table(_) = node.value else {
        let choices = [("approach", Moves::Approach), ("hold", Moves::Hold)];
        return (fields.choice("move", &choices, out).unwrap_or_default(), Vec::new());
    };
    let Some(inner) = Fields::open(node, &fields.path_of("move"), &shape::POLICY_MOVE, out) else {
        return (Moves::default(), Vec::new());
    };
    if inner.get("keep_distance").or(inner.get("avoid")).is_none() {
        inner.missing("keep_distance", "move = { keep_distance = 6 }", out);
    }
    let moves = inner.number("keep_distance", out).map_or(Moves::Approach, Moves::KeepDistance);
    (moves, inner.words("avoid", out).unwrap_or_default())
}
