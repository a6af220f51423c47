//! Threat between combatants.

use super::ids::{CombatantId, FormulaId};
use super::resolve::Compiler;
use super::scope::Scope;
use crate::numbers::Extremes;
use crate::rules::Ruleset;
use crate::text::{Code, Diagnostic, Span};

/// The rules for threat.
#[derive(Clone, Copy, Debug, Default)]
#[non_exhaustive]
pub struct ThreatPlan {
    /// Per point of damage taken from a combatant.
    pub damage: Option<FormulaId>,
    /// Per point healed, for every enemy.
    pub healing: Option<FormulaId>,
}

/// The threat between all pairs of combatants, never negative. Empty if the ruleset has no threat.
#[derive(Clone, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(crate) struct Threat {
    seats: usize,
    amounts: Vec<f64>,
}

impl Threat {
    pub(crate) fn among(seats: usize) -> Self {
        Self { seats, amounts: vec![0.0; seats * seats] }
    }

    pub(crate) fn copy_from(&mut self, other: &Self) {
        self.seats = other.seats;
        self.amounts.clone_from(&other.amounts);
    }

    /// Copies threat from a fight with the same number of combatants.
    pub(crate) fn take_over(&mut self, other: &Self) {
        if self.amounts.len() == other.amounts.len() {
            self.amounts.clone_from(&other.amounts);
        }
    }

    /// Extends it by combatants.
    pub(crate) fn grow(&mut self, larger: &Self) {
        let mut amounts = vec![0.0; larger.amounts.len()];
        for (to, from) in amounts.chunks_mut(larger.seats.max(1)).zip(self.amounts.chunks(self.seats.max(1))) {
            to[..from.len()].copy_from_slice(from);
        }
        (self.seats, self.amounts) = (larger.seats, amounts);
    }

    /// Resets the threat of and for a combatant, given its number.
    pub(crate) fn forget(&mut self, who: usize) {
        let seats = self.seats;
        if self.amounts.is_empty() {
            return;
        }
        self.amounts[who * seats..(who + 1) * seats].fill(0.0);
        self.amounts.iter_mut().skip(who).step_by(seats).for_each(|amount| *amount = 0.0);
    }

    /// The threat of the second combatant for the first; zero if none is stored.
    #[inline]
    pub(crate) fn between(&self, [eyes, whom]: [CombatantId; 2]) -> f64 {
        self.amounts.get(eyes.index() * self.seats + whom.index()).copied().unwrap_or(0.0)
    }

    pub(crate) fn bytes(&self) -> usize {
        size_of_val(self.amounts.as_slice())
    }

    /// Adds to it, given the numbers of the combatants, and returns the new value.
    pub(crate) fn add(&mut self, eyes: usize, whom: usize, amount: f64) -> f64 {
        let Some(threat) = self.amounts.get_mut(eyes * self.seats + whom) else { return 0.0 };
        *threat = (*threat + amount).larger(0.0);
        *threat
    }
}

impl Compiler<'_> {
    pub(crate) fn threat(&mut self, rules: &Ruleset) {
        let Some(rule) = &rules.threat else { return };
        let damage = self.optional(&rule.damage, Scope::THREAT);
        let healing = self.optional(&rule.healing, Scope::THREAT);
        self.program.threat = Some(ThreatPlan { damage, healing });
    }

    pub(crate) fn no_threat(&mut self, span: Span) {
        let message = "this ruleset has no threat";
        let help = "add a section such as\n[threat]\ndamage = 1\nhealing = 0.5";
        self.out.push(Diagnostic::at(Code::NotHere, span, message).help(help));
    }
}
