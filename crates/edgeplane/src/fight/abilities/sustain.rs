//! Sustained abilities: their ticks, and what ends them.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::StopReason;
use super::super::state::timers::Phase;
use super::super::state::{Doing, EffectContext};
use crate::program::{CombatantId, SustainPlan, Time};

/// The shortest time between two ticks.
const LEAST_BEAT: Time = Time(1_000);

impl Engine<'_> {
    /// Starts sustaining an ability that has been released.
    pub(super) fn begin_sustaining(&mut self, who: CombatantId, index: usize, plan: &SustainPlan) -> FightResult<()> {
        let longest = match plan.longest {
            Some(longest) => self.state.now + self.time_of(who, Some(longest))?,
            None => Time::NEVER,
        };
        let combatant = self.state.who_mut(who);
        combatant.sustains = true;
        combatant.releases_left = 1;
        self.state.cold_mut(who).sustains_until = longest;
        self.schedule_tick(who, index, plan)
    }

    /// Schedules the next tick, or the end if that is earlier.
    fn schedule_tick(&mut self, who: CombatantId, index: usize, plan: &SustainPlan) -> FightResult<()> {
        let every = self.time_of(who, Some(plan.every))?.max(LEAST_BEAT);
        let (next, until) = (self.state.now + every, self.state.cold(who).sustains_until);
        if next > until && until <= self.state.now {
            return self.stop_sustaining(who, index, StopReason::Longest);
        }
        self.state.cold_mut(who).next_tick_at = next;
        self.set_act(who, next.min(until), Phase::Release);
        Ok(())
    }

    /// A tick is due, or the maximum time is over.
    pub(super) fn sustain_tick(&mut self, who: CombatantId, index: usize, plan: &SustainPlan) -> FightResult<()> {
        let id = self.setup.abilities[index].ability;
        if self.state.cold(who).next_tick_at > self.state.now {
            return self.stop_sustaining(who, index, StopReason::Longest);
        }
        if let Some(reason) = self.why_stop(who, index, plan)? {
            return self.stop_sustaining(who, index, reason);
        }
        let this_use = self.state.who(who).uses_begun;
        for number in 0..plan.cost.len() {
            let (pool, _) = plan.cost[number];
            self.pay(who, id, pool, self.scratch.costs[number]);
        }
        emit!(self, Sustained { caster: who, ability: id });
        let by = EffectContext::of_ability(who, id);
        if self.state.who(who).many || self.place_aimed_at(who).is_some() {
            self.effects_on_each(&by, &plan.does)?;
        } else {
            self.effects(&by, self.state.who(who).target, &plan.does)?;
        }
        // Its effects may have interrupted it.
        if self.is_under_way(who, this_use) { self.schedule_tick(who, index, plan) } else { Ok(()) }
    }

    /// The reason that ends it now, if any; otherwise the costs of a tick are in the scratch buffers.
    fn why_stop(&mut self, who: CombatantId, index: usize, plan: &SustainPlan) -> FightResult<Option<StopReason>> {
        let aimed = (0..self.state.aimed_count(who)).map(|number| self.state.aimed_at(self.setup, who, number));
        let there = self.place_aimed_at(who);
        let first = aimed.into_iter().find(|aimed| self.state.stands(*aimed)).or(there.map(|_| who));
        let Some(first) = first else { return Ok(Some(StopReason::NoTarget)) };
        if let Some(holds) = plan.holds_while
            && self.number(holds, &self.frame(who, first))? == 0.0
        {
            return Ok(Some(StopReason::Unwanted));
        }
        if self.setup.is_placed && there.is_none() {
            let plan = self.program.ability(self.setup.abilities[index].ability);
            let reach = self.reach_of_ability(who, plan)?;
            if !self.within(who, first, reach) {
                return Ok(Some(StopReason::OutOfReach));
            }
        }
        self.scratch.costs.clear();
        for (pool, amount) in &plan.cost {
            let cost = self.positive(*amount, &self.frame(who, who))?;
            if cost - self.amount(who, *pool) > self.dust(who, *pool) {
                return Ok(Some(StopReason::CannotAfford));
            }
            self.scratch.costs.push(cost);
        }
        Ok(None)
    }

    pub(in crate::fight) fn stop_by_call(&mut self, who: CombatantId) -> FightResult<bool> {
        let combatant = self.state.who(who);
        let Doing::Casting(index) = combatant.doing else { return Ok(false) };
        if !combatant.sustains {
            return Ok(false);
        }
        self.stop_sustaining(who, index as usize, StopReason::ByHand)?;
        Ok(true)
    }

    /// Ends it, and starts the recovery.
    fn stop_sustaining(&mut self, who: CombatantId, index: usize, reason: StopReason) -> FightResult<()> {
        let id = self.setup.abilities[index].ability;
        emit!(self, Stopped { caster: who, ability: id, reason });
        self.count_at_end(who, index, self.program.ability(id))?;
        self.end_use(who, index)
    }
}
