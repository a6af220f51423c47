//! Errors of formulas at run time.

use super::Program;
use super::ids::FormulaId;
use super::tree::{LeafValue, Stumble};
use crate::numbers::plain;
use crate::text::{Code, Diagnostic, Span};

/// The reason why there is no number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FaultReason {
    /// A division by zero.
    DividesByZero,
    /// A result that is not a finite number: too large, or the root or logarithm of a negative number.
    NotFinite,
    /// `between(low, high)` with low above high.
    BoundsReversed,
    /// `dice(number, sides)` with an invalid number or sides.
    NotDice,
    /// `roll(chance, streak = n)` with a chance so small that it requires more than `n` misses in a row.
    StreakTooShort,
    /// A negative time, cost or rate.
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
            Self::Negative => "is below zero",
        }
    }
}

/// A formula without a usable value, with everything needed to report it.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Fault {
    /// The formula.
    pub formula: FormulaId,
    /// The reason.
    pub reason: FaultReason,
    /// The failing part, as a location in the file.
    pub span: Span,
    /// The value that is below zero, for [`FaultReason::Negative`].
    pub value: Option<f64>,
    /// The numbers read so far, with the text by which each was read.
    pub values: Vec<(String, f64)>,
}

impl Fault {
    pub(crate) fn new(program: &Program, formula: FormulaId, stumble: Stumble) -> Self {
        let compiled = program.formula(formula);
        let span = if stumble.called { compiled.source.span } else { compiled.source.place(stumble.range) };
        let values = stumble.leaves.iter().map(|leaf| (compiled.text_of(&leaf.range).to_owned(), leaf.value)).collect();
        Self { formula, reason: stumble.reason, span, value: None, values }
    }

    pub(crate) fn negative(program: &Program, formula: FormulaId, value: f64, leaves: &[LeafValue]) -> Self {
        let compiled = program.formula(formula);
        let values = leaves.iter().map(|leaf| (compiled.text_of(&leaf.range).to_owned(), leaf.value)).collect();
        Self { formula, reason: FaultReason::Negative, span: compiled.source.span, value: Some(value), values }
    }

    /// A diagnostic with the numbers that led to the error.
    pub fn diagnostic(&self, program: &Program, code: Code) -> Diagnostic {
        let compiled = program.formula(self.formula);
        let path = &compiled.source.path;
        let message = match self.value {
            Some(value) => format!("`{path}` is {}, which is below zero", plain(value)),
            None => format!("`{path}` {}", self.reason.what()),
        };
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
