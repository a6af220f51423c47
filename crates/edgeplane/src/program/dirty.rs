//! Sets of attributes to be recomputed after changes.
//!
//! A set is 64 bits; every 64th slot shares a bit. Two slots with the same bit cause an occasional unnecessary
//! computation, but nothing is ever missed.

use super::Program;
use super::ids::{FormulaId, Slot};
use super::tree::{Read, Tree};

/// The bit of a slot.
pub(crate) fn bit(slot: Slot) -> u64 {
    1 << (slot.0 & 63)
}

/// The bits of neighbouring slots.
pub(crate) fn bits(first: Slot, slots: u16) -> u64 {
    (0..slots.min(64)).fold(0, |bits, more| bits | bit(first.plus(more)))
}

impl Program {
    /// The attributes that a formula reads.
    pub(crate) fn dirty_reads(&self, formula: FormulaId) -> u64 {
        self.dirty_reads_of(&self.formula(formula).tree)
    }

    /// The same of a tree.
    pub(crate) fn dirty_reads_of(&self, tree: &Tree) -> u64 {
        let mut found = 0;
        tree.any(&mut |part| {
            match part.kind {
                super::tree::TreeKind::Read(Read::Attribute(_, slot)) => found |= bit(slot),
                super::tree::TreeKind::Read(Read::Typed(_, slot)) => found |= bits(slot, self.layout.types),
                _ => {}
            }
            false
        });
        found
    }
}
