//! Sources of chance.

use std::sync::Arc;

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::SplitMix64;

use crate::program::{Chance, StreamId};

/// A source of chance for complete fights.
pub trait RandomSource: Chance + Clone {
    /// The part of it that a snapshot keeps.
    type Saved: Clone + std::fmt::Debug + PartialEq;

    /// Starts a fight; `streams` are the hashed names of all its streams.
    fn begin(&mut self, seed: u64, streams: &Arc<[u64]>);

    /// Appends streams for new combatants.
    fn grow(&mut self, streams: &Arc<[u64]>) {
        let _ = streams;
    }

    /// Replaces the streams; those whose names existed before continue.
    fn rename(&mut self, streams: &Arc<[u64]>) {
        let _ = streams;
    }

    /// Returns the state for a snapshot.
    fn save(&self) -> Self::Saved;

    /// The same, reusing the memory of another one.
    fn save_into(&self, saved: &mut Self::Saved) {
        *saved = self.save();
    }

    /// Continues from a saved state.
    fn load(&mut self, saved: &Self::Saved);

    /// The size of the lists in a saved state in bytes.
    fn saved_bytes(_saved: &Self::Saved) -> usize {
        0
    }

    /// Whether anything other than the first stream of each combatant, which is its tie-break, has been drawn in this
    /// fight.
    fn has_drawn(&self, _streams_of_one: usize) -> bool {
        true
    }
}

/// The draws that a source would make next; the source is copied with the first one.
pub(super) struct Preview<'a, C> {
    pub(super) source: &'a C,
    pub(super) copy: Option<C>,
}

impl<C: RandomSource> Preview<'_, C> {
    fn copy(&mut self) -> &mut C {
        self.copy.get_or_insert_with(|| self.source.clone())
    }
}

impl<C: RandomSource> Chance for Preview<'_, C> {
    fn chance(&mut self, stream: StreamId, p: f64) -> bool {
        self.copy().chance(stream, p)
    }

    fn chance_in_streak(&mut self, stream: StreamId, p: f64, now: f64) -> bool {
        self.copy().chance_in_streak(stream, p, now)
    }

    fn pick(&mut self, stream: StreamId, n: u32) -> u32 {
        self.copy().pick(stream, n)
    }

    fn uniform(&mut self, stream: StreamId) -> f64 {
        self.copy().uniform(stream)
    }
}

/// The seed of one stream of one fight.
///
/// Public so that a hand-written program can make the same draws as the engine.
#[inline]
pub fn stream_seed(seed: u64, name: u64) -> u64 {
    let mut mixed = SplitMix64::seed_from_u64(seed ^ name.rotate_left(32));
    mixed.next_u64() ^ name
}

/// The seed of one trial of a study, with which that trial can be run again on its own.
pub fn seed_of_trial(study: u64, trial: u64) -> u64 {
    let mut mixed = SplitMix64::seed_from_u64(study);
    let base = mixed.next_u64();
    SplitMix64::seed_from_u64(base ^ trial.wrapping_mul(0x9e37_79b9_7f4a_7c15)).next_u64()
}

/// Pseudo-random chance: one small generator for each stream.
///
/// A generator consists of its seed, which follows from the fight's seed and the stream's name, and the number of draws
/// so far; only that number is stored. Mixing the seed again for each draw costs a few operations; storing it would
/// cost eight bytes for each stream of each combatant.
#[derive(Clone, Debug, Default)]
pub struct Sampler {
    seed: u64,
    /// The streams of the setup, shared by all its fights.
    names: Arc<[u64]>,
    drawn: DrawCounts,
}

/// The number of draws of each stream, in two bytes each, since few streams are drawn from often.
#[derive(Clone, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
struct DrawCounts {
    low: Vec<u16>,
    /// Streams with more draws than two bytes can count, with the high part of the count.
    high: Vec<(u32, u32)>,
}

impl DrawCounts {
    fn count(&self, stream: usize) -> u32 {
        let low = self.low.get(stream).map_or(0, |low| u32::from(*low));
        self.high.iter().find(|(other, _)| *other as usize == stream).map_or(low, |(_, high)| high << 16 | low)
    }

    fn all(&self) -> impl Iterator<Item = u32> {
        (0..self.low.len()).map(|stream| self.count(stream))
    }

    /// Counts a draw and returns the number of earlier draws.
    #[inline(always)]
    fn next(&mut self, stream: usize) -> Option<u32> {
        let low = self.low.get_mut(stream)?;
        let before = u32::from(*low);
        *low = low.wrapping_add(1);
        if *low == 0 || !self.high.is_empty() { Some(self.carry(stream, before)) } else { Some(before) }
    }

