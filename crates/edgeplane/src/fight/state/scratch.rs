//! Room that the engine works in for as long as a call lasts. A thousand fights that take turns share what one of them needs.

use std::cell::RefCell;
use std::collections::VecDeque;
use std::sync::Arc;

use super::record::StatusRef;
use super::{Pending, State};
use crate::program::{CombatantId, Draws, GameFunctions, GearId, Time, WornStatus};

thread_local! {
    /// What no call works in. There is more than one where an observer or a controller calls another fight.
    static FREE: RefCell<Vec<Scratch>> = const { RefCell::new(Vec::new()) };
}

impl Scratch {
    /// Room for a call of a fight in which these functions of the game are known; it is to be given back.
    pub(in crate::fight) fn lend(functions: Option<&Arc<GameFunctions>>) -> Self {
        // While a thread ends there is none.
        let free = FREE.try_with(|free| free.borrow_mut().pop());
        let mut scratch = free.ok().flatten().unwrap_or_default();
        scratch.draws.game = functions.cloned();
        scratch
    }

    /// Lends a fight room for what waits, or takes it back: while nothing waits it needs none of its own.
    pub(in crate::fight) fn share_queue(&mut self, state: &mut State) {
        if state.queue.is_empty() {
            std::mem::swap(&mut self.queue, &mut state.queue);
        }
    }

    pub(in crate::fight) fn give_back(mut self) {
        self.draws.game = None;
        let _ = FREE.try_with(|free| free.borrow_mut().push(self));
    }
}

/// Lists that mean nothing between two calls.
#[derive(Debug, Default)]
pub(in crate::fight) struct Scratch {
    pub(in crate::fight) draws: Draws,
    pub(in crate::fight) picked: Vec<CombatantId>,
    /// Of those the one that was picked, from which an area extends: the one that has to be in reach.
    pub(in crate::fight) chosen: Option<CombatantId>,
    /// Who plans its way, and has not set out yet.
    pub(in crate::fight) planned: Vec<CombatantId>,
    /// Those of whoever can be meant who are in reach.
    pub(in crate::fight) near: Vec<CombatantId>,
    pub(in crate::fight) scored: Vec<(f64, CombatantId)>,
    pub(in crate::fight) tie_breaks: Vec<(u32, CombatantId)>,
    /// Who decides at this moment, and what.
    pub(in crate::fight) decisions: Vec<(CombatantId, Option<u32>)>,
    /// Who has been defeated at this moment and gives a reward.
    pub(in crate::fight) rewarding: Vec<CombatantId>,
    /// Uses among which chance chooses, by the sum of weights up to and with each.
    pub(in crate::fight) weighed: Vec<(f64, u32)>,
    /// The targets that conditions and weights of such lines had in view, by line.
    pub(in crate::fight) aims: Vec<(u32, CombatantId)>,
    pub(in crate::fight) costs: Vec<f64>,
    /// Statuses that are to be taken away, and when they would have ended.
    pub(in crate::fight) meant: Vec<(StatusRef, Time)>,
    /// Stacks of a status that is transferred, and when they end.
    pub(in crate::fight) doses: Vec<(u32, Time)>,
    /// Statuses of what is worn, before and after a change.
    pub(in crate::fight) gear_before: Vec<WornStatus>,
    pub(in crate::fight) gear_after: Vec<WornStatus>,
    pub(in crate::fight) pieces: Vec<GearId>,
    /// Whom the game has moved.
    pub(in crate::fight) moved: Vec<bool>,
    pub(in crate::fight) receivers: Vec<CombatantId>,
    /// Where what statuses were triggered to do waits, in a fight in which nothing does between two calls.
    pub(in crate::fight) queue: VecDeque<Pending>,
}
