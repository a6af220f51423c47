//! Goals: wanted values of measures.

use super::ledger::Figure;
use crate::measures::Unit;
use crate::numbers::Extremes;

/// A measure and its bounds.
#[derive(Clone, Debug, PartialEq)]
pub struct Goal {
    /// The text of the goal.
    pub text: String,
    /// The encounter in which it is measured, if given.
    pub encounter: Option<String>,
    /// The measure.
    pub measure: String,
    /// The minimum.
    pub least: f64,
    /// The maximum.
    pub most: f64,
}

const SHAPE: &str = "write it as `MEASURE = VALUE`, `MEASURE = VALUE +- TOLERANCE`, `MEASURE in LOW..HIGH`, \
                     `MEASURE >= LOW` or `MEASURE <= HIGH`, with `ENCOUNTER:` before it for another encounter";

impl Goal {
    /// Reads a goal. Without a tolerance, a value may be off by one part in fifty. It may be preceded by the name of an
    /// encounter and a colon.
    ///
    /// ```
    /// use edgeplane::study::Goal;
    /// let fair = Goal::parse("win_rate(keepers) = 50% +- 2%").unwrap();
    /// assert_eq!((fair.least, fair.most), (0.48, 0.52));
    /// let pace = Goal::parse("duration.p50 in 6..9").unwrap();
    /// assert_eq!((pace.measure.as_str(), pace.least, pace.most), ("duration.p50", 6.0, 9.0));
    /// let elsewhere = Goal::parse("night_shift: win_rate(keepers) >= 40%").unwrap();
    /// assert_eq!(elsewhere.encounter.as_deref(), Some("night_shift"));
    /// ```
    ///
    /// # Errors
    /// A message for the author of the goal.
    pub fn parse(text: &str) -> Result<Self, String> {
        let is_name = |name: &str| name.chars().all(|one| one.is_alphanumeric() || one == '_');
        let (encounter, goal) = match text.trim().split_once(':').filter(|(name, _)| is_name(name.trim_end())) {
            Some((name, goal)) => (Some(name.trim_end().to_owned()), goal),
            None => (None, text),
        };
        let (measure, least, most) = bounds(goal)?;
        if measure.is_empty() {
            return Err(SHAPE.to_owned());
        }
        if least > most {
            return Err(format!("no value is at least {least} and at most {most}"));
        }
        Ok(Self { text: text.trim().to_owned(), encounter, measure: measure.to_owned(), least, most })
    }

    /// Whether a figure meets it, by its estimate.
    pub fn holds(&self, figure: &Figure) -> bool {
        figure.value.is_some_and(|value| (self.least..=self.most).contains(&value))
    }

    /// The tolerance of a figure: half of the width between the bounds, or a fifth of a large step.
    pub(super) fn tolerance(&self, unit: Unit) -> f64 {
        let width = self.most - self.least;
        if width.is_finite() { width / 2.0 } else { self.size(unit) / 5.0 }
    }

    /// The size of a large step for such a measure.
    pub(super) fn size(&self, unit: Unit) -> f64 {
        let ends = [self.least, self.most].into_iter().filter(|end| end.is_finite());
        let relative = ends.fold(0.0, |size: f64, end| size.larger(end.abs() / 10.0));
        if unit == Unit::Share { 0.1 } else { relative.larger(1e-9) }
    }

    /// By how much a value misses the goal, in large steps.
    pub(super) fn miss(&self, value: f64, unit: Unit) -> f64 {
        (self.least - value).larger(value - self.most).larger(0.0) / self.size(unit)
    }
}

fn bounds(text: &str) -> Result<(&str, f64, f64), String> {
    if let Some((measure, low)) = text.split_once(">=") {
        return Ok((measure.trim(), number(low)?, f64::INFINITY));
    }
    if let Some((measure, high)) = text.split_once("<=") {
        return Ok((measure.trim(), f64::NEG_INFINITY, number(high)?));
    }
    if let Some((measure, range)) = text.split_once(" in ") {
        let (low, high) = range.split_once("..").ok_or(SHAPE)?;
        return Ok((measure.trim(), number(low)?, number(high)?));
    }
    let (measure, value) = text.split_once('=').ok_or(SHAPE)?;
    let (value, tolerance) = match value.split_once("+-") {
        Some((value, tolerance)) => (number(value)?, number(tolerance)?.abs()),
        None => (number(value)?, number(value)?.abs() / 50.0),
    };
    Ok((measure.trim(), value - tolerance, value + tolerance))
}

/// `0.5` or `50%`.
fn number(text: &str) -> Result<f64, String> {
    let text = text.trim();
    let (digits, part) = text.strip_suffix('%').map_or((text, 1.0), |digits| (digits.trim(), 100.0));
    let value = digits.parse::<f64>().ok().filter(|value| value.is_finite()).map(|value| value / part);
    value.ok_or_else(|| format!("`{text}` is not a number; {SHAPE}"))
}
