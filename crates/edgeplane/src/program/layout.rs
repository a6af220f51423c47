//! Where each number of a fight is kept.
//!
//! A fight's numbers are one list: locals (the amount of a hit, arguments), then the program's
//! constants, then one block for each combatant. Within a block: level, how many enemies and allies
//! stand, attributes, pools, and last the hidden attributes that hoisting adds. So the operand of any
//! instruction is a region and an offset, and a fight is reset by one copy.

use super::ids::{PoolId, Slot};

/// Offsets within a combatant's block.
#[derive(Clone, Copy, Debug, Default)]
pub struct Layout {
    /// How many damage types there are; at least one.
    pub types: u16,
    /// First slot of the pools.
    pub pools: u16,
    /// First slot of the hidden attributes.
    pub hidden: u16,
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
    /// Where attributes begin.
    pub const ATTRIBUTES: Slot = Slot(3);

    /// The local that holds the amount of the hit or heal under way.
    pub const AMOUNT: u16 = 0;
    /// The local that holds the amount with which it entered the first step.
    pub const INITIAL: u16 = 1;
    /// The first local of the marks.
    pub const MARKS: u16 = 2;

    /// First slot of a pool.
    pub fn pool(&self, pool: PoolId) -> Slot {
        Slot(self.pools + pool.0 * pool_slot::WIDTH)
    }
}
