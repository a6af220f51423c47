//! `[curve.*]` and `[formula.*]`: functions for formulas.

use super::reader::{Fields, Formula, Word, check_name, list, wrong_type};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Value};

/// The maximum number of points of a curve.
const MAX_POINTS: usize = 10_000;

/// A function given by points, called with one number.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct CurveRule {
    /// Points (x, y) with increasing x. Empty after an error.
    pub points: Vec<(f64, f64)>,
    /// Whether a value holds until the next point, instead of linear interpolation.
    pub step: bool,
    /// For readers.
    pub about: String,
}

/// A formula of the designer's own.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct FunctionRule {
    /// Names of the arguments.
    pub args: Vec<Word>,
    /// Its formula. `None` after an error.
    pub is: Option<Formula>,
    /// The game gives the value; `is` is the default.
    pub game: bool,
    /// For readers.
    pub about: String,
}

pub(super) fn read_curve(node: &Node, path: &str, out: &mut Diagnostics) -> CurveRule {
    let Some(fields) = Fields::open(node, path, &shape::CURVE, out) else { return CurveRule::default() };
    let points = match fields.get("points") {
        Some(node) => read_points(node, &fields.path_of("points"), out),
        None => {
            fields.missing("points", "points = [[1, 0], [10, 12]]", out);
            Vec::new()
        }
    };
    CurveRule { points, step: fields.flag("step", out), about: fields.about(out) }
}

fn read_points(node: &Node, path: &str, out: &mut Diagnostics) -> Vec<(f64, f64)> {
    let Some(items) = list(node, path, out) else { return Vec::new() };
    let wrong = |span, message: &str| Diagnostic::at(Code::BadCurve, span, format!("`{path}`: {message}"));
    if items.is_empty() || items.len() > MAX_POINTS {
        out.push(wrong(node.span, &format!("a curve has from 1 to {MAX_POINTS} points")));
    }
    let mut points: Vec<(f64, f64)> = Vec::with_capacity(items.len());
    for item in items {
        let Value::List(pair) = &item.value else {
            out.push(wrong_type(item, "a point: [x, y]", path));
            continue;
        };
        let [Node { value: Value::Number(x), .. }, Node { value: Value::Number(y), .. }] = pair.as_slice() else {
            out.push(wrong(item.span, "a point is two numbers: [x, y]"));
            continue;
        };
        if !(x.is_finite() && y.is_finite()) {
            out.push(wrong(item.span, "a point is finite"));
        } else if points.last().is_some_and(|(before, _)| before >= x) {
            out.push(wrong(item.span, "the x values of the points must increase"));
        } else {
            points.push((*x, *y));
        }
    }
    points
}

pub(super) fn read_function(node: &Node, path: &str, out: &mut Diagnostics) -> FunctionRule {
    let Some(fields) = Fields::open(node, path, &shape::FUNCTION, out) else { return FunctionRule::default() };
    if fields.get("is").is_none() {
        fields.missing("is", "is = \"x * k / (x + k)\"", out);
    }
    let args = fields.words("args", out).unwrap_or_default();
    for (index, arg) in args.iter().enumerate() {
        check_name(&arg.text, arg.span, out);
        if let Some(first) = args[..index].iter().find(|first| first.text == arg.text) {
            let message = format!("`{path}` has two arguments `{}`", arg.text);
            out.push(
                Diagnostic::at(Code::DuplicateName, arg.span, message)
                    .saying("again here")
                    .label(first.span, "first here"),
            );
        }
    }
    FunctionRule { args, is: fields.formula("is", out), game: fields.flag("game", out), about: fields.about(out) }
}
