//! Applying a function to single fights.

use std::sync::Arc;

use rayon::prelude::*;

use super::idle::Idle;
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::fight::{Ending, Fight, Sampler, Silent, seed_of_trial};
use crate::program::Setup;

/// Plays each fight of a plan and applies a function to it at its end, with its seed and its ending. The results are in
/// the order of the fights, on any number of threads; if the plan is stopped, only those of the finished fights at the
/// beginning are returned.
///
/// ```
/// use edgeplane::study::each_fight;
/// use edgeplane::{Game, TrialsPlan};
///
/// let game = Game::from_text("small.toml", edgeplane::example_text())?;
/// let setup = game.fight("duel", 1)?.setup().clone();
/// let plan = TrialsPlan { trials: 20, ..TrialsPlan::default() };
/// let lasted = each_fight(&setup, &plan, &|_seed, fight, _ending| fight.now().seconds())?;
/// assert_eq!(lasted.len(), 20);
/// # Ok::<(), edgeplane::Error>(())
/// ```
///
/// # Errors
/// [`Error::Fight`] for the first fight (by number) that failed.
pub fn each_fight<T: Send>(
    setup: &Arc<Setup>,
    plan: &TrialsPlan,
    ask: &(dyn Fn(u64, &Fight, Ending) -> T + Sync),
) -> Result<Vec<T>, Error> {
    let (first, fights) = (Fight::with_chance(Arc::clone(setup), Sampler::default(), 0), Idle::default());
    let one = |trial: u64| {
        if plan.is_stopped() {
            return None;
        }
        let seed = seed_of_trial(plan.seed, trial);
        let answer = |fight: &mut Fight| {
            fight.restart(seed);
            let ending = fight.run(&mut Silent).map_err(|error| error.of_trial(fight.setup(), seed))?;
            Ok(ask(seed, fight, ending))
        };
        Some(fights.lend(|| first.clone(), answer))
    };
    let all = || (0..plan.trials).into_par_iter().filter_map(one).collect::<Vec<Result<T, Error>>>();
    let answers = match rayon::ThreadPoolBuilder::new().num_threads(plan.threads.unwrap_or(0)).build() {
        Ok(pool) => pool.install(all),
        // If no thread can be started, this one does everything.
        Err(_) => all(),
    };
    answers.into_iter().collect()
}
