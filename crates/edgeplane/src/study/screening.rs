//! Selects the numbers to be examined: first those with the largest apparent effects while all are changed together,
//! then those with an effect of their own in the first look.

use super::factorial::Found;
use crate::numbers::Extremes;
use crate::text::Override;

/// The first of the seeds of screening: numbers picked on some seeds are examined on others.
pub(super) const SEEDS: u64 = 1 << 40;
/// In `n` fights a screening knows all changes with a variance of about `11 v / n`, where `v` is the variance of
/// fights. One at a time, each change gets a part of the fights, and the variance of its pairs is `p`: both know
/// equally much if the sum of `p / v` is 11. The threshold has to be higher, since a screening gets only two fifths of
/// the fights, and since one at a time easily known changes need fewer. Of nine studies that were tried in both ways,
/// two of the three at 29 to 37 gave more numbers one at a time, and four of the six at 76 and more gave more by
/// screening; one of those gave fewer, and one none in either way.
const PAYS: f64 = 50.0;
/// Pairs of fights for each change that was picked.
const PAIRS: u64 = 500;
/// The minimum and maximum of numbers that are picked.
const PICKED: (u64, u64) = (3, 8);

/// Whether fights give more information if changes are screened first: by the sum over all changes of the variance of a
/// pair, relative to that of unchanged fights.
pub(super) fn pays(all_spreads: f64) -> bool {
    // If unchanged fights do not vary, there is no reference.
    all_spreads > PAYS && all_spreads.is_finite()
}

/// The result of a screening.
pub(super) struct Screened {
    /// The indices of the numbers with the largest effects.
    picked: Vec<usize>,
    /// Those with an effect of their own.
    alone: Vec<usize>,
    /// The effect of each change, with the number that it changes.
    found: Vec<(usize, Option<Found>)>,
    /// The number of fights.
    pub(super) fights: u64,
}

impl Screened {
    /// Picks as many numbers as the given fights can examine. Each change comes with a lower bound of its effect in the
    /// first look, if there is one.
    pub(super) fn of(
        changes: &[(usize, Override)],
        by_itself: &[f64],
        found: Vec<Option<Found>>,
        fights_left: u64,
        fights: u64,
    ) -> Self {
        let found: Vec<(usize, Option<Found>)> = changes.iter().map(|(number, _)| *number).zip(found).collect();
        let size = |found: &Option<Found>| found.map_or(0.0, |found| found.interval.value.abs());
        // Changes of one number are adjacent.
        let of_numbers = found.chunk_by(|one, other| one.0 == other.0);
        let sizes = of_numbers.map(|of_it| (of_it.iter().map(|(_, found)| size(found)).fold(0.0, f64::larger), of_it));
        let mut numbers: Vec<(f64, usize)> = sizes.map(|(size, of_it)| (size, of_it[0].0)).collect();
        numbers.sort_by(|a, b| b.0.total_cmp(&a.0));
        let ways = (changes.len() as u64).div_ceil(numbers.len().max(1) as u64);
        let count = (fights_left / (ways.max(1) * PAIRS)).clamp(PICKED.0, PICKED.1);
        let picked: Vec<usize> = numbers.iter().take(count as usize).map(|(_, number)| *number).collect();
        let did = changes.iter().zip(by_itself).filter(|(_, did)| **did > 0.0);
        let alone = did.map(|((number, _), _)| *number).filter(|number| !picked.contains(number)).collect();
        Self { picked, alone, found, fights }
    }

    /// Whether a number was picked by fights on other seeds, so that its interval need not cover all that were not
    /// picked.
    pub(super) fn is_picked(&self, number: usize) -> bool {
        self.picked.contains(&number)
    }

    /// The priority of a number.
    pub(super) fn rank(&self, number: usize) -> u8 {
        match (self.is_picked(number), self.alone.contains(&number)) {
            (true, _) => 0,
            (false, true) => 1,
            (false, false) => 2,
        }
    }

    /// The maximum effect of the changes of a number; infinite if there are too few fights.
    pub(super) fn at_most(&self, number: usize) -> f64 {
        let of_it = self.found.iter().filter(|(one, _)| *one == number);
        let ends = of_it.map(|(_, found)| found.map(|found| found.interval));
        ends.map(|one| one.map_or(f64::INFINITY, |one| one.high.larger(-one.low))).fold(0.0, f64::larger)
    }
}
