//! The standing of the characters of a matrix: who certainly beats whom, who is dominated, and which mix of characters
//! cannot be exploited.

use crate::numbers::Extremes;
use serde::Serialize;

use super::ledger::Figure;
use super::statistics::{Confidence, share_difference};

/// A character dominates another one if it is certainly not worse by more than this against any opponent, and certainly
/// better against at least one: proving that it is not worse at all would take unlimited fights.
const CLOSE: f64 = 0.03;
/// The number of rounds of the search for the mix.
const ROUNDS: u32 = 50_000;
/// Shares of the mix below this count as 0.
const NONE: f64 = 0.002;

/// The standing of the characters of a matrix.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Standing {
    /// For each character in the order of the list.
    pub characters: Vec<Stand>,
    /// The surplus of wins of the best character against the mix; 0 except for rounding of the search.
    pub exploitable: f64,
    /// The same against all characters, each met equally often: the distance of the roster from even.
    pub uneven: f64,
    /// The character with that surplus.
    pub best: String,
    /// The dominated characters.
    pub dominated: Vec<Dominated>,
}

/// The standing of one character.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Stand {
    /// The character.
    pub character: String,
    /// The opponents that it certainly beats: 95 % for all pairs together (Bonferroni).
    pub ahead_of: Vec<String>,
    /// The opponents that certainly beat it.
    pub behind: Vec<String>,
    /// Its share of the mix that cannot be exploited.
    pub mix: f64,
}

/// A dominated character.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Dominated {
    /// The character.
    pub character: String,
    /// One that is certainly better against at least one opponent, and worse by more than 3 points against none.
    pub by: String,
}

/// The surplus of wins over losses of a pair, with its interval.
#[derive(Clone, Copy, Debug, Default)]
struct Lead {
    value: f64,
    reach: f64,
}

/// From the shares of wins of both characters of all pairs, each once, in the order of the list; `None` if some were
/// not played.
pub(super) fn standing(characters: &[String], duels: &[[&Figure; 2]]) -> Option<Standing> {
    let count = characters.len();
    let pairs = count * count.saturating_sub(1) / 2;
    if count == 0 || duels.len() != pairs + count {
        return None;
    }
    let sure = Confidence::default().shared_by(pairs);
    let mut leads = vec![vec![Lead::default(); count]; count];
    let order = (0..count).flat_map(|one| (one..count).map(move |other| (one, other)));
    for ((one, other), duel) in order.zip(duels) {
        // Against itself every character is even, whatever the sample says.
        if one != other {
            let lead = lead(duel, sure)?;
            leads[one][other] = lead;
            leads[other][one] = Lead { value: -lead.value, ..lead };
        }
    }
    let mix = mix(&leads);
    let gain = |shares: &[f64], one: usize| -> f64 {
        shares.iter().zip(&leads[one]).map(|(share, lead)| share * lead.value).sum()
    };
    let even = vec![1.0 / count as f64; count];
    let best = (0..count).max_by(|a, b| gain(&even, *a).total_cmp(&gain(&even, *b)).then(b.cmp(a)))?;
    let names = |wanted: &dyn Fn(usize) -> bool| {
        (0..count).filter(|other| wanted(*other)).map(|other| characters[other].clone()).collect()
    };
    let stand = |one: usize| Stand {
        character: characters[one].clone(),
        ahead_of: names(&|other| leads[one][other].value > leads[one][other].reach),
        behind: names(&|other| leads[one][other].value < -leads[one][other].reach),
        mix: mix[one],
    };
    let dominated = (0..count).filter_map(|one| {
        let by = (0..count).find(|by| *by != one && dominates(&leads[*by], &leads[one]))?;
        Some(Dominated { character: characters[one].clone(), by: characters[by].clone() })
    });
    Some(Standing {
        exploitable: (0..count).map(|one| gain(&mix, one)).fold(0.0, f64::larger),
        uneven: gain(&even, best).larger(0.0),
        best: characters[best].clone(),
        dominated: dominated.collect(),
        characters: (0..count).map(stand).collect(),
    })
}

fn lead([wins, losses]: &[&Figure; 2], sure: Confidence) -> Option<Lead> {
    let trials = wins.trials as f64;
    let lead = share_difference(wins.value? * trials, losses.value? * trials, trials, sure);
    Some(Lead { value: lead.value, reach: (lead.high - lead.value).larger(lead.value - lead.low) })
}

/// Whether the first is certainly better against at least one opponent, and certainly not much worse against any.
fn dominates(first: &[Lead], second: &[Lead]) -> bool {
    let ends = |(a, b): (&Lead, &Lead)| {
        let reach = (a.reach * a.reach + b.reach * b.reach).sqrt();
        a.value - b.value - reach
    };
    let lows: Vec<f64> = first.iter().zip(second).map(ends).collect();
    lows.iter().all(|low| *low > -CLOSE) && lows.iter().any(|low| *low > 0.0)
}

/// Shares against which no character wins more often than it loses: the equilibrium of a symmetric game, by regret
/// matching with averages that give later rounds more weight (Tammelin 2014).
fn mix(leads: &[Vec<Lead>]) -> Vec<f64> {
    let count = leads.len();
    let mut regret = vec![0.0_f64; count];
    let mut sums = vec![0.0_f64; count];
    let even = || vec![1.0 / count as f64; count];
    for round in 1..=ROUNDS {
        let all: f64 = regret.iter().sum();
        let now: Vec<f64> = if all > 0.0 { regret.iter().map(|one| one / all).collect() } else { even() };
        let gains = leads.iter().map(|row| row.iter().zip(&now).map(|(lead, share)| lead.value * share).sum::<f64>());
        let gains: Vec<f64> = gains.collect();
        let mean: f64 = gains.iter().zip(&now).map(|(gain, share)| gain * share).sum();
        for ((regret, gain), (sum, share)) in regret.iter_mut().zip(&gains).zip(sums.iter_mut().zip(&now)) {
            *regret = (*regret + gain - mean).larger(0.0);
            *sum += f64::from(round) * share;
        }
    }
    let all: f64 = sums.iter().sum();
    let shares: Vec<f64> =
        sums.iter().map(|sum| sum / all).map(|share| if share < NONE { 0.0 } else { share }).collect();
    let all: f64 = shares.iter().sum();
    shares.iter().map(|share| share / all).collect()
}
