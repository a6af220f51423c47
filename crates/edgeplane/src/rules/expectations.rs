//! `[[expect]]`: statements about the ruleset that are checked after every change.

use super::measures::MeasureText;
use super::reader::{Fields, Word, list, wrong_type};
use super::shape;
use crate::text::{Code, Diagnostic, Diagnostics, Node, Span, TextMap, Value};

/// A statement about a measure.
#[derive(Clone, Debug)]
pub struct ExpectRule {
    /// The measure.
    pub that: MeasureText,
    /// Maps ranges of the measure's text to the file.
    pub(crate) map: TextMap,
    /// The encounter.
    pub encounter: Word,
    /// The minimum.
    pub at_least: Option<f64>,
    /// The maximum.
    pub at_most: Option<f64>,
    /// The span of the bounds.
    pub(crate) bounds: Span,
    /// The reason.
    pub because: String,
    /// The initial number of fights.
    pub trials: Option<u32>,
    /// The span of the whole table.
    pub span: Span,
}

pub(super) fn read_list(node: Option<&Node>, out: &mut Diagnostics) -> Vec<ExpectRule> {
    let Some(items) = node.and_then(|node| list(node, "expect", out)) else { return Vec::new() };
    items.iter().enumerate().filter_map(|(index, item)| read(item, &format!("expect.{index}"), out)).collect()
}

fn read(node: &Node, path: &str, out: &mut Diagnostics) -> Option<ExpectRule> {
    let fields = Fields::open(node, path, &shape::EXPECT, out)?;
    for (key, example) in [("that", "that = \"win_rate(keepers)\""), ("in", "in = \"duel\"")] {
        if fields.get(key).is_none() {
            fields.missing(key, example, out);
        }
    }
    let measure = measure(&fields, out);
    let encounter = fields.text("in", out);
    let (at_least, at_most) = bounds(&fields, out)?;
    let written = ["between", "at_least", "at_most"].into_iter().find_map(|key| fields.get(key));
    let bounds = written.map_or(fields.span, |node| node.span);
    let because = fields.text("because", out).map(|word| word.text).unwrap_or_default();
    let trials = fields.whole("trials", out);
    let (that, map) = measure?;
    Some(ExpectRule { that, map, encounter: encounter?, at_least, at_most, bounds, because, trials, span: fields.span })
}

fn measure(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<(MeasureText, TextMap)> {
    let node = fields.get("that")?;
    let Value::Text(text, map) = &node.value else {
        out.push(wrong_type(node, "a measure such as \"win_rate(keepers)\"", &fields.path_of("that")));
        return None;
    };
    match MeasureText::parse(text) {
        Ok(measure) => Some((measure, map.clone())),
        Err(fault) => {
            let mut diagnostic = Diagnostic::at(Code::BadMeasure, map.span(fault.range), fault.message);
            diagnostic.help = fault.help;
            out.push(diagnostic);
            None
        }
    }
}

/// `between = [low, high]`, or `at_least`, `at_most`, or both.
fn bounds(fields: &Fields<'_>, out: &mut Diagnostics) -> Option<(Option<f64>, Option<f64>)> {
    let (least, most) = (fields.number("at_least", out), fields.number("at_most", out));
    let Some(between) = fields.get("between") else {
        if fields.get("at_least").is_none() && fields.get("at_most").is_none() {
            fields.missing("between", "between = [0.45, 0.60]; or at_least, or at_most", out);
            return None;
        }
        return ordered(fields, least, most, fields.span, out);
    };
    if least.is_some() || most.is_some() {
        let message = format!("`{}` has `between` and another bound", fields.path);
        out.push(Diagnostic::at(Code::KeyConflict, between.span, message));
        return None;
    }
    let items = list(between, &fields.path_of("between"), out)?;
    match items {
        [Node { value: Value::Number(low), .. }, Node { value: Value::Number(high), .. }] => {
            ordered(fields, Some(*low), Some(*high), between.span, out)
        }
        _ => {
            let message =
                format!("`{}` takes two numbers, the lower one first, such as [0.45, 0.55]", fields.path_of("between"));
            out.push(Diagnostic::at(Code::BadValue, between.span, message));
            None
        }
    }
}

fn ordered(
    fields: &Fields<'_>,
    low: Option<f64>,
    high: Option<f64>,
    span: Span,
    out: &mut Diagnostics,
) -> Option<(Option<f64>, Option<f64>)> {
    if let (Some(low), Some(high)) = (low, high)
        && low > high
    {
        let message = format!("no value is at least {low} and at most {high}, as `{}` requires", fields.path);
        out.push(Diagnostic::at(Code::BadValue, span, message));
        return None;
    }
    Some((low, high))
}
