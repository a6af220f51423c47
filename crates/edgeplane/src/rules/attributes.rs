//! `[attributes]`: the numbers that characters have.

use super::reader::{Fields, Formula, formula};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// One attribute.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct AttributeRule {
    /// The base: a number (plain) or a formula of other attributes (derived). `None` after an error.
    pub base: Option<Formula>,
    /// The minimum of the final value.
    pub min: Option<Formula>,
    /// The maximum of the final value.
    pub max: Option<Formula>,
    /// One value for each damage type.
    pub per_type: bool,
    /// For readers.
    pub about: String,
}

pub(super) fn read(node: &Node, path: &str, out: &mut Diagnostics) -> AttributeRule {
    let mut rule = AttributeRule { base: None, min: None, max: None, per_type: false, about: String::new() };
    if !matches!(node.value, Value::Table(_)) {
        rule.base = formula(node, path.to_owned(), out);
        return rule;
    }
    let Some(fields) = Fields::open(node, path, &shape::ATTRIBUTE, out) else { return rule };
    rule.base = match fields.get("base") {
        Some(_) => fields.formula("base", out),
        None => Some(Formula::constant(0.0, fields.path_of("base"), fields.span)),
    };
    rule.min = fields.formula("min", out);
    rule.max = fields.formula("max", out);
    rule.per_type = fields.choice("per", &[("damage_type", true)], out).unwrap_or(false);
    rule.about = fields.about(out);
    if let (Some(min), Some(max)) = (number(&rule.min), number(&rule.max))
        && min > max
    {
        let span = rule.min.as_ref().map_or(fields.span, |min| min.span);
        out.push(Diagnostic::at(Code::BadValue, span, format!("`{path}` has a min of {min} above its max of {max}")));
    }
    rule
}

fn number(formula: &Option<Formula>) -> Option<f64> {
    formula.as_ref()?.as_number()
}
