//! Reported effects of changes of a ruleset on a measure.

use crate::numbers::Extremes;
use serde::Serialize;

use super::compare::Difference;
use super::ledger::Figure;

/// Changes of the ruleset, ranked by their effects on a measure: numbers raised and lowered, or abilities, statuses and
/// steps removed.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Sensitivity {
    /// The encounter.
    pub encounter: String,
    /// The measure.
    pub measure: String,
    /// The number of fights if numbers were changed together, otherwise the maximum number of pairs of fights for one
    /// change.
    pub trials: u64,
    /// The total number of fights.
    pub fights: u64,
    /// The seed.
    pub seed: u64,
    /// The share by which each number was raised and lowered; `None` if abilities, statuses and steps were removed
    /// instead.
    pub by: Option<f64>,
    /// The share of the fights of each change in which every other number was changed, too; `None` if each was changed
    /// alone.
    pub together: Option<f64>,
    /// The measure without changes.
    pub before: Figure,
    /// Numbers that change the measure, those with the largest effects first.
    pub effects: Vec<Effect>,
    /// Numbers that changed neither the measure nor the duration of any fight.
    pub without_effect: Vec<String>,
    /// Numbers that changed neither in the first fights and were not tried further: rarer effects are unknown.
    pub unseen: Vec<String>,
    /// The number of those fights for each change.
    pub unseen_fights: u64,
    /// Numbers that changed fights and their durations, but not the measure in any of them.
    pub elsewhere: Vec<String>,
    /// The minimum number of those fights.
    pub elsewhere_fights: u64,
    /// Numbers that change fights but were not examined further: while all were changed together, others had larger
    /// apparent effects.
    pub behind: Vec<String>,
    /// The maximum effect of any of these, averaged over changes of the others; unknown if there are too few fights.
    pub behind_at_most: Option<f64>,
    /// The number of fights in which all numbers were changed together for screening; 0 if each could be examined
    /// alone.
    pub screening_fights: u64,
    /// Numbers that are 0 or cannot be changed, with the reason.
    pub left_out: Vec<(String, String)>,
}

/// The effects of changing one number.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Effect {
    /// The path of the number, or of what is removed: `ability.boathook`.
    pub path: String,
    /// Its text; empty for what is removed.
    pub now: String,
    /// The effects of its changes that could be tried.
    pub changes: Vec<ChangeEffect>,
}

impl Effect {
    /// Whether any of its changes affects the measure beyond chance.
    pub fn is_certain(&self) -> bool {
        self.changes.iter().any(|change| change.difference.is_certain())
    }

    /// The largest difference caused by its changes; among the certain ones, if there are any.
    pub fn size(&self) -> f64 {
        let is_certain = self.is_certain();
        let counted = self.changes.iter().filter(|change| !is_certain || change.difference.is_certain());
        counted.filter_map(|change| change.difference.difference).fold(0.0, |size, one| one.abs().larger(size))
    }

    /// The change in one direction, if it could be tried.
    pub fn change(&self, direction: Direction) -> Option<&ChangeEffect> {
        self.changes.iter().find(|change| change.direction == direction)
    }
}

/// The kind of a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// A number is raised.
    Raised,
    /// A number is lowered.
    Lowered,
    /// An ability, a status or a step is removed.
    Without,
}

/// The effect of one change.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ChangeEffect {
    /// The kind of the change.
    pub direction: Direction,
    /// The value that was tried; empty for what is removed.
    pub tried: String,
    /// The number of fights with the change.
    pub fights: u64,
    /// The effect on the measure, relative to the same fights without the change, or averaged over the changes of the
    /// others. All intervals hold simultaneously (Bonferroni). Where the fights without the change show a greater loss
    /// or gain than [`Sensitivity::before`] leaves possible for a share, the effect is relative to that figure.
    pub difference: Difference,
}

/// Sorts by size of effect, certain ones first.
pub(super) fn sort(effects: &mut [Effect]) {
    effects.sort_by(|a, b| b.is_certain().cmp(&a.is_certain()).then(b.size().total_cmp(&a.size())));
}
