//! Signals that tell combatants that an input of a policy line has changed.
//!
//! Every change of a number goes through here, whether caused by a combatant, a status, the script of the encounter or
//! a call of the game. Tables of the setup list the affected lines; idle combatants evaluate those lines within the
//! same moment, busy ones when they are free.

use super::super::engine::Engine;
use super::super::state::{Control, Doing, Gate};
use crate::program::{CombatantId, LineThreshold, Listener, PoolId, Reads};
use crate::rules::SideRule;

impl Engine<'_> {
    /// Marks lines of a combatant for evaluation.
    #[inline]
    pub(in crate::fight) fn touch(&mut self, who: CombatantId, lines: u64) {
        let began = self.state.began;
        let combatant = self.state.who_mut(who);
        // Lines closed by a cooldown are evaluated when it ends.
        let lines = lines & !combatant.cooling;
        if lines == 0 {
            return;
        }
        combatant.changed_lines |= lines;
        if combatant.doing == Doing::Idle && began && combatant.decides_by_itself() {
            self.will_decide(who);
        } else if combatant.mobile {
            self.look_ahead(who);
        }
    }

    /// Queues a combatant to decide in this moment.
    #[inline]
    pub(in crate::fight) fn will_decide(&mut self, who: CombatantId) {
        let combatant = self.state.who_mut(who);
        if !std::mem::replace(&mut combatant.decides, true) {
            self.state.deciders.push(who);
        }
    }

    /// Marks lines of a combatant, whatever keeps them closed.
    pub(in crate::fight) fn reopen(&mut self, who: CombatantId, lines: u64) {
        self.state.who_mut(who).cooling &= !lines;
        self.touch(who, lines);
    }

    /// Marks all lines of a combatant.
    pub(in crate::fight) fn touch_all(&mut self, who: CombatantId) {
        self.reopen(who, u64::MAX);
    }

    /// Whether a combatant has a controller that is present.
    #[inline]
    pub(in crate::fight) fn has_controller(&self, who: CombatantId) -> bool {
        self.controller.is_some() && self.state.who(who).control == Control::Controller
    }

    /// To be called after a change of a pool.
    #[inline]
    pub(in crate::fight) fn pool_changed(&mut self, who: CombatantId, pool: PoolId) {
        let setup = self.setup;
        let policy = &setup.policies[who.index()];
        let mut lines = policy.own_pools[pool.index()];
        if lines != 0 {
            for one in &policy.own_thresholds[pool.index()] {
                if self.stays_closed(one, who) {
                    lines &= !one.line;
                }
            }
        }
        self.touch(who, if self.has_controller(who) { u64::MAX } else { lines });
        if setup.listeners.any_pools >> pool.0 & 1 == 1 {
            self.notify(who, &setup.listeners.pools[pool.index()]);
        }
        if !self.state.statuses.conditional.is_empty() {
            self.condition_input(who, Reads { pools: 1 << pool.0, slots: 0 });
        }
    }

    /// To be called after a change of attributes, stacks or tag counts, given their slots as bits.
    #[inline]
    pub(in crate::fight) fn slots_changed(&mut self, who: CombatantId, slots: u64) {
        let setup = self.setup;
        if self.has_controller(who) {
            self.touch(who, u64::MAX);
        } else if slots == 0 {
            return;
        } else {
            self.touch(who, setup.policies[who.index()].lines_of_slots(slots));
        }
        let mut heard = slots & setup.listeners.any_slots;
        while heard != 0 {
            self.notify(who, &setup.listeners.slots[heard.trailing_zeros() as usize]);
            heard &= heard - 1;
        }
        if !self.state.statuses.conditional.is_empty() {
            self.condition_input(who, Reads { pools: 0, slots });
        }
    }

    /// Whether a condition that a combatant does not meet keeps a line closed.
    #[inline]
    fn stays_closed(&self, LineThreshold { at, threshold, .. }: &LineThreshold, who: CombatantId) -> bool {
        self.state.lines[*at as usize].gate == Gate::Condition && self.fails(*threshold, who)
    }

    /// Marks the lines of other combatants that depend on a number of this one.
    fn notify(&mut self, whose: CombatantId, listeners: &[Listener]) {
        let side = self.side_of(whose);
        for listener in listeners {
            let ally = self.side_of(listener.who) == side;
            let concerned = match listener.side {
                SideRule::Enemies => !ally,
                SideRule::Allies | SideRule::Others => ally,
                SideRule::Caster => listener.who == whose,
                SideRule::Everyone => true,
            };
            let stays_closed = || listener.threshold.is_some_and(|one| self.stays_closed(&one, whose));
            if concerned && (!stays_closed() || self.has_controller(listener.who)) {
                self.touch(listener.who, listener.lines);
            }
        }
    }

    /// A number on which conditions of statuses may depend has changed.
    pub(in crate::fight) fn condition_input(&mut self, who: CombatantId, changed: Reads) {
        let statuses = &self.state.statuses;
        let depends = statuses.conditional.iter().any(|index| {
            let record = statuses.get(*index);
            let inputs = &self.program.status(record.status).holds;
            (record.owner == who && inputs.other.meets(changed)) || (record.caster == who && inputs.own.meets(changed))
        });
        if depends {
            self.state.who_mut(who).conditions_changed = true;
            self.state.check_conditions = true;
        }
    }
}
