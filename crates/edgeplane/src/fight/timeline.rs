//! What is due when.
//!
//! Each combatant has a fixed few timers, so the timeline is a list of one packed integer for each
//! (moment, phase, lot, timer) and the next thing due is the least of them. A short list is scanned
//! faster than a heap is kept in order; of a longer one, the least of each block is kept as well.

use crate::program::{Setup, Time};

/// The phases of a moment, in order.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Phase {
    /// Abilities take effect.
    Release = 1,
    /// Statuses tick.
    Tick = 2,
    /// Statuses end.
    Expire = 3,
    /// Pools that flow run empty.
    Empty = 4,
    /// Combatants are ready to choose.
    #[default]
    Ready = 5,
}

/// The timers of a combatant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Timer {
    /// The end of a cast, a recovery or a wait.
    Act,
    /// A pool that defeats runs empty.
    Empty,
    /// Something happens to a status.
    Status,
}

const INDEX_BITS: u32 = 18;
const PHASE_BITS: u32 = 4;
const NONE: u64 = u64::MAX;
/// Up to so many keys are scanned one by one; more are kept in blocks.
const SHORT: usize = 32;
const BLOCK: usize = 16;

#[derive(Clone, Debug, PartialEq)]
pub(super) struct Timeline {
    /// All `Act` timers by rank, then all `Status` timers, if there are statuses, then all `Empty`
    /// timers, if pools can run empty by themselves.
    keys: Vec<u64>,
    /// The least key of each block; none where the list is short.
    least: Vec<u64>,
    combatants: usize,
    statuses: bool,
    empties: bool,
}

/// A timer that is due: moment, phase and timer in one number, so that the soonest is the least.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Due(u64);

impl Due {
    /// Nothing is due.
    pub(super) const NOTHING: Self = Self(NONE);

    /// In which phase of its moment.
    pub(super) fn phase(self) -> Phase {
        match (self.0 >> INDEX_BITS) & ((1 << PHASE_BITS) - 1) {
            1 => Phase::Release,
            2 => Phase::Tick,
            3 => Phase::Expire,
            4 => Phase::Empty,
            _ => Phase::Ready,
        }
    }

    /// When; later than [`Time::NEVER`] if nothing is due.
    #[inline(always)]
    pub(super) fn at(self) -> Time {
        Time(self.0 >> (INDEX_BITS + PHASE_BITS))
    }
}

impl Timeline {
    pub(super) fn of(setup: &Setup) -> Self {
        let decays = setup.program.pools.iter().any(|pool| pool.defeat && pool.decay.is_some());
        let combatants = setup.combatants.len();
        let statuses = !setup.program.statuses.is_empty();
        let timers = 1 + usize::from(statuses) + usize::from(decays);
        let keys = vec![NONE; timers * combatants];
        let least = if keys.len() > SHORT { vec![NONE; keys.len().div_ceil(BLOCK)] } else { Vec::new() };
        Self { keys, least, combatants, statuses, empties: decays }
    }

    pub(super) fn reset(&mut self) {
        self.keys.fill(NONE);
        self.least.fill(NONE);
    }

    #[inline]
    fn put(&mut self, index: usize, key: u64) {
        self.keys[index] = key;
        if !self.least.is_empty() {
            self.put_least(index / BLOCK);
        }
    }

    #[inline(never)]
    fn put_least(&mut self, block: usize) {
        let keys = self.keys.iter().skip(block * BLOCK).take(BLOCK);
        self.least[block] = keys.fold(NONE, |least, key| least.min(*key));
    }

    #[inline]
    fn index(&self, rank: usize, timer: Timer) -> usize {
        match timer {
            Timer::Act => rank,
            Timer::Status => self.combatants + rank,
            Timer::Empty => self.combatants * (1 + usize::from(self.statuses)) + rank,
        }
    }

    #[inline]
    pub(super) fn set(&mut self, rank: usize, timer: Timer, at: Time, phase: Phase) {
        let index = self.index(rank, timer);
        self.put(index, ((at.0 << PHASE_BITS) | phase as u64) << INDEX_BITS | index as u64);
    }

    #[inline]
    pub(super) fn clear(&mut self, rank: usize, timer: Timer) {
        let index = self.index(rank, timer);
        if index < self.keys.len() {
            self.put(index, NONE);
        }
    }

    /// Whose timer it is (as a place in the order of lots), and which.
    #[inline(always)]
    pub(super) fn timer(&self, due: Due) -> (usize, Timer) {
        let index = (due.0 & ((1 << INDEX_BITS) - 1)) as usize;
        if index < self.combatants { (index, Timer::Act) } else { self.rarer(index) }
    }

    fn rarer(&self, index: usize) -> (usize, Timer) {
        let rest = index - self.combatants;
        match self.statuses {
            true if rest < self.combatants => (rest, Timer::Status),
            true => (rest - self.combatants, Timer::Empty),
            false => (rest, Timer::Empty),
        }
    }

    /// The same, and stops that timer.
    #[inline(always)]
    pub(super) fn take(&mut self, due: Due) -> (usize, Timer) {
        let index = (due.0 & ((1 << INDEX_BITS) - 1)) as usize;
        self.put(index, NONE);
        self.timer(due)
    }

    /// Whether pools can run empty by themselves.
    pub(super) fn has_empty_timers(&self) -> bool {
        self.empties
    }

    /// The next thing due.
    #[inline(always)]
    pub(super) fn next(&self) -> Due {
        match self.keys.as_slice() {
            // Two combatants are by far the commonest fight that is run by the million.
            [a, b] => Due(*a.min(b)),
            [a, b, c, d] => Due(*a.min(b).min(c.min(d))),
            keys => self.next_of(keys),
        }
    }

    #[inline(never)]
    fn next_of(&self, keys: &[u64]) -> Due {
        let keys = if self.least.is_empty() { keys } else { &self.least };
        Due(keys.iter().fold(NONE, |least, key| least.min(*key)))
    }
}
