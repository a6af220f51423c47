//! Changes many numbers at once: each of many rulesets has a random subset of the changes, and the effects are
//! separated by least squares. Every fight then contributes to the estimate of every number instead of only one.
//!
//! Source: Box, Hunter and Hunter, Statistics for Experimenters (2005), chapters 5 and 6, for factorial designs; the
//! standard errors are valid even if the variance differs between rulesets (HC3; MacKinnon and White 1985).

use std::collections::BTreeMap;

use rand_core::{Rng as _, SeedableRng as _};
use rand_xoshiro::SplitMix64;

use super::book::{Sample, said};
use super::cholesky::{Lower, inner_product};
use super::luck::LuckSums;
use super::samples::{Crew, Variant};
use super::statistics::{Confidence, Interval};
use super::trials::TrialsPlan;
use crate::error::Error;
use crate::fight::seed_of_trial;
use crate::game::Game;
use crate::numbers::Extremes;
use crate::text::Override;

/// The share of the rulesets in which a number is changed in either direction.
pub(super) const CHANGED: f64 = 0.2;
/// The minimum number of rulesets for each change: there must clearly be more observations than unknowns.
const ROWS: f64 = 2.2;
/// The minimum number of rulesets: each change is then made in about thirty, from which an error can be estimated.
const LEAST_ROWS: usize = 300;
/// The minimum number of fights, with and without a change, that differ from the most frequent value, for a closed
/// interval: otherwise rare, large values may not have occurred yet.
const FEW: u64 = 15;

/// The minimum number of fights of each ruleset.
const LEAST_OF_EACH: f64 = 6.0;
/// Rulesets between two checks of the stop signal.
const STRETCH: usize = 16;

/// The number of fights of one ruleset, relative to the time that building the ruleset takes.
fn of_each(cost: f64) -> f64 {
    (cost * 2.0).larger(LEAST_OF_EACH)
}

/// An encounter in which many numbers are changed at once, with the budget for it.
pub(super) struct Asked<'a, 'b> {
    pub(super) crew: &'a Crew<'b>,
    pub(super) game: &'a Game,
    pub(super) encounter: &'a str,
    /// The unchanged variant; its first measure is the one in question.
    pub(super) base: &'a Variant,
    pub(super) plan: &'a TrialsPlan,
    /// The number of fights that take as long as building a ruleset.
    pub(super) cost: f64,
    /// The first seed.
    pub(super) from: u64,
    /// The fights of all rulesets, except those needed to separate the changes.
    pub(super) fights: u64,
    /// The fights of the whole study, for its progress.
    pub(super) most: u64,
    /// The confidence of each interval.
    pub(super) sure: Confidence,
}

