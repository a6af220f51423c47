//! Where each number of a fight is kept.
//!
//! A fight's numbers are one list: locals (the amount of a hit, arguments), then the program's
//! constants, then one block for each combatant. Within a block: level, how many enemies and allies
//! stand, place and course, whether it stands and where, facing and body, attributes, pools, and last
//! what is kept only because a formula asks for it: stacks of a status, statuses of a tag, the hidden attributes that
//! hoisting adds. So the operand of any
//! instruction is a region and an offset, and a fight is reset by one copy.

use super::ids::{PoolId, Slot};

/// What arithmetic may leave at an edge, in metres: moments are whole microseconds, and who has walked up to it is there.
pub(crate) const HAIR: f64 = 1e-6;

/// Metres that any reach, radius and length of an area has at least: who walks up to a mere point is past it a microsecond
/// later.
pub(crate) const LEAST_REACH: f64 = 0.01;

/// Offsets within a combatant's block.
#[derive(Clone, Copy, Debug, Default)]
pub struct Layout {
    /// How many damage types there are; at least one.
    pub types: u16,
    /// First slot of the pools.
    pub pools: u16,
    /// Slots in a block.
    pub stride: u16,
    /// Locals before the constants.
    pub locals: u16,
    /// Index of the first combatant's block; known once everything is compiled.
    pub blocks: u32,
}

/// Slots of one pool, from its first.
pub mod pool_slot {
    /// The amount at the moment kept under [`SINCE`].
    pub const AMOUNT: u16 = 0;
    /// The cap.
    pub const CAP: u16 = 1;
    /// What it gains (or, below zero, loses) each second, or each portion.
    pub const RATE: u16 = 2;
    /// When the amount was last set, in microseconds.
    pub const SINCE: u16 = 3;
    /// Microseconds between portions; zero for a continuous flow.
    pub const EVERY: u16 = 4;
    /// How many slots a pool has.
    pub const WIDTH: u16 = 5;
}

impl Layout {
    /// The combatant's level.
    pub const LEVEL: Slot = Slot(0);
    /// How many enemies of the combatant stand.
    pub const ENEMIES: Slot = Slot(1);
    /// How many of the combatant's side stand, itself included.
    pub const ALLIES: Slot = Slot(2);
    /// Where the combatant was at the moment kept under [`Layout::MOVED`], in metres; two slots.
    pub const PLACE: Slot = Slot(3);
    /// Metres that it moves in a second; two slots.
    pub const VELOCITY: Slot = Slot(5);
    /// When it last changed its course, in microseconds.
    pub const MOVED: Slot = Slot(7);
    /// 1 while it stands and takes part, else 0.
    pub const STANDS: Slot = Slot(8);
    /// The number of its side.
    pub const SIDE: Slot = Slot(9);
    /// The direction in which it faces, of any length; two slots, both zero until it has turned to anything.
    pub const FACING: Slot = Slot(10);
    /// Metres from its middle to its rim.
    pub const BODY: Slot = Slot(12);
    /// Where attributes begin.
    pub const ATTRIBUTES: Slot = Slot(13);

    /// The local that holds the amount of the hit or heal under way.
    pub const AMOUNT: u16 = 0;
    /// The local that holds the amount with which it entered the first step.
    pub const INITIAL: u16 = 1;
    /// The number of the target at hand among those that an ability is aimed at, from 1.
    pub const ORDER: u16 = 2;
    /// Stacks of the status at hand.
    pub const STACKS: u16 = 3;
    /// The number of its tick, from 1.
    pub const TICK: u16 = 4;
    /// How many ticks there will have been when it ends.
    pub const TICKS: u16 = 5;
    /// Seconds since it was applied.
    pub const ELAPSED: u16 = 6;
    /// Seconds until it ends.
    pub const REMAINING: u16 = 7;
    /// The first of the values that it keeps from when it was applied.
    pub const KEPT: u16 = 8;
    /// How many of them there can be.
    pub const MOST_KEPT: u16 = 16;
    /// The first local of the marks.
    pub const MARKS: u16 = Self::KEPT + Self::MOST_KEPT;

    /// First slot of a pool.
    pub fn pool(&self, pool: PoolId) -> Slot {
        Slot(self.pools + pool.0 * pool_slot::WIDTH)
    }

    /// The pool of which this is the first slot, if it is one.
    pub(crate) fn pool_at(&self, slot: Slot) -> Option<PoolId> {
        slot.0.checked_sub(self.pools).map(|past| PoolId(past / pool_slot::WIDTH))
    }
}
