//! `[policy.*]`: how a combatant chooses what to do next.

use super::reader::{Fields, Formula, Word, list};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node};

/// A priority list: the first use that is wanted and possible is made.
#[derive(Clone, Debug, Default)]
pub struct PolicyRule {
    /// For readers.
    pub about: String,
    /// Reaction time in seconds, at most 3,600: how much later than the moment that allows it an idle combatant acts.
    pub reaction: Option<f64>,
    /// How one of several possible uses is chosen.
    pub choose: Choose,
    /// How much it prefers a target, where an ability leaves that to the policy: the highest score is first.
    pub target: Option<Formula>,
    /// Where it goes while it cannot act.
    pub moves: Moves,
    /// What to use, most wanted first.
    pub uses: Vec<UseRule>,
}

/// One line of a priority list.
#[derive(Clone, Debug)]
pub struct UseRule {
    /// The ability.
    pub ability: Word,
    /// Wanted only when this is true.
    pub when: Option<Formula>,
    /// How likely it is chosen, compared with the others; 1 if it is not said.
    pub weight: Option<Formula>,
}

/// Where a combatant goes while it cannot act.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Moves {
    /// To where something that it wants to use is in reach.
    #[default]
    Approach,
    /// Nowhere.
    Hold,
    /// Away from the nearest enemy within so many metres, else as `approach`.
    KeepDistance(f64),
}

/// How one of several possible uses is chosen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Choose {
    /// The first of them.
    #[default]
    First,
    /// Any, by weight.
    Weighted,
    /// Any, all alike likely.
    Random,
}

const CHOICES: &[(&str, Choose)] =
    &[("first", Choose::First), ("weighted", Choose::Weighted), ("random", Choose::Random)];

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> PolicyRule {
    let Some(fields) = Fields::open(node, path, &shape::POLICY.names(), out) else {
        return PolicyRule::default();
    };
    let mut rule = PolicyRule {
        about: fields.about(out),
        reaction: fields.number("reaction", 0.0..=3_600.0, out),
        choose: fields.choice("choose", CHOICES, out).unwrap_or_default(),
        target: fields.formula("target", out),
        moves: moves(&fields, out).unwrap_or_default(),
        uses: Vec::new(),
    };
    let Some(node) = fields.get("use") else {
        fields.missing("use", "use = [{ ability = \"boathook\" }]", out);
        return rule;
    };
    let path = fields.path_of("use");
    for (index, item) in list(node, &path, out).unwrap_or_default().iter().enumerate() {
        let path = format!("{path}.{index}");
        let Some(fields) = Fields::open(item, &path, &shape::POLICY_USE.names(), out) else { continue };
        if fields.get("ability").is_none() {
            fields.missing("ability", "{ ability = \"boathook\" }", out);
        }
        let Some(ability) = fields.text("ability", out) else { continue };
        if let Some(node) = fields.get("weight").filter(|_| rule.choose != Choose::Weighted) {
            let message = format!("`{path}.weight` counts only where a policy chooses by weight");
            out.push(
                Diagnostic::at(Code::BadValue, node.span, message).help("add `choose = \"weighted\"` to the policy"),
            );
        }
        let named = fields.renamed(format!("{}.{}", fields_parent(&path), ability.text));
        let (when, weight) = (named.formula("when", out), named.formula("weight", out));
        rule.uses.push(UseRule { ability, when, weight });
    }
    rule
}

fn moves(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<Moves> {
    let node = fields.get("move")?;
    if let crate::text::Value::Table(_) = node.value {
        let inner = Fields::open(node, &fields.path_of("move"), &shape::POLICY_MOVE.names(), out)?;
        if inner.get("keep_distance").is_none() {
            inner.missing("keep_distance", "move = { keep_distance = 6 }", out);
        }
        return inner.number("keep_distance", 0.01..=10_000.0, out).map(Moves::KeepDistance);
    }
    fields.choice("move", &[("approach", Moves::Approach), ("hold", Moves::Hold)], out)
}

/// `policy.front_line.use.0` → `policy.front_line.use`: lines are told by their ability.
fn fields_parent(path: &str) -> &str {
    path.rsplit_once('.').map_or(path, |(parent, _)| parent)
}
