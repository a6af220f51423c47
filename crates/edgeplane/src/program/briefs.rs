//! What is asked of every status of a combatant whenever one of them comes, goes or changes, side by side: walking over
//! fifty statuses should not read fifty plans.

use super::Program;
use super::ids::{Slot, StatusId};
use super::statuses::{ModifierPlan, StatusPlan};
use crate::program::dirty;

/// The plan of a status, as far as all of its owner's statuses together decide something.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Brief {
    /// Attributes that it changes, see [`dirty`].
    changes: u64,
    /// Tags of abilities that it forbids, one bit each.
    pub(crate) forbids_tags: u64,
    /// Events that it answers to, one bit each.
    pub(crate) listens: u32,
    /// Where its modifiers begin among all, and how many there are.
    first: u32,
    count: u16,
    pub(crate) forbids_act: bool,
    pub(crate) forbids_move: bool,
    pub(crate) taunts: bool,
    /// It holds under a condition.
    pub(crate) conditional: bool,
}

impl Brief {
    fn of(plan: &StatusPlan, first: usize) -> Self {
        Self {
            changes: plan.changes,
            forbids_tags: plan.forbids_tags,
            listens: plan.listens,
            first: first as u32,
            count: plan.modifiers.len() as u16,
            forbids_act: plan.forbids_act,
            forbids_move: plan.forbids_move,
            taunts: plan.taunts,
            conditional: plan.holds_while.is_some(),
        }
    }
}

impl Program {
    /// Notes the plans of all statuses in brief, once they are whole.
    pub(super) fn with_briefs(mut self) -> Self {
        self.briefs.clear();
        self.modifiers.clear();
        for plan in &self.statuses {
            self.briefs.push(Brief::of(plan, self.modifiers.len()));
            self.modifiers.extend_from_slice(&plan.modifiers);
        }
        self.modified = self.briefs.iter().fold(0, |bits, brief| bits | brief.changes);
        self
    }

    /// The plan of a status in brief.
    #[inline]
    pub(crate) fn brief(&self, status: StatusId) -> &Brief {
        &self.briefs[status.index()]
    }

    /// Whether any status at all may change an attribute.
    #[inline]
    pub(crate) fn is_modified(&self, slot: Slot) -> bool {
        self.modified & dirty::bit(slot) != 0
    }

    /// What a status does to an attribute.
    #[inline]
    pub(crate) fn modifiers_of(&self, status: StatusId, slot: Slot) -> impl Iterator<Item = &ModifierPlan> {
        let brief = self.brief(status);
        let count = if brief.changes & dirty::bit(slot) == 0 { 0 } else { usize::from(brief.count) };
        let first = brief.first as usize;
        self.modifiers[first..first + count].iter().filter(move |modifier| modifier.covers(slot))
    }
}
