//! The luck of a fight, which explains a part of its result.
//!
//! Each draw has a known mean: a roll of 15 % that succeeds is 0.85 of luck, one that fails is −0.15. The sum of the
//! draws of a stream minus their means is 0 on average, whatever the fight makes of them, because each draw has this
//! property given all earlier ones. The part of a figure that correlates with luck is therefore noise that can be
//! removed, which has the same effect on the precision of a mean as more fights (control variates, Lavenberg and Welch
//! 1981).

use std::sync::{Arc, OnceLock};

use super::book::Sample;
use super::cholesky::{Lower, inner_product};
use super::moments::Moments;
use crate::fight::{RandomSource, Sampler, SamplerState};
use crate::numbers::Extremes;
use crate::program::{Chance, StreamId};

/// The maximum number of streams that are distinguished: those with the largest variance.
const MOST: usize = 32;
/// The minimum number of fights for each stream, and in total, before luck is removed: accidental correlations must be
/// small.
const FIGHTS_FOR_EACH: f64 = 25.0;
const FIGHTS: f64 = 500.0;
/// The share of the variance above which removing luck is not worthwhile.
const HARDLY: f64 = 0.97;
const LEAST_LEFT: f64 = 1e-6;

/// The streams whose luck is recorded, once they are known.
pub(super) type Streams = OnceLock<Arc<[u32]>>;

/// Pseudo-random chance that records its luck.
#[derive(Clone, Debug, Default)]
pub(super) struct NotedChance {
    sampler: Sampler,
    /// By stream.
    luck: Vec<f64>,
}

impl NotedChance {
    pub(super) fn luck(&self) -> &[f64] {
        &self.luck
    }

    #[inline]
    fn note(&mut self, stream: StreamId, luck: f64) {
        if let Some(sum) = self.luck.get_mut(stream.0 as usize) {
            *sum += luck;
        }
    }
}

impl Chance for NotedChance {
    fn chance(&mut self, stream: StreamId, p: f64) -> bool {
        let happens = self.sampler.chance(stream, p);
        self.note(stream, f64::from(u8::from(happens)) - p.clamp(0.0, 1.0));
        happens
    }

    fn pick(&mut self, stream: StreamId, n: u32) -> u32 {
        let picked = self.sampler.pick(stream, n);
        self.note(stream, (f64::from(picked) + 0.5) / f64::from(n) - 0.5);
        picked
    }

    fn uniform(&mut self, stream: StreamId) -> f64 {
        let drawn = self.sampler.uniform(stream);
        self.note(stream, drawn - 0.5);
        drawn
    }
}

impl RandomSource for NotedChance {
    type Saved = SamplerState;

    fn begin(&mut self, seed: u64, streams: &Arc<[u64]>) {
        self.sampler.begin(seed, streams);
        self.luck.clear();
        self.luck.resize(streams.len(), 0.0);
    }

    fn grow(&mut self, streams: &Arc<[u64]>) {
        self.sampler.grow(streams);
        self.luck.resize(streams.len(), 0.0);
    }

    fn save(&self) -> SamplerState {
        self.sampler.save()
    }

    fn load(&mut self, saved: &SamplerState) {
        self.sampler.load(saved);
    }

    fn has_drawn(&self, streams_of_one: usize) -> bool {
        self.sampler.has_drawn(streams_of_one)
    }
}

/// The streams whose luck varied most in some fights, in order.
pub(super) fn that_vary(fights: &[Vec<f64>]) -> Vec<u32> {
    let streams = fights.iter().map(Vec::len).min().unwrap_or(0);
    let spread = |stream: usize| fights.iter().map(|luck| luck[stream] * luck[stream]).sum::<f64>();
    let mut vary: Vec<(f64, u32)> =
        (0..streams).map(|stream| (spread(stream), stream as u32)).filter(|(spread, _)| *spread > 0.0).collect();
    vary.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    vary.truncate(MOST);
    let mut streams: Vec<u32> = vary.into_iter().map(|(_, stream)| stream).collect();
    streams.sort_unstable();
    streams
}

/// The correction of a figure.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Luck {
    /// The part of the figure that is luck.
    pub(super) part: f64,
    /// The remaining share of the variance.
    pub(super) left: f64,
}

/// Sums over fights of the luck of some streams, alone, in pairs, and with the samples of each measure.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct LuckSums {
    fights: f64,
    luck: Vec<f64>,
    /// The lower triangle, row by row.
    products: Vec<f64>,
    /// For each measure the products with its values, then those with its denominators.
    with: Vec<f64>,
}

