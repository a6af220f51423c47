//! Threat: how much each combatant makes of each other one.

use super::ids::{CombatantId, FormulaId};
use super::resolve::Compiler;
use super::scope::Scope;
use crate::numbers::Extremes;
use crate::rules::Ruleset;
use crate::text::{Code, Diagnostic, Span};

/// What makes somebody a threat.
#[derive(Clone, Copy, Debug, Default)]
#[non_exhaustive]
pub struct ThreatPlan {
    /// For each point that a hit takes from somebody.
    pub damage: Option<FormulaId>,
    /// For each point healed, in the eyes of every enemy.
    pub healing: Option<FormulaId>,
}

/// Who is how much of a threat to whom: never below zero. Nothing is kept where the ruleset has no threat.
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

    /// Takes over who is how much of a threat to whom, among as many.
    pub(crate) fn take_over(&mut self, other: &Self) {
        if self.amounts.len() == other.amounts.len() {
            self.amounts.clone_from(&other.amounts);
        }
    }

    /// Goes on as one of more seats.
    pub(crate) fn grow(&mut self, larger: &Self) {
        let mut amounts = vec![0.0; larger.amounts.len()];
        for (to, from) in amounts.chunks_mut(larger.seats.max(1)).zip(self.amounts.chunks(self.seats.max(1))) {
            to[..from.len()].copy_from_slice(from);
        }
        (self.seats, self.amounts) = (larger.seats, amounts);
    }

    /// Nobody has made anything of somebody, by its number, and it of nobody.
    pub(crate) fn forget(&mut self, who: usize) {
        let seats = self.seats;
        if self.amounts.is_empty() {
            return;
        }
        self.amounts[who * seats..(who + 1) * seats].fill(0.0);
        self.amounts.iter_mut().skip(who).step_by(seats).for_each(|amount| *amount = 0.0);
    }

    /// How much of a threat the second is in the eyes of the first; zero where nothing is kept.
    #[inline]
    pub(crate) fn between(&self, [eyes, whom]: [CombatantId; 2]) -> f64 {
        self.amounts.get(eyes.index() * self.seats + whom.index()).copied().unwrap_or(0.0)
    }

    pub(crate) fn bytes(&self) -> usize {
        size_of_val(self.amounts.as_slice())
    }

    /// Adds to it, by the numbers of combatants, and says what it is now.
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
        let message = "nothing makes anybody a threat in this ruleset";
        let help = "add a section such as\n[threat]\ndamage = 1\nhealing = 0.5";
        self.out.push(Diagnostic::at(Code::NotHere, span, message).help(help));
    }
}
