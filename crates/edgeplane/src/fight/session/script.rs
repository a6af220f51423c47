//! The script of the encounter: reinforcements, and abilities that take effect without a use.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::Source;
use super::super::state::EffectContext;
use super::super::state::timers::{Due, Phase, Timer};
use super::super::statuses::triggers::TriggerContext;
use crate::program::{
    AbilityId, CharacterId, CombatantId, JoinPlan, Layout, MomentEffect, PoolId, SideId, Time, TriggerEvent, pool_slot,
};
use crate::rules::Receiver;

impl Engine<'_> {
    /// Sets the timer for the next entry of the script.
    pub(in crate::fight) fn schedule_script(&mut self) {
        let next = self.state.script.iter().filter(|(_, times)| *times > 0).map(|(at, _)| *at).min();
        let due = Due::new(next.unwrap_or(Time::NEVER), Phase::Script, 0, CombatantId(0));
        self.state.timers.set(Timer::Script, due, CombatantId(0));
    }

    /// Carries out all entries of the script for this moment, in order.
    pub(in crate::fight) fn run_script(&mut self) -> FightResult<()> {
        let setup = self.setup;
        for (index, moment) in setup.script.moments.iter().enumerate() {
            let (at, times) = self.state.script[index];
            if times == 0 || at > self.state.now {
                continue;
            }
            self.state.script[index] = (at + moment.every, times - 1);
            match &moment.does {
                MomentEffect::Join(who) if self.state.who(*who).vacant => {}
                MomentEffect::Join(who) => self.join(*who, None)?,
                MomentEffect::Bring(ability, who) => {
                    for one in who {
                        self.in_form_of(*one, *ability, |engine| engine.apply_scripted(*one, *ability))?;
                    }
                }
            }
        }
        self.schedule_script();
        Ok(())
    }

    /// Applies an ability without a use: no cost, no cooldown, and targets at any distance.
    fn apply_scripted(&mut self, who: CombatantId, id: AbilityId) -> FightResult<()> {
        if !self.state.stands(who) {
            return Ok(());
        }
        let program = self.program;
        let (ability, by) = (program.ability(id), EffectContext::of_ability(who, id));
        emit!(self, Scripted { who, ability: id });
        self.pick_targets(who, ability)?;
        // Its effects may need the scratch buffers themselves.
        let picked = std::mem::take(&mut self.scratch.picked);
        for effect in &ability.does {
            if effect.to != Receiver::Target {
                self.effects(&by, who, std::slice::from_ref(effect))?;
                continue;
            }
            for (number, target) in picked.iter().enumerate() {
                self.state.numbers.set_local(Layout::ORDER, (number + 1) as f64);
                self.effect(&by, *target, effect)?;
            }
            self.state.numbers.set_local(Layout::ORDER, 1.0);
        }
        self.scratch.picked = picked;
        self.respond()
    }

    /// Lets members of a character that wait to be called join, up to the given number.
    pub(in crate::fight) fn call(&mut self, by: &EffectContext, character: CharacterId, count: u32) -> FightResult<()> {
        let side = self.side_of(by.owner);
        let waits = |engine: &Self, who: &CombatantId| {
            let plan = &engine.setup.combatants[who.index()];
            let called = engine.setup.script.joins(*who) == JoinPlan::Called;
            let one = engine.state.who(*who);
            called && plan.character == character && plan.side == side && one.absent && !one.vacant
        };
        for _ in 0..count {
            let Some(who) = self.setup.ids().find(|who| waits(self, who)) else { break };
            self.join(who, Some((by.owner, by.source)))?;
        }
        Ok(())
    }

    /// A combatant joins with its initial state.
    pub(in crate::fight) fn join(&mut self, who: CombatantId, by: Option<(CombatantId, Source)>) -> FightResult<()> {
        let combatant = self.state.who_mut(who);
        (combatant.stands, combatant.absent, combatant.vacant) = (true, false, false);
        self.begin_pools(who);
        self.update_head_counts(who, 1.0);
        self.check_all_edges();
        emit!(self, Joined { who, by });
        self.initialising = true;
        self.apply_initial_statuses(who)?;
        self.initialising = false;
        self.raise(TriggerEvent::FightBegan, who, TriggerContext::default());
        if self.state.timers.has(Timer::Empty) {
            self.schedule_empty(who);
        }
        // A combatant that joins with an empty pool is defeated at once.
        self.state.may_be_defeated(who);
        if self.setup.is_placed {
            self.set_place(who, self.place_of(who), [0.0; 2]);
        }
        self.touch_all(who);
        Ok(())
    }

    /// Its pools have not flowed while it was absent.
    fn begin_pools(&mut self, who: CombatantId) {
        for pool in 0..self.program.pools.len() as u16 {
            let first = self.program.place(who, self.program.layout.pool(PoolId(pool)));
            let amount = self.setup.memory.at(first + usize::from(pool_slot::AMOUNT));
            self.write_pool(who, PoolId(pool), first, amount);
        }
    }

    /// Whether a side has not lost: a member that can be defeated stands or joins at a given time, and no vital member
    /// has been defeated.
    pub(in crate::fight) fn holds_out(&self, side: SideId) -> bool {
        let script = &self.setup.script;
        let of_side = |who: &CombatantId| self.setup.combatants[who.index()].side == side;
        let there = |who: CombatantId| {
            let one = self.state.who(who);
            one.stands || (one.absent && !one.vacant && matches!(script.joins(who), JoinPlan::At(_)))
        };
        let lost = |who: &&CombatantId| of_side(who) && !self.state.stands(**who) && !self.state.who(**who).absent;
        let keeps = |who: CombatantId| of_side(&who) && self.setup.can_be_defeated(who) && there(who);
        self.setup.ids().any(keeps) && !script.vital.iter().any(|who| lost(&who))
    }
}