    /// The complete count, given its low part before the last draw.
    #[cold]
    fn carry(&mut self, stream: usize, low: u32) -> u32 {
        let carry = u32::from(low == u32::from(u16::MAX));
        match self.high.iter_mut().find(|(other, _)| *other as usize == stream) {
            Some((_, high)) => {
                let before = *high << 16 | low;
                *high = high.wrapping_add(carry);
                before
            }
            None => {
                if carry == 1 {
                    self.high.push((stream as u32, 1));
                }
                low
            }
        }
    }

    fn set(&mut self, counts: &[u32]) {
        self.low = counts.iter().map(|count| *count as u16).collect();
        let high = (0..).zip(counts).map(|(stream, count)| (stream, count >> 16));
        self.high = high.filter(|(_, high)| *high > 0).collect();
    }

    fn copy_from(&mut self, other: &Self) {
        self.low.clone_from(&other.low);
        self.high.clone_from(&other.high);
    }

    fn bytes(&self) -> usize {
        size_of_val(self.low.as_slice()) + size_of_val(self.high.as_slice())
    }
}

/// The increment of [`SplitMix64`] for each draw.
const STEP: u64 = 0x9e37_79b9_7f4a_7c15;

/// The top 53 bits as a number from 0 (inclusive) to 1 (exclusive).
#[inline(always)]
fn unit(bits: u64) -> f64 {
    (bits >> 11) as f64 * (1.0 / (1u64 << 53) as f64)
}

impl Sampler {
    #[inline(always)]
    fn next(&mut self, stream: StreamId) -> u64 {
        let index = stream.0 as usize;
        // There is a stream for each combatant and each position in the rules.
        let (Some(name), Some(drawn)) = (self.names.get(index), self.drawn.next(index)) else { return 0 };
        let seed = stream_seed(self.seed, *name);
        let gone = STEP.wrapping_mul(u64::from(drawn));
        SplitMix64::seed_from_u64(seed.wrapping_add(gone)).next_u64()
    }
}

/// The number of draws of each stream of a fight.
#[derive(Clone, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct SamplerState {
    seed: u64,
    drawn: DrawCounts,
}

impl RandomSource for Sampler {
    type Saved = SamplerState;

    fn begin(&mut self, seed: u64, streams: &Arc<[u64]>) {
        self.seed = seed;
        self.drawn.low.fill(0);
        self.drawn.high.clear();
        self.grow(streams);
    }

    fn grow(&mut self, streams: &Arc<[u64]>) {
        if !Arc::ptr_eq(&self.names, streams) {
            self.names = Arc::clone(streams);
            self.drawn.low.resize(streams.len(), 0);
        }
    }

    fn rename(&mut self, streams: &Arc<[u64]>) {
        let mut before: Vec<(u64, u32)> = self.names.iter().copied().zip(self.drawn.all()).collect();
        before.sort_unstable();
        let drawn = |stream: &u64| before.binary_search_by_key(stream, |(name, _)| *name).map_or(0, |at| before[at].1);
        self.drawn.set(&streams.iter().map(drawn).collect::<Vec<u32>>());
        self.names = Arc::clone(streams);
    }

    fn save(&self) -> SamplerState {
        SamplerState { seed: self.seed, drawn: self.drawn.clone() }
    }

    fn save_into(&self, saved: &mut SamplerState) {
        saved.seed = self.seed;
        saved.drawn.copy_from(&self.drawn);
    }

    fn load(&mut self, saved: &SamplerState) {
        self.seed = saved.seed;
        self.drawn.copy_from(&saved.drawn);
    }

    fn saved_bytes(saved: &SamplerState) -> usize {
        saved.drawn.bytes()
    }

    fn has_drawn(&self, streams_of_one: usize) -> bool {
        self.drawn.all().enumerate().any(|(stream, drawn)| drawn > 0 && !stream.is_multiple_of(streams_of_one))
    }
}

impl Chance for Sampler {
    #[inline(always)]
    fn chance(&mut self, stream: StreamId, p: f64) -> bool {
        // A certain outcome makes no draw, so it need not be tested for.
        p >= 1.0 || (p > 0.0 && unit(self.next(stream)) < p)
    }

    #[inline(always)]
    fn pick(&mut self, stream: StreamId, n: u32) -> u32 {
        // Multiply and shift: the bias of at most n / 2^64 is far below what any study can detect.
        ((u128::from(self.next(stream)) * u128::from(n)) >> 64) as u32
    }

    #[inline(always)]
    fn uniform(&mut self, stream: StreamId) -> f64 {
        unit(self.next(stream))
    }
}

/// A list of draws between 0 and 1, returned in order whatever the stream, followed by ½. For tests, and for replaying
/// recorded fights.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Recorded {
    draws: Vec<f64>,
    next: usize,
}

