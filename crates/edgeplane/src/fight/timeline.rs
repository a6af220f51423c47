//! What is due when.
//!
//! Each combatant has a fixed few timers, so the timeline is a list of one packed integer for each
//! (moment, phase, lot, timer) and the next thing due is the least of them. A list this short is
//! scanned faster than a heap is kept in order.

use crate::program::Time;

/// The phases of a moment, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Phase {
    /// Abilities take effect.
    Release = 1,
    /// Pools that flow run empty.
    Empty = 2,
    /// Combatants are ready to choose.
    Ready = 3,
}

/// The timers of a combatant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Timer {
    /// The end of a cast, a recovery or a wait.
    Act = 0,
    /// A pool that defeats runs empty.
    Empty = 1,
}

const TIMERS: usize = 2;
const INDEX_BITS: u32 = 18;
const PHASE_BITS: u32 = 4;
const NONE: u64 = u64::MAX;

#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Timeline {
    keys: Vec<u64>,
}

/// A timer that is due.
#[derive(Clone, Copy, Debug)]
pub(super) struct Due {
    pub(super) at: Time,
    /// Place in the order of lots.
    pub(super) rank: usize,
    pub(super) timer: Timer,
}

impl Timeline {
    pub(super) fn reset(&mut self, combatants: usize) {
        self.keys.clear();
        self.keys.resize(combatants * TIMERS, NONE);
    }

    #[inline]
    pub(super) fn set(&mut self, rank: usize, timer: Timer, at: Time, phase: Phase) {
        let index = rank * TIMERS + timer as usize;
        self.keys[index] = ((at.0 << PHASE_BITS) | phase as u64) << INDEX_BITS | index as u64;
    }

    #[inline]
    pub(super) fn clear(&mut self, rank: usize, timer: Timer) {
        self.keys[rank * TIMERS + timer as usize] = NONE;
    }

    /// The next thing due.
    #[inline]
    pub(super) fn next(&self) -> Option<Due> {
        let key = self.keys.iter().copied().fold(NONE, u64::min);
        if key == NONE {
            return None;
        }
        let index = (key & ((1 << INDEX_BITS) - 1)) as usize;
        let timer = if index % TIMERS == 0 { Timer::Act } else { Timer::Empty };
        Some(Due { at: Time(key >> (INDEX_BITS + PHASE_BITS)), rank: index / TIMERS, timer })
    }
}
