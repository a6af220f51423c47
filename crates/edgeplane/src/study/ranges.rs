//! The ranges of varied numbers: points as shares of the ranges, the lattice of values that are tried, and the search
//! for the best lattice point.

use crate::numbers::Extremes;
use rayon::prelude::*;

use super::samples::Crew;
use super::vary::Vary;

/// Lattice points between the ends of a range without a step.
const FINENESS: f64 = 400.0;
/// Candidates for each varied number that are tried, and the number of the best ones that are improved.
const CANDIDATES: usize = 256;
const IMPROVED: usize = 6;

/// A point: for each number, its position as a share of its range.
pub(super) type Place = Vec<f64>;

/// The ranges, and the starting point of the search.
pub(super) struct Ranges<'a> {
    pub(super) varied: &'a [Vary],
    pub(super) start: Place,
    weights: Vec<f64>,
    /// The refinement of the lattice relative to the first one, for ranges without a step.
    pub(super) finer: f64,
    /// The increments of a sequence that fills any number of dimensions evenly.
    turns: Vec<f64>,
}

impl<'a> Ranges<'a> {
    /// Parts of some ranges, with the starting value of each number, or the nearest value within its part. A change
    /// within a part is weighted by the share of the whole range, relative to the widest one.
    pub(super) fn part_of(whole: &[Vary], varied: &'a [Vary], starts: &[f64]) -> Self {
        let width = |vary: &Vary| vary.bounds().1 - vary.bounds().0;
        let widths: Vec<f64> = varied
            .iter()
            .zip(whole)
            .map(|(part, whole)| width(part) / width(whole).larger(f64::MIN_POSITIVE))
            .collect();
        let most = widths.iter().copied().fold(f64::MIN_POSITIVE, f64::larger);
        let weights = widths.iter().map(|width| width / most).collect();
        Self { varied, start: shares(varied, starts), weights, finer: 1.0, turns: turns(varied.len()) }
    }

    /// The point of some values.
    pub(super) fn place(&self, values: &[f64]) -> Place {
        shares(self.varied, values)
    }

    pub(super) fn numbers(&self) -> usize {
        self.varied.len()
    }

    /// The values at a point.
    pub(super) fn values(&self, place: &Place) -> Vec<f64> {
        let value = |(vary, share): (&Vary, &f64)| {
            let (low, high) = vary.bounds();
            plain(low + share * (high - low))
        };
        self.varied.iter().zip(place).map(value).collect()
    }

    /// The size of a point's change from the start.
    pub(super) fn moved(&self, place: &Place) -> f64 {
        let shares = place.iter().zip(&self.start).zip(&self.weights);
        shares.map(|((at, start), weight)| weight * (at - start) * weight * (at - start)).sum::<f64>().sqrt()
    }

    /// The maximum size of a change.
    pub(super) fn farthest(&self) -> f64 {
        self.moved(&self.start.iter().map(|from| if *from < 0.5 { 1.0 } else { 0.0 }).collect())
    }

    /// A point of a sequence that is spread evenly over the ranges (a Kronecker sequence).
    pub(super) fn scattered(&self, index: usize) -> Place {
        self.turns.iter().map(|turn| ((index + 1) as f64 * turn).fract()).collect()
    }

    /// The nearest point of the lattice with a refinement.
    pub(super) fn snapped(&self, place: &Place, finer: f64) -> Place {
        let snap = |(vary, share): (&Vary, &f64)| {
            let ((low, high), step) = (vary.bounds(), step(vary, finer));
            let most = ((high - low) / step + 1e-9).floor();
            let place = (share * (high - low) / step).round().clamp(0.0, most);
            if high > low { (plain(low + step * place) - low) / (high - low) } else { 0.0 }
        };
        self.varied.iter().zip(place).map(snap).collect()
    }

