//! The input and the result of a search for values.

use serde::Serialize;

use super::ledger::Figure;
use super::trials::TrialsPlan;

/// Settings of a search.
#[derive(Clone, Copy, Debug)]
pub struct TuningPlan {
    /// The seed, the threads and the stop signal; its number of trials is the minimum of the proof, doubled if a goal
    /// has only one bound.
    pub study: TrialsPlan,
    /// The number of fights after which the search ends with the best values found. A look in progress is completed,
    /// and the proof is additional.
    pub fights: u64,
}

impl Default for TuningPlan {
    fn default() -> Self {
        TrialsPlan { trials: 5_000, ..TrialsPlan::default() }.into()
    }
}

impl From<TrialsPlan> for TuningPlan {
    fn from(study: TrialsPlan) -> Self {
        Self { study, fights: 4_000_000 }
    }
}

/// How a search ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum SearchEnd {
    /// It was completed.
    Complete,
    /// Its fights were used up: there may be a smaller change, or one that meets the goals.
    UsedUp,
    /// It was stopped: the figures are those of the search, and nothing is proven.
    Stopped,
}

/// The result of a search.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Tuning {
    /// The encounter.
    pub encounter: String,
    /// The texts of the goals.
    pub goals: Vec<String>,
    /// Whether all of them are met.
    pub met: bool,
    /// The numbers and their suggested values.
    pub numbers: Vec<TunedNumber>,
    /// The figures of the goals with the current numbers. Luck is removed from these and the following figures (control
    /// variates on the draws of each fight), so a share may differ from the one that was counted.
    pub before: Vec<Figure>,
    /// The figures of the goals with the suggested numbers, from an independent study on different seeds.
    pub after: Vec<Figure>,
    /// For each goal, whether it is met.
    pub goals_met: Vec<bool>,
    /// The number of fights of that study.
    pub trials: u64,
    /// The number of points examined.
    pub points: u64,
    /// The number of fights of the search.
    pub searched: u64,
    /// How the search ended.
    pub end: SearchEnd,
    /// If no values meet all goals: values of which none is better for one goal without being worse for another, those
    /// best for the first goal first. Empty if the goals do not conflict, or the search was not completed.
    pub trade_offs: Vec<TradeOff>,
    /// If no values meet all goals: two close or neighbouring ones whose estimates are on opposite sides of the goals,
    /// the smaller change first. Figures jump, for example, where one hit fewer is enough for a defeat.
    pub jump: Vec<TradeOff>,
}

/// Values and their figures: a compromise between goals, or one side of a jump.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TradeOff {
    /// The value of each number, or its factor.
    pub values: Vec<f64>,
    /// The figures of the goals with them, from fights of the search.
    pub figures: Vec<Figure>,
}

/// A tuned number.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TunedNumber {
    /// Its path.
    pub path: String,
    /// Whether the value is a factor.
    pub scales: bool,
    /// Its current value, or `not given`.
    pub now: String,
    /// The suggested value, or the factor.
    pub value: f64,
}