impl Asked<'_, '_> {
    /// The effect of each change, with the number that it changes.
    pub(super) fn play(
        &self,
        changes: &[(usize, Override)],
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<Vec<Option<Found>>, Error> {
        let Self { crew, game, encounter, base, plan, cost, from, fights, most, sure } = *self;
        let mut numbers: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for (change, (number, _)) in changes.iter().enumerate() {
            numbers.entry(*number).or_default().push(change);
        }
        let numbers: Vec<Vec<usize>> = numbers.into_values().collect();
        let mut design = Design::new(&numbers, fights as f64 / of_each(cost), plan.seed);
        let each = (fights as f64 / design.rows.len() as f64).larger(LEAST_OF_EACH) as u64;
        let streams = crew.streams_that_vary(base)?;
        let play = |row: u64, made: &Vec<usize>| -> Option<(Vec<Sample>, LuckSums)> {
            let made: Vec<Override> = made.iter().map(|change| changes[*change].1.clone()).collect();
            // Changes that cannot be combined are left out; each has been seen to work alone.
            let variant = game.variant(&made).ok()?.measured(encounter, &[&base.measures()[0].text]).ok()?;
            let first = from + row * each;
            let (samples, luck) = crew.samples_and_luck(&variant.noting(&streams), first..first + each).ok()?;
            Some((samples.into_iter().next()?, luck))
        };
        let (mut rows, mut played, mut luck) = (Vec::new(), Vec::new(), Vec::new());
        for (number, stretch) in design.rows.chunks(STRETCH).enumerate() {
            progress(crew.done(), most.max(crew.done()));
            let samples = crew.each(stretch, |row, made| play((number * STRETCH + row) as u64, made));
            if crew.is_stopped() {
                break;
            }
            for (row, samples) in stretch.iter().zip(samples) {
                if let Some((samples, luck_of_row)) = samples {
                    rows.push(row.clone());
                    played.push(samples);
                    luck.push(luck_of_row);
                }
            }
        }
        design.rows = rows;
        let mut found: Vec<Option<Found>> = vec![None; changes.len()];
        for (change, effect) in design.effects(&played, &luck, sure) {
            found[change] = Some(effect);
        }
        Ok(found)
    }
}

/// Which changes are combined in each ruleset.
struct Design {
    rows: Vec<Vec<usize>>,
    /// The changes, with a column of the design for each.
    changes: Vec<usize>,
}

impl Design {
    /// For a number of changes, of which those of the same number are never combined. Each is made in as many rulesets
    /// as any other change of a number with the same number of changes.
    ///
    /// The number of rulesets: as requested, or more if needed to separate the changes.
    fn new(numbers: &[Vec<usize>], wanted: f64, seed: u64) -> Self {
        let changes: Vec<usize> = numbers.iter().flatten().copied().collect();
        let count = Self::rulesets(changes.len(), wanted);
        let mut rows = vec![Vec::new(); count];
        for (number, of_it) in numbers.iter().enumerate() {
            let mut chance = SplitMix64::seed_from_u64(seed_of_trial(!seed, number as u64));
            let mut order: Vec<usize> = (0..count).collect();
            for index in (1..count).rev() {
                // The remainder favours no index by more than 1 in 2^50.
                order.swap(index, (chance.next_u64() % (index as u64 + 1)) as usize);
            }
            let each = (count as f64 * CHANGED / of_it.len().max(1) as f64).ceil() as usize;
            for (change, rows_of_it) in of_it.iter().zip(order.chunks(each)) {
                rows_of_it.iter().for_each(|row| rows[*row].push(*change));
            }
        }
        Self { rows, changes }
    }

    /// The number of rulesets for a number of changes, if the given number is requested.
    fn rulesets(changes: usize, wanted: f64) -> usize {
        ((ROWS * (changes + 1) as f64).ceil() as usize).max(wanted as usize).max(LEAST_ROWS)
    }

    /// The effect of each change on a measure, from the fights of each ruleset and their luck.
    fn effects(&self, fights: &[Vec<Sample>], luck: &[LuckSums], sure: Confidence) -> Vec<(usize, Found)> {
        let rows = &self.rows;
        let Some((ratio, over)) = quotient(fights.iter().flatten()) else { return Vec::new() };
        // The contribution of a fight to a quotient of sums, to first order; for a plain mean, its value.
        let response = |sample: &Sample| ratio + (sample[0] - ratio * sample[1]) / over;
        let mean = |fights: &Vec<Sample>| fights.iter().map(response).sum::<f64>() / fights.len() as f64;
        let mut means: Vec<f64> = fights.iter().map(mean).collect();
        let mut all = luck.first().cloned().unwrap_or_default();
        luck.iter().skip(1).for_each(|of_row| all.join(of_row));
        if let Some(explained) = all.explained(0, ratio, over) {
            means.iter_mut().zip(luck).for_each(|(mean, of_row)| *mean -= of_row.part(&explained.factors));
        }
        let common = commonest(fights);
        let rare: Vec<u64> = fights.iter().map(|fights| others(fights, common)).collect();
        // The maximum number of values from which an error is estimated.
        let (estimates, values) = match self.least_squares(&means) {
            Some(estimates) => (estimates, rows.len() - self.changes.len() - 1),
            None => (self.contrasts(&means), rows.len()),
        };
        let effect = |(change, (value, error)): (usize, (f64, f64))| {
            let of_it = |row: &usize| rows[*row].contains(&change);
            let count = (0..rows.len()).filter(of_it).count();
            let seen: u64 = (0..rows.len()).filter(of_it).map(|row| rare[row]).sum();
            let unseen: u64 = rare.iter().sum::<u64>() - seen;
            let reach = error * sure.t(count.min(rows.len() - count).min(values) as f64);
            let is_open = seen.max(unseen) < FEW || count < 2 || rows.len() - count < 2 || !reach.is_finite();
            let (low, high) = if is_open { (f64::NEG_INFINITY, f64::INFINITY) } else { (value - reach, value + reach) };
            let fights: usize = (0..rows.len()).filter(of_it).map(|row| fights[row].len()).sum();
            (count > 0).then_some((change, Found { interval: Interval { value, low, high }, fights: fights as u64 }))
        };
        self.changes.iter().copied().zip(estimates).filter_map(effect).collect()
    }

