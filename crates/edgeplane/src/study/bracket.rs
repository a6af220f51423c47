//! Answers that the models do not expect. Models are smooth: where a figure has a step or a bend within a hundredth of
//! a range, they can miss values that meet its goal. Before a search gives up, it examines points whose own fights meet
//! the goals, and bisects between points that miss them on opposite sides.

use super::goals::Goal;
use super::ledger::Figure;
use super::ranges::{Place, apart};
use super::tune::{FINEST, FIRST, PROOFS, Proof, Search, Seen, error_of};
use super::tuning::TradeOff;
use crate::error::Error;
use crate::numbers::Extremes;

/// The maximum number of looks, and of failed proofs: among many attempts, a lucky one would meet missed goals.
const LOOKS: usize = 32;
const FAILURES: usize = 3;
/// The distance of a figure from the bounds of its goal that is certain with few fights, in standard errors.
const CERTAIN: f64 = 2.5;
/// The distance of points below which there is no further bisection, and the distance from a failed proof within which
/// another one would only be another attempt, in shares of the ranges.
const JUMP: f64 = 0.0005;
const SAME: f64 = 0.002;

/// A point with most of its fights.
struct Spot<'a> {
    seen: &'a Seen,
    /// Whether a proof of it failed.
    has_failed: bool,
    /// For each goal, -1 if its figure is below the bounds, 1 if above.
    sides: Vec<i8>,
}

impl Search<'_> {
    /// A proven answer that the models do not expect.
    pub(super) fn prove_unexpected(&mut self) -> Result<Option<Proof>, Error> {
        let (enough, mut failures) = (self.proof_length(), 0);
        for _ in 0..LOOKS {
            if self.is_over() || self.proofs >= PROOFS || failures == FAILURES {
                break;
            }
            let spots = self.spots();
            let met = spots.iter().find(|spot| !spot.has_failed && spot.sides.iter().all(|side| *side == 0));
            let met = met.map(|spot| (spot.seen.place.clone(), enough - spot.seen.study.trials().min(enough)));
            let Some((place, fights)) = met.or_else(|| self.between(&spots)) else { break };
            if fights > 0 {
                self.look(&place, fights)?;
            } else if let Some(proof) = self.prove_shown(place)? {
                return Ok(Some(proof));
            } else {
                failures += 1;
            }
        }
        Ok(None)
    }

    /// All points, the smallest change first.
    fn spots(&self) -> Vec<Spot<'_>> {
        let mut spots: Vec<Spot> = Vec::new();
        for seen in &self.seen {
            let side = |(goal, figure): (&Goal, &Figure)| {
                figure.value.map(|value| i8::from(value > goal.most) - i8::from(value < goal.least))
            };
            let sides: Option<Vec<i8>> = self.task.goals.iter().zip(&seen.figures).map(side).collect();
            let Some(sides) = sides else { continue };
            match spots.iter_mut().find(|spot| spot.seen.place == seen.place) {
                Some(spot) => {
                    spot.has_failed = true;
                    if seen.study.trials() > spot.seen.study.trials() {
                        (spot.seen, spot.sides) = (seen, sides);
                    }
                }
                None => spots.push(Spot { seen, has_failed: false, sides }),
            }
        }
        let moved = |spot: &Spot| self.ranges.moved(&spot.seen.place);
        spots.sort_by(|a, b| moved(a).total_cmp(&moved(b)));
        spots
    }

    /// The midpoint of the closest points on opposite sides of the goals, or one of these if its side is not certain;
    /// and a number of fights.
    fn between(&self, spots: &[Spot<'_>]) -> Option<(Place, u64)> {
        opposites(spots).into_iter().filter(|(width, ..)| *width > JUMP).find_map(|(width, one, other)| {
            let middle = self.middle(one, other);
            let has_failed = |spot: &Spot<'_>| spot.has_failed && apart(&spot.seen.place, &middle) < SAME;
            if spots.iter().any(|spot| is_between(spot, one, other, width) || has_failed(spot)) {
                return None;
            }
            if let Some(doubtful) = [one, other].into_iter().find(|spot| !self.is_certain(spot.seen)) {
                return Some((doubtful.seen.place.clone(), doubtful.seen.study.trials()));
            }
            spots.iter().all(|spot| spot.seen.place != middle).then_some((middle, 4 * FIRST))
        })
    }

    /// Two close points whose estimates are on opposite sides of the goals, the smaller change first.
    pub(super) fn jump(&self) -> Vec<TradeOff> {
        let spots = self.spots();
        let is_jump = |(width, one, other): &(f64, &Spot<'_>, &Spot<'_>)| {
            let is_close = *width <= 4.0 * JUMP || {
                let middle = self.middle(one, other);
                [one, other].iter().any(|spot| spot.seen.place == middle)
            };
            is_close && [one, other].iter().all(|spot| self.is_certain(spot.seen))
        };
        let point = |spot: &Spot<'_>| TradeOff {
            values: self.ranges.values(&spot.seen.place),
            figures: spot.seen.figures.clone(),
        };
        opposites(&spots)
            .into_iter()
            .find(is_jump)
            .map_or_else(Vec::new, |(_, far, near)| vec![point(near), point(far)])
    }

    /// The lattice point halfway between two others; one of these if there is none between them.
    fn middle(&self, one: &Spot<'_>, other: &Spot<'_>) -> Place {
        let middle = one.seen.place.iter().zip(&other.seen.place).map(|(a, b)| (a + b) / 2.0).collect();
        self.ranges.snapped(&middle, FINEST)
    }

    /// Whether more fights would hardly change on which side of the goals a point is.
    fn is_certain(&self, seen: &Seen) -> bool {
        let is_certain = |(goal, figure): (&Goal, &Figure)| {
            let beyond = figure.value.map_or(0.0, |value| (goal.least - value).larger(value - goal.most));
            beyond > CERTAIN * error_of(figure)
        };
        seen.study.trials() >= self.proof_length() / 2 || self.task.goals.iter().zip(&seen.figures).any(is_certain)
    }
}

/// All pairs of points on opposite sides of the goals with their distances, the closest first. The first of a pair is
/// the greater change.
fn opposites<'s, 'a>(spots: &'s [Spot<'a>]) -> Vec<(f64, &'s Spot<'a>, &'s Spot<'a>)> {
    let mut pairs = Vec::new();
    for (index, one) in spots.iter().enumerate() {
        for other in spots[..index].iter().filter(|other| are_opposite(&one.sides, &other.sides)) {
            pairs.push((apart(&one.seen.place, &other.seen.place), one, other));
        }
    }
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    pairs
}

/// Whether a point is closer to both of a pair than these are to one another.
fn is_between(spot: &Spot<'_>, one: &Spot<'_>, other: &Spot<'_>, width: f64) -> bool {
    let to = |end: &Spot<'_>| apart(&end.seen.place, &spot.seen.place);
    to(one).larger(to(other)) < width
}

/// Whether all goals could be met between two points: one is missed on opposite sides, and none on the same side.
fn are_opposite(one: &[i8], other: &[i8]) -> bool {
    let products = || one.iter().zip(other).map(|(a, b)| a * b);
    products().any(|product| product < 0) && products().all(|product| product <= 0)
}
