//! Using an ability: paying, casting, releasing, recovering.

mod stock;
mod sustain;
mod watch;

use super::engine::{Engine, FightResult, emit};
use super::events::UnavailableReason;
use super::space::zones::IN_USE;
use super::state::timers::{Phase, Timer};
use super::state::{Doing, EffectContext};
use super::statuses::triggers::TriggerContext;
use crate::program::{
    AbilityId, Area, CombatantId, Derived, EffectPlan, FormulaId, Layout, PoolId, Time, TriggerEvent, minus,
};
use crate::rules::{Receiver, UseMoment};

impl Engine<'_> {
    /// Starts an ability with the targets set for the combatant: pays the cost and starts the cast.
    pub(super) fn start(&mut self, who: CombatantId, index: usize) -> FightResult<()> {
        let setup = self.setup;
        let table = &setup.abilities[index];
        let id = table.ability;
        let cast = self.state.derived(self.setup, index).cast;
        let cast = if cast == Derived::ASK { self.time_of(who, self.program.ability(id).cast)? } else { cast };
        let release = self.state.now + cast;
        let now = self.state.now;
        let combatant = self.state.who_mut(who);
        (combatant.doing, combatant.since) = (Doing::Casting(index as u32), now);
        (combatant.waits, combatant.reacts_at) = (false, Time::NEVER);
        combatant.uses_begun = combatant.uses_begun.wrapping_add(1);
        (combatant.releases_left, combatant.sustains) = (0, false);
        combatant.changed_lines |= setup.policies[who.index()].chance | table.lines;
        combatant.cooling &= !table.lines;
        let this_use = combatant.uses_begun;
        self.state.abilities[index].reported = None;
        if setup.is_placed {
            self.state.walks[who.index()].rested = Time::ZERO;
        }
        if table.mobile {
            self.state.who_mut(who).mobile = true;
            self.set_out(who);
        } else if setup.is_placed {
            self.stand_still(who);
        }
        if setup.is_placed && !self.state.who(who).is_moved {
            let aim = self.place_aimed_at(who).unwrap_or_else(|| self.place_of(self.first_target(who)));
            self.face(who, minus(aim, self.place_of(who)));
        }
        self.state.last_used = (who, Some(id));
        self.set_act(who, release, Phase::Release);
        let (target, targets) = (self.first_target(who), self.state.aimed_count(who) as u16);
        emit!(self, Used { caster: who, ability: id, target, targets, release });
        self.note_abilities(who);
        if self.listens(who) {
            let how = TriggerContext { other: Some(target), ability: Some(id), ..TriggerContext::default() };
            self.raise(TriggerEvent::AbilityUsed, who, how);
        }
        for number in 0..usize::from(targets) {
            let target = self.state.aimed_at(setup, who, number);
            if target != who && self.listens(target) {
                let how = TriggerContext { other: Some(who), ability: Some(id), ..TriggerContext::default() };
                self.raise(TriggerEvent::Targeted, target, how);
            }
        }
        if table.special {
            return self.start_special(who, index, this_use);
        }
        self.pay_for(who, index)
    }

    /// The first target of the ability under way.
    fn first_target(&self, who: CombatantId) -> CombatantId {
        if self.state.aimed_count(who) == 0 { who } else { self.state.aimed_at(self.setup, who, 0) }
    }

    /// Whether a use is still under way: its consequences may have interrupted it.
    fn is_under_way(&self, who: CombatantId, this_use: u16) -> bool {
        let combatant = self.state.who(who);
        combatant.uses_begun == this_use && matches!(combatant.doing, Doing::Casting(_))
    }

    /// Recomputes the times and the cost of an ability from its owner's current attributes.
    pub(in crate::fight) fn recompute_derived(&mut self, who: CombatantId, index: usize) {
        let table = &self.setup.abilities[index];
        if let Some(place) = table.varies {
            self.state.derived[place as usize] = self.program.derived(table.ability, who, &mut self.state.numbers);
        }
    }

    /// Pays all costs of an ability. All are computed before any is paid, because a cost may read the pools.
    fn pay_for(&mut self, who: CombatantId, index: usize) -> FightResult<()> {
        let table = &self.setup.abilities[index];
        let cost = self.state.derived(self.setup, index).cost;
        match table.costs {
            0 => {}
            1 if cost.is_finite() => self.pay(who, table.ability, table.cost_pool, cost),
            _ => {
                let plan = self.program.ability(table.ability);
                let mut costs = std::mem::take(&mut self.scratch.costs);
                costs.clear();
                for (_, amount) in &plan.cost {
                    costs.push(self.positive(*amount, &self.frame(who, who))?);
                }
                for ((pool, _), cost) in plan.cost.iter().zip(&costs) {
                    self.pay(who, table.ability, *pool, *cost);
                }
                self.scratch.costs = costs;
            }
        }
        Ok(())
    }

    fn pay(&mut self, who: CombatantId, ability: AbilityId, pool: PoolId, amount: f64) {
        let left = self.take(who, pool, amount).left;
        emit!(self, Spent { who, ability, pool, amount, left });
    }

    /// A time of an ability that has to be evaluated for each use.
    #[inline(never)]
    pub(super) fn time_of(&mut self, who: CombatantId, formula: Option<FormulaId>) -> FightResult<Time> {
        let Some(formula) = formula else { return Ok(Time::ZERO) };
        Ok(Time::from_seconds(self.positive(formula, &self.frame(who, who))?))
    }

    fn recovery_of(&mut self, who: CombatantId, index: usize) -> FightResult<Time> {
        let recovery = self.state.derived(self.setup, index).recovery;
        if recovery != Derived::ASK {
            return Ok(recovery);
        }
        self.time_of(who, self.program.ability(self.setup.abilities[index].ability).recovery)
    }

    /// Releases an ability. The cast is then over, so its own effects cannot interrupt it.
    pub(super) fn release(&mut self, who: CombatantId, index: usize) -> FightResult<()> {
        let setup = self.setup;
        let table = &setup.abilities[index];
        if table.special {
            return self.release_special(who, index);
        }
        let id = table.ability;
        let plan = self.program.ability(id);
        let cooldown = self.state.derived(self.setup, index).cooldown;
        let cooldown = if cooldown == Derived::ASK { self.time_of(who, plan.cooldown)? } else { cooldown };
        let ready = self.state.now + cooldown;
        self.state.abilities[index].ready = ready;
        if table.mobile {
            self.touch(who, table.lines);
        }
        emit!(self, Released { caster: who, ability: id, ready });
        self.note_abilities(who);
        let recovery = self.recovery_of(who, index)?;
        self.recover(who, recovery);
        let by = EffectContext::of_ability(who, id);
        self.effects_on_aimed(&by, &plan.does)?;
        Ok(())
    }

    /// Applies effects to all targets of an ability; returns whether any of them stands.
    fn effects_on_aimed(&mut self, by: &EffectContext, effects: &[EffectPlan]) -> FightResult<bool> {
        let who = by.caster;
        let count = self.state.aimed_count(who);
        if self.place_aimed_at(who).is_some() {
            self.effects_on_each(by, effects)?;
            return Ok(true);
        }
        let defeated = by.ability().is_some_and(|ability| self.program.ability(ability).defeated);
        if let (false, target) = (self.state.who(who).many, self.state.who(who).target) {
            if self.state.stands(target) != defeated {
                self.effects(by, target, effects)?;
                return Ok(true);
            }
        } else if (0..count).any(|number| self.state.stands(self.state.aimed_at(self.setup, who, number)) != defeated) {
            self.effects_on_each(by, effects)?;
            return Ok(true);
        }
        if let Some(ability) = by.ability() {
            emit!(self, Lost { caster: who, ability });
        }
        Ok(false)
    }

    /// Applies each effect to one target after the other, then the next effect.
    pub(super) fn effects_on_each(&mut self, by: &EffectContext, effects: &[EffectPlan]) -> FightResult<()> {
        let who = by.caster;
        for effect in effects {
            if effect.to != Receiver::Target {
                self.effects(by, who, std::slice::from_ref(effect))?;
                continue;
            }
            if self.placed_at_position(by, effect, self.place_aimed_at(who))? {
                continue;
            }
            for number in 0..self.state.aimed_count(who) {
                let target = self.state.aimed_at(self.setup, who, number);
                self.state.numbers.set_local(Layout::ORDER, (number + 1) as f64);
                self.effect(by, target, effect)?;
            }
            self.state.numbers.set_local(Layout::ORDER, 1.0);
        }
        Ok(())
    }

    /// Starts the recovery, or makes the combatant ready at once.
    fn recover(&mut self, who: CombatantId, recovery: Time) {
        if recovery == Time::ZERO {
            self.ready(who);
            return;
        }
        self.state.who_mut(who).doing = Doing::Recovering;
        let until = self.state.now + recovery;
        self.set_act(who, until, Phase::Ready);
    }

    /// Interrupts the cast of a combatant, if one is under way.
    pub(in crate::fight) fn interrupt(&mut self, who: CombatantId, by: &EffectContext) -> FightResult<()> {
        let Doing::Casting(index) = self.state.who(who).doing else { return Ok(()) };
        let index = index as usize;
        self.state.who_mut(who).doing = Doing::Idle;
        self.state.timers.clear(Timer::Act, who);
        let ability = self.setup.abilities[index].ability;
        emit!(self, Interrupted { who, ability, by: by.caster, source: by.source });
        // Releases that have happened are paid for and counted.
        let combatant = self.state.who_mut(who);
        combatant.sustains = false;
        if std::mem::take(&mut combatant.releases_left) == 0 {
            self.pay_back(who, ability)?;
        } else if self.program.ability(ability).cooldown_from == UseMoment::End {
            self.count_use(who, index, self.state.now)?;
        }
        self.release_holds(IN_USE, who)?;
        self.ready(who);
        self.note_abilities(who);
        let how = TriggerContext { other: Some(by.caster), ability: Some(ability), ..TriggerContext::default() };
        self.raise(TriggerEvent::Interrupted, who, how);
        Ok(())
    }

    /// The same, only if the cast is one of these abilities.
    pub(super) fn interrupt_if(
        &mut self,
        who: CombatantId,
        by: &EffectContext,
        which: Option<&[AbilityId]>,
    ) -> FightResult<()> {
        let casts = match self.state.who(who).doing {
            Doing::Casting(index) => Some(self.setup.abilities[index as usize].ability),
            _ => None,
        };
        let meant = which.is_none_or(|which| casts.is_some_and(|ability| which.contains(&ability)));
        if meant { self.interrupt(who, by) } else { Ok(()) }
    }

    fn pay_back(&mut self, who: CombatantId, ability: AbilityId) -> FightResult<()> {
        let plan = self.program.ability(ability);
        let Some(refund) = plan.refund.filter(|_| plan.cost_at == UseMoment::Start) else { return Ok(()) };
        let frame = self.frame(who, who);
        let share = self.positive(refund, &frame)?;
        for (pool, cost) in &plan.cost {
            let amount = self.positive(*cost, &frame)? * share;
            self.restore(&EffectContext::of_ability(who, ability), who, *pool, amount);
        }
        Ok(())
    }

    /// Applies the effects of an ability without cost, cast, cooldown or recovery.
    pub(super) fn effects_of_ability(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        target: CombatantId,
    ) -> FightResult<()> {
        let plan = self.program.ability(id);
        let by = EffectContext::of_ability(who, id);
        self.effects(&by, target, &plan.does)?;
        if let Some(sustain) = &plan.sustain {
            emit!(self, Sustained { caster: who, ability: id });
            self.effects(&by, target, &sustain.does)?;
        }
        self.respond()
    }

    /// A call uses an ability. A given target becomes the first target, under the rules of the ability; areas extend
    /// from it.
    pub(super) fn use_by_call(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        target: Option<CombatantId>,
    ) -> FightResult<Result<(), UnavailableReason>> {
        let index = match self.callable(who, id) {
            Ok(index) => index,
            Err(reason) => {
                if let Some(index) = self.state.ability_index(self.setup, who, id) {
                    self.report_unavailable(who, index, reason);
                    self.respond()?;
                }
                return Ok(Err(reason));
            }
        };
        let reason = self.unavailable_on(who, index, target)?;
        if let Some(reason) = reason {
            self.report_unavailable(who, index, reason);
            self.respond()?;
            return Ok(Err(reason));
        }
        self.aim(who);
        self.start(who, index)?;
        self.respond()?;
        Ok(Ok(()))
    }

    /// The reason why an ability cannot be used with the given first target, or with the target that it picks itself.
    /// If it can be used, its targets are in the scratch buffers.
    pub(in crate::fight) fn unavailable_on(
        &mut self,
        who: CombatantId,
        index: usize,
        target: Option<CombatantId>,
    ) -> FightResult<Option<UnavailableReason>> {
        let Some(target) = target else { return self.unavailable(who, index, true) };
        let plan = self.program.ability(self.setup.abilities[index].ability);
        if !self.candidates(who, plan).contains(&target) {
            return Ok(Some(UnavailableReason::NoTarget));
        }
        self.pick_from(who, target, plan)?;
        let reason = self.unavailable(who, index, false)?;
        // A target outside a circle around the caster is not reached by being named.
        match plan.area {
            Area::Circle { radius, around_caster: true } if reason.is_none() && self.setup.is_placed => {
                let radius = self.reach_of(who, Some(radius))?;
                Ok((!self.within(who, target, radius)).then(|| self.too_far(who, target, radius)))
            }
            _ => Ok(reason),
        }
    }
}