    /// The effect of each change with its standard error, all others being equal.
    fn least_squares(&self, means: &[f64]) -> Option<Vec<(f64, f64)>> {
        let rows = &self.rows;
        let width = self.changes.len() + 1;
        if (rows.len() as f64) < 1.5 * width as f64 {
            return None;
        }
        // The first column is the constant term.
        let column = |change: &usize| 1 + self.changes.iter().position(|one| one == change).unwrap_or_default();
        let columns = |row: &Vec<usize>| -> Vec<usize> { std::iter::once(0).chain(row.iter().map(column)).collect() };
        let mut matrix: Vec<Vec<f64>> = (0..width).map(|index| vec![0.0; index + 1]).collect();
        let mut right = vec![0.0; width];
        for (row, mean) in rows.iter().zip(means) {
            let columns = columns(row);
            for one in &columns {
                right[*one] += mean;
                columns.iter().filter(|other| *other <= one).for_each(|other| matrix[*one][*other] += 1.0);
            }
        }
        let lower = Lower::of(matrix)?;
        let found = lower.solve(&right);
        let mut squares = vec![0.0; width];
        for (row, mean) in rows.iter().zip(means) {
            let mut at = vec![0.0; width];
            columns(row).into_iter().for_each(|column| at[column] = 1.0);
            let weights = lower.solve(&at);
            let rest = (mean - inner_product(&found, &at)) / (1.0 - inner_product(&weights, &at)).larger(1e-9);
            squares.iter_mut().zip(&weights).for_each(|(sum, weight)| *sum += weight * weight * rest * rest);
        }
        Some(found.into_iter().zip(squares).skip(1).map(|(effect, square)| (effect, square.sqrt())).collect())
    }

    /// The same with too few rulesets for that: those with a change compared with all without it. The effects of the
    /// others are part of the error.
    fn contrasts(&self, means: &[f64]) -> Vec<(f64, f64)> {
        let moments = |of: Vec<f64>| {
            let count = of.len() as f64;
            let mean = of.iter().sum::<f64>() / count;
            let square = of.iter().map(|one| (one - mean) * (one - mean)).sum::<f64>() / (count - 1.0);
            (mean, square / count)
        };
        let contrast = |change: usize| {
            let rows = self.rows.iter().zip(means);
            let (with, without): (Vec<_>, Vec<_>) = rows.partition(|(row, _)| row.contains(&change));
            let [with, without] =
                [with, without].map(|rows| moments(rows.into_iter().map(|(_, mean)| *mean).collect()));
            (with.0 - without.0, (with.1 + without.1).sqrt())
        };
        self.changes.iter().copied().map(contrast).collect()
    }
}

/// What is known of the effect of a change.
#[derive(Clone, Copy, Debug)]
pub(super) struct Found {
    pub(super) interval: Interval,
    /// Fights with the change.
    pub(super) fights: u64,
}

/// The quotient of the sums of some samples, and the mean of their denominators.
fn quotient<'a>(fights: impl Iterator<Item = &'a Sample>) -> Option<(f64, f64)> {
    let (mut sums, mut count) = ([0.0; 2], 0.0);
    for sample in fights {
        (0..2).for_each(|index| sums[index] += sample[index]);
        count += 1.0;
    }
    (sums[1] > 0.0).then(|| (sums[0] / sums[1], sums[1] / count))
}

/// The most frequent value; the first one if there are several.
fn commonest(fights: &[Vec<Sample>]) -> f64 {
    let mut values: Vec<f64> = fights.iter().flatten().filter_map(said).collect();
    values.sort_by(f64::total_cmp);
    let runs = values.chunk_by(|a, b| a == b);
    runs.max_by_key(|run| run.len()).and_then(|run| run.first()).copied().unwrap_or(f64::NAN)
}

fn others(fights: &[Sample], common: f64) -> u64 {
    fights.iter().filter_map(said).filter(|value| *value != common).count() as u64
}
