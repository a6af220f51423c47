//! Changes of pools. An amount is always between 0 and the cap; the excess is returned to the caller and never stored.
//!
//! Rounding errors of sums are not amounts: less than [`DUST`] of the cap counts as empty, and less than that below the
//! cap counts as full.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::EventKind;
use super::super::state::EffectContext;
use super::super::state::timers::{Due, Phase, Timer};
use super::super::statuses::triggers::{CROSSINGS, TriggerContext};
use crate::numbers::{Extremes, Whole};
use crate::program::{CombatantId, Flow, PoolFlow, PoolId, Time, TriggerEvent, pool_slot};
use crate::rules::CapChange;

/// The share of a cap that counts as nothing.
const DUST: f64 = 1e-9;

/// The result of adding to a pool or taking from it.
pub(in crate::fight) struct Change {
    /// The amount that was actually added or taken.
    pub(in crate::fight) moved: f64,
    /// The amount for which there was no room, or nothing left to take.
    pub(in crate::fight) over: f64,
    /// The amount in the pool afterwards.
    pub(in crate::fight) left: f64,
}

impl Engine<'_> {
    #[inline]
    fn first(&self, who: CombatantId, pool: PoolId) -> usize {
        self.program.place(who, self.program.layout.pool(pool))
    }

    #[inline]
    pub(in crate::fight) fn amount(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.state.numbers.pool_amount(self.first(who, pool), self.state.now.micros())
    }

    pub(in crate::fight) fn share(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.state.numbers.pool_share(self.first(who, pool), self.state.now.micros())
    }

    /// The amount of a pool that counts as nothing.
    #[inline]
    pub(in crate::fight) fn dust(&self, who: CombatantId, pool: PoolId) -> f64 {
        DUST * self.state.numbers.at(self.first(who, pool) + usize::from(pool_slot::CAP))
    }

    /// Takes from a pool, as far as possible. The moved amount is the requested amount itself and not a difference, so
    /// that rounding does not show up as a tiny overkill.
    #[inline]
    pub(in crate::fight) fn take(&mut self, who: CombatantId, pool: PoolId, amount: f64) -> Change {
        let first = self.first(who, pool);
        let before = self.state.numbers.pool_amount(first, self.state.now.micros());
        if before == 0.0 {
            return Change { moved: 0.0, over: amount, left: 0.0 };
        }
        let dust = DUST * self.state.numbers.at(first + usize::from(pool_slot::CAP));
        let left = before - amount;
        let change = if left > dust {
            Change { moved: amount, over: 0.0, left }
        } else if left >= -dust {
            Change { moved: amount, over: 0.0, left: 0.0 }
        } else {
            Change { moved: before, over: amount - before, left: 0.0 }
        };
        if amount > 0.0 {
            self.put(who, pool, first, change.left);
        }
        change
    }

    /// Adds to a pool, as far as there is room.
    #[inline]
    pub(in crate::fight) fn add(&mut self, who: CombatantId, pool: PoolId, amount: f64) -> Change {
        let first = self.first(who, pool);
        let before = self.state.numbers.pool_amount(first, self.state.now.micros());
        let cap = self.state.numbers.at(first + usize::from(pool_slot::CAP));
        let dust = DUST * cap;
        let room = cap - before - amount;
        let change = if room > dust {
            Change { moved: amount, over: 0.0, left: before + amount }
        } else if room >= -dust {
            Change { moved: amount, over: 0.0, left: cap }
        } else {
            Change { moved: cap - before, over: amount - (cap - before), left: cap }
        };
        if change.moved > 0.0 {
            self.put(who, pool, first, change.left);
        }
        change
    }

    #[inline]
    pub(in crate::fight) fn put(&mut self, who: CombatantId, pool: PoolId, first: usize, amount: f64) {
        let now = self.state.now.micros();
        let combatant = self.state.who(who);
        let concerns = combatant.alert >> pool.0 & 1 == 1 || !self.state.statuses.conditional.is_empty();
        if !concerns {
            self.write_pool(who, pool, first, amount);
            return;
        }
        if (combatant.listens | self.state.watches) & CROSSINGS != 0 {
            let cap = self.state.numbers.at(first + usize::from(pool_slot::CAP));
            let before = self.state.numbers.pool_amount(first, now);
            self.raise_crossing(who, pool, (before, cap), (amount, cap));
        }
        self.write_pool(who, pool, first, amount);
        self.pool_changed(who, pool);
        if self.setup.defeating[who.index()] >> pool.0 & 1 == 1 {
            if amount <= 0.0 {
                self.state.may_be_defeated(who);
            }
            if self.state.timers.has(Timer::Empty) {
                self.schedule_empty(who);
            }
        }
    }

    /// Stores the amount of a pool, without consequences.
    #[inline]
    pub(in crate::fight) fn write_pool(&mut self, who: CombatantId, pool: PoolId, first: usize, amount: f64) {
        self.state.numbers.set_pool(first, amount, self.state.now.micros());
        if self.wants.has(EventKind::Flows) {
            self.report_flow(who, pool, first);
        }
    }

    #[cold]
    #[inline(never)]
    fn report_flow(&mut self, who: CombatantId, pool: PoolId, first: usize) {
        if let Some(numbers) = self.state.numbers.pool_numbers(first) {
            emit!(self, Flows { who, pool, flow: PoolFlow::new(*numbers) });
        }
    }

    /// Raises triggers when a pool moves from one share to another, each relative to the cap at its time. A combatant
    /// that has not joined crosses nothing.
    fn raise_crossing(&mut self, who: CombatantId, pool: PoolId, before: (f64, f64), after: (f64, f64)) {
        let share = |(amount, cap): (f64, f64)| if cap > 0.0 { amount / cap } else { 0.0 };
        let (from, to) = (share(before), share(after));
        if from != to && !self.state.who(who).absent {
            let how = TriggerContext { moved: Some((pool, from, to)), ..TriggerContext::default() };
            self.raise(TriggerEvent::PoolBelow, who, how);
            self.raise(TriggerEvent::PoolAbove, who, how);
        }
    }

    /// Sets the timer for when a decaying pool that defeats becomes empty.
    #[inline(never)]
    pub(in crate::fight) fn schedule_empty(&mut self, who: CombatantId) {
        let defeating = self.setup.defeating[who.index()];
        let pools = self.program.pools.iter().enumerate();
        let decaying = pools.filter(|(index, plan)| plan.decay.is_some() && defeating >> index & 1 == 1);
        let soonest = decaying.filter_map(|(index, _)| self.when_empty(who, PoolId(index as u16))).min();
        let rank = self.state.who(who).rank;
        let due = soonest.map_or(Due::NOTHING, |at| Due::new(at, Phase::Empty, rank, who));
        self.state.timers.set(Timer::Empty, due, who);
    }

    fn when_empty(&self, who: CombatantId, pool: PoolId) -> Option<Time> {
        let first = self.first(who, pool);
        let slot = |slot: u16| self.state.numbers.at(first + usize::from(slot));
        let (rate, every, since) = (slot(pool_slot::RATE), slot(pool_slot::EVERY), slot(pool_slot::SINCE));
        if rate >= 0.0 {
            return None;
        }
        let units = slot(pool_slot::AMOUNT) / -rate;
        let unit = if every == 0.0 { 1.0 } else { every };
        let guess = if every == 0.0 {
            since + (units * 1e6).whole_above()
        } else {
            ((since / every).whole_below() + units.whole_above()) * every
        };
        if guess >= Time::NEVER.micros() {
            return None;
        }
        let empty = |at: f64| self.state.numbers.pool_amount(first, at) <= 0.0;
        let mut at = guess;
        while at - unit >= since && empty(at - unit) {
            at -= unit;
        }
        while !empty(at) {
            at += unit;
        }
        Some(Time(at as u64))
    }

    /// Flows stop while the owner is defeated, and continue when it is revived.
    pub(in crate::fight) fn stop_or_start_flows(&mut self, who: CombatantId) -> FightResult<()> {
        let (program, plan) = (self.program, self.plan_of(who));
        for (index, pool) in program.pools.iter().enumerate() {
            if plan.pools[index] && pool.flows() {
                self.follow_cap(who, PoolId(index as u16))?;
            }
        }
        Ok(())
    }

    /// Updates the cap and flow of a pool after changes of attributes, and its amount as `on_cap_change` says.
    pub(in crate::fight) fn follow_cap(&mut self, who: CombatantId, pool: PoolId) -> FightResult<()> {
        let program = self.program;
        let first = self.first(who, pool);
        let before = self.amount(who, pool);
        let old = self.state.numbers.at(first + usize::from(pool_slot::CAP));
        let cap = program.pool_cap(pool, &mut self.state.numbers, who).map_err(|fault| self.fault(fault))?;
        let flow = if self.state.who(who).is_defeated() {
            Flow::default()
        } else {
            program.pool_flow(pool, &mut self.state.numbers, who).map_err(|fault| self.fault(fault))?
        };
        let flowed = [(pool_slot::RATE, flow.rate), (pool_slot::EVERY, flow.every)];
        let same = flowed.iter().all(|(slot, value)| self.state.numbers.at(first + usize::from(*slot)) == *value);
        if cap == old && same {
            return Ok(());
        }
        for (slot, value) in flowed.into_iter().chain([(pool_slot::CAP, cap)]) {
            self.state.numbers.set(first + usize::from(slot), value);
        }
        let amount = match program.pools[pool.index()].on_cap_change {
            CapChange::Keep => before,
            // A defeated combatant regains nothing by that.
            _ if !self.state.stands(who) => before,
            // A pool that keeps its share of the cap crosses nothing.
            CapChange::Scale if old > 0.0 => before / old * cap,
            CapChange::Scale => 0.0,
            CapChange::Shift => cap - (old - before),
        };
        let left = amount.larger(0.0).smaller(cap);
        let listens = self.state.who(who).listens | self.state.watches;
        // While initial statuses are applied, there are no earlier amounts to cross from.
        if listens & CROSSINGS != 0
            && !self.initialising
            && program.pools[pool.index()].on_cap_change != CapChange::Scale
        {
            self.raise_crossing(who, pool, (before, old), (left, cap));
        }
        self.write_pool(who, pool, first, left);
        self.pool_changed(who, pool);
        if self.setup.defeating[who.index()] >> pool.0 & 1 == 1 {
            if left <= 0.0 {
                self.state.may_be_defeated(who);
            }
            if self.state.timers.has(Timer::Empty) {
                self.schedule_empty(who);
            }
        }
        // Caps of defeated combatants are not reported.
        if cap != old && !self.initialising && self.state.stands(who) {
            emit!(self, CapChanged { who, pool, cap, left });
        }
        Ok(())
    }

    pub(in crate::fight) fn restore(&mut self, by: &EffectContext, target: CombatantId, pool: PoolId, amount: f64) {
        let Change { moved: gained, over, left } = self.add(target, pool, amount);
        emit!(self, Restored { caster: by.caster, target, source: by.source, pool, gained, over, left });
    }
}
