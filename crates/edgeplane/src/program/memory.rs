//! The numbers of a fight.

use super::flow::{self, PoolNumbers};
use super::layout::{Layout, pool_slot};
use super::ops::truth;
use super::threat::Threat;

/// The locals of a status: its own numbers, and its kept values.
const STATUS_LOCALS: usize = (Layout::MARKS - Layout::STACKS) as usize;

/// The adjacent numbers of position and course.
const MOTION: usize = 5;

/// The same up to the body, which is the last of them.
const SPOT: usize = (Layout::BODY.0 - Layout::PLACE.0 + 1) as usize;

/// The position, velocity and body radius of a combatant, in metres.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Spot {
    pub(crate) place: [f64; 2],
    pub(crate) course: [f64; 2],
    pub(crate) body: f64,
}

/// The locals of a hit that formulas read.
#[derive(Clone, Copy, Debug)]
pub(crate) struct HitLocals {
    initial: f64,
    marks: u64,
    count: usize,
}

/// The numbers of a fight: locals, constants, then a block for each combatant.
#[derive(Clone, Debug, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(crate) struct Memory {
    numbers: Vec<f64>,
    /// The number of locals.
    locals: u16,
    /// Threat between combatants.
    pub(crate) threat: Threat,
}

/// Locals have no meaning between two evaluations.
impl PartialEq for Memory {
    fn eq(&self, other: &Self) -> bool {
        let first = usize::from(self.locals);
        self.numbers.get(first..) == other.numbers.get(first..) && self.threat == other.threat
    }
}

impl Memory {
    pub(crate) fn new(numbers: Vec<f64>, locals: u16) -> Self {
        Self { numbers, locals, threat: Threat::default() }
    }

    /// Copies the numbers of a fight with fewer combatants.
    pub(crate) fn begin_with(&mut self, other: &Self) {
        self.numbers[..other.numbers.len()].copy_from_slice(&other.numbers);
    }

    /// Extends the numbers by combatants with initial values.
    pub(crate) fn grow(&mut self, larger: &Self) {
        self.numbers.extend_from_slice(&larger.numbers[self.numbers.len()..]);
        self.threat.grow(&larger.threat);
    }

    /// Whether all numbers except locals are equal, up to an index.
    pub(crate) fn is_like(&self, other: &Self, end: usize) -> bool {
        let numbers = |memory: &Self| {
            let part = memory.numbers.get(usize::from(memory.locals)..end);
            part.map(|part| part.iter().map(|number| number.to_bits()).collect::<Vec<u64>>())
        };
        self.locals == other.locals && numbers(self) == numbers(other)
    }

    /// Copies a combatant's numbers from another memory, except those determined by other combatants.
    pub(crate) fn begin_block(&mut self, block: usize, stride: usize, from: &Self) {
        let kept = [Layout::ALLIES, Layout::ENEMIES].map(|slot| (slot, self.at(block + slot.index())));
        self.numbers[block..block + stride].copy_from_slice(&from.numbers[block..block + stride]);
        for (slot, value) in kept {
            self.set(block + slot.index(), value);
        }
    }

    pub(crate) fn copy_from(&mut self, other: &Self) {
        self.numbers.clone_from(&other.numbers);
        self.locals = other.locals;
        self.threat.copy_from(&other.threat);
    }

    /// Saves what can change: the numbers from an index on, and threat.
    pub(crate) fn save_from(&mut self, other: &Self, first: usize) {
        self.numbers.clear();
        self.numbers.extend_from_slice(&other.numbers[first..]);
        self.locals = 0;
        self.threat.copy_from(&other.threat);
    }

    /// Restores what was saved.
    pub(crate) fn load_from(&mut self, saved: &Self, first: usize) {
        self.numbers.truncate(first);
        self.numbers.extend_from_slice(&saved.numbers);
        self.threat.copy_from(&saved.threat);
    }

    pub(crate) fn bytes(&self) -> usize {
        size_of_val(self.numbers.as_slice()) + self.threat.bytes()
    }

    pub(crate) fn numbers(&self) -> &[f64] {
        &self.numbers
    }

    #[inline]
    pub(crate) fn at(&self, index: usize) -> f64 {
        self.numbers[index]
    }

    #[inline]
    pub(crate) fn set(&mut self, index: usize, value: f64) {
        self.numbers[index] = value;
    }

    #[inline]
    pub(crate) fn set_local(&mut self, local: u16, value: f64) {
        self.numbers[usize::from(local)] = value;
    }

    /// The locals of the current status, to be restored after another one has been evaluated.
    pub(crate) fn locals(&self) -> [f64; STATUS_LOCALS] {
        let first = usize::from(Layout::STACKS);
        self.numbers[first..].first_chunk().copied().unwrap_or([0.0; STATUS_LOCALS])
    }

    /// Restores them.
    pub(crate) fn set_locals(&mut self, locals: &[f64; STATUS_LOCALS]) {
        let first = usize::from(Layout::STACKS);
        self.numbers[first..first + STATUS_LOCALS].copy_from_slice(locals);
    }

    /// The locals of the current hit: its initial amount, and its marks as bits.
    pub(crate) fn hit_locals(&self, marks: usize) -> HitLocals {
        let initial = self.numbers[usize::from(Layout::INITIAL)];
        let first = usize::from(Layout::MARKS);
        let set = self.numbers[first..first + marks].iter().enumerate().filter(|(_, mark)| **mark != 0.0);
        HitLocals { initial, marks: set.fold(0, |bits, (mark, _)| bits | 1 << mark), count: marks }
    }

