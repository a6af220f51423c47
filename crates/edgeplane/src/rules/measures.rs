//! The syntax of measures: `damage(lockhand, boathook).p90`, as used by `[[expect]]` and the study commands. Names are
//! resolved in [`crate::program`].

use std::ops::Range;

/// A word of a measure and its bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// The word.
    pub text: String,
    /// Its range in the measure's text.
    pub range: Range<u32>,
}

/// The statistic over many fights.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Statistic {
    /// The mean, or a share.
    Mean,
    /// A quantile: this share of all fights, 0 to 1, stays below it.
    Quantile(f64),
}

/// A measure as written.
#[derive(Clone, Debug, PartialEq)]
pub struct MeasureText {
    /// The text of the measure.
    pub text: String,
    /// The quantity.
    pub name: Part,
    /// Its arguments.
    pub arguments: Vec<Part>,
    /// The statistic.
    pub statistic: Statistic,
}

/// An error in a measure.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct MeasureFault {
    /// Its range in the text.
    pub range: Range<u32>,
    /// What was found.
    pub message: String,
    /// What was probably meant.
    pub help: Option<String>,
}

impl MeasureFault {
    pub(crate) fn new(range: Range<u32>, message: impl Into<String>) -> Self {
        Self { range, message: message.into(), help: None }
    }

    pub(crate) fn help(self, help: impl Into<String>) -> Self {
        Self { help: Some(help.into()), ..self }
    }
}

const SHAPE: &str = "write `name` or `name(who, what)`, optionally followed by `.mean` or a quantile such as `.p90`";

impl MeasureText {
    /// Reads a measure.
    ///
    /// # Errors
    /// Returns a [`MeasureFault`] for an invalid measure.
    pub fn parse(text: &str) -> Result<Self, MeasureFault> {
        let whole = || 0..text.len() as u32;
        let open = text.find('(');
        let close = text.rfind(')');
        let (head, arguments, tail) = match (open, close) {
            (None, None) => {
                let (head, tail) = text.split_once('.').map_or((text, text.len()), |(head, _)| (head, head.len()));
                (part(text, 0, head.len()), Vec::new(), tail)
            }
            (Some(open), Some(close)) if open < close => (part(text, 0, open), split(text, open + 1, close), close + 1),
            _ => return Err(MeasureFault::new(whole(), "a bracket is missing").help(SHAPE)),
        };
        if head.text.is_empty() {
            return Err(MeasureFault::new(whole(), "there is no measure here").help(SHAPE));
        }
        if let Some(empty) = arguments.iter().find(|part| part.text.is_empty()) {
            return Err(MeasureFault::new(empty.range.clone(), "a name is missing here").help(SHAPE));
        }
        let statistic = statistic(&part(text, tail, text.len()))?;
        Ok(Self { text: text.trim().to_owned(), name: head, arguments, statistic })
    }
}

/// A part of a text without surrounding space.
fn part(text: &str, start: usize, end: usize) -> Part {
    let piece = &text[start..end];
    let start = start + piece.len() - piece.trim_start().len();
    let piece = piece.trim();
    Part { text: piece.to_owned(), range: start as u32..(start + piece.len()) as u32 }
}

fn split(text: &str, start: usize, end: usize) -> Vec<Part> {
    let mut parts = Vec::new();
    let mut from = start;
    for (at, _) in text[start..end].match_indices(',') {
        parts.push(part(text, from, start + at));
        from = start + at + 1;
    }
    parts.push(part(text, from, end));
    parts
}

fn statistic(tail: &Part) -> Result<Statistic, MeasureFault> {
    let wrong = |message: String| Err(MeasureFault::new(tail.range.clone(), message).help(SHAPE));
    let Some(name) = tail.text.strip_prefix('.') else {
        return if tail.text.is_empty() {
            Ok(Statistic::Mean)
        } else {
            wrong(format!("`{}` is not expected here", tail.text))
        };
    };
    if name == "mean" {
        return Ok(Statistic::Mean);
    }
    match name.strip_prefix('p').and_then(|digits| digits.parse::<f64>().ok()) {
        Some(percent) if percent > 0.0 && percent < 100.0 => Ok(Statistic::Quantile(percent / 100.0)),
        Some(_) => wrong(format!("`{name}` is not between `p0` and `p100`")),
        None if name == "median" => wrong("the median is written `.p50`".to_owned()),
        None => wrong(format!("`{name}` is not a mean or a quantile")),
    }
}