impl Recorded {
    /// The draws to return.
    pub fn new(draws: impl Into<Vec<f64>>) -> Self {
        Self { draws: draws.into(), next: 0 }
    }

    fn draw(&mut self) -> f64 {
        let draw = self.draws.get(self.next).copied().unwrap_or(0.5);
        self.next += 1;
        draw
    }
}

impl RandomSource for Recorded {
    type Saved = Self;

    fn save(&self) -> Self {
        self.clone()
    }

    fn load(&mut self, saved: &Self) {
        self.clone_from(saved);
    }

    /// Tie-breaks are drawn first and are not taken from the list.
    fn begin(&mut self, _: u64, _: &Arc<[u64]>) {
        self.next = 0;
    }
}

impl Chance for Recorded {
    fn chance(&mut self, _: StreamId, p: f64) -> bool {
        p >= 1.0 || (p > 0.0 && self.draw() < p)
    }

    fn pick(&mut self, _: StreamId, n: u32) -> u32 {
        if n == u32::MAX { 0 } else { ((self.draw() * f64::from(n)) as u32).min(n - 1) }
    }

    fn uniform(&mut self, _: StreamId) -> f64 {
        self.draw()
    }
}

/// Always the more likely outcome: chances of one half and more succeed, numbers are at their midpoint.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Likely;

impl RandomSource for Likely {
    type Saved = Self;

    fn save(&self) -> Self {
        *self
    }

    fn load(&mut self, saved: &Self) {
        self.clone_from(saved);
    }

    fn begin(&mut self, _: u64, _: &Arc<[u64]>) {}
}

impl Chance for Likely {
    fn chance(&mut self, _: StreamId, p: f64) -> bool {
        p >= 0.5
    }

    fn chance_in_streak(&mut self, stream: StreamId, p: f64, _: f64) -> bool {
        self.chance(stream, p)
    }

    fn pick(&mut self, _: StreamId, n: u32) -> u32 {
        if n == u32::MAX { 0 } else { n / 2 }
    }

    fn uniform(&mut self, _: StreamId) -> f64 {
        0.5
    }
}

/// Enumerates all possible outcomes: every run takes another branch and knows its probability.
///
/// Uniform draws are divided into equal parts, each represented by its midpoint. With an odd number of parts, the mean
/// of a linear function is exact, and the minimum and maximum are close to the limits.
#[derive(Clone, Debug, PartialEq)]
pub struct Branching {
    parts: u32,
    /// For each draw of this run, the branch taken and the number of branches.
    path: Vec<(u32, u32)>,
    at: usize,
    weight: f64,
}

impl Branching {
    /// Divides uniform draws into this many parts.
    pub fn new(parts: u32) -> Self {
        Self { parts: parts.max(1), path: Vec::new(), at: 0, weight: 1.0 }
    }

    /// The probability of this run.
    pub fn weight(&self) -> f64 {
        self.weight
    }

    /// Returns to the start and selects the next branch; `false` when all have been taken.
    pub fn next_branch(&mut self) -> bool {
        self.at = 0;
        self.weight = 1.0;
        while let Some((taken, of)) = self.path.pop() {
            if taken + 1 < of {
                self.path.push((taken + 1, of));
                return true;
            }
        }
        false
    }

    fn branch(&mut self, of: u32) -> u32 {
        if self.at == self.path.len() {
            self.path.push((0, of));
        }
        let taken = self.path[self.at].0;
        self.at += 1;
        taken
    }
}

impl RandomSource for Branching {
    type Saved = Self;

    fn save(&self) -> Self {
        self.clone()
    }

    fn load(&mut self, saved: &Self) {
        self.clone_from(saved);
    }

    fn begin(&mut self, _: u64, _: &Arc<[u64]>) {
        self.at = 0;
        self.weight = 1.0;
    }
}

impl Chance for Branching {
    fn chance(&mut self, _: StreamId, p: f64) -> bool {
        if p <= 0.0 || p >= 1.0 {
            return p >= 1.0;
        }
        let happens = self.branch(2) == 1;
        self.weight *= if happens { p } else { 1.0 - p };
        happens
    }

    fn chance_in_streak(&mut self, stream: StreamId, p: f64, _: f64) -> bool {
        self.chance(stream, p)
    }

    fn pick(&mut self, _: StreamId, n: u32) -> u32 {
        // Tie-breaks pick from a very large range; nothing that is explained depends on them.
        if n <= 1 || n == u32::MAX {
            return 0;
        }
        self.weight /= f64::from(n);
        self.branch(n)
    }

    fn uniform(&mut self, _: StreamId) -> f64 {
        self.weight /= f64::from(self.parts);
        (f64::from(self.branch(self.parts)) + 0.5) / f64::from(self.parts)
    }
}
