//! `[policy.*]`: how a combatant chooses what to do next.

use super::reader::{Fields, Formula, Word, list};
use crate::text::{Diagnostics, Node};

/// A priority list: the first use that is wanted and possible is made.
#[derive(Clone, Debug, Default)]
pub struct PolicyRule {
    /// For readers.
    pub about: String,
    /// Seconds after which an idle combatant looks again at conditions that change with time.
    pub reaction: Option<f64>,
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
}

/// Shortest time between two looks, in seconds.
const LEAST_REACTION: f64 = 0.01;

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> PolicyRule {
    let Some(fields) = Fields::open(node, path, &["about", "reaction", "use"], out) else {
        return PolicyRule::default();
    };
    let mut rule = PolicyRule {
        about: fields.about(out),
        reaction: fields.number("reaction", LEAST_REACTION..=3_600.0, out),
        uses: Vec::new(),
    };
    let Some(node) = fields.get("use") else {
        fields.missing("use", "use = [{ ability = \"boathook\" }]", out);
        return rule;
    };
    let path = fields.path_of("use");
    for (index, item) in list(node, &path, out).unwrap_or_default().iter().enumerate() {
        let path = format!("{path}.{index}");
        let Some(fields) = Fields::open(item, &path, &["ability", "when"], out) else { continue };
        if fields.get("ability").is_none() {
            fields.missing("ability", "{ ability = \"boathook\" }", out);
        }
        let Some(ability) = fields.text("ability", out) else { continue };
        let path = format!("{}.{}", fields_parent(&path), ability.text);
        let named = fields.renamed(path);
        rule.uses.push(UseRule { ability, when: named.formula("when", out) });
    }
    rule
}

/// `policy.front_line.use.0` → `policy.front_line.use`: lines are told by their ability.
fn fields_parent(path: &str) -> &str {
    path.rsplit_once('.').map_or(path, |(parent, _)| parent)
}
