//! Using an ability: paying, casting, releasing, and acting by hand.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, Refusal};
use super::state::Doing;
use super::timeline::{Phase, Timer};
use crate::program::{AbilityId, AbilityPlan, BaseChange, CombatantId, Frame, OutcomePlan, Slot, Time};
use crate::rules::Receiver;

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    /// Carries a choice out: the cost is paid and the cast starts.
    pub(super) fn start(&mut self, who: CombatantId, id: AbilityId) -> Outcome<()> {
        let program = self.program;
        let ability = program.ability(id);
        let frame = Frame::new(program, who, who, 0, self.state.now.micros());
        // All costs are computed before any is paid: a cost may read the pools.
        self.state.scratch.costs.clear();
        for (_, amount) in &ability.cost {
            let cost = self.positive(*amount, &frame)?;
            self.state.scratch.costs.push(cost);
        }
        let cast = self.seconds(ability.cast, &frame)?;
        let release = self.state.now + cast;
        let rank = self.state.rank[who.index()];
        let actor = &mut self.state.actors[who.index()];
        actor.doing = Doing::Casting { ability: id };
        actor.until = release;
        let (target, targets) = (actor.targets.first().copied().unwrap_or(who), actor.targets.len() as u16);
        self.state.timeline.set(rank, Timer::Act, release, Phase::Release);
        self.tell(Event::Used { caster: who, ability: id, target, targets, release });
        for (index, (pool, _)) in ability.cost.iter().enumerate() {
            let amount = self.state.scratch.costs[index];
            let left = self.take(who, *pool, amount).left;
            self.tell(Event::Spent { who, ability: id, pool: *pool, amount, left });
        }
        Ok(())
    }

    /// An ability takes effect.
    pub(super) fn release(&mut self, who: CombatantId, id: AbilityId) -> Outcome<()> {
        let program = self.program;
        let ability = program.ability(id);
        let frame = Frame::new(program, who, who, 0, self.state.now.micros());
        let cooldown = self.seconds(ability.cooldown, &frame)?;
        let ready = self.state.now + cooldown;
        if let Some(index) = self.state.ready_index(self.setup, who, id) {
            self.state.ready[index] = ready;
        }
        self.tell(Event::Released { caster: who, ability: id, ready });
        let mut targets = std::mem::take(&mut self.state.actors[who.index()].targets);
        targets.retain(|target| self.state.actors[target.index()].stands);
        if targets.is_empty() {
            self.tell(Event::Lost { caster: who, ability: id });
        } else {
            self.outcomes(who, id, ability, &targets)?;
        }
        targets.clear();
        self.state.actors[who.index()].targets = targets;
        self.recover(who, ability)
    }

    fn recover(&mut self, who: CombatantId, ability: &AbilityPlan) -> Outcome<()> {
        let frame = Frame::new(self.program, who, who, 0, self.state.now.micros());
        let recovery = self.seconds(ability.recovery, &frame)?;
        if recovery == Time::ZERO {
            self.ready(who);
            return Ok(());
        }
        let until = self.state.now + recovery;
        let rank = self.state.rank[who.index()];
        let actor = &mut self.state.actors[who.index()];
        actor.doing = Doing::Recovering;
        actor.until = until;
        self.state.timeline.set(rank, Timer::Act, until, Phase::Ready);
        Ok(())
    }

    fn outcomes(&mut self, who: CombatantId, id: AbilityId, ability: &AbilityPlan, targets: &[CombatantId]) -> Outcome<()> {
        for outcome in &ability.does {
            let to = match outcome {
                OutcomePlan::Hit(effect) | OutcomePlan::Heal(effect) => effect.to,
                OutcomePlan::Pool(effect) => effect.to,
            };
            let receivers = if to == Receiver::Caster { std::slice::from_ref(&who) } else { targets };
            for target in receivers {
                match outcome {
                    OutcomePlan::Hit(effect) => self.hit(who, *target, id, effect)?,
                    OutcomePlan::Heal(effect) => self.heal(who, *target, id, effect)?,
                    OutcomePlan::Pool(effect) => self.pool_effect(who, *target, id, effect)?,
                }
            }
        }
        Ok(())
    }

    pub(super) fn bring_about(&mut self, who: CombatantId, id: AbilityId, target: CombatantId) -> Outcome<()> {
        let program = self.program;
        self.outcomes(who, id, program.ability(id), &[target])
    }

    pub(super) fn why_not(&mut self, who: CombatantId, ability: AbilityId) -> Outcome<Option<Refusal>> {
        let actor = &self.state.actors[who.index()];
        if !actor.stands || self.state.ending.is_some() {
            return Ok(Some(Refusal::OutOfTheFight));
        }
        if actor.doing != Doing::Idle {
            return Ok(Some(Refusal::Busy { until: actor.until }));
        }
        self.possible(who, ability, true)
    }

    pub(super) fn use_by_hand(
        &mut self,
        who: CombatantId,
        id: AbilityId,
        target: Option<CombatantId>,
    ) -> Outcome<Result<(), Refusal>> {
        if let Some(refusal) = self.why_not(who, id)? {
            self.tell(Event::Refused { who, ability: id, reason: refusal });
            return Ok(Err(refusal));
        }
        if let Some(target) = target {
            if !self.state.actors[target.index()].stands {
                self.tell(Event::Refused { who, ability: id, reason: Refusal::NoTarget });
                return Ok(Err(Refusal::NoTarget));
            }
            self.state.scratch.picked.clear();
            self.state.scratch.picked.push(target);
        }
        self.aim(who);
        self.start(who, id)?;
        Ok(Ok(()))
    }

    /// Takes over whom the scratch room holds as the caster's targets.
    pub(super) fn aim(&mut self, who: CombatantId) {
        let targets = &mut self.state.actors[who.index()].targets;
        targets.clear();
        targets.extend_from_slice(&self.state.scratch.picked);
    }

    pub(super) fn set_base(&mut self, who: CombatantId, slot: Slot, base: f64) -> Outcome<()> {
        if slot == crate::program::Layout::LEVEL {
            self.state.memory.set(self.program.place(who, slot), base);
        } else {
            self.state.base_changes.retain(|change| !(change.combatant == who && change.slot == slot));
            self.state.base_changes.push(BaseChange { combatant: who, slot, base });
        }
        let program = self.program;
        let plan = &program.characters[self.setup.combatants[who.index()].character.index()];
        let before = self.amounts(who);
        let computed = program.compute_attributes(plan, &mut self.state.memory, who, &self.state.base_changes);
        computed.map_err(|fault| self.fault(fault))?;
        self.follow_caps(who, plan, &before)
    }
}