    /// Restores them.
    pub(crate) fn set_hit_locals(&mut self, locals: &HitLocals) {
        self.set_local(Layout::INITIAL, locals.initial);
        for mark in 0..locals.count {
            self.set_local(Layout::MARKS + mark as u16, truth(locals.marks >> mark & 1 == 1));
        }
    }

    /// The position at a given time, given the first number of a block.
    #[inline]
    pub(crate) fn place(&self, block: usize, now: f64) -> [f64; 2] {
        let Some([x, y, along, across, moved]) = self.motion(block) else { return [0.0; 2] };
        let seconds = (now - moved) / 1e6;
        [x + along * seconds, y + across * seconds]
    }

    /// Position, velocity and body at a given time. One bounds check for all of them.
    #[inline(always)]
    pub(crate) fn spot(&self, block: usize, now: f64) -> Spot {
        let numbers = self.numbers[block + Layout::PLACE.index()..].first_chunk::<SPOT>();
        let Some([x, y, along, across, moved, .., body]) = numbers else {
            return Spot { place: [0.0; 2], course: [0.0; 2], body: 0.0 };
        };
        let seconds = (now - moved) / 1e6;
        Spot { place: [x + along * seconds, y + across * seconds], course: [*along, *across], body: *body }
    }

    /// The velocity of a combatant in metres per second.
    #[inline]
    pub(crate) fn course(&self, block: usize) -> [f64; 2] {
        self.motion(block).map_or([0.0; 2], |[_, _, along, across, _]| [*along, *across])
    }

    /// Position, course and its start. One bounds check for all of them.
    #[inline]
    fn motion(&self, block: usize) -> Option<&[f64; MOTION]> {
        self.numbers[block + Layout::PLACE.index()..].first_chunk()
    }

    /// Sets position and course from a given time on.
    #[inline]
    pub(crate) fn set_place(&mut self, block: usize, [x, y]: [f64; 2], [along, across]: [f64; 2], now: f64) {
        if let Some(motion) = self.numbers[block + Layout::PLACE.index()..].first_chunk_mut::<MOTION>() {
            *motion = [x, y, along, across, now];
        }
    }

    /// The distance between two combatants at a given time, in metres.
    #[inline]
    pub(crate) fn distance(&self, one: usize, other: usize, now: f64) -> f64 {
        let ([x1, y1], [x2, y2]) = (self.place(one, now), self.place(other, now));
        // The square root is exact on every platform, and positions are far below the range where squares overflow.
        ((x2 - x1) * (x2 - x1) + (y2 - y1) * (y2 - y1)).sqrt()
    }

    /// The radius of a combatant's body in metres.
    #[inline]
    pub(crate) fn body(&self, block: usize) -> f64 {
        self.at(block + Layout::BODY.index())
    }

    /// The direction in which a combatant faces, of any length, which does not affect angles.
    pub(crate) fn facing(&self, block: usize) -> [f64; 2] {
        [self.at(block + Layout::FACING.index()), self.at(block + Layout::FACING.index() + 1)]
    }

    /// Turns a combatant to a direction.
    pub(crate) fn set_facing(&mut self, block: usize, [along, across]: [f64; 2]) {
        self.set(block + Layout::FACING.index(), along);
        self.set(block + Layout::FACING.index() + 1, across);
    }

    /// The position of `one` relative to the direction in which `other` faces, in degrees from 0 (in front) to 180
    /// (behind); 0 without a direction.
    pub(crate) fn angle(&self, one: usize, other: usize, now: f64) -> f64 {
        let ([x, y], [from_x, from_y], [along, across]) =
            (self.place(one, now), self.place(other, now), self.facing(other));
        let (x, y) = (x - from_x, y - from_y);
        // Zero must be positive: the arctangent of a negative zero would give half a turn.
        let (ahead, aside) = (x * along + y * across + 0.0, x * across - y * along);
        libm::atan2(aside.abs(), ahead).to_degrees()
    }

    /// The amount of a pool at a given time.
    #[inline(always)]
    pub(crate) fn pool_amount(&self, first: usize, now: f64) -> f64 {
        self.pool_numbers(first).map_or(f64::NAN, |pool| flow::amount(pool, now))
    }

    /// The numbers of a pool. One bounds check for all of them.
    #[inline(always)]
    pub(crate) fn pool_numbers(&self, first: usize) -> Option<&PoolNumbers> {
        self.numbers[first..].first_chunk()
    }

    /// Sets the amount of a pool at a given time.
    #[inline]
    pub(crate) fn set_pool(&mut self, first: usize, amount: f64, now: f64) {
        if let Some(pool) = self.numbers[first..].first_chunk_mut::<{ pool_slot::WIDTH as usize }>() {
            pool[usize::from(pool_slot::AMOUNT)] = amount;
            pool[usize::from(pool_slot::SINCE)] = now;
        }
    }

    pub(crate) fn pool_missing(&self, first: usize, now: f64) -> f64 {
        self.at(first + usize::from(pool_slot::CAP)) - self.pool_amount(first, now)
    }

    #[inline]
    pub(crate) fn pool_share(&self, first: usize, now: f64) -> f64 {
        self.pool_numbers(first).map_or(f64::NAN, |pool| flow::share(pool, now))
    }
}
