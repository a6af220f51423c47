//! A hit or a heal on its way through the steps.

use super::Provider;
use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, StepResult};
use super::pools::Change;
use crate::program::{
    AbilityId, CombatantId, Frame, HitOp, Layout, LinkedHit, PoolEffect, PoolEffectKind, PoolId, StepCode, StepId,
    StepsEffect, StreamId,
};

/// What came out at the end of the steps.
struct Arrival {
    initial: f64,
    amount: f64,
    stopped: Option<StepId>,
    marks: u64,
}

/// Whose outcome it is: the caster, the ability with its place among all of all combatants, and the
/// number of the outcome within it.
#[derive(Clone, Copy)]
pub(super) struct By {
    pub(super) caster: CombatantId,
    pub(super) ability: AbilityId,
    pub(super) place: usize,
    pub(super) number: usize,
}

impl<C: Provider, O: Observer> Engine<'_, C, O> {
    #[inline]
    pub(super) fn hit(&mut self, by: By, target: CombatantId, effect: &StepsEffect) -> Outcome<()> {
        let setup = self.setup;
        let linked = if O::DETAIL { None } else { setup.linked_hits.get(by.place, by.number, target) };
        if let Some(linked) = linked.filter(|_| self.state.relinked.is_none()) {
            let arrival = self.linked_way(linked, target);
            let change = self.take_at(linked.into as usize, target, effect.pool, arrival.amount);
            self.tell_hit(by, target, effect, &arrival, &change);
            return Ok(());
        }
        let arrival = self.way(by, target, effect, false)?;
        let change = self.take(target, effect.pool, arrival.amount);
        self.tell_hit(by, target, effect, &arrival, &change);
        Ok(())
    }

    #[inline(always)]
    fn tell_hit(&mut self, by: By, target: CombatantId, effect: &StepsEffect, arrival: &Arrival, change: &Change) {
        if change.moved > 0.0 {
            self.state.actors[target.index()].hurt_by = Some((by.caster, by.ability));
        }
        self.tell(Event::Hit {
            caster: by.caster,
            target,
            ability: by.ability,
            damage_type: effect.damage_type,
            pool: effect.pool,
            initial: arrival.initial,
            amount: arrival.amount,
            dealt: change.moved,
            over: change.over,
            left: change.left,
            stopped: arrival.stopped,
            marks: arrival.marks,
        });
    }

    #[inline(never)]
    pub(super) fn heal(&mut self, by: By, target: CombatantId, effect: &StepsEffect) -> Outcome<()> {
        let Arrival { initial, amount, stopped, .. } = self.way(by, target, effect, true)?;
        let Change { moved: healed, over, left } = self.add(target, effect.pool, amount);
        let By { caster, ability, .. } = by;
        self.tell(Event::Healed {
            caster,
            target,
            ability,
            pool: effect.pool,
            initial,
            amount,
            healed,
            over,
            left,
            stopped,
        });
        Ok(())
    }

    /// The way from the amount to what arrives: worked out beforehand where that was possible.
    #[inline(never)]
    fn way(&mut self, by: By, target: CombatantId, effect: &StepsEffect, heal: bool) -> Outcome<Arrival> {
        if !O::DETAIL {
            let setup = self.setup;
            if self.state.relinked.is_none()
                && let Some(linked) = setup.linked_hits.get(by.place, by.number, target)
            {
                return Ok(self.linked_way(linked, target));
            }
            if let Some(arrival) = self.relinked_way(by, target) {
                return Ok(arrival);
            }
        }
        self.through(by.caster, target, effect, heal)
    }

    #[inline(never)]
    fn relinked_way(&mut self, by: By, target: CombatantId) -> Option<Arrival> {
        let hits = self.state.relinked.take()?;
        let arrival = hits.get(by.place, by.number, target).map(|linked| self.linked_way(linked, target));
        self.state.relinked = Some(hits);
        arrival
    }

    #[inline]
    fn linked_way(&mut self, linked: &LinkedHit, target: CombatantId) -> Arrival {
        let mut initial = linked.amount;
        if let Some((spread, stream)) = linked.spread {
            initial *= 1.0 + spread * (2.0 * self.chance.uniform(StreamId(stream)) - 1.0);
        }
        initial = initial.max(0.0);
        let mut arrival = Arrival { initial, amount: initial, stopped: None, marks: 0 };
        let mut at = 0;
        while let Some(op) = linked.ops.get(at) {
            at += 1;
            match *op {
                HitOp::Chance { stream, p, skip } => {
                    if !self.chance.chance(StreamId(stream), p) {
                        at += skip as usize;
                    }
                }
                HitOp::Mark(marks) => arrival.marks |= marks,
                HitOp::Scale(a) => arrival.amount = (arrival.amount * a).max(0.0),
                HitOp::ScaleOver(a, b) => arrival.amount = (arrival.amount * a / b).max(0.0),
                HitOp::Soak(step, pool, first) => self.soak(step, pool, first as usize, target, &mut arrival),
                HitOp::Stop(step) => {
                    (arrival.amount, arrival.stopped) = (0.0, Some(step));
                    break;
                }
            }
        }
        arrival.amount = self.program.rounding.apply(arrival.amount);
        arrival
    }

    /// Sends an amount through its steps. Each sees what the one before it left; none leaves less
    /// than nothing.
    #[inline(never)]
    fn through(
        &mut self,
        caster: CombatantId,
        target: CombatantId,
        effect: &StepsEffect,
        heal: bool,
    ) -> Outcome<Arrival> {
        let frame = Frame::new(self.program, caster, target, effect.damage_type.0, self.state.now.micros());
        let initial = self.initial(effect, &frame)?;
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

    #[inline(always)]
    fn soak(&mut self, step: StepId, pool: PoolId, first: usize, target: CombatantId, arrival: &mut Arrival) {
        let Change { moved, over, left } = self.take_at(first, target, pool, arrival.amount);
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
    fn step(
        &mut self,
        step: &StepCode,
        target: CombatantId,
        frame: &Frame,
        arrival: &mut Arrival,
    ) -> Outcome<StepResult> {
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
            let first = self.program.place(target, self.program.layout.pool(pool));
            self.soak(step.id, pool, first, target, arrival);
        }
        if step.stops {
            arrival.amount = 0.0;
            arrival.stopped = Some(step.id);
            return Ok(StepResult::Stopped);
        }
        Ok(StepResult::Applied)
    }

    #[inline(never)]
    pub(super) fn pool_effect(
        &mut self,
        caster: CombatantId,
        target: CombatantId,
        ability: AbilityId,
        effect: &PoolEffect,
    ) -> Outcome<()> {
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
