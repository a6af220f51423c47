//! Who answers when a fight asks for chance.

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::SplitMix64;

use crate::program::{Chance, StreamId};

/// A source of chance for whole fights.
pub trait Provider: Chance + Clone {
    /// Whether an engine of its own is compiled for it, as for [`Observer::OWN_ENGINE`](super::Observer::OWN_ENGINE).
    const OWN_ENGINE: bool = false;

    /// Begins a fight; `streams` are the hashed names of all its streams.
    fn begin(&mut self, seed: u64, streams: &[u64]);
}

/// The seed of one stream of one fight.
///
/// Public so that a program written by hand can draw the same chances as the engine.
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
/// Most streams are never drawn from in a fight, so each is seeded when it is drawn from for the first time.
#[derive(Clone, Debug, Default)]
pub struct Sampler {
    seed: u64,
    names: Vec<u64>,
    streams: Vec<Stream>,
    /// Which fight is under way: streams of earlier ones have to be seeded.
    fight: u64,
}

#[derive(Clone, Debug)]
struct Stream {
    fight: u64,
    random: SplitMix64,
}

/// Equal if they will give the same answers.
impl PartialEq for Sampler {
    fn eq(&self, other: &Self) -> bool {
        let all = |sampler: &Self| (0..sampler.streams.len()).map(|index| sampler.as_seeded(index)).collect::<Vec<_>>();
        all(self) == all(other)
    }
}

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
        let Some(one) = self.streams.get_mut(index) else { return 0 };
        if one.fight != self.fight {
            *one = Stream { fight: self.fight, random: seeded(self.seed, &self.names, index) };
        }
        one.random.next_u64()
    }

    fn as_seeded(&self, index: usize) -> SplitMix64 {
        let stream = &self.streams[index];
        if stream.fight == self.fight { stream.random.clone() } else { seeded(self.seed, &self.names, index) }
    }
}

#[cold]
#[inline(never)]
fn seeded(seed: u64, names: &[u64], index: usize) -> SplitMix64 {
    SplitMix64::seed_from_u64(stream_seed(seed, names[index]))
}

impl Provider for Sampler {
    const OWN_ENGINE: bool = true;

    fn begin(&mut self, seed: u64, streams: &[u64]) {
        (self.seed, self.fight) = (seed, self.fight + 1);
        if self.names != streams {
            self.names = streams.to_vec();
            self.streams = vec![Stream { fight: 0, random: SplitMix64::seed_from_u64(0) }; streams.len()];
        }
    }
}

impl Chance for Sampler {
    #[inline(always)]
    fn chance(&mut self, stream: StreamId, p: f64) -> bool {
        // What is certain draws nothing, so that it need not be asked about.
        p >= 1.0 || (p > 0.0 && unit(self.next(stream)) < p)
    }

    #[inline(always)]
    fn perhaps(&mut self, stream: StreamId, p: f64) -> bool {
        unit(self.next(stream)) < p
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

/// A list of answers, each between 0 and 1, given in turn whatever the stream; after its end, ½.
/// For tests, and for replaying a fight of which the draws were written down.
#[derive(Clone, Debug, Default)]
pub struct Recorded {
    answers: Vec<f64>,
    next: usize,
}

impl Recorded {
    /// Answers to give.
    pub fn new(answers: impl Into<Vec<f64>>) -> Self {
        Self { answers: answers.into(), next: 0 }
    }

    fn answer(&mut self) -> f64 {
        let answer = self.answers.get(self.next).copied().unwrap_or(0.5);
        self.next += 1;
        answer
    }
}

impl Provider for Recorded {
    /// Lots are drawn first; they are not taken from the list.
    fn begin(&mut self, _: u64, _: &[u64]) {
        self.next = 0;
    }
}

impl Chance for Recorded {
    fn chance(&mut self, _: StreamId, p: f64) -> bool {
        p >= 1.0 || (p > 0.0 && self.answer() < p)
    }

    fn pick(&mut self, _: StreamId, n: u32) -> u32 {
        if n == u32::MAX { 0 } else { ((self.answer() * f64::from(n)) as u32).min(n - 1) }
    }

    fn uniform(&mut self, _: StreamId) -> f64 {
        self.answer()
    }
}

/// Always the likelier: chances of one half and more come true, numbers are in the middle.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Likely;

impl Provider for Likely {
    fn begin(&mut self, _: u64, _: &[u64]) {}
}

impl Chance for Likely {
    fn chance(&mut self, _: StreamId, p: f64) -> bool {
        p >= 0.5
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
#[derive(Clone, Debug)]
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

impl Provider for Branching {
    fn begin(&mut self, _: u64, _: &[u64]) {
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

    fn pick(&mut self, _: StreamId, n: u32) -> u32 {
        // Lots ask for a pick among very many; nothing that is explained hangs on them.
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
