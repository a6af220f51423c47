//! A hit or a heal on its way through the steps.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, StepResult};
use super::pools::Change;
use crate::program::{
    AbilityId, CombatantId, FormulaId, Frame, Layout, PoolEffect, PoolEffectKind, PoolId, QuickAmount, QuickWhen, StepCode, StepId,
    StepsEffect, over,
};

/// What came out at the end of the steps.
struct Arrival {
    initial: f64,
    amount: f64,
    stopped: Option<StepId>,
    marks: u64,
}

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    #[inline]
    pub(super) fn hit(&mut self, caster: CombatantId, target: CombatantId, ability: AbilityId, effect: &StepsEffect) -> Outcome<()> {
        let arrival = self.through(caster, target, effect, false)?;
        let change = self.take(target, effect.pool, arrival.amount);
        if change.moved > 0.0 {
            self.state.actors[target.index()].hurt_by = Some((caster, ability));
        }
        let Arrival { initial, amount, stopped, marks } = arrival;
        self.tell(Event::Hit {
            caster,
            target,
            ability,
            damage_type: effect.damage_type,
            pool: effect.pool,
            initial,
            amount,
            dealt: change.moved,
            over: change.over,
            left: change.left,
            stopped,
            marks,
        });
        Ok(())
    }

    pub(super) fn heal(&mut self, caster: CombatantId, target: CombatantId, ability: AbilityId, effect: &StepsEffect) -> Outcome<()> {
        let Arrival { initial, amount, stopped, .. } = self.through(caster, target, effect, true)?;
        let Change { moved: healed, over, left } = self.add(target, effect.pool, amount);
        self.tell(Event::Healed { caster, target, ability, pool: effect.pool, initial, amount, healed, over, left, stopped });
        Ok(())
    }

    /// Sends an amount through its steps. Each sees what the one before it left; none leaves less
    /// than nothing.
    #[inline]
    fn through(
        &mut self,
        caster: CombatantId,
        target: CombatantId,
        effect: &StepsEffect,
        heal: bool,
    ) -> Outcome<Arrival> {
        let frame = Frame::new(self.program, caster, target, effect.damage_type.0, self.state.now.micros());
        let initial = self.initial(effect, &frame)?;
        if effect.quick && !O::DETAIL {
            return self.through_quickly(initial, target, effect, &frame);
        }
        self.state.memory.set_local(Layout::INITIAL, initial);
        for mark in 0..self.program.marks.len() as u16 {
            self.state.memory.set_local(Layout::MARKS + mark, 0.0);
        }
        let mut arrival = Arrival { initial, amount: initial, stopped: None, marks: 0 };
        for step in &effect.steps {
            let before = arrival.amount;
            self.state.memory.set_local(Layout::AMOUNT, before);
            let result = self.step(step, target, &frame, &mut arrival)?;
            if O::DETAIL {
                self.tell(Event::Stepped { step: step.id, heal, before, after: arrival.amount, result });
            }
            if arrival.stopped.is_some() {
                break;
            }
        }
        arrival.amount = self.program.rounding.apply(arrival.amount);
        Ok(arrival)
    }

    /// The same for steps that ask for nothing but their own operands: the amount stays in hand.
    #[inline]
    fn through_quickly(&mut self, initial: f64, target: CombatantId, effect: &StepsEffect, frame: &Frame) -> Outcome<Arrival> {
        let mut arrival = Arrival { initial, amount: initial, stopped: None, marks: 0 };
        for step in &effect.steps {
            if !self.applies(step, frame)? {
                continue;
            }
            if let Some(mark) = step.mark {
                arrival.marks |= 1 << mark;
            }
            let at = |operand| self.state.memory.at(frame.index(operand));
            let amount = match step.quick_amount {
                QuickAmount::Scale(a) => arrival.amount * at(a),
                QuickAmount::ScaleOver(a, b) => over(arrival.amount * at(a), at(b)),
                QuickAmount::Same | QuickAmount::Ask(_) => arrival.amount,
            };
            if !amount.is_finite() {
                self.state.memory.set_local(Layout::AMOUNT, arrival.amount);
            }
            arrival.amount = if amount.is_finite() { amount } else { self.ask_again(step.amount, frame)? }.max(0.0);
            if let Some(pool) = step.soak {
                self.soak(step.id, pool, target, &mut arrival);
            }
            if step.stops {
                (arrival.amount, arrival.stopped) = (0.0, Some(step.id));
                break;
            }
        }
        arrival.amount = self.program.rounding.apply(arrival.amount);
        Ok(arrival)
    }

    #[inline(always)]
    fn applies(&mut self, step: &StepCode, frame: &Frame) -> Outcome<bool> {
        let at = |operand| self.state.memory.at(frame.index(operand));
        let (site, p) = match step.quick_when {
            QuickWhen::Always | QuickWhen::Ask(_) => return Ok(true),
            QuickWhen::Roll(site, a) => (site, at(a)),
            QuickWhen::RollLess(site, a, b) => (site, at(a) - at(b)),
        };
        if p.is_finite() {
            return Ok(self.chance.chance(frame.stream(site), p));
        }
        Ok(self.ask_again(step.when, frame)? != 0.0)
    }

    /// What had no value in the quick way is looked at closely.
    #[cold]
    fn ask_again(&mut self, formula: Option<FormulaId>, frame: &Frame) -> Outcome<f64> {
        formula.map_or(Ok(0.0), |formula| self.number(formula, frame))
    }

    #[inline(always)]
    fn soak(&mut self, step: StepId, pool: PoolId, target: CombatantId, arrival: &mut Arrival) {
        let Change { moved, over, left } = self.take(target, pool, arrival.amount);
        arrival.amount = over;
        if moved > 0.0 {
            self.tell(Event::Soaked { target, step, pool, amount: moved, left });
        }
    }

    #[inline]
    fn initial(&mut self, effect: &StepsEffect, frame: &Frame) -> Outcome<f64> {
        let mut amount = self.number(effect.amount, frame)?;
        if let Some((spread, site)) = effect.spread {
            let spread = self.number(spread, frame)?;
            let drawn = self.chance.uniform(frame.stream(site));
            amount *= 1.0 + spread * (2.0 * drawn - 1.0);
        }
        Ok(amount.max(0.0))
    }

    #[inline]
    fn step(&mut self, step: &StepCode, target: CombatantId, frame: &Frame, arrival: &mut Arrival) -> Outcome<StepResult> {
        if let Some(when) = step.when
            && self.number(when, frame)? == 0.0
        {
            return Ok(StepResult::Passed);
        }
        if let Some(mark) = step.mark {
            arrival.marks |= 1 << mark;
            self.state.memory.set_local(Layout::MARKS + mark, 1.0);
        }
        if let Some(amount) = step.amount {
            arrival.amount = self.number(amount, frame)?.max(0.0);
        }
        if let Some(pool) = step.soak {
            self.soak(step.id, pool, target, arrival);
        }
        if step.stops {
            arrival.amount = 0.0;
            arrival.stopped = Some(step.id);
            return Ok(StepResult::Stopped);
        }
        Ok(StepResult::Applied)
    }

    pub(super) fn pool_effect(&mut self, caster: CombatantId, target: CombatantId, ability: AbilityId, effect: &PoolEffect) -> Outcome<()> {
        let frame = Frame::new(self.program, caster, target, 0, self.state.now.micros());
        let amount = self.number(effect.amount, &frame)?.max(0.0);
        let amount = self.program.rounding.apply(amount);
        let pool = effect.pool;
        match effect.kind {
            PoolEffectKind::Restore => self.restore(caster, target, ability, pool, amount),
            PoolEffectKind::Drain(share) => {
                let Change { moved: taken, over, left } = self.take(target, pool, amount);
                if taken > 0.0 {
                    self.state.actors[target.index()].hurt_by = Some((caster, ability));
                }
                self.tell(Event::Drained { caster, target, ability, pool, taken, over, left });
                if let Some(share) = share {
                    let share = self.positive(share, &frame)?;
                    self.restore(caster, caster, ability, pool, taken * share);
                }
            }
        }
        Ok(())
    }

    fn restore(&mut self, caster: CombatantId, target: CombatantId, ability: AbilityId, pool: PoolId, amount: f64) {
        let Change { moved: gained, over, left } = self.add(target, pool, amount);
        self.tell(Event::Restored { caster, target, ability, pool, gained, over, left });
    }
}
