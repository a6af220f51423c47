//! The modifiers of each attribute, side by side.

use super::Program;
use super::ids::{FormulaId, Slot, StatusId};
use super::layout::Layout;
use crate::rules::ModifierKind;

/// What one status does to one attribute.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SlotModifier {
    pub(crate) status: StatusId,
    pub(crate) kind: ModifierKind,
    pub(crate) amount: FormulaId,
    /// The amount, if it is nothing but a number.
    pub(crate) fixed: Option<f64>,
    /// What the amount reads, see [`super::dirty`].
    pub(crate) reads: u64,
}

/// The modifiers of every attribute, in the order of the names of their statuses: never in the order of
/// files or tables, which must not decide how sums are rounded.
#[derive(Clone, Debug, Default)]
pub(crate) struct SlotModifiers {
    all: Vec<SlotModifier>,
    /// Where those of each attribute slot begin, and where the last ones end.
    first: Vec<u32>,
}

impl Program {
    /// Gathers the modifiers of each attribute, once all statuses are known.
    pub(super) fn with_modifiers(mut self) -> Self {
        let mut by_name: Vec<usize> = (0..self.statuses.len()).collect();
        by_name.sort_by(|a, b| self.statuses[*a].name.cmp(&self.statuses[*b].name));
        let mut gathered = SlotModifiers::default();
        for slot in (Layout::ATTRIBUTES.0..self.layout.pools).map(Slot) {
            gathered.first.push(gathered.all.len() as u32);
            for index in &by_name {
                let covering = self.statuses[*index].modifiers.iter().filter(|one| one.covers(slot));
                gathered.all.extend(covering.map(|one| SlotModifier {
                    status: StatusId(*index as u16),
                    kind: one.kind,
                    amount: one.amount,
                    fixed: one.fixed,
                    reads: one.reads,
                }));
            }
        }
        gathered.first.push(gathered.all.len() as u32);
        self.slot_modifiers = gathered;
        self
    }

    /// What statuses do to an attribute.
    #[inline]
    pub(crate) fn modifiers_of(&self, slot: Slot) -> &[SlotModifier] {
        let index = usize::from(slot.0 - Layout::ATTRIBUTES.0);
        let SlotModifiers { all, first } = &self.slot_modifiers;
        match (first.get(index), first.get(index + 1)) {
            (Some(from), Some(to)) => &all[*from as usize..*to as usize],
            _ => &[],
        }
    }
}
