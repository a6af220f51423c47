//! Numbers that are varied: where they stand, and which values they take.

use crate::error::Error;
use crate::game::Game;
use crate::numbers::Extremes;
use crate::text::Override;

/// Most values of one varied number.
const MOST_VALUES: usize = 1_001;
/// Values of a range without a step.
const VALUES: usize = 11;

/// A number of the ruleset, and values for it.
#[derive(Clone, Debug, PartialEq)]
pub struct Vary {
    /// Where the number stands.
    pub path: String,
    /// Whether the values are factors of what stands there, which may then be a formula.
    pub scales: bool,
    /// The values in order.
    pub values: Vec<f64>,
    /// The distance between two values, where one was given.
    pub step: Option<f64>,
}

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
    /// A message for the person who wrote it.
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

    /// What is put into the ruleset for a value.
    ///
    /// # Errors
    /// [`Error::Path`] when the values are factors and nothing stands there.
    pub fn at(&self, game: &Game, value: f64) -> Result<Override, Error> {
        let value = if self.scales { scaled(&self.now(game)?, value) } else { plain(value) };
        Ok(Override { path: self.path.clone(), value })
    }

    /// What stands there now, as it is written.
    ///
    /// # Errors
    /// [`Error::Path`] when nothing does.
    pub fn now(&self, game: &Game) -> Result<String, Error> {
        game.written_at(&self.path).ok_or_else(|| Error::Path { path: self.path.clone() })
    }

    /// The value now: 1 for factors; nothing for a formula.
    ///
    /// # Errors
    /// [`Error::Path`] when nothing stands there.
    pub fn value_now(&self, game: &Game) -> Result<Option<f64>, Error> {
        let now = self.now(game)?;
        Ok(if self.scales { Some(1.0) } else { now.parse().ok() })
    }
}

/// A number or formula times a factor, as it is put into a ruleset.
pub(super) fn scaled(now: &str, factor: f64) -> String {
    match now.parse::<f64>() {
        Ok(number) => plain(number * factor),
        Err(_) => format!("({now}) * {}", plain(factor)),
    }
}

/// A number without the last digits that are only noise of the computer's arithmetic.
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
        // A step that fits up to rounding reaches the end.
        Some(step) if step > 0.0 => ((high - low) / step + 1e-9).floor() as usize,
        Some(step) => return Err(format!("a step of {step} leads nowhere")),
    };
    if steps >= MOST_VALUES {
        return Err(format!("{} values are too many; at most {MOST_VALUES} are possible", steps + 1));
    }
    let width = step.unwrap_or((high - low) / (VALUES - 1) as f64);
    let value = |index: usize| plain(low + width * index as f64).parse().unwrap_or(low);
    Ok((0..=steps).map(value).collect())
}
