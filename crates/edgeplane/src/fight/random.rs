//! Where a fight gets its chances from.

use std::sync::Arc;

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::SplitMix64;

use crate::program::{Chance, StreamId};

/// A source of chance for whole fights.
pub trait RandomSource: Chance + Clone {
    /// What a snapshot keeps of it.
    type Saved: Clone + std::fmt::Debug + PartialEq;

    /// Begins a fight; `streams` are the hashed names of all its streams.
    fn begin(&mut self, seed: u64, streams: &Arc<[u64]>);

    /// There are more streams from now on, after those that there were: combatants have come.
    fn grow(&mut self, streams: &Arc<[u64]>) {
        let _ = streams;
    }

    /// From now on these are the streams; those that have the name of one that there was go on as it.
    fn rename(&mut self, streams: &Arc<[u64]>) {
        let _ = streams;
    }

    /// What a snapshot keeps.
    fn save(&self) -> Self::Saved;

    /// The same, reusing the memory of another one.
    fn save_into(&self, saved: &mut Self::Saved) {
        *saved = self.save();
    }

    /// Goes on from what was kept.
    fn load(&mut self, saved: &Self::Saved);

    /// Bytes that the lists in what is kept take.
    fn saved_bytes(_saved: &Self::Saved) -> usize {
        0
    }

    /// Whether anything was drawn in this fight but the first of each so many streams, which are tie-breaks.
    fn has_drawn(&self, _streams_of_one: usize) -> bool {
        true
    }
}

/// The seed of one stream of one fight.
///
/// Public so that a program written by hand can draw the same chances as the engine.
#[inline]
pub fn stream_seed(seed: u64, name: u64) -> u64 {
    let mut mixed = SplitMix64::seed_from_u64(seed ^ name.rotate_left(32));
    mixed.next_u64() ^ name
}

/// The seed of one trial of a study: any trial can be run again on its own.
pub fn seed_of_trial(study: u64, trial: u64) -> u64 {
    let mut mixed = SplitMix64::seed_from_u64(study);
    let base = mixed.next_u64();
    SplitMix64::seed_from_u64(base ^ trial.wrapping_mul(0x9e37_79b9_7f4a_7c15)).next_u64()
}

/// Pseudo-random chance: one small generator for each stream.
///
/// A generator is its seed, which follows from the fight's seed and the stream's name, and the number of
/// draws so far; that number is all that a fight keeps. To mix a seed anew for each draw costs a few operations, and
/// to keep it eight bytes for each place of chance and combatant.
#[derive(Clone, Debug, Default)]
pub struct Sampler {
    seed: u64,
    /// Those of the set-up, which all its fights share.
    names: Arc<[u64]>,
    drawn: DrawCounts,
}

/// How often each stream was drawn from: in two bytes each, since most are hardly ever drawn from in one fight.
#[derive(Clone, Debug, Default, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
struct DrawCounts {
    low: Vec<u16>,
    /// Streams that were drawn from more often than two bytes can count, with the rest of the count.
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

    /// One more of a stream: how many there were.
    #[inline(always)]
    fn next(&mut self, stream: usize) -> Option<u32> {
        let low = self.low.get_mut(stream)?;
        let before = u32::from(*low);
        *low = low.wrapping_add(1);
        if *low == 0 || !self.high.is_empty() { Some(self.carry(stream, before)) } else { Some(before) }
    }

    /// The whole of a count of which the low part was this before the last draw.
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

/// How far [`SplitMix64`] goes with each draw.
const STEP: u64 = 0x9e37_79b9_7f4a_7c15;

/// The top 53 bits as a number from 0 up to but without 1.
#[inline(always)]
fn unit(bits: u64) -> f64 {
    (bits >> 11) as f64 * (1.0 / (1u64 << 53) as f64)
}

impl Sampler {
    #[inline(always)]
    fn next(&mut self, stream: StreamId) -> u64 {
        let index = stream.0 as usize;
        // There is a stream for each place of each combatant.
        let (Some(name), Some(drawn)) = (self.names.get(index), self.drawn.next(index)) else { return 0 };
        let seed = stream_seed(self.seed, *name);
        let gone = STEP.wrapping_mul(u64::from(drawn));
        SplitMix64::seed_from_u64(seed.wrapping_add(gone)).next_u64()
    }
}

/// How often each stream of a fight was drawn from.
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
        // What is certain draws nothing, so that it need not be asked about.
        p >= 1.0 || (p > 0.0 && unit(self.next(stream)) < p)
    }

    #[inline(always)]
    fn pick(&mut self, stream: StreamId, n: u32) -> u32 {
        // Multiply and shift: the bias of at most n / 2^64 is far below what any study can see.
        ((u128::from(self.next(stream)) * u128::from(n)) >> 64) as u32
    }

    #[inline(always)]
    fn uniform(&mut self, stream: StreamId) -> f64 {
        unit(self.next(stream))
    }
}

/// A list of draws, each between 0 and 1, given in turn whatever the stream; after its end, ½.
/// For tests, and for replaying a fight of which the draws were written down.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Recorded {
    draws: Vec<f64>,
    next: usize,
}

impl Recorded {
    /// Draws to give.
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

    /// Tie-breaks are drawn first; they are not taken from the list.
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

/// Always the likelier: chances of one half and more come true, numbers are in the middle.
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

/// Walks through all that can happen: every run takes another branch, and knows how likely it is.
///
/// Uniform draws are cut into equal parts, each standing for its middle. With an odd number of parts
/// a mean of anything linear is exact, and least and greatest are close to the edges.
#[derive(Clone, Debug, PartialEq)]
pub struct Branching {
    parts: u32,
    /// The branch taken at each draw of this run, and of how many.
    path: Vec<(u32, u32)>,
    at: usize,
    weight: f64,
}

impl Branching {
    /// Cuts uniform draws into so many parts.
    pub fn new(parts: u32) -> Self {
        Self { parts: parts.max(1), path: Vec::new(), at: 0, weight: 1.0 }
    }

    /// How likely this run was.
    pub fn weight(&self) -> f64 {
        self.weight
    }

    /// Goes back to the start and on to the next branch; false when all have been walked.
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
        // Tie-breaks ask for a pick among very many; nothing that is explained depends on them.
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
