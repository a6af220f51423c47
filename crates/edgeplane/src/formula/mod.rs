//! The formula language: text → tokens → tree.
//!
//! This module parses a formula into an [`Expr`]; its names and its kind (number or condition) are resolved in the
//! program, where the names of the ruleset are known.

pub mod ast;
pub mod functions;
mod lex;
mod parse;

pub use ast::{Binary, Expr, ExprKind, Ident, Unary};
pub use functions::{Builtin, Kind};
pub use parse::{ParseError, parse};

/// The maximum length of a formula in bytes.
pub const MAX_FORMULA_BYTES: usize = 10_000;
/// The maximum nesting of a formula, including long chains of one operator.
pub const MAX_FORMULA_DEPTH: usize = 100;
