//! Duels between all pairs of characters.

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

/// The results of duels between characters.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Matrix {
    /// The characters.
    pub characters: Vec<String>,
    /// The number of fights of each pair.
    pub trials: u64,
    /// The seed.
    pub seed: u64,
    /// The time limit of a duel in seconds.
    pub time_limit: f64,
    /// The initial distance in metres; `None` without positions.
    pub distance: Option<f64>,
    /// Every pair once, in the order of the list, including each character against itself.
    pub duels: Vec<Duel>,
    /// The standing of the characters; `None` if not all pairs have been played.
    pub standing: Option<Standing>,
}

/// The conditions of the duels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DuelTerms {
    /// The time limit in seconds.
    pub time_limit: f64,
    /// The initial distance in metres; without it, distances do not matter and nobody moves.
    pub distance: Option<f64>,
}

/// One pair.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Duel {
    /// The first.
    pub one: String,
    /// The second.
    pub other: String,
    /// The share of fights that the first wins.
    pub win_rate: Figure,
    /// The share of fights that the second wins.
    pub loss_rate: Figure,
    /// The duration.
    pub duration: Figure,
}

impl Matrix {
    /// The duel of two characters, by their indices in the list, and whether it was played with the sides exchanged.
    pub fn duel(&self, one: usize, other: usize) -> (&Duel, bool) {
        let (first, second) = (one.min(other), one.max(other));
        let before: usize = (0..first).map(|row| self.characters.len() - row).sum();
        (&self.duels[before + second - first], one > other)
    }
}

/// Plays all pairs. The order of the sides makes no difference, so each pair is played once.
///
/// # Errors
/// [`Error::Unknown`] for an unknown character; [`Error::Fight`]; [`Error::Stopped`]. If it is stopped, the figures of
/// pairs that were not reached have no value.
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
