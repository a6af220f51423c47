//! The initial state of combatants: statuses, gear, points, and pools.

use super::super::engine::{Engine, FightResult, emit};
use super::super::state::EffectContext;
use super::super::state::timers::Timer;
use super::super::statuses::apply::Dose;
use super::super::statuses::triggers::TriggerContext;
use crate::numbers::Extremes;
use crate::program::{BaseChange, CombatantId, Layout, PoolId, StatusId, TriggerEvent, pool_slot};

impl Engine<'_> {
    pub(in crate::fight) fn begin(&mut self) -> FightResult<()> {
        emit!(self, Began);
        self.initialising = true;
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if self.state.stands(who) {
                self.apply_initial_statuses(who)?;
            }
        }
        self.initialising = false;
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            if self.state.stands(who) {
                self.raise(TriggerEvent::FightBegan, who, TriggerContext::default());
            }
        }
        self.respond()?;
        self.state.began = true;
        self.state.check_conditions = !self.state.statuses.conditional.is_empty();
        if self.state.timers.has(Timer::Empty) {
            self.setup.ids().for_each(|who| self.schedule_empty(who));
        }
        Ok(())
    }

    /// Applies the initial statuses of a combatant, and updates its pools.
    pub(in crate::fight) fn apply_initial_statuses(&mut self, who: CombatantId) -> FightResult<()> {
        let setup = self.setup;
        let character = self.plan_of(who);
        self.hold_own_statuses(who)?;
        if let Some(begin) = setup.begins.get(who.index()) {
            for status in &begin.statuses {
                let by = EffectContext::of_status(who, *status, who, who);
                self.apply(&by, who, *status, Dose { stacks: 1, duration: None })?;
            }
        }
        if !character.spends.is_empty() {
            self.spend_points(who, &character.spends)?;
        }
        self.wear_by_chance(who)?;
        self.fill_pools(who)?;
        self.start_pools(who)?;
        self.fill_by_game(who);
        Ok(())
    }

    /// Pools set by the game before the beginning hold that amount, as far as there is room.
    fn fill_by_game(&mut self, who: CombatantId) {
        let mut at = 0;
        while let Some(BaseChange { combatant, slot, base }) = self.state.base_changes.get(at).copied() {
            let Some(pool) = self.program.layout.pool_at(slot).filter(|_| combatant == who) else {
                at += 1;
                continue;
            };
            self.state.base_changes.remove(at);
            let first = self.program.place(who, slot);
            let cap = self.state.numbers.at(first + usize::from(pool_slot::CAP));
            self.write_pool(who, pool, first, base.smaller(cap));
        }
    }

    /// The permanent statuses of a combatant, and those of its gear.
    pub(in crate::fight) fn hold_own_statuses(&mut self, who: CombatantId) -> FightResult<()> {
        for status in &self.plan_of(who).statuses {
            let by = EffectContext::of_status(who, *status, who, who);
            self.apply(&by, who, *status, Dose { stacks: 1, duration: Some(f64::INFINITY) })?;
        }
        let mut worn = std::mem::take(&mut self.scratch.gear_after);
        self.statuses_of_gear(who, &mut worn);
        for one in worn.drain(..) {
            self.apply_worn(who, one)?;
        }
        self.scratch.gear_after = worn;
        Ok(())
    }

    /// Pools whose amounts the encounter sets; no event reports that, since the fight has not begun.
    fn start_pools(&mut self, who: CombatantId) -> FightResult<()> {
        let setup = self.setup;
        for (pool, amount) in setup.begins.get(who.index()).into_iter().flat_map(|begin| &begin.pools) {
            let amount = self.positive(*amount, &self.frame(who, who))?;
            let first = self.program.place(who, self.program.layout.pool(*pool));
            let cap = self.state.numbers.at(first + usize::from(pool_slot::CAP));
            self.write_pool(who, *pool, first, amount.smaller(cap));
        }
        Ok(())
    }

    /// Spends the points of a combatant's level on its list of purchases, repeatedly, except points already spent.
    pub(in crate::fight) fn spend_points(&mut self, who: CombatantId, spends: &[StatusId]) -> FightResult<()> {
        let points = self.program.points_of(&mut self.state.numbers, who).map_err(|fault| self.fault(fault))?;
        for (index, point) in (0..).zip(spends) {
            let among = spends.len() as u32;
            let wanted = points / among + u32::from(index < points % among);
            let held = self.state.statuses.stacks(who, *point);
            if wanted > held {
                let by = EffectContext::of_status(who, *point, who, who);
                self.apply(&by, who, *point, Dose { stacks: wanted - held, duration: Some(f64::INFINITY) })?;
            }
        }
        Ok(())
    }

    /// Fills pools as if their owner had its initial statuses from the beginning.
    fn fill_pools(&mut self, who: CombatantId) -> FightResult<()> {
        let program = self.program;
        let plan = self.plan_of(who);
        let level = program.place(who, Layout::LEVEL);
        let as_ever = self.state.numbers.at(level) == self.setup.memory.at(level)
            && !self.state.base_changes.iter().any(|change| change.combatant == who);
        if as_ever && self.state.statuses.of(who).next().is_none() {
            return Ok(());
        }
        for pool in (0..program.pools.len()).filter(|pool| plan.pools[*pool]) {
            let pool = PoolId(pool as u16);
            let now = self.state.now.micros();
            program.fill_pool(pool, &mut self.state.numbers, who, now).map_err(|fault| self.fault(fault))?;
            let first = program.place(who, program.layout.pool(pool));
            let place = first + usize::from(pool_slot::CAP);
            let (cap, left) = (self.state.numbers.at(place), self.amount(who, pool));
            self.write_pool(who, pool, first, left);
            if cap != self.setup.memory.at(place) {
                emit!(self, CapChanged { who, pool, cap, left });
            }
        }
        Ok(())
    }
}
