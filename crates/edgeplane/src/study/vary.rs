//! Varied numbers: their paths and values.

use crate::error::Error;
use crate::game::Game;
use crate::numbers::Extremes;
use crate::text::Override;

/// The maximum number of values of one varied number.
const MOST_VALUES: usize = 1_001;
/// The number of values of a range without a step.
const VALUES: usize = 11;

/// A number of the ruleset, and values for it.
#[derive(Clone, Debug, PartialEq)]
pub struct Vary {
    /// Its path.
    pub path: String,
    /// Whether the values are factors of the current value, which may then be a formula.
    pub scales: bool,
    /// The values in order.
    pub values: Vec<f64>,
    /// The step between two values, if given.
    pub step: Option<f64>,
}

/// The current value of a number that the ruleset does not give.
const NOT_GIVEN: &str = "not given";

impl Vary {
    /// Reads `PATH=LOW..HIGH`, `PATH=LOW..HIGH:STEP` or `PATH=A,B,C`; with `*=` the values are factors.
    ///
    /// ```
    /// use edgeplane::study::Vary;
    /// let heft = Vary::parse("character.lockhand.attributes.heft=8..14:2").unwrap();
    /// assert_eq!(heft.values, [8.0, 10.0, 12.0, 14.0]);
    /// let damage = Vary::parse("ability.boathook.does.0.damage*=0.9,1.1").unwrap();
    /// assert!(damage.scales);
    /// ```
    ///
    /// # Errors
    /// A message for the author of the text.
    pub fn parse(text: &str) -> Result<Self, String> {
        const SHAPE: &str = "write it as PATH=LOW..HIGH, PATH=LOW..HIGH:STEP or PATH=A,B,C (with *= for factors)";
        let (path, values) = text.split_once('=').ok_or(SHAPE)?;
        let scales = path.ends_with('*');
        let path = path.trim_end_matches('*').trim().to_owned();
        let number = |text: &str| {
            let value = text.trim().parse::<f64>().ok().filter(|value| value.is_finite());
            value.ok_or_else(|| format!("`{}` is not a number; {SHAPE}", text.trim()))
        };
        if path.is_empty() {
            return Err(SHAPE.to_owned());
        }
        let Some((low, rest)) = values.split_once("..") else {
            let values = values.split(',').map(number).collect::<Result<Vec<_>, _>>()?;
            return Ok(Self { path, scales, values, step: None });
        };
        let (high, step) = rest.split_once(':').map_or((rest, None), |(high, step)| (high, Some(step)));
        let (low, high, step) = (number(low)?, number(high)?, step.map(number).transpose()?);
        if low >= high {
            return Err(format!("the range {low}..{high} is empty: the lower end comes first"));
        }
        Ok(Self { path, scales, values: range(low, high, step)?, step })
    }

    /// The ends of the range.
    pub fn bounds(&self) -> (f64, f64) {
        let ends = |(low, high): (f64, f64), value: &f64| (low.smaller(*value), high.larger(*value));
        self.values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), ends)
    }

    /// The text to be set for a value.
    ///
    /// # Errors
    /// [`Error::Path`] if the values are factors and the path has no value.
    pub fn at(&self, game: &Game, value: f64) -> Result<Override, Error> {
        let value = if self.scales { scaled(&self.now(game)?, value) } else { plain(value) };
        Ok(Override { path: self.path.clone(), value })
    }

    /// The current value: as written, or as the rule inherits it.
    ///
    /// # Errors
    /// [`Error::Path`] if the ruleset gives none; [`Error::Ruleset`] if it cannot give one, since nothing has this path.
    pub fn now(&self, game: &Game) -> Result<String, Error> {
        let path = || self.path.clone();
        if let Some(now) = game.value_at(&self.path) {
            return Ok(now);
        }
        game.variant(&[Override { path: path(), value: "1".to_owned() }])?;
        Err(Error::Path { path: path() })
    }

    /// The current value: 1 for factors; `None` for a formula, and where the ruleset gives none.
    ///
    /// # Errors
    /// As [`Vary::now`], but [`Error::Path`] only for factors.
    pub fn value_now(&self, game: &Game) -> Result<Option<f64>, Error> {
        let now = self.text_now(game)?;
        Ok(if self.scales { Some(1.0) } else { now.parse().ok() })
    }

    /// The current value, or that there is none: a number is only needed to multiply it.
    pub(super) fn text_now(&self, game: &Game) -> Result<String, Error> {
        match self.now(game) {
            Err(Error::Path { .. }) if !self.scales => Ok(NOT_GIVEN.to_owned()),
            now => now,
        }
    }
}

/// A number or formula times a factor, as it is set in a ruleset.
pub(super) fn scaled(now: &str, factor: f64) -> String {
    match now.parse::<f64>() {
        Ok(number) => plain(number * factor),
        Err(_) => format!("({now}) * {}", plain(factor)),
    }
}

/// A number without digits that are only rounding noise.
pub(super) fn plain(value: f64) -> String {
    let rounded: f64 = format!("{value:.12e}").parse().unwrap_or(value);
    rounded.to_string()
}

fn range(low: f64, high: f64, step: Option<f64>) -> Result<Vec<f64>, String> {
    if !(high - low).is_finite() {
        return Err(format!("the range {low:e}..{high:e} is too wide to be divided"));
    }
    let steps = match step {
        None => VALUES - 1,
        // A step that fits up to rounding includes the end.
        Some(step) if step > 0.0 => ((high - low) / step + 1e-9).floor() as usize,
        Some(step) => return Err(format!("a step of {step} is too small or negative")),
    };
    if steps >= MOST_VALUES {
        return Err(format!("{} values are too many; at most {MOST_VALUES} are possible", steps + 1));
    }
    let width = step.unwrap_or((high - low) / (VALUES - 1) as f64);
    let value = |index: usize| plain(low + width * index as f64).parse().unwrap_or(low);
    Ok((0..=steps).map(value).collect())
}
