//! The tree of a formula as it was written.

use std::ops::Range;

/// A part of a formula, with the bytes of the formula's text that it came from.
#[derive(Clone, Debug, PartialEq)]
pub struct Expr {
    /// What it is.
    pub kind: ExprKind,
    /// Where it stands in the formula's text.
    pub range: Range<u32>,
}

impl Expr {
    /// Visits the name of everything that is called in it.
    pub(crate) fn each_call(&self, found: &mut impl FnMut(&str)) {
        match &self.kind {
            ExprKind::Call(name, arguments) => {
                found(&name.text);
                arguments.iter().for_each(|argument| argument.each_call(found));
            }
            ExprKind::Unary(_, a) | ExprKind::Named(_, a) => a.each_call(found),
            ExprKind::Binary(_, a, b) => {
                a.each_call(found);
                b.each_call(found);
            }
            ExprKind::Number { .. } | ExprKind::Truth(_) | ExprKind::Name(_) => {}
        }
    }

    /// Whether something of this name is called in it.
    #[cfg(feature = "study")]
    pub(crate) fn calls(&self, name: &str) -> bool {
        let mut called = false;
        self.each_call(&mut |other| called |= other == name);
        called
    }
}

/// What a part of a formula is.
#[derive(Clone, Debug, PartialEq)]
pub enum ExprKind {
    /// A number. Percents are already divided by a hundred.
    Number {
        /// The value.
        value: f64,
        /// Whether it was written with a `%`.
        percent: bool,
    },
    /// `true` or `false`.
    Truth(bool),
    /// A name, with dots between its parts.
    Name(Vec<Ident>),
    /// A call of a function, a curve or one of the designer's own formulas.
    Call(Ident, Vec<Expr>),
    /// An argument of a call with its name: `streak = 3`.
    Named(Ident, Box<Expr>),
    /// An operator with one operand.
    Unary(Unary, Box<Expr>),
    /// An operator with two operands.
    Binary(Binary, Box<Expr>, Box<Expr>),
}

/// One word of a name.
#[derive(Clone, Debug, PartialEq)]
pub struct Ident {
    /// The word.
    pub text: String,
    /// Where it stands in the formula's text.
    pub range: Range<u32>,
}

/// Operators with one operand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unary {
    /// `-x`
    Negate,
    /// `not x`
    Not,
}

/// Operators with two operands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Binary {
    Add,
    Subtract,
    Multiply,
    Divide,
    Power,
    Less,
    AtMost,
    Greater,
    AtLeast,
    Equal,
    Unequal,
    And,
    Or,
}

impl Binary {
    /// As it is written.
    pub fn symbol(self) -> &'static str {
        match self {
            Self::Add => "+",
            Self::Subtract => "-",
            Self::Multiply => "*",
            Self::Divide => "/",
            Self::Power => "^",
            Self::Less => "<",
            Self::AtMost => "<=",
            Self::Greater => ">",
            Self::AtLeast => ">=",
            Self::Equal => "==",
            Self::Unequal => "!=",
            Self::And => "and",
            Self::Or => "or",
        }
    }
}
