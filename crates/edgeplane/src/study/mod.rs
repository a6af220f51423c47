//! Studies: statistics over many fights.

mod alike;
mod book;
mod bracket;
mod cholesky;
mod compare;
mod distribution;
mod each;
mod effect;
mod expectations;
pub mod explain;
mod factorial;
mod free_time;
mod gauntlet;
mod goals;
mod idle;
mod ledger;
mod luck;
mod matrix;
mod moments;
mod nearest;
mod of_game;
mod outlook;
mod outward;
mod parts;
mod race;
mod ranges;
mod samples;
mod screening;
mod sensitivity;
mod standing;
mod statistics;
mod stop;
mod surrogate;
mod sweep;
mod tally;
mod together;
mod trials;
mod tune;
mod tuning;
mod vary;

pub use alike::MANY_OF_A_KIND;
pub use compare::{Difference, run_comparison};
pub use each::each_fight;
pub use effect::{ChangeEffect, Direction, Effect, Sensitivity};
pub use expectations::{Expectation, Verdict, run_expectation};
pub use gauntlet::{Gauntlet, Member, Stage, run_gauntlet};
pub use goals::Goal;
pub use ledger::Figure;
pub use matrix::{Duel, DuelTerms, Matrix, run_matrix};
pub use moments::Values;
pub use outward::run_tuning;
pub use parts::{MOST_PARTS, Merged, PartFault, StudyPart, merge_parts, run_part, trials_of_part};
pub use samples::{Variant, run_measures, run_to_precision};
pub use sensitivity::{run_sensitivity, run_together, run_without};
pub use standing::{Dominated, Stand, Standing};
pub use statistics::{Confidence, Estimate, Proportion, Quantile, share_of};
pub use stop::Stop;
pub use sweep::{Sweep, SweepPoint, VariedNumber, run_sweep};
pub use trials::{
    AbilityFigures, Bin, CombatantFigures, SideFigures, StatusFigures, StatusSourceFigures, Trials, TrialsPlan,
    run_trials,
};
pub use tuning::{SearchEnd, TradeOff, TunedNumber, Tuning, TuningPlan};
pub use vary::Vary;
