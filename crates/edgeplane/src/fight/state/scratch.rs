//! Buffers that the engine uses during a call. Fights that take turns on one thread share them.

use std::cell::RefCell;
use std::collections::VecDeque;
use std::sync::Arc;

use super::record::StatusRef;
use super::{Pending, State};
use crate::program::{CombatantId, Draws, GameFunctions, GearId, Time, WornStatus};

thread_local! {
    /// The buffers not in use. There are several only if an observer or a controller calls another fight.
    static FREE: RefCell<Vec<Scratch>> = const { RefCell::new(Vec::new()) };
}

impl Scratch {
    /// Lends buffers for a call of a fight with these game functions; they must be returned.
    pub(in crate::fight) fn lend(functions: Option<&Arc<GameFunctions>>) -> Self {
        // While a thread ends, there are none.
        let free = FREE.try_with(|free| free.borrow_mut().pop());
        let mut scratch = free.ok().flatten().unwrap_or_default();
        scratch.draws.game = functions.cloned();
        scratch
    }

    /// Exchanges a fight's queue with the shared one: a fight in which nothing is pending needs no queue of its own.
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

/// Lists that have no meaning between two calls.
#[derive(Debug, Default)]
pub(in crate::fight) struct Scratch {
    pub(in crate::fight) draws: Draws,
    pub(in crate::fight) picked: Vec<CombatantId>,
    /// The first of the picked targets, from which an area extends and which has to be in reach.
    pub(in crate::fight) chosen: Option<CombatantId>,
    /// Combatants that are planning a path and have not set out yet.
    pub(in crate::fight) planned: Vec<CombatantId>,
    /// Those of them that have turned.
    pub(in crate::fight) turned: Vec<CombatantId>,
    /// Combatants that have chosen a goal in this moment.
    pub(in crate::fight) choosers: Vec<CombatantId>,
    /// The candidates in reach.
    pub(in crate::fight) near: Vec<CombatantId>,
    pub(in crate::fight) scored: Vec<(f64, CombatantId)>,
    pub(in crate::fight) tie_breaks: Vec<(u32, CombatantId)>,
    /// The combatants that decide in this moment, and their decisions.
    pub(in crate::fight) decisions: Vec<(CombatantId, Option<u32>)>,
    /// The combatants defeated in this moment that give a reward.
    pub(in crate::fight) rewarding: Vec<CombatantId>,
    /// The lines among which chance chooses, with cumulative weights.
    pub(in crate::fight) weighed: Vec<(f64, u32)>,
    /// The targets used by the conditions and weights of these lines, by line.
    pub(in crate::fight) aims: Vec<(u32, CombatantId)>,
    pub(in crate::fight) costs: Vec<f64>,
    /// Statuses to be removed, with their end times.
    pub(in crate::fight) meant: Vec<(StatusRef, Time)>,
    /// Stacks of a transferred status, with their end times.
    pub(in crate::fight) doses: Vec<(u32, Time)>,
    /// Statuses of worn gear before and after a change.
    pub(in crate::fight) gear_before: Vec<WornStatus>,
    pub(in crate::fight) gear_after: Vec<WornStatus>,
    pub(in crate::fight) pieces: Vec<GearId>,
    /// Combatants moved by the game.
    pub(in crate::fight) moved: Vec<bool>,
    pub(in crate::fight) receivers: Vec<CombatantId>,
    /// The queue of triggered actions, for fights in which nothing is pending between calls.
    pub(in crate::fight) queue: VecDeque<Pending>,
}
