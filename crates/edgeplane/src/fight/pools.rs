//! Changing pools. An amount is always within 0 and the cap; what does not fit is counted by
//! whoever asks, and never stored.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::state::Doing;
use super::timeline::{Phase, Timer};
use super::triggers::Circumstance;
use crate::program::{Chance, CombatantId, PoolId, Time, TriggerEvent, pool_slot};
use crate::rules::CapChange;

/// What came of adding to a pool or taking from it.
pub(super) struct Change {
    /// How much was really added or taken.
    pub(super) moved: f64,
    /// How much found no room, or nothing left to take.
    pub(super) over: f64,
    /// The amount afterwards.
    pub(super) left: f64,
}

/// Events that only a pool in motion can be.
pub(super) const CROSSINGS: u32 = (1 << TriggerEvent::PoolBelow as u8) | (1 << TriggerEvent::PoolAbove as u8);

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    #[inline]
    fn first(&self, who: CombatantId, pool: PoolId) -> usize {
        self.program.place(who, self.program.layout.pool(pool))
    }

    pub(super) fn amount(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.state.memory.pool_amount(self.first(who, pool), self.state.now.micros())
    }

    pub(super) fn share(&self, who: CombatantId, pool: PoolId) -> f64 {
        self.state.memory.pool_share(self.first(who, pool), self.state.now.micros())
    }

    /// Takes from a pool, as far as there is anything. What is moved is the amount asked for itself,
    /// not a difference, so that no rounding shows up as an overkill of nothing.
    #[inline]
    pub(super) fn take(&mut self, who: CombatantId, pool: PoolId, amount: f64) -> Change {
        self.take_at(self.first(who, pool), who, pool, amount)
    }

    /// The same, when it is known where the pool's numbers begin.
    #[inline(always)]
    pub(super) fn take_at(&mut self, first: usize, who: CombatantId, pool: PoolId, amount: f64) -> Change {
        let before = self.state.memory.pool_amount(first, self.state.now.micros());
        if before == 0.0 {
            return Change { moved: 0.0, over: amount, left: 0.0 };
        }
        let moved = if amount < before { amount } else { before };
        let left = before - moved;
        if moved > 0.0 {
            self.put(who, pool, first, left);
        }
        Change { moved, over: amount - moved, left }
    }

    /// Adds to a pool, as far as there is room.
    #[inline]
    pub(super) fn add(&mut self, who: CombatantId, pool: PoolId, amount: f64) -> Change {
        let first = self.first(who, pool);
        let before = self.state.memory.pool_amount(first, self.state.now.micros());
        let cap = self.state.memory.at(first + usize::from(pool_slot::CAP));
        let fits = before + amount < cap;
        let (moved, left) = if fits { (amount, before + amount) } else { (cap - before, cap) };
        if moved > 0.0 {
            self.put(who, pool, first, left);
        }
        Change { moved, over: amount - moved, left }
    }

    #[inline(always)]
    pub(super) fn put(&mut self, who: CombatantId, pool: PoolId, first: usize, amount: f64) {
        let bit = 1_u64 << pool.0;
        let actor = &mut self.state.actors[who];
        if actor.alert & bit == 0 {
            self.state.memory.set_pool(first, amount, self.state.now.micros());
            return;
        }
        actor.changed |= bit;
        let (waits, listens) = (actor.watch & bit != 0, actor.listens & CROSSINGS != 0);
        if listens {
            self.raise_crossing(who, pool, first, amount);
        }
        self.state.memory.set_pool(first, amount, self.state.now.micros());
        if waits {
            self.note_waited_for(who, pool);
        }
        if self.setup.defeating & bit != 0 {
            if amount <= 0.0 {
                (self.state.someone_hurt, self.state.attention) = (true, true);
            }
            if self.state.timeline.has_empty_timers() {
                self.schedule_empty(who);
            }
        }
        if self.setup.watched & bit != 0 {
            self.note_watched(pool);
        }
    }

    /// A pool moves from one share to another: statuses may answer.
    #[cold]
    fn raise_crossing(&mut self, who: CombatantId, pool: PoolId, first: usize, amount: f64) {
        let cap = self.state.memory.at(first + usize::from(pool_slot::CAP));
        if cap <= 0.0 {
            return;
        }
        let before = self.state.memory.pool_amount(first, self.state.now.micros());
        let how = Circumstance { moved: Some((pool, before / cap, amount / cap)), ..Circumstance::default() };
        self.raise(TriggerEvent::PoolBelow, who, how);
        self.raise(TriggerEvent::PoolAbove, who, how);
    }

    /// A pool has changed that its owner's policy reads: what was known of its conditions holds no
    /// more, and if one of them may have turned, the owner looks again. Who is busy will look anyway.
    #[inline(never)]
    fn note_waited_for(&mut self, who: CombatantId, pool: PoolId) {
        let linked = &self.setup.linked[who.index()];
        let readers = linked.readers[usize::from(pool.0)];
        let actor = &mut self.state.actors[who];
        actor.lines.known &= !readers;
        if actor.doing == Doing::Idle && !actor.chooses && (actor.short || self.may_have_turned(who, readers)) {
            self.state.attention = true;
        }
    }

    /// A pool has changed that others wait for.
    #[cold]
    fn note_watched(&mut self, pool: PoolId) {
        let bit = 1_u64 << pool.0;
        self.state.changed |= bit;
        self.state.attention = true;
        for (actor, linked) in self.state.actors.all_mut().iter_mut().zip(&self.setup.linked) {
            if linked.watch.others & bit != 0 {
                actor.lines.known &= !linked.readers[usize::from(pool.0)];
            }
        }
    }

    /// Whether a pool that defeats has run empty.
    pub(super) fn is_empty(&self, who: CombatantId) -> bool {
        self.setup.is_empty(&self.state.memory, who, self.state.now.micros())
    }

    /// Sets the timer for the moment at which a decaying pool that defeats runs empty.
    #[inline(never)]
    pub(super) fn schedule_empty(&mut self, who: CombatantId) {
        let has = &self.program.characters[self.setup.combatants[who.index()].character.index()].pools;
        let pools = self.program.pools.iter().enumerate();
        let decaying = pools.filter(|(index, plan)| plan.defeat && plan.decay.is_some() && has[*index]);
        let soonest = decaying.filter_map(|(index, _)| self.when_empty(who, PoolId(index as u16))).min();
        let rank = self.state.actors[who].rank;
        match soonest {
            Some(at) => self.state.timeline.set(who, rank, Timer::Empty, at, Phase::Empty),
            None => self.state.timeline.clear(who, Timer::Empty),
        }
    }

    fn when_empty(&self, who: CombatantId, pool: PoolId) -> Option<Time> {
        let first = self.first(who, pool);
        let slot = |slot: u16| self.state.memory.at(first + usize::from(slot));
        let (rate, every, since) = (slot(pool_slot::RATE), slot(pool_slot::EVERY), slot(pool_slot::SINCE));
        if rate >= 0.0 {
            return None;
        }
        let units = slot(pool_slot::AMOUNT) / -rate;
        let unit = if every == 0.0 { 1.0 } else { every };
        let guess =
            if every == 0.0 { since + (units * 1e6).ceil() } else { ((since / every).floor() + units.ceil()) * every };
        if guess >= Time::NEVER.micros() {
            return None;
        }
        let empty = |at: f64| self.state.memory.pool_amount(first, at) <= 0.0;
        let mut at = guess;
        while at - unit >= since && empty(at - unit) {
            at -= unit;
        }
        while !empty(at) {
            at += unit;
        }
        Some(Time(at as u64))
    }

    /// After attributes have changed: a pool's cap and flow follow, and its amount as the pool says.
    pub(super) fn follow_cap(&mut self, who: CombatantId, pool: PoolId) -> Outcome<()> {
        let program = self.program;
        let first = self.first(who, pool);
        let before = self.amount(who, pool);
        let old = self.state.memory.at(first + usize::from(pool_slot::CAP));
        let cap = program.pool_cap(pool, &mut self.state.memory, who).map_err(|fault| self.fault(fault))?;
        let flow = program.pool_flow(pool, &mut self.state.memory, who).map_err(|fault| self.fault(fault))?;
        let flowed = [(pool_slot::RATE, flow.rate), (pool_slot::EVERY, flow.every)];
        let same = flowed.iter().all(|(slot, value)| self.state.memory.at(first + usize::from(*slot)) == *value);
        if cap == old && same {
            return Ok(());
        }
        for (slot, value) in flowed.into_iter().chain([(pool_slot::CAP, cap)]) {
            self.state.memory.set(first + usize::from(slot), value);
        }
        let amount = match program.pools[pool.index()].on_cap_change {
            CapChange::Keep => before,
            CapChange::Scale if old > 0.0 => before / old * cap,
            CapChange::Scale => 0.0,
            CapChange::Shift => cap - (old - before),
        };
        let left = amount.max(0.0).min(cap);
        self.put(who, pool, first, left);
        // Of who has fallen nobody asks any more.
        if cap != old && !self.dressing && self.state.actors[who].stands {
            self.tell(Event::CapChanged { who, pool, cap, left });
        }
        Ok(())
    }
}
