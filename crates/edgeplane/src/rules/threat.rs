//! `[threat]`: how threat grows.

use super::reader::{Fields, Formula};
use super::shape;
use crate::text::{Diagnostics, Node};

/// How threat grows. The factors are formulas in which `caster` is the source of the threat and `target` the combatant
/// that keeps it.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct ThreatRule {
    /// For readers.
    pub about: String,
    /// Per point of damage, for the combatant that was hurt.
    pub damage: Option<Formula>,
    /// Per point healed, for every enemy of the healer.
    pub healing: Option<Formula>,
}

pub(super) fn read(node: &Node, out: &mut Diagnostics) -> Option<ThreatRule> {
    let fields = Fields::open(node, "threat", &shape::THREAT, out)?;
    if fields.get("damage").is_none() && fields.get("healing").is_none() {
        fields.missing("damage", "damage = 1", out);
    }
    Some(ThreatRule {
        about: fields.about(out),
        damage: fields.formula("damage", out),
        healing: fields.formula("healing", out),
    })
}
