//! Threat: how much each combatant makes of each other one.

use super::Program;
use super::ids::FormulaId;
use super::resolve::Compiler;
use super::scope::Scope;
use crate::rules::Ruleset;
use crate::text::{Code, Diagnostic, Span};

/// What makes somebody a threat.
#[derive(Clone, Copy, Debug, Default)]
pub struct ThreatPlan {
    /// For each point that a hit takes from somebody.
    pub damage: Option<FormulaId>,
    /// For each point healed, in the eyes of every enemy.
    pub healing: Option<FormulaId>,
}

/// Who is how much of a threat to whom: never below zero. Nothing is kept where the ruleset has no threat.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Threat {
    seats: usize,
    first: usize,
    stride: usize,
    amounts: Vec<f64>,
}

impl Threat {
    pub(crate) fn among(seats: usize, program: &Program) -> Self {
        let (first, stride) = (program.layout.blocks as usize, usize::from(program.layout.stride));
        Self { seats, first, stride, amounts: vec![0.0; seats * seats] }
    }

    pub(crate) fn copy_from(&mut self, other: &Self) {
        (self.seats, self.first, self.stride) = (other.seats, other.first, other.stride);
        self.amounts.clone_from(&other.amounts);
    }

    fn index(&self, eyes: usize, whom: usize) -> usize {
        (eyes - self.first) / self.stride * self.seats + (whom - self.first) / self.stride
    }

    /// By the first numbers of their blocks; zero where nothing is kept.
    pub(crate) fn between(&self, eyes: usize, whom: usize) -> f64 {
        if self.amounts.is_empty() { 0.0 } else { self.amounts[self.index(eyes, whom)] }
    }

    /// Sets how much of a threat everybody is in the eyes of one, by its number.
    pub(crate) fn put(&mut self, eyes: usize, amounts: &[f64]) {
        let row = self.amounts.iter_mut().skip(eyes * self.seats).take(self.seats);
        row.zip(amounts).for_each(|(place, amount)| *place = *amount);
    }

    /// Adds to it, and says what it is now.
    pub(crate) fn add(&mut self, eyes: usize, whom: usize, amount: f64) -> f64 {
        if self.amounts.is_empty() {
            return 0.0;
        }
        let index = self.index(eyes, whom);
        self.amounts[index] = (self.amounts[index] + amount).max(0.0);
        self.amounts[index]
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
