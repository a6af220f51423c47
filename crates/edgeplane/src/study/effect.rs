//! What changes of a ruleset do to a measure, as it is reported.

use crate::numbers::Extremes;
use serde::Serialize;

use super::compare::Difference;
use super::ledger::Figure;

/// Changes of the ruleset, ranked by what each does to a measure: numbers that are raised and lowered, or abilities, statuses
/// and steps that are taken away.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Sensitivity {
    /// The encounter.
    pub encounter: String,
    /// The measure.
    pub measure: String,
    /// Fights in all where numbers were changed together, else the most pairs of fights for one change.
    pub trials: u64,
    /// Fights in all.
    pub fights: u64,
    /// The seed.
    pub seed: u64,
    /// By what share each number was raised and lowered; nothing where abilities, statuses and steps were taken away instead.
    pub by: Option<f64>,
    /// In what share of the fights of each change every other number was changed as well, up or down; nothing where each
    /// was changed alone.
    pub together: Option<f64>,
    /// The measure as things are.
    pub before: Figure,
    /// Numbers that change the measure, those with the greatest effect first.
    pub effects: Vec<Effect>,
    /// Numbers that changed neither the measure nor the duration of any fight.
    pub without_effect: Vec<String>,
    /// Numbers that changed neither in the first fights, and were not tried in the others: an effect that is rarer was not
    /// looked for.
    pub unseen: Vec<String>,
    /// How many fights those were, for each change.
    pub unseen_fights: u64,
    /// Numbers that changed fights and how long they last, and not the measure in any of them.
    pub elsewhere: Vec<String>,
    /// How many fights those were, at least.
    pub elsewhere_fights: u64,
    /// Numbers that change fights and were not looked at more closely: while all were changed together, others seemed to do more.
    pub behind: Vec<String>,
    /// What any of them did at most then, on average over the changes of the others; unknown if too few fights say so.
    pub behind_at_most: Option<f64>,
    /// Fights in which all numbers were changed together, to see which to look at; none where each could be looked at alone.
    pub screening_fights: u64,
    /// Numbers that are 0, or cannot be changed, with the reason.
    pub left_out: Vec<(String, String)>,
}

/// What changing one number does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Effect {
    /// Where the number stands, or the path of what is taken away: `ability.boathook`.
    pub path: String,
    /// As it is written; empty for what is taken away.
    pub now: String,
    /// What each change of it does that could be tried.
    pub changes: Vec<ChangeEffect>,
}

impl Effect {
    /// Whether any change of it changes the measure beyond chance.
    pub fn is_certain(&self) -> bool {
        self.changes.iter().any(|change| change.difference.is_certain())
    }

    /// The greatest difference that a change of it makes; of the certain ones, if there are any.
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

/// How something is changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// A number is raised.
    Raised,
    /// A number is lowered.
    Lowered,
    /// An ability, a status or a step is taken away.
    Without,
}

/// What one change does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct ChangeEffect {
    /// How the number is changed.
    pub direction: Direction,
    /// As it was tried; empty for what is taken away.
    pub tried: String,
    /// Fights with the change by which its effect is known.
    pub fights: u64,
    /// What it does to the measure: against the same fights without it, or on average over the changes of the others. The
    /// intervals hold all at once (Bonferroni).
    pub difference: Difference,
}

/// Those with the greatest effects first, and before them those that are certain.
pub(super) fn sort(effects: &mut [Effect]) {
    effects.sort_by(|a, b| b.is_certain().cmp(&a.is_certain()).then(b.size().total_cmp(&a.size())));
}
