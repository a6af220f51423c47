//! Hits and heals on their way through their steps.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::{EventKind, StepResult};
use super::super::state::EffectContext;
use super::super::statuses::triggers::TriggerContext;
use super::pools::Change;
use crate::numbers::Extremes;
use crate::program::{
    CombatantId, FormulaId, Frame, Layout, Operand, PoolEffect, PoolEffectKind, StepChange, StepCode, StepGate, StepId,
    StepsEffect, TriggerEvent,
};

/// The result of all steps.
struct Arrival {
    initial: f64,
    amount: f64,
    /// The amount that pools have soaked.
    soaked: f64,
    stopped: Option<StepId>,
    marks: u64,
}

impl Engine<'_> {
    pub(super) fn hit(&mut self, by: &EffectContext, target: CombatantId, effect: &StepsEffect) -> FightResult<()> {
        let arrival = self.run_steps(by, target, effect, false)?;
        let change = self.take(target, effect.pool, arrival.amount);
        if change.moved > 0.0 {
            self.state.who_mut(target).hurt_by = Some((by.caster, by.source));
        }
        emit!(
            self,
            Hit {
                caster: by.caster,
                target,
                source: by.source,
                damage_type: effect.damage_type,
                pool: effect.pool,
                initial: arrival.initial,
                amount: arrival.amount,
                dealt: change.moved,
                over: change.over,
                left: change.left,
                stopped: arrival.stopped,
                marks: arrival.marks,
            }
        );
        if self.program.threat.is_some() {
            self.threaten_by_hit(by, target, change.moved)?;
        }
        if self.listens(target) || self.listens(by.caster) {
            self.raise_hit(by, target, &arrival, &change);
        }
        Ok(())
    }

    /// Raises the triggers of both combatants. A hit that is soaked completely counts as soaked, not as dealt or taken;
    /// one that is soaked in part counts as both.
    fn raise_hit(&mut self, by: &EffectContext, target: CombatantId, arrival: &Arrival, change: &Change) {
        let taken = TriggerContext {
            other: Some(by.caster),
            amount: change.moved,
            marks: arrival.marks,
            ability: by.ability(),
            ..TriggerContext::default()
        };
        if arrival.stopped.is_some() {
            self.raise(TriggerEvent::HitAvoided, target, taken);
            return;
        }
        if arrival.amount > 0.0 {
            self.raise(TriggerEvent::HitDealt, by.caster, TriggerContext { other: Some(target), ..taken });
            self.raise(TriggerEvent::HitTaken, target, taken);
        }
        if arrival.soaked > 0.0 {
            self.raise(TriggerEvent::HitSoaked, target, TriggerContext { amount: arrival.soaked, ..taken });
        }
    }

    pub(super) fn heal(&mut self, by: &EffectContext, target: CombatantId, effect: &StepsEffect) -> FightResult<()> {
        let Arrival { initial, amount, stopped, .. } = self.run_steps(by, target, effect, true)?;
        let Change { moved: healed, over, left } = self.add(target, effect.pool, amount);
        let EffectContext { caster, source, .. } = *by;
        emit!(self, Healed { caster, target, source, pool: effect.pool, initial, amount, healed, over, left, stopped });
        if self.program.threat.is_some() {
            self.threaten_by_heal(by, healed)?;
        }
        let how = TriggerContext { other: Some(caster), amount: healed, ..TriggerContext::default() };
        if stopped.is_none() {
            self.raise(TriggerEvent::HealGiven, caster, TriggerContext { other: Some(target), ..how });
            self.raise(TriggerEvent::HealTaken, target, how);
        }
        Ok(())
    }

    /// Sends an amount through its steps. Each step receives the result of the previous one; no result is below 0.
    #[inline]
    fn run_steps(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        effect: &StepsEffect,
        heal: bool,
    ) -> FightResult<Arrival> {
        let frame = self.typed_frame(by.caster, target, effect.damage_type.0);
        let initial = self.initial(effect, &frame)? * by.part;
        // Later effects of a trigger also read its amount.
        let amount = self.state.numbers.at(usize::from(Layout::AMOUNT));
        let outer = effect.reads_hit.then(|| self.state.numbers.hit_locals(self.program.marks.len()));
        let mut arrival = Arrival { initial, amount: initial, soaked: 0.0, stopped: None, marks: 0 };
        if effect.reads_hit {
            self.state.numbers.set_local(Layout::INITIAL, initial);
            for mark in 0..self.program.marks.len() as u16 {
                self.state.numbers.set_local(Layout::MARKS + mark, 0.0);
            }
        }
        for step in &effect.steps {
            if let Some((role, stacks)) = step.owned
                && self.state.numbers.at(frame.block(role) + usize::from(stacks)) == 0.0
            {
                continue;
            }
            let before = arrival.amount;
            let result = self.step(step, target, &frame, effect.reads_hit, &mut arrival)?;
            if self.wants.has(EventKind::Stepped) {
                emit!(self, Stepped { step: step.id, heal, before, after: arrival.amount, result });
            }
            if arrival.stopped.is_some() {
                break;
            }
        }
        if let Some(outer) = outer {
            self.state.numbers.set_hit_locals(&outer);
        }
        self.state.numbers.set_local(Layout::AMOUNT, amount);
        arrival.amount = self.program.rounding.apply(arrival.amount);
        Ok(arrival)
    }

    #[inline]
    fn initial(&mut self, effect: &StepsEffect, frame: &Frame) -> FightResult<f64> {
        let mut amount = self.number(effect.amount, frame)?;
        if let Some((spread, site)) = effect.spread {
            let spread = self.number(spread, frame)?;
            let drawn = self.chance.uniform(frame.stream(site));
            amount *= 1.0 + spread * (2.0 * drawn - 1.0);
        }
        Ok(amount.larger(0.0))
    }

    #[inline]
    fn step(
        &mut self,
        step: &StepCode,
        target: CombatantId,
        frame: &Frame,
        reads_hit: bool,
        arrival: &mut Arrival,
    ) -> FightResult<StepResult> {
        if !self.passes(step, frame, arrival.amount)? {
            return Ok(StepResult::Passed);
        }
        if let Some(mark) = step.mark {
            arrival.marks |= 1 << mark;
            if reads_hit {
                self.state.numbers.set_local(Layout::MARKS + mark, 1.0);
            }
        }
        if let Some(formula) = step.amount {
            arrival.amount = self.changed(step.change, formula, frame, arrival.amount)?.larger(0.0);
        }
        if let Some(pool) = step.soak {
            let Change { moved, over, left } = self.take(target, pool, arrival.amount);
            arrival.amount = over;
            arrival.soaked += moved;
            if moved > 0.0 {
                emit!(self, Soaked { target, step: step.id, pool, amount: moved, left });
            }
        }
        if step.stops {
            (arrival.amount, arrival.stopped) = (0.0, Some(step.id));
            return Ok(StepResult::Stopped);
        }
        Ok(StepResult::Applied)
    }

    /// Whether a step applies. If the trace needs every formula or a number is not finite, the formula itself is
    /// evaluated; it makes the same draw and gives the same answer.
    #[inline]
    fn passes(&mut self, step: &StepCode, frame: &Frame, amount: f64) -> FightResult<bool> {
        let at = |operand: Operand| self.state.numbers.at(frame.index(operand));
        let (site, p) = match step.gate {
            StepGate::Open => return Ok(true),
            StepGate::Roll(site, a) => (site, at(a)),
            StepGate::RollDifference(site, a, b) => (site, at(a) - at(b)),
            StepGate::Formula(when) => return self.formula_of_step(when, frame, amount).map(|value| value != 0.0),
        };
        if self.wants.detail() || !p.is_finite() {
            let Some(when) = step.when else { return Ok(true) };
            return self.formula_of_step(when, frame, amount).map(|value| value != 0.0);
        }
        Ok(self.chance.chance(frame.stream(site), p))
    }

    #[inline]
    fn changed(&mut self, change: StepChange, formula: FormulaId, frame: &Frame, amount: f64) -> FightResult<f64> {
        let at = |operand: Operand| self.state.numbers.at(frame.index(operand));
        let value = match change {
            StepChange::Keep => return Ok(amount),
            StepChange::Scale(a) => amount * at(a),
            StepChange::Ratio(a, b) => amount * at(a) / at(b),
            StepChange::Formula => f64::NAN,
        };
        if value.is_finite() && !self.wants.detail() {
            return Ok(value);
        }
        self.formula_of_step(formula, frame, amount)
    }

    #[inline(never)]
    fn formula_of_step(&mut self, formula: FormulaId, frame: &Frame, amount: f64) -> FightResult<f64> {
        self.state.numbers.set_local(Layout::AMOUNT, amount);
        self.number(formula, frame)
    }

    pub(super) fn pool_effect(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        effect: &PoolEffect,
    ) -> FightResult<()> {
        let frame = self.frame(by.caster, target);
        let amount = (self.number(effect.amount, &frame)? * by.part).larger(0.0);
        let amount = self.program.rounding.apply(amount);
        let pool = effect.pool;
        match effect.kind {
            PoolEffectKind::Restore => self.restore(by, target, pool, amount),
            PoolEffectKind::Drain(share) => {
                let Change { moved: taken, over, left } = self.take(target, pool, amount);
                let EffectContext { caster, source, .. } = *by;
                if taken > 0.0 {
                    self.state.who_mut(target).hurt_by = Some((caster, source));
                }
                emit!(self, Drained { caster, target, source, pool, taken, over, left });
                // An ability in flight arrives after the defeat of its caster, but gives it nothing.
                if let Some(share) = share.filter(|_| self.state.stands(caster)) {
                    let share = self.positive(share, &frame)?;
                    self.restore(by, caster, pool, taken * share);
                }
            }
        }
        Ok(())
    }
}
