//! Explains functions of formulas: `[formula.*]` and `[curve.*]`.

use super::quantity::add_readers;
use super::rule::{RuleExplanation, names};
use crate::formula::Expr;
use crate::program::{Program, plain};

/// The maximum number of points that are listed.
const MOST_POINTS: usize = 12;

pub(super) fn formula(program: &Program, index: usize) -> RuleExplanation {
    let named = &program.functions[index];
    let rule = &named.rule;
    let mut formula = RuleExplanation::of("formula", &named.name, &rule.about);
    let args: Vec<&str> = rule.args.iter().map(|arg| arg.text.as_str()).collect();
    formula.add("form", format!("{}({})", named.name, args.join(", ")));
    let is = rule.is.as_ref().map_or("", |is| is.text.as_str());
    if rule.game {
        formula.add("is", "what the game answers");
        formula.add("default", is);
    } else {
        formula.add("is", is);
    }
    if let Some(is) = &rule.is {
        let curves = program.curves.iter().map(|curve| &curve.name);
        let known = program.functions.iter().map(|function| &function.name).chain(curves);
        formula.add("calls", names(known.filter(|name| is.expr.calls(name))));
    }
    add_callers(&mut formula, program);
    formula
}

pub(super) fn curve(program: &Program, index: usize) -> RuleExplanation {
    let plan = &program.curves[index];
    let mut curve = RuleExplanation::of("curve", &plan.name, &plan.about);
    let point = |(x, y): &(f64, f64)| format!("{} at {}", plain(*y), plain(*x));
    let shown = plan.points.iter().take(MOST_POINTS).map(point).collect::<Vec<_>>().join(", ");
    let more = plan.points.len().saturating_sub(MOST_POINTS);
    let last = plan.points.last().map_or_else(String::new, point);
    curve.add("gives", if more == 0 { shown } else { format!("{shown} and {more} more points, the last {last}") });
    curve.add("between", if plan.step { "the value of the previous point" } else { "in a straight line" });
    curve.add("beyond", "the value of the first or of the last point");
    add_callers(&mut curve, program);
    curve
}

fn add_callers(explained: &mut RuleExplanation, program: &Program) {
    let name = explained.name.clone();
    let calls = |expr: &Expr| expr.calls(&name);
    let functions = program.functions.iter();
    let callers = functions.filter(|function| function.rule.is.as_ref().is_some_and(|is| calls(&is.expr)));
    let callers = names(callers.map(|function| &function.name));
    explained.add("called by", if callers.is_empty() { callers } else { format!("formula: {callers}") });
    add_readers(explained, program, "called by", &|formula| calls(&formula.source.expr));
}
