//! The semantics of each operation, shared by constant folding, the tree and the flat code, so that the three agree to
//! the last bit.
//!
//! Conditions are 1 and 0. An operation without a finite result gives NaN or an infinity; the caller decides where that
//! is detected.

use crate::numbers::Whole;

/// Operations on one number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub(crate) enum UnaryOp {
    Negate,
    Not,
    Abs,
    Floor,
    Ceil,
    Round,
    Sqrt,
    Exp,
    Ln,
}

/// Operations on two numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub(crate) enum BinaryOp {
    Add,
    Subtract,
    Multiply,
    Divide,
    Power,
    Min,
    Max,
    Less,
    AtMost,
    Greater,
    AtLeast,
    Equal,
    Unequal,
}

impl UnaryOp {
    /// The result. `round` rounds halves away from zero.
    #[inline]
    pub(crate) fn apply(self, x: f64) -> f64 {
        match self {
            Self::Negate => -x,
            Self::Not => truth(x == 0.0),
            Self::Abs => x.abs(),
            Self::Floor => x.whole_below(),
            Self::Ceil => x.whole_above(),
            Self::Round => x.nearest_whole(),
            Self::Sqrt => x.sqrt(),
            Self::Exp => libm::exp(x),
            Self::Ln => libm::log(x),
        }
    }
}

impl BinaryOp {
    /// The result.
    #[inline]
    pub(crate) fn apply(self, a: f64, b: f64) -> f64 {
        match self {
            Self::Add => a + b,
            Self::Subtract => a - b,
            Self::Multiply => a * b,
            Self::Divide => a / b,
            Self::Power => libm::pow(a, b),
            Self::Min => {
                if b < a {
                    b
                } else {
                    a
                }
            }
            Self::Max => {
                if b > a {
                    b
                } else {
                    a
                }
            }
            Self::Less => truth(a < b),
            Self::AtMost => truth(a <= b),
            Self::Greater => truth(a > b),
            Self::AtLeast => truth(a >= b),
            Self::Equal => truth(a == b),
            Self::Unequal => truth(a != b),
        }
    }
}

#[inline]
pub(crate) fn truth(holds: bool) -> f64 {
    if holds { 1.0 } else { 0.0 }
}

/// `a + (b - a) * share`
#[inline]
pub(crate) fn lerp(a: f64, b: f64, share: f64) -> f64 {
    a + (b - a) * share
}

/// A curve, ready to be evaluated. It is constant before its first and after its last point.
#[derive(Clone, Debug, Default)]
pub(crate) struct Curve {
    pub(crate) name: String,
    /// For readers.
    pub(crate) about: String,
    /// Points with increasing x.
    pub(crate) points: Vec<(f64, f64)>,
    /// Whether a value holds until the next point.
    pub(crate) step: bool,
}

impl Curve {
    /// The value at `x`.
    pub(crate) fn at(&self, x: f64) -> f64 {
        let after = self.points.partition_point(|(from, _)| *from <= x);
        let Some(&(x0, y0)) = after.checked_sub(1).and_then(|i| self.points.get(i)) else {
            return if x.is_nan() { x } else { self.points.first().map_or(0.0, |point| point.1) };
        };
        match self.points.get(after) {
            Some(&(x1, y1)) if !self.step => y0 + (y1 - y0) * ((x - x0) / (x1 - x0)),
            _ => y0,
        }
    }
}
