//! The numbers of a fight.

use super::flow::{self, PoolNumbers};
use super::layout::{Layout, pool_slot};
use super::ops::truth;
use super::threat::Threat;

/// Locals of a status: what it says of itself, and what it keeps.
const STATUS_LOCALS: usize = (Layout::MARKS - Layout::STACKS) as usize;

/// Numbers of a place and a course, which stand side by side.
const MOTION: usize = 5;

/// The same with all up to the body, which is the last of them.
const SPOT: usize = (Layout::BODY.0 - Layout::PLACE.0 + 1) as usize;

/// Where a combatant is, how it moves on, and metres from its middle to its rim.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Spot {
    pub(crate) place: [f64; 2],
    pub(crate) course: [f64; 2],
    pub(crate) body: f64,
}

/// What formulas read of a hit while it is under way.
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
    /// How many of them are locals.
    locals: u16,
    /// Who is how much of a threat to whom.
    pub(crate) threat: Threat,
}

/// Locals mean nothing between two evaluations.
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

    /// Takes over all that another one has, which is of fewer combatants.
    pub(crate) fn begin_with(&mut self, other: &Self) {
        self.numbers[..other.numbers.len()].copy_from_slice(&other.numbers);
    }

    /// Goes on as one of more combatants, of whom all is new.
    pub(crate) fn grow(&mut self, larger: &Self) {
        self.numbers.extend_from_slice(&larger.numbers[self.numbers.len()..]);
        self.threat.grow(&larger.threat);
    }

    /// Whether all numbers but the locals are alike, up to an index.
    pub(crate) fn is_like(&self, other: &Self, end: usize) -> bool {
        let numbers = |memory: &Self| {
            let part = memory.numbers.get(usize::from(memory.locals)..end);
            part.map(|part| part.iter().map(|number| number.to_bits()).collect::<Vec<u64>>())
        };
        self.locals == other.locals && numbers(self) == numbers(other)
    }

    /// A combatant's numbers as another memory has them, but for those that others of the fight make.
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

    /// Keeps what can change: the numbers from some index on, and threat.
    pub(crate) fn save_from(&mut self, other: &Self, first: usize) {
        self.numbers.clear();
        self.numbers.extend_from_slice(&other.numbers[first..]);
        self.locals = 0;
        self.threat.copy_from(&other.threat);
    }

    /// Takes over what was kept.
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

    /// The locals of the status at hand, to be put back when another has been looked at.
    pub(crate) fn locals(&self) -> [f64; STATUS_LOCALS] {
        let first = usize::from(Layout::STACKS);
        self.numbers[first..].first_chunk().copied().unwrap_or([0.0; STATUS_LOCALS])
    }

    /// Puts them back.
    pub(crate) fn set_locals(&mut self, locals: &[f64; STATUS_LOCALS]) {
        let first = usize::from(Layout::STACKS);
        self.numbers[first..first + STATUS_LOCALS].copy_from_slice(locals);
    }

    /// The locals of the hit at hand: its amount at the start, and its marks as bits.
    pub(crate) fn hit_locals(&self, marks: usize) -> HitLocals {
        let initial = self.numbers[usize::from(Layout::INITIAL)];
        let first = usize::from(Layout::MARKS);
        let set = self.numbers[first..first + marks].iter().enumerate().filter(|(_, mark)| **mark != 0.0);
        HitLocals { initial, marks: set.fold(0, |bits, (mark, _)| bits | 1 << mark), count: marks }
    }

    /// Puts them back.
    pub(crate) fn set_hit_locals(&mut self, locals: &HitLocals) {
        self.set_local(Layout::INITIAL, locals.initial);
        for mark in 0..locals.count {
            self.set_local(Layout::MARKS + mark as u16, truth(locals.marks >> mark & 1 == 1));
        }
    }

    /// Where a combatant is at a moment, by the first number of its block.
    #[inline]
    pub(crate) fn place(&self, block: usize, now: f64) -> [f64; 2] {
        let Some([x, y, along, across, moved]) = self.motion(block) else { return [0.0; 2] };
        let seconds = (now - moved) / 1e6;
        [x + along * seconds, y + across * seconds]
    }

    /// Where a combatant is at a moment, how it moves and how large it is. One look at the bounds for all of them.
    #[inline(always)]
    pub(crate) fn spot(&self, block: usize, now: f64) -> Spot {
        let numbers = self.numbers[block + Layout::PLACE.index()..].first_chunk::<SPOT>();
        let Some([x, y, along, across, moved, .., body]) = numbers else {
            return Spot { place: [0.0; 2], course: [0.0; 2], body: 0.0 };
        };
        let seconds = (now - moved) / 1e6;
        Spot { place: [x + along * seconds, y + across * seconds], course: [*along, *across], body: *body }
    }

    /// How a combatant moves, in metres a second.
    #[inline]
    pub(crate) fn course(&self, block: usize) -> [f64; 2] {
        self.motion(block).map_or([0.0; 2], |[_, _, along, across, _]| [*along, *across])
    }

    /// Place, course and since when. One look at the bounds for all of them.
    #[inline]
    fn motion(&self, block: usize) -> Option<&[f64; MOTION]> {
        self.numbers[block + Layout::PLACE.index()..].first_chunk()
    }

    /// Puts a combatant at a place, on a course, from a moment on.
    #[inline]
    pub(crate) fn set_place(&mut self, block: usize, [x, y]: [f64; 2], [along, across]: [f64; 2], now: f64) {
        if let Some(motion) = self.numbers[block + Layout::PLACE.index()..].first_chunk_mut::<MOTION>() {
            *motion = [x, y, along, across, now];
        }
    }

    /// Metres between two combatants at a moment.
    #[inline]
    pub(crate) fn distance(&self, one: usize, other: usize, now: f64) -> f64 {
        let ([x1, y1], [x2, y2]) = (self.place(one, now), self.place(other, now));
        // The square root is exact on every platform, and places are far from where squares overflow.
        ((x2 - x1) * (x2 - x1) + (y2 - y1) * (y2 - y1)).sqrt()
    }

    /// Metres from a combatant's middle to its rim.
    #[inline]
    pub(crate) fn body(&self, block: usize) -> f64 {
        self.at(block + Layout::BODY.index())
    }

    /// In which direction a combatant faces, of any length: that is no matter to an angle.
    pub(crate) fn facing(&self, block: usize) -> [f64; 2] {
        [self.at(block + Layout::FACING.index()), self.at(block + Layout::FACING.index() + 1)]
    }

    /// Turns a combatant to a direction.
    pub(crate) fn set_facing(&mut self, block: usize, [along, across]: [f64; 2]) {
        self.set(block + Layout::FACING.index(), along);
        self.set(block + Layout::FACING.index() + 1, across);
    }

    /// Degrees by which `one` stands off the direction in which `other` faces, from 0 before it to 180 behind it; 0 where
    /// there is no direction.
    pub(crate) fn angle(&self, one: usize, other: usize, now: f64) -> f64 {
        let ([x, y], [from_x, from_y], [along, across]) =
            (self.place(one, now), self.place(other, now), self.facing(other));
        let (x, y) = (x - from_x, y - from_y);
        // Nothing at all is ahead, also where it is below zero: behind an arctangent's zero lies half a turn.
        let (ahead, aside) = (x * along + y * across + 0.0, x * across - y * along);
        libm::atan2(aside.abs(), ahead).to_degrees()
    }

    /// A pool's amount at a moment.
    #[inline(always)]
    pub(crate) fn pool_amount(&self, first: usize, now: f64) -> f64 {
        self.pool_numbers(first).map_or(f64::NAN, |pool| flow::amount(pool, now))
    }

    /// A pool's numbers. One look at the bounds for all of them.
    #[inline(always)]
    pub(crate) fn pool_numbers(&self, first: usize) -> Option<&PoolNumbers> {
        self.numbers[first..].first_chunk()
    }

    /// Sets a pool's amount at a moment.
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
