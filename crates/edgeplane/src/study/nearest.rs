//! The result if nothing meets the goals of a search: the nearest values, and compromises between goals.

use std::cmp::Ordering;

use super::ranges::Place;
use super::tune::{Earlier, FIRST, Search, Seen, each_miss, misses};
use super::tuning::TradeOff;
use crate::error::Error;
use crate::numbers::Extremes;

/// By how much the miss of the goals, in large steps, has to decrease to justify a change by a whole range.
const NEARER: f64 = 0.006;
/// Searches for the nearest point if no point meets the goals.
const NEAREST: usize = 12;
/// The weights of the second of two goals, from one end of the compromises to the other.
const COMPROMISES: [f64; 5] = [0.0, 0.3, 0.5, 0.7, 1.0];
/// Fights of a compromise.
const OF_COMPROMISE: u64 = 2_000;
/// By how much a known point has to be better than what the model expects elsewhere, in large steps.
const CLEARLY: f64 = 0.25;

/// The weights of two goals in a compromise.
struct Compromise {
    goals: (usize, usize),
    second: f64,
}

impl Compromise {
    /// The greater of the two misses, so that compromises are also found where they are worse than a mixture of the
    /// ends would be, plus a small part of their sum.
    fn miss(&self, misses: &[f64]) -> f64 {
        let (one, other) = self.goals;
        ((1.0 - self.second) * misses[one]).larger(self.second * misses[other]) + 0.01 * misses.iter().sum::<f64>()
    }
}

/// The compromises between each pair of a number of goals.
fn compromises(goals: usize) -> Vec<Compromise> {
    let pairs = (0..goals).flat_map(|one| (one + 1..goals).map(move |other| (one, other)));
    pairs.flat_map(|goals| COMPROMISES.map(|second| Compromise { goals, second })).collect()
}

impl Search<'_> {
    /// Includes the best points of smaller parts of the ranges. In the whole ranges they are close together, and a
    /// model of the whole does not separate them.
    pub(super) fn take_in(&mut self, earlier: &mut Earlier) -> Result<(), Error> {
        let goals = self.task.goals;
        for weights in std::iter::once(None).chain(compromises(goals.len()).into_iter().map(Some)) {
            let miss = |(_, Seen { figures, .. }): &(Vec<f64>, Seen)| match &weights {
                Some(weights) => weights.miss(&each_miss(goals, figures)),
                None => misses(goals, figures),
            };
            let best =
                (0..earlier.seen.len()).min_by(|a, b| miss(&earlier.seen[*a]).total_cmp(&miss(&earlier.seen[*b])));
            let Some(best) = best.filter(|_| !self.is_over()) else { break };
            let (values, seen) = earlier.seen.swap_remove(best);
            let place = self.ranges.place(&values);
            if self.seen.iter().all(|seen| seen.place != place) {
                self.seen.push(Seen { place: place.clone(), ..seen });
                self.look(&place, 4 * FIRST)?;
            }
        }
        Ok(())
    }

    /// The point with the smallest miss, searched where the model expects it.
    pub(super) fn nearest(&mut self) -> Result<Place, Error> {
        for _ in 0..NEAREST {
            let outlook = self.outlook();
            let (next, _) =
                self.best(&|place| -outlook.misses(place, 1.0).sum::<f64>() - NEARER * self.ranges.moved(place));
            if self.is_over() || self.fights_of(&next) >= 16 * FIRST {
                break;
            }
            self.look(&next, 4 * FIRST)?;
        }
        let outlook = self.outlook();
        let moved = |place: &Place| NEARER * self.ranges.moved(place);
        let (expected, worth) = self.best(&|place| -outlook.misses(place, 0.0).sum::<f64>() - moved(place));
        // The model smooths over steps; observed points are real.
        let worth_seen = |seen: &Seen| -misses(self.task.goals, &seen.figures) - moved(&seen.place);
        let seen = self.seen.iter().filter(|seen| seen.study.trials() >= 4 * FIRST);
        let best = seen.max_by(|a, b| worth_seen(a).total_cmp(&worth_seen(b)));
        let is_better = |seen: &&Seen| worth_seen(seen) > worth + CLEARLY;
        Ok(best.filter(is_better).map_or(expected, |seen| seen.place.clone()))
    }

    /// Compromises between each pair of goals, from the best for one to the best for the other, proposed by the model
    /// and measured by fights.
    pub(super) fn trade_offs(&mut self) -> Result<Vec<TradeOff>, Error> {
        let mut places: Vec<Place> = Vec::new();
        for weights in compromises(self.task.goals.len()) {
            let outlook = self.outlook();
            let moved = |place: &Place| NEARER * self.ranges.moved(place);
            let (expected, _) = self.best(&|place| {
                let misses: Vec<f64> = outlook.misses(place, 0.0).collect();
                -weights.miss(&misses) - moved(place)
            });
            let worth_seen =
                |seen: &Seen| weights.miss(&each_miss(self.task.goals, &seen.figures)) + moved(&seen.place);
            let seen = self.seen.iter().filter(|seen| seen.study.trials() >= 4 * FIRST);
            let seen = seen.min_by(|a, b| worth_seen(a).total_cmp(&worth_seen(b))).map(|seen| seen.place.clone());
            for place in std::iter::once(expected).chain(seen) {
                if self.is_over() {
                    return Ok(Vec::new());
                }
                if !places.contains(&place) {
                    let more = OF_COMPROMISE.saturating_sub(self.fights_of(&place));
                    if more > 0 {
                        self.look(&place, more)?;
                    }
                    places.push(place);
                }
            }
        }
        let seen = places.iter().filter_map(|place| self.seen.iter().find(|seen| seen.place == *place));
        let mut found: Vec<(Vec<f64>, &Seen)> =
            seen.map(|seen| (each_miss(self.task.goals, &seen.figures), seen)).collect();
        let order = |a: &(Vec<f64>, &Seen), b: &(Vec<f64>, &Seen)| {
            let misses = a.0.iter().zip(&b.0).fold(Ordering::Equal, |so_far, (a, b)| so_far.then(a.total_cmp(b)));
            misses.then(self.ranges.moved(&a.1.place).total_cmp(&self.ranges.moved(&b.1.place)))
        };
        found.sort_by(order);
        // Among equally good ones, the smallest change.
        found.dedup_by(|a, b| a.0 == b.0);
        let is_worse = |one: &[f64], other: &[f64]| one != other && one.iter().zip(other).all(|(a, b)| a >= b);
        let front = found.iter().filter(|one| !found.iter().any(|other| is_worse(&one.0, &other.0)));
        let trade_off = |(_, seen): &(Vec<f64>, &Seen)| TradeOff {
            values: self.ranges.values(&seen.place),
            figures: seen.figures.clone(),
        };
        let front: Vec<TradeOff> = front.map(trade_off).collect();
        Ok(if front.len() > 1 { front } else { Vec::new() })
    }
}
