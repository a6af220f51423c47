//! The syntax tree of formulas.

use std::ops::Range;

/// A part of a formula, with its range in the text.
#[derive(Clone, Debug, PartialEq)]
pub struct Expr {
    /// Its kind.
    pub kind: ExprKind,
    /// Its range in the text of the formula.
    pub range: Range<u32>,
}

impl Expr {
    /// Visits the names of all functions called in it.
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

    /// Whether it calls a function with this name.
    #[cfg(feature = "study")]
    pub(crate) fn calls(&self, name: &str) -> bool {
        let mut called = false;
        self.each_call(&mut |other| called |= other == name);
        called
    }
}

/// The kind of a part.
#[derive(Clone, Debug, PartialEq)]
pub enum ExprKind {
    /// A number. Percentages are already divided by a hundred.
    Number {
        /// The value.
        value: f64,
        /// Whether it was written with `%`.
        percent: bool,
    },
    /// `true` or `false`.
    Truth(bool),
    /// A name, whose parts are separated by dots.
    Name(Vec<Ident>),
    /// A call of a function, a curve or one of the designer's own formulas.
    Call(Ident, Vec<Expr>),
    /// A named argument of a call: `streak = 3`.
    Named(Ident, Box<Expr>),
    /// A unary operator.
    Unary(Unary, Box<Expr>),
    /// A binary operator.
    Binary(Binary, Box<Expr>, Box<Expr>),
}

/// One word of a name.
#[derive(Clone, Debug, PartialEq)]
pub struct Ident {
    /// The word.
    pub text: String,
    /// Its range in the text of the formula.
    pub range: Range<u32>,
}

/// Unary operators.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unary {
    /// `-x`
    Negate,
    /// `not x`
    Not,
}

/// Binary operators.
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
