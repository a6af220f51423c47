//! Which of many numbers to look at more closely: first those that seem to do most while all are changed together, then those
//! that did something by themselves in the first look.

use super::factorial::Found;
use crate::numbers::Extremes;
use crate::text::Override;

/// The first of the seeds of screening: what was picked on some seeds is looked at on others.
pub(super) const SEEDS: u64 = 1 << 40;
/// In `n` fights a screening knows all changes with a variance of about `11 v / n`, where fights vary by `v`. One at a time each
/// change gets a part of the fights, and its pairs vary by `p`: as much is known of all where the sum of `p / v` is 11. It has to
/// be more, since a screening takes but two fifths of the fights, and since one at a time what is soon known takes fewer. Of nine
/// studies that were tried either way, two of the three at 29 to 37 knew more numbers one at a time, and four of the six at 76 and
/// more by screening; one of those knew fewer, and one none either way.
const PAYS: f64 = 50.0;
/// Pairs of fights for each change that was picked.
const PAIRS: u64 = 500;
/// How many numbers are picked, at least and at most.
const PICKED: (u64, u64) = (3, 8);

/// Whether fights say more of many changes if these are screened first: by the sum over all changes of the variance of what a
/// pair says, in parts of that of fights as things are.
pub(super) fn pays(all_spreads: f64) -> bool {
    // Where fights as things are do not vary, there is nothing to compare with.
    all_spreads > PAYS && all_spreads.is_finite()
}

/// What a screening has found.
pub(super) struct Screened {
    /// The numbers that did most, by their index.
    picked: Vec<usize>,
    /// Those that did something by themselves.
    alone: Vec<usize>,
    /// What each change does, with the number that it changes.
    found: Vec<(usize, Option<Found>)>,
    /// Fights that it took.
    pub(super) fights: u64,
}

impl Screened {
    /// Picks as many numbers as so many fights can tell something of. With each change stands what it did at least by itself in
    /// the first look, if that is anything.
    pub(super) fn of(
        changes: &[(usize, Override)],
        by_itself: &[f64],
        found: Vec<Option<Found>>,
        fights_left: u64,
        fights: u64,
    ) -> Self {
        let found: Vec<(usize, Option<Found>)> = changes.iter().map(|(number, _)| *number).zip(found).collect();
        let size = |found: &Option<Found>| found.map_or(0.0, |found| found.interval.value.abs());
        // Changes of one number stand side by side.
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

    /// Whether a number was picked by fights on other seeds, so that its interval need not hold for all that were not.
    pub(super) fn is_picked(&self, number: usize) -> bool {
        self.picked.contains(&number)
    }

    /// How soon a number is looked at.
    pub(super) fn rank(&self, number: usize) -> u8 {
        match (self.is_picked(number), self.alone.contains(&number)) {
            (true, _) => 0,
            (false, true) => 1,
            (false, false) => 2,
        }
    }

    /// What changes of a number did at most; infinite if too few fights say so.
    pub(super) fn at_most(&self, number: usize) -> f64 {
        let of_it = self.found.iter().filter(|(one, _)| *one == number);
        let ends = of_it.map(|(_, found)| found.map(|found| found.interval));
        ends.map(|one| one.map_or(f64::INFINITY, |one| one.high.larger(-one.low))).fold(0.0, f64::larger)
    }
}
