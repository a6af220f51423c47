//! `[threat]`: what makes somebody a threat in the eyes of others.

use super::reader::{Fields, Formula};
use super::shape;
use crate::text::{Diagnostics, Node};

/// How threat grows. The factors are formulas in which `caster` is the one who becomes a threat and `target` the one in
/// whose eyes.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct ThreatRule {
    /// For readers.
    pub about: String,
    /// For each point that a hit takes from somebody, in the eyes of that one.
    pub damage: Option<Formula>,
    /// For each point healed, in the eyes of every enemy of the one who healed.
    pub healing: Option<Formula>,
}

pub(super) fn read(node: &Node, out: &mut Diagnostics) -> Option<ThreatRule> {
    let fields = Fields::open(node, "threat", &shape::THREAT.names(), out)?;
    if fields.get("damage").is_none() && fields.get("healing").is_none() {
        fields.missing("damage", "damage = 1", out);
    }
    Some(ThreatRule {
        about: fields.about(out),
        damage: fields.formula("damage", out),
        healing: fields.formula("healing", out),
    })
}
