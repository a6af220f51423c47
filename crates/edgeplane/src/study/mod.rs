//! Study: what fights add up to.

pub mod explain;
mod statistics;
mod tally;
mod trials;

pub use statistics::{Estimate, Proportion, Quantile, mean_estimate, wilson};
pub use trials::{AbilityFigures, CombatantFigures, SideFigures, Trials, TrialsPlan, run_trials};
