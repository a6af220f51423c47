//! `[cause.*]`: effects brought about by the game, such as a fall or a hot floor.

use super::effects::{EffectRule, read_list};
use super::reader::Fields;
use super::shape;
use crate::text::{Diagnostics, Node};

/// One cause.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct CauseRule {
    /// For readers.
    pub about: String,
    /// The effects on the combatant that the game names; `amount` is the number that it gives.
    pub does: Vec<EffectRule>,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> CauseRule {
    let Some(fields) = Fields::open(node, path, &shape::CAUSE, out) else { return CauseRule::default() };
    let does = fields.get("does").map(|node| read_list(node, &fields.path_of("does"), out));
    if does.is_none() {
        fields.missing("does", "does = [{ damage = \"amount\" }]", out);
    }
    CauseRule { about: fields.about(out), does: does.unwrap_or_default() }
}
