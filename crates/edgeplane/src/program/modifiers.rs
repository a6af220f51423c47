//! The modifiers of each attribute.

use super::Program;
use super::ids::{FormulaId, Slot, StatusId};
use super::layout::Layout;
use crate::rules::ModifierKind;

/// The change of one attribute by one status.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SlotModifier {
    pub(crate) status: StatusId,
    pub(crate) kind: ModifierKind,
    pub(crate) amount: FormulaId,
    /// The amount, if it is a plain number.
    pub(crate) fixed: Option<f64>,
    /// The inputs of the amount; see [`super::dirty`].
    pub(crate) reads: u64,
}

/// The modifiers of every attribute, ordered by the names of their statuses: never by files or tables, whose order must
/// not affect the rounding of sums.
#[derive(Clone, Debug, Default)]
pub(crate) struct SlotModifiers {
    all: Vec<SlotModifier>,
    /// The start of each attribute slot's modifiers, and the end of the last ones.
    first: Vec<u32>,
}

impl Program {
    /// Collects the modifiers of each attribute once all statuses are known.
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

    /// The changes of attributes by statuses.
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