    /// The lattice point with the highest score: scattered points, starting after a given number, and the known ones
    /// are tried, and the best of them improved.
    pub(super) fn best(
        &self,
        crew: &Crew<'_>,
        known: &[Place],
        finer: f64,
        score: &(dyn Fn(&Place) -> f64 + Sync),
    ) -> (Place, f64) {
        let count = CANDIDATES * self.numbers();
        // Different ones each time, so that nothing is missed permanently.
        let first = known.len() * count;
        let scattered = (first..first + count).map(|index| self.snapped(&self.scattered(index), finer));
        let places: Vec<Place> = scattered.chain(known.iter().cloned()).collect();
        let worth = |place: Place| {
            let worth = score(&place);
            (place, worth)
        };
        let mut tried: Vec<(Place, f64)> = crew.install(|| places.into_par_iter().map(worth).collect());
        tried.sort_by(|a, b| b.1.total_cmp(&a.1));
        tried.truncate(IMPROVED);
        let climb = |(place, worth)| self.climb(place, worth, finer, score);
        let improved: Vec<_> = crew.install(|| tried.into_par_iter().map(climb).collect());
        let first = (self.start.clone(), f64::NEG_INFINITY);
        let better = |best: (Place, f64), other: (Place, f64)| if other.1 > best.1 { other } else { best };
        improved.into_iter().fold(first, better)
    }

    /// Moves to better neighbours, along each number and along the way back to the start, with decreasing step sizes.
    fn climb(&self, from: Place, worth: f64, finer: f64, score: &(dyn Fn(&Place) -> f64 + Sync)) -> (Place, f64) {
        let least: Vec<f64> = self.varied.iter().map(|vary| width_of_step(vary, finer)).collect();
        let (mut best, mut worth, mut stride) = (from, worth, 1.0 / 16.0);
        loop {
            let before = worth;
            let home =
                best.iter().zip(&self.start).map(|(at, start)| at + (start - at).clamp(-stride, stride)).collect();
            let mut others: Vec<Place> = vec![home];
            for (number, least) in least.iter().enumerate() {
                for way in [-1.0, 1.0] {
                    let mut other = best.clone();
                    other[number] = (other[number] + way * least.larger(stride)).clamp(0.0, 1.0);
                    others.push(other);
                }
            }
            for other in others {
                let other = self.snapped(&other, finer);
                let found = score(&other);
                if found > worth {
                    (best, worth) = (other, found);
                }
            }
            if worth <= before {
                if least.iter().all(|least| stride <= *least) {
                    return (best, worth);
                }
                stride /= 2.0;
            }
        }
    }
}

fn shares(varied: &[Vary], values: &[f64]) -> Place {
    let share = |(vary, value): (&Vary, &f64)| {
        let (low, high) = vary.bounds();
        if high > low { (value.clamp(low, high) - low) / (high - low) } else { 0.0 }
    };
    varied.iter().zip(values).map(share).collect()
}

/// The distance of two points.
pub(super) fn apart(one: &Place, other: &Place) -> f64 {
    one.iter().zip(other).map(|(a, b)| (a - b) * (a - b)).sum::<f64>().sqrt()
}

/// For each number an increment: powers of 1 / g, where g solves g^(numbers + 1) = g + 1, the golden ratio for one
/// number. Their multiples fill the ranges evenly (Roberts 2018).
fn turns(numbers: usize) -> Vec<f64> {
    let mut golden = 2.0;
    for _ in 0..64 {
        golden = libm::pow(1.0 + golden, 1.0 / (numbers + 1) as f64);
    }
    (1..=numbers).map(|power| 1.0 / libm::pow(golden, power as f64)).collect()
}

fn step(vary: &Vary, finer: f64) -> f64 {
    let (low, high) = vary.bounds();
    vary.step.unwrap_or_else(|| tidy((high - low) / FINENESS) / finer)
}

fn width_of_step(vary: &Vary, finer: f64) -> f64 {
    let (low, high) = vary.bounds();
    if high > low { step(vary, finer) / (high - low) } else { 1.0 }
}

fn plain(value: f64) -> f64 {
    super::vary::plain(value).parse().unwrap_or(value)
}

/// The next greater of 1, 2 or 5 times a power of ten.
fn tidy(value: f64) -> f64 {
    let power = libm::pow(10.0, libm::floor(libm::log10(value)));
    [1.0, 2.0, 5.0, 10.0]
        .into_iter()
        .map(|digit| digit * power)
        .find(|one| *one >= value * (1.0 - 1e-9))
        .unwrap_or(value)
}
