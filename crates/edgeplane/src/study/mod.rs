//! Study: what fights add up to.

mod book;
mod compare;
mod distribution;
mod expectations;
pub mod explain;
mod gauntlet;
mod goals;
mod idle;
mod ledger;
mod matrix;
mod of_game;
mod parts;
mod samples;
mod sensitivity;
mod statistics;
mod stop;
mod sweep;
mod tally;
mod trials;
mod tune;
mod vary;

pub use compare::{Difference, run_comparison};
pub use expectations::{Expectation, Verdict, run_expectation};
pub use gauntlet::{Gauntlet, Member, Stage, run_gauntlet};
pub use goals::Goal;
pub use ledger::Figure;
pub use matrix::{Duel, Matrix, run_matrix};
pub use parts::{MOST_PARTS, Merged, PartFault, StudyPart, merge_parts, run_part, trials_of_part};
pub use samples::{Variant, run_measures, run_to_precision};
pub use sensitivity::{Effect, Sensitivity, run_sensitivity};
pub use statistics::{Confidence, Estimate, Proportion, Quantile, mean_estimate, wilson};
pub use stop::Stop;
pub use sweep::{Sweep, SweepPoint, VariedNumber, run_sweep};
pub use trials::{AbilityFigures, Bin, CombatantFigures, SideFigures, Trials, TrialsPlan, run_trials};
pub use tune::{TunedNumber, Tuning, run_tuning};
pub use vary::Vary;
