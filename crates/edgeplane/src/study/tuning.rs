//! What a search for values is given, and what it comes to.

use serde::Serialize;

use super::ledger::Figure;
use super::trials::TrialsPlan;

/// How a search goes about it.
#[derive(Clone, Copy, Debug)]
pub struct TuningPlan {
    /// The seed, the threads and the stop signal; its number of trials is the least of the proof, which has
    /// twice as many where a goal has one bound.
    pub study: TrialsPlan,
    /// Fights after which the search ends with the best that it has found. What is under way is finished, and the proof
    /// comes on top.
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
    /// It came to its own end.
    Complete,
    /// Its fights were used up: there may be a smaller change, or one that meets the goals.
    UsedUp,
    /// It was stopped: the figures are the search's own, and nothing is proven.
    Stopped,
}

/// What a search came to.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Tuning {
    /// The encounter.
    pub encounter: String,
    /// The goals as they were written.
    pub goals: Vec<String>,
    /// Whether all of them are met.
    pub met: bool,
    /// The numbers, and what they should be.
    pub numbers: Vec<TunedNumber>,
    /// Each goal's figure with the numbers of now. What luck explains is taken out of these and of the next (control variates on the
    /// draws of each fight), so a share need not be exactly the one that was counted.
    pub before: Vec<Figure>,
    /// Each goal's figure with the numbers found: an independent study on other seeds.
    pub after: Vec<Figure>,
    /// For each goal, whether it is met.
    pub goals_met: Vec<bool>,
    /// Fights of that study.
    pub trials: u64,
    /// Points that were looked at.
    pub points: u64,
    /// Fights of the search.
    pub searched: u64,
    /// How the search ended.
    pub end: SearchEnd,
    /// Where no values meet all goals: values of which none is better for one goal without being worse for another, those
    /// first that are best for the first goal. Empty where the goals do not pull apart, or were not searched to the end.
    pub trade_offs: Vec<TradeOff>,
}

/// Values that are as good a compromise between goals as others.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TradeOff {
    /// What should stand in each of the numbers, or its factor.
    pub values: Vec<f64>,
    /// Each goal's figure with them: the search's own fights.
    pub figures: Vec<Figure>,
}

/// A number that is tuned.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TunedNumber {
    /// Where it stands.
    pub path: String,
    /// Whether the value is a factor.
    pub scales: bool,
    /// What stands there now.
    pub now: String,
    /// What should stand there, or the factor.
    pub value: f64,
}
