//! The formula language: text → tokens → tree.
//!
//! A formula is read here into an [`Expr`]; what its names stand for and whether it gives a number
//! or a truth is settled one room further, where the ruleset's names are known.

pub mod ast;
pub mod functions;
mod lex;
mod parse;

pub use ast::{Binary, Expr, ExprKind, Ident, Unary};
pub use functions::{Builtin, Kind};
pub use parse::{ParseError, parse};

/// Longest formula, in bytes.
pub const MAX_FORMULA_BYTES: usize = 10_000;
/// Deepest nesting of a formula, long chains of one operator included.
pub const MAX_FORMULA_DEPTH: usize = 100;