impl LuckSums {
    pub(super) fn new(streams: usize, measures: usize) -> Self {
        Self {
            fights: 0.0,
            luck: vec![0.0; streams],
            products: vec![0.0; streams * (streams + 1) / 2],
            with: vec![0.0; 2 * measures * streams],
        }
    }

    /// Adds a fight: the luck of each stream, and a sample of each measure.
    pub(super) fn add(&mut self, luck: &[f64], samples: impl Iterator<Item = Sample>) {
        self.fights += 1.0;
        let mut row = 0;
        for (index, one) in luck.iter().enumerate() {
            if *one != 0.0 {
                self.luck[index] += one;
                let products = &mut self.products[row..=row + index];
                products.iter_mut().zip(luck).for_each(|(sum, other)| *sum += one * other);
            }
            row += index + 1;
        }
        for (sums, factor) in self.with.chunks_exact_mut(luck.len().max(1)).zip(samples.flatten()) {
            if factor != 0.0 {
                sums.iter_mut().zip(luck).for_each(|(sum, one)| *sum += factor * one);
            }
        }
    }

    pub(super) fn join(&mut self, other: &Self) {
        let add = |sums: &mut [f64], more: &[f64]| sums.iter_mut().zip(more).for_each(|(sum, one)| *sum += one);
        self.fights += other.fights;
        add(&mut self.luck, &other.luck);
        add(&mut self.products, &other.products);
        add(&mut self.with, &other.with);
    }

    /// The part of a quotient of means, each over the same fights, that is luck; `None` if too little is known or luck
    /// explains nothing. The contribution of each fight to a quotient is that of its first-order expansion.
    pub(super) fn of(&self, measure: usize, moments: &Moments<2>) -> Option<Luck> {
        let (streams, count, [value, over]) = (self.luck.len(), self.fights, moments.mean);
        if count != moments.count || over == 0.0 {
            return None;
        }
        let ratio = value / over;
        let Explained { factors, variance } = self.explained(measure, ratio, over)?;
        let error = moments.error_of([1.0 / over, -ratio / over]);
        let all = error * error * (count - 1.0);
        // Each factor uses one degree of freedom.
        let left = (1.0 - variance / all) * (count - 1.0) / (count - 1.0 - streams as f64);
        let part = self.part(&factors);
        // Even if luck explains everything, rounding errors remain.
        (all > 0.0 && left < HARDLY).then_some(Luck { part, left: left.larger(LEAST_LEFT) })
    }

    /// The effect of luck on a quotient, and the share of the variance of one fight that it explains, by least squares.
    pub(super) fn explained(&self, measure: usize, ratio: f64, over: f64) -> Option<Explained> {
        let (streams, count) = (self.luck.len(), self.fights);
        if streams == 0 || count < (FIGHTS_FOR_EACH * (streams as f64 + 1.0)).larger(FIGHTS) {
            return None;
        }
        let mean: Vec<f64> = self.luck.iter().map(|sum| sum / count).collect();
        let with = |part: usize| &self.with[(2 * measure + part) * streams..][..streams];
        let goes_along: Vec<f64> =
            with(0).iter().zip(with(1)).map(|(value, by)| (value - ratio * by) / (over * count)).collect();
        let mut at = 0;
        let row = |index: usize| {
            let products = &self.products[at..=at + index];
            at += index + 1;
            let covary = |(column, sum): (usize, &f64)| sum / count - mean[index] * mean[column];
            let mut row: Vec<f64> = products.iter().enumerate().map(covary).collect();
            // Streams whose draws are always equal count as one.
            row[index] += 1e-9 * products[index] / count;
            row
        };
        let factors = Lower::of((0..streams).map(row).collect())?.solve(&goes_along);
        let variance = inner_product(&factors, &goes_along);
        // Values that are too large to compute with are left unchanged.
        (variance.is_finite() && self.part(&factors).is_finite()).then_some(Explained { factors, variance })
    }

    /// The contribution of luck to the mean of these fights, given its effects.
    pub(super) fn part(&self, factors: &[f64]) -> f64 {
        inner_product(factors, &self.luck) / self.fights
    }
}

/// The part of a quotient that luck explains.
pub(super) struct Explained {
    /// The effect of one unit of luck of each stream.
    pub(super) factors: Vec<f64>,
    /// For one fight.
    variance: f64,
}
