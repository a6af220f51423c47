//! What a running formula can meet that it cannot go on from.

use super::Program;
use super::ids::FormulaId;
use super::tree::{LeafValue, Stumble};
use crate::text::{Code, Diagnostic, Span};

/// Why there is no number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FaultReason {
    /// A division by zero.
    DividesByZero,
    /// A result that is no finite number: too large, a root or logarithm of a negative number.
    NotFinite,
    /// `between(low, high)` with low above high.
    BoundsReversed,
    /// `dice(number, sides)` with a number or sides that no dice have.
    NotDice,
    /// `roll(chance, streak = n)` with so small a chance that more than `n` misses in a row are needed for it.
    StreakTooShort,
    /// A time, cost or rate below zero.
    Negative,
}

impl FaultReason {
    fn what(self) -> &'static str {
        match self {
            Self::DividesByZero => "divides by zero",
            Self::NotFinite => "has no finite value",
            Self::BoundsReversed => "has its lower bound above its upper bound",
            Self::NotDice => "throws impossible dice: whole numbers, 0 to 1000 dice of 1 to 1000 sides",
            Self::StreakTooShort => {
                "has too small a chance for its `streak`: at most n misses in a row need a chance of 1 in n + 1 or more"
            }
            Self::Negative => "is below zero, which this value cannot be",
        }
    }
}

/// A formula that had no usable value, with everything needed to say so.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Fault {
    /// The formula.
    pub formula: FormulaId,
    /// Why.
    pub reason: FaultReason,
    /// The part that stumbled, in the file.
    pub span: Span,
    /// What had been read, with the text it was read by.
    pub values: Vec<(String, f64)>,
}

impl Fault {
    pub(crate) fn new(program: &Program, formula: FormulaId, stumble: Stumble) -> Self {
        let compiled = program.formula(formula);
        let span = if stumble.called { compiled.source.span } else { compiled.source.place(stumble.range) };
        let values = stumble.leaves.iter().map(|leaf| (compiled.text_of(&leaf.range).to_owned(), leaf.value)).collect();
        Self { formula, reason: stumble.reason, span, values }
    }

    pub(crate) fn negative(program: &Program, formula: FormulaId, value: f64, leaves: &[LeafValue]) -> Self {
        let compiled = program.formula(formula);
        let mut values: Vec<_> =
            leaves.iter().map(|leaf| (compiled.text_of(&leaf.range).to_owned(), leaf.value)).collect();
        values.push(("the whole".to_owned(), value));
        Self { formula, reason: FaultReason::Negative, span: compiled.source.span, values }
    }

    /// As a diagnostic, with what led there.
    pub fn diagnostic(&self, program: &Program, code: Code) -> Diagnostic {
        let compiled = program.formula(self.formula);
        let message = format!("`{}` {}", compiled.source.path, self.reason.what());
        let mut values: Vec<String> = Vec::new();
        for (name, value) in &self.values {
            let value = format!("{name} = {value}");
            if !values.contains(&value) {
                values.push(value);
            }
        }
        let diagnostic = Diagnostic::at(code, self.span, message);
        if values.is_empty() { diagnostic } else { diagnostic.help(format!("with {}", values.join(", "))) }
    }
}
