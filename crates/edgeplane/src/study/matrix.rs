//! Everyone against everyone.

use std::sync::Arc;

use serde::Serialize;

use super::ledger::Figure;
use super::samples::{Crew, Running, Variant};
use super::standing::{Standing, standing};
use super::statistics::Confidence;
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::game::Game;
use crate::program::{Setup, Time};

/// Characters against each other, one against one.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Matrix {
    /// The characters.
    pub characters: Vec<String>,
    /// Fights of each pair.
    pub trials: u64,
    /// The seed.
    pub seed: u64,
    /// Seconds after which a duel ends without a winner.
    pub time_limit: f64,
    /// Metres between the two as a duel begins; nothing where nobody has a place.
    pub distance: Option<f64>,
    /// Every pair once, in the order of the list; each character against itself too.
    pub duels: Vec<Duel>,
    /// How they stand; nothing if not all pairs have fought.
    pub standing: Option<Standing>,
}

/// On which terms each pair fights.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DuelTerms {
    /// Seconds after which a duel ends without a winner.
    pub time_limit: f64,
    /// Metres between the two as it begins; without it distance is no matter, and nobody moves.
    pub distance: Option<f64>,
}

/// One pair.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Duel {
    /// The first.
    pub one: String,
    /// The other.
    pub other: String,
    /// Share of fights that the first wins.
    pub win_rate: Figure,
    /// Share of fights that the other wins.
    pub loss_rate: Figure,
    /// How long they last.
    pub duration: Figure,
}

impl Matrix {
    /// The duel of two characters by their places in the list, and whether it was fought the other way round.
    pub fn duel(&self, one: usize, other: usize) -> (&Duel, bool) {
        let (first, second) = (one.min(other), one.max(other));
        let before: usize = (0..first).map(|row| self.characters.len() - row).sum();
        (&self.duels[before + second - first], one > other)
    }
}

/// Lets every pair fight. Who is listed first makes no difference, so each pair fights once.
///
/// # Errors
/// [`Error::Unknown`] for a character that there is not; [`Error::Fight`]; [`Error::Stopped`]. If it is stopped, pairs
/// that were not reached have figures without a value.
pub fn run_matrix(
    game: &Game,
    characters: &[impl AsRef<str>],
    terms: DuelTerms,
    plan: &TrialsPlan,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Matrix, Error> {
    let crew = Crew::new(plan, progress);
    let names: Vec<String> = characters.iter().map(|name| name.as_ref().to_owned()).collect();
    let ids = names.iter().map(|name| game.character(name)).collect::<Result<Vec<_>, _>>()?;
    let mut duels = Vec::new();
    for one in 0..ids.len() {
        for other in one..ids.len() {
            let sides = [("one".to_owned(), vec![ids[one]]), ("other".to_owned(), vec![ids[other]])];
            let places = terms.distance.map(|metres| [[-metres / 2.0, 0.0], [metres / 2.0, 0.0]]);
            let mut setup = Setup::placed(game.program(), &sides, places.as_ref().map_or(&[], |places| places));
            setup.time_limit = Time::from_seconds(terms.time_limit);
            let variant = Variant::new(Arc::new(setup), &["win_rate(one)", "win_rate(other)", "duration"])?;
            let mut running = Running::new(&variant);
            running.run_to(&crew, plan.trials)?;
            if duels.is_empty() {
                running.something(&crew)?;
            }
            let figures: Option<[Figure; 3]> = running.figures(Confidence::default()).try_into().ok();
            if let Some([win_rate, loss_rate, duration]) = figures {
                duels.push(Duel {
                    one: names[one].clone(),
                    other: names[other].clone(),
                    win_rate,
                    loss_rate,
                    duration,
                });
            }
        }
    }
    let DuelTerms { time_limit, distance } = terms;
    let shares: Vec<[&Figure; 2]> = duels.iter().map(|duel| [&duel.win_rate, &duel.loss_rate]).collect();
    let standing = standing(&names, &shares);
    Ok(Matrix { characters: names, trials: plan.trials, seed: plan.seed, time_limit, distance, duels, standing })
}
