//! The memory layout of a fight's numbers.
//!
//! A fight's numbers are one list: locals (the amount of a hit, arguments), then the program's constants, then one
//! block for each combatant. A block holds the level, the numbers of standing enemies and allies, position and course,
//! whether the combatant stands and its side, facing and body, attributes, pools, and finally numbers that exist only
//! because a formula reads them: stacks of a status, tag counts, and hidden attributes added by hoisting. The operand
//! of any instruction is therefore a region and an offset, and a fight is reset by one copy.

use super::ids::{PoolId, Slot};

/// The tolerance at edges in metres: times are whole microseconds, and a combatant that has walked up to an edge has
/// reached it.
pub(crate) const HAIR: f64 = 1e-6;

/// The minimum of any reach, radius and length of an area, in metres: a combatant that walks toward a mere point would
/// be past it a microsecond later.
pub(crate) const LEAST_REACH: f64 = 0.01;

/// Offsets within a combatant's block.
#[derive(Clone, Copy, Debug, Default)]
pub struct Layout {
    /// The number of damage types; at least one.
    pub types: u16,
    /// First slot of the pools.
    pub pools: u16,
    /// The number of slots in a block.
    pub stride: u16,
    /// The number of locals before the constants.
    pub locals: u16,
    /// The index of the first combatant's block; known after compilation.
    pub blocks: u32,
}

/// Slots of one pool, from its first.
pub mod pool_slot {
    /// The amount at the time stored under [`SINCE`].
    pub const AMOUNT: u16 = 0;
    /// The cap.
    pub const CAP: u16 = 1;
    /// The gain (or, if negative, loss) per second or per portion.
    pub const RATE: u16 = 2;
    /// When the amount was last set, in microseconds.
    pub const SINCE: u16 = 3;
    /// Microseconds between portions; zero for a continuous flow.
    pub const EVERY: u16 = 4;
    /// The number of slots of a pool.
    pub const WIDTH: u16 = 5;
}

impl Layout {
    /// The combatant's level.
    pub const LEVEL: Slot = Slot(0);
    /// The number of standing enemies.
    pub const ENEMIES: Slot = Slot(1);
    /// The number of standing allies, including the combatant itself.
    pub const ALLIES: Slot = Slot(2);
    /// The position at the time stored under [`Layout::MOVED`], in metres; two slots.
    pub const PLACE: Slot = Slot(3);
    /// The velocity in metres per second; two slots.
    pub const VELOCITY: Slot = Slot(5);
    /// When the course was last changed, in microseconds.
    pub const MOVED: Slot = Slot(7);
    /// 1 while the combatant stands and takes part, otherwise 0.
    pub const STANDS: Slot = Slot(8);
    /// The number of its side.
    pub const SIDE: Slot = Slot(9);
    /// The direction in which it faces, of any length; two slots, both zero until it has turned to anything.
    pub const FACING: Slot = Slot(10);
    /// The radius of its body in metres.
    pub const BODY: Slot = Slot(12);
    /// The first slot of attributes.
    pub const ATTRIBUTES: Slot = Slot(13);

    /// The local that holds the amount of the current hit or heal.
    pub const AMOUNT: u16 = 0;
    /// The local that holds the amount that entered the first step.
    pub const INITIAL: u16 = 1;
    /// The number of the current target of an ability, from 1.
    pub const ORDER: u16 = 2;
    /// Stacks of the current status.
    pub const STACKS: u16 = 3;
    /// The number of its current tick, from 1.
    pub const TICK: u16 = 4;
    /// Its total number of ticks.
    pub const TICKS: u16 = 5;
    /// Seconds since it was applied.
    pub const ELAPSED: u16 = 6;
    /// Seconds until it ends.
    pub const REMAINING: u16 = 7;
    /// The first of the values kept from its application.
    pub const KEPT: u16 = 8;
    /// The maximum number of kept values.
    pub const MOST_KEPT: u16 = 16;
    /// The first local of the marks.
    pub const MARKS: u16 = Self::KEPT + Self::MOST_KEPT;

    /// First slot of a pool.
    pub fn pool(&self, pool: PoolId) -> Slot {
        Slot(self.pools + pool.0 * pool_slot::WIDTH)
    }

    /// The pool with this first slot, if there is one.
    pub(crate) fn pool_at(&self, slot: Slot) -> Option<PoolId> {
        slot.0.checked_sub(self.pools).map(|past| PoolId(past / pool_slot::WIDTH))
    }
}
