//! Causes: effects brought about by the game.

use super::effects::{EffectPlan, Place};
use super::resolve::Compiler;
use crate::rules::{Named, Ruleset};

/// A cause outside of the rules.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct CausePlan {
    /// Its name.
    pub name: String,
    /// For readers.
    pub about: String,
    /// The effects on the combatant that the game names.
    pub does: Vec<EffectPlan>,
}

impl Compiler<'_> {
    pub(super) fn causes(&mut self, rules: &Ruleset) {
        for Named { name, rule, .. } in &rules.causes {
            let does = self.effects(&rule.does, &[], &Place::CAUSE, rules);
            self.program.causes.push(CausePlan { name: name.clone(), about: rule.about.clone(), does });
        }
    }
}
