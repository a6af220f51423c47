//! A hit or a heal on its way through the steps.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer, StepResult};
use super::filled::{FilledOp, Meeting};
use super::outcomes::By;
use super::pools::Change;
use super::triggers::Circumstance;
use crate::program::{
    Bases, Chance, CombatantId, Frame, HitOp, Layout, PoolEffect, PoolEffectKind, PoolId, QuickHit, QuickOp, Role,
    StatusId, StepCode, StepId, StepsEffect, StreamId, TriggerEvent,
};

/// What came out at the end of the steps.
struct Arrival {
    initial: f64,
    amount: f64,
    stopped: Option<StepId>,
    marks: u64,
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// A hit of which all numbers are known goes its way right here; any other goes the longer way.
    #[inline(always)]
    pub(super) fn hit(&mut self, by: &By, target: CombatantId, effect: &StepsEffect) -> Outcome<()> {
        let Some(quick) = effect.quick.as_ref().filter(|_| !O::DETAIL && by.part == 1.0) else {
            return self.longer_hit(by, target, effect);
        };
        let meeting = Meeting { caster: by.caster, target, effect, quick };
        let place = self.filled.place(&meeting);
        if !self.filled.holds(place, &meeting, self.state, self.setup) {
            return self.longer_hit(by, target, effect);
        }
        let Some(note) = self.filled.get(place) else { return Ok(()) };
        let (mut initial, first) = (note.amount, note.first);
        if note.asks {
            let bases = Bases::new(self.program, by.caster, target);
            initial = self.quick_initial(by.caster, target, effect, quick, &bases)?;
        } else if quick.spread.is_some() {
            initial *= 1.0 + note.spread * (2.0 * self.chance.uniform(note.stream) - 1.0);
        }
        let initial = initial.max(0.0);
        let mut arrival = Arrival { initial, amount: initial, stopped: None, marks: 0 };
        let mut from = 0;
        // Interrupted only by pools that soak, which need more than the note.
        while let Some(note) = self.filled.get(place) {
            let mut soaks = None;
            for op in note.ops.get(from..note.len).unwrap_or_default() {
                from += 1;
                let (amount, step) = match *op {
                    FilledOp::Avoid { stream, p, step } => {
                        if self.chance.chance(stream, p) {
                            (arrival.amount, arrival.stopped) = (0.0, Some(step));
                            break;
                        }
                        continue;
                    }
                    FilledOp::Perhaps { stream, p, marks, factor, step } => {
                        if !self.chance.chance(stream, p) {
                            continue;
                        }
                        arrival.marks |= marks;
                        (arrival.amount * factor, step)
                    }
                    FilledOp::Scale { factor, step } => (arrival.amount * factor, step),
                    FilledOp::ScaleOver { factor, divisor, step } => (arrival.amount * factor / divisor, step),
                    FilledOp::Soak { pool, first, step } => {
                        if !self.state.memory.is_dry(first) {
                            soaks = Some((pool, first, step));
                            break;
                        }
                        continue;
                    }
                };
                if !amount.is_finite() {
                    return self.rest_of_hit(by, target, effect, usize::from(step), arrival);
                }
                arrival.amount = amount.max(0.0);
            }
            let Some((pool, first, step)) = soaks else { break };
            self.soak(step, pool, first, target, &mut arrival);
        }
        arrival.amount = self.program.rounding.apply(arrival.amount);
        self.land(by, target, effect, first, &arrival)
    }

    #[inline(never)]
    pub(super) fn hit_apart(&mut self, by: &By, target: CombatantId, effect: &StepsEffect) -> Outcome<()> {
        self.hit(by, target, effect)
    }

    /// What arrives is taken from the pool at the end of the way.
    #[inline(always)]
    fn land(
        &mut self,
        by: &By,
        target: CombatantId,
        effect: &StepsEffect,
        first: usize,
        arrival: &Arrival,
    ) -> Outcome<()> {
        let change = self.take_at(first, target, effect.pool, arrival.amount);
        self.tell_hit(by, target, effect, arrival, &change);
        if self.program.threat.is_some() {
            self.threaten_by_hit(by, target, change.moved)?;
        }
        if self.listens(target) || self.listens(by.caster) {
            self.raise_hit(by, target, arrival, &change);
        }
        Ok(())
    }

    #[inline(never)]
    fn longer_hit(&mut self, by: &By, target: CombatantId, effect: &StepsEffect) -> Outcome<()> {
        let bases = Bases::new(self.program, by.caster, target);
        let arrival = match &effect.quick {
            Some(quick) if !O::DETAIL && by.part == 1.0 => self.quick_way(by.caster, target, effect, quick, &bases)?,
            _ => self.through(by, target, effect, false)?,
        };
        self.land(by, target, effect, bases.of_target(self.program.layout.pool(effect.pool).0), &arrival)
    }

    #[cold]
    #[inline(never)]
    fn rest_of_hit(
        &mut self,
        by: &By,
        target: CombatantId,
        effect: &StepsEffect,
        from: usize,
        arrival: Arrival,
    ) -> Outcome<()> {
        let arrival = self.rest(by.caster, target, effect, from, true, arrival)?;
        let first = self.program.place(target, self.program.layout.pool(effect.pool));
        self.land(by, target, effect, first, &arrival)
    }

    /// Statuses of both may answer to a hit.
    #[cold]
    fn raise_hit(&mut self, by: &By, target: CombatantId, arrival: &Arrival, change: &Change) {
        let to_caster = Circumstance {
            other: Some(by.caster),
            amount: change.moved,
            marks: arrival.marks,
            ability: by.ability(),
            ..Circumstance::default()
        };
        if arrival.stopped.is_some() {
            self.raise(TriggerEvent::HitAvoided, target, to_caster);
        } else if arrival.amount > 0.0 {
            self.raise(TriggerEvent::HitDealt, by.caster, Circumstance { other: Some(target), ..to_caster });
            self.raise(TriggerEvent::HitTaken, target, to_caster);
        }
    }

    #[inline(always)]
    fn tell_hit(&mut self, by: &By, target: CombatantId, effect: &StepsEffect, arrival: &Arrival, change: &Change) {
        if change.moved > 0.0 {
            self.state.actors[target].hurt_by = Some((by.caster, by.source));
        }
        self.tell(Event::Hit {
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
        });
    }

    #[inline(never)]
    pub(super) fn heal(&mut self, by: &By, target: CombatantId, effect: &StepsEffect) -> Outcome<()> {
        let Arrival { initial, amount, stopped, .. } = self.through(by, target, effect, true)?;
        let Change { moved: healed, over, left } = self.add(target, effect.pool, amount);
        let By { caster, source, .. } = *by;
        self.tell(Event::Healed {
            caster,
            target,
            source,
            pool: effect.pool,
            initial,
            amount,
            healed,
            over,
            left,
            stopped,
        });
        if self.program.threat.is_some() {
            self.threaten_by_heal(by, healed)?;
        }
        let how = Circumstance { other: Some(by.caster), amount: healed, ..Circumstance::default() };
        if stopped.is_none() {
            self.raise(TriggerEvent::HealGiven, by.caster, Circumstance { other: Some(target), ..how });
            self.raise(TriggerEvent::HealTaken, target, how);
        }
        Ok(())
    }

    /// Sends an amount through steps of the commonest kinds. As soon as a number is out of the
    /// ordinary, the careful way takes over.
    #[inline]
    fn quick_way(
        &mut self,
        caster: CombatantId,
        target: CombatantId,
        effect: &StepsEffect,
        quick: &QuickHit,
        bases: &Bases,
    ) -> Outcome<Arrival> {
        let streams = u32::from(caster.0) * self.program.sites.len() as u32;
        let initial = self.quick_initial(caster, target, effect, quick, bases)?;
        let mut arrival = Arrival { initial, amount: initial, stopped: None, marks: 0 };
        let mut next = 0;
        while let Some(QuickOp { op, step }) = quick.ops.get(next) {
            next += 1;
            let at = |operand| self.state.memory.at(bases.index(operand));
            match *op {
                HitOp::If(a, skip) => {
                    if at(a) <= 0.0 {
                        next += usize::from(skip);
                    }
                }
                HitOp::Roll(site, a, skip) => {
                    let p = at(a);
                    if !p.is_finite() {
                        return self.rest(caster, target, effect, usize::from(*step), false, arrival);
                    }
                    if !self.chance.chance(StreamId(streams + site.0), p) {
                        next += usize::from(skip);
                    }
                }
                HitOp::RollLess(site, a, b, skip) => {
                    let p = at(a) - at(b);
                    if !p.is_finite() {
                        return self.rest(caster, target, effect, usize::from(*step), false, arrival);
                    }
                    if !self.chance.chance(StreamId(streams + site.0), p) {
                        next += usize::from(skip);
                    }
                }
                HitOp::Mark(marks) => arrival.marks |= marks,
                HitOp::Scale(a) => {
                    let amount = arrival.amount * at(a);
                    if !amount.is_finite() {
                        return self.rest(caster, target, effect, usize::from(*step), true, arrival);
                    }
                    arrival.amount = amount.max(0.0);
                }
                HitOp::ScaleOver(a, b) => {
                    let amount = arrival.amount * at(a) / at(b);
                    if !amount.is_finite() {
                        return self.rest(caster, target, effect, usize::from(*step), true, arrival);
                    }
                    arrival.amount = amount.max(0.0);
                }
                HitOp::Soak(pool, first) => {
                    let id = effect.steps[usize::from(*step)].id;
                    self.soak(id, pool, bases.of_target(first), target, &mut arrival);
                }
                HitOp::Stop => {
                    (arrival.amount, arrival.stopped) = (0.0, Some(effect.steps[usize::from(*step)].id));
                    break;
                }
            }
        }
        arrival.amount = self.program.rounding.apply(arrival.amount);
        Ok(arrival)
    }

    #[inline(always)]
    fn quick_initial(
        &mut self,
        caster: CombatantId,
        target: CombatantId,
        effect: &StepsEffect,
        quick: &QuickHit,
        bases: &Bases,
    ) -> Outcome<f64> {
        let at = |operand| self.state.memory.at(bases.index(operand));
        if let Some(amount) = quick.amount {
            let amount = at(amount);
            if amount.is_finite() {
                let Some((spread, site)) = quick.spread else { return Ok(amount.max(0.0)) };
                let spread = at(spread);
                if spread.is_finite() {
                    let stream = StreamId(u32::from(caster.0) * self.program.sites.len() as u32 + site.0);
                    return Ok((amount * (1.0 + spread * (2.0 * self.chance.uniform(stream) - 1.0))).max(0.0));
                }
            }
        }
        self.slow_initial(caster, target, effect)
    }

    #[inline(never)]
    fn slow_initial(&mut self, caster: CombatantId, target: CombatantId, effect: &StepsEffect) -> Outcome<f64> {
        let frame = Frame::new(self.program, caster, target, effect.damage_type.0, self.state.now.micros());
        self.initial(effect, &frame)
    }

    /// The careful way for the rest of a hit, from a step that may be known not to be passed by.
    #[cold]
    #[inline(never)]
    fn rest(
        &mut self,
        caster: CombatantId,
        target: CombatantId,
        effect: &StepsEffect,
        from: usize,
        holds: bool,
        arrival: Arrival,
    ) -> Outcome<Arrival> {
        let mut steps = effect.steps[from..].to_vec();
        if holds {
            steps[0].when = None;
        }
        let frame = Frame::new(self.program, caster, target, effect.damage_type.0, self.state.now.micros());
        self.through_steps(target, &steps, &frame, false, arrival)
    }

    /// Sends an amount through its steps. Each sees what the one before it left; none leaves less
    /// than nothing.
    #[inline(never)]
    fn through(&mut self, by: &By, target: CombatantId, effect: &StepsEffect, heal: bool) -> Outcome<Arrival> {
        let frame = Frame::new(self.program, by.caster, target, effect.damage_type.0, self.state.now.micros());
        let initial = self.initial(effect, &frame)? * by.part;
        let arrival = Arrival { initial, amount: initial, stopped: None, marks: 0 };
        self.through_steps(target, &effect.steps, &frame, heal, arrival)
    }

    fn through_steps(
        &mut self,
        target: CombatantId,
        steps: &[StepCode],
        frame: &Frame,
        heal: bool,
        mut arrival: Arrival,
    ) -> Outcome<Arrival> {
        self.state.memory.set_local(Layout::INITIAL, arrival.initial);
        for mark in 0..self.program.marks.len() as u16 {
            self.state.memory.set_local(Layout::MARKS + mark, if arrival.marks >> mark & 1 == 1 { 1.0 } else { 0.0 });
        }
        for step in steps {
            if !self.has_owner(step, frame) {
                continue;
            }
            let before = arrival.amount;
            self.state.memory.set_local(Layout::AMOUNT, before);
            let result = self.step(step, target, frame, &mut arrival)?;
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

    /// Whether a step is everybody's, or that of a status which is there.
    fn has_owner(&self, step: &StepCode, frame: &Frame) -> bool {
        let stacks = |(role, status): (Role, StatusId)| {
            self.state.memory.at(frame.base(role) + self.program.layout.stacks(status).index())
        };
        step.owned.is_none_or(|owned| stacks(owned) > 0.0)
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
    pub(super) fn pool_effect(&mut self, by: &By, target: CombatantId, effect: &PoolEffect) -> Outcome<()> {
        let frame = Frame::new(self.program, by.caster, target, 0, self.state.now.micros());
        let amount = (self.number(effect.amount, &frame)? * by.part).max(0.0);
        let amount = self.program.rounding.apply(amount);
        let pool = effect.pool;
        match effect.kind {
            PoolEffectKind::Restore => self.restore(by, target, pool, amount),
            PoolEffectKind::Drain(share) => {
                let Change { moved: taken, over, left } = self.take(target, pool, amount);
                let By { caster, source, .. } = *by;
                if taken > 0.0 {
                    self.state.actors[target].hurt_by = Some((caster, source));
                }
                self.tell(Event::Drained { caster, target, source, pool, taken, over, left });
                if let Some(share) = share {
                    let share = self.positive(share, &frame)?;
                    self.restore(by, caster, pool, taken * share);
                }
            }
        }
        Ok(())
    }

    pub(super) fn restore(&mut self, by: &By, target: CombatantId, pool: PoolId, amount: f64) {
        let Change { moved: gained, over, left } = self.add(target, pool, amount);
        let By { caster, source, .. } = *by;
        self.tell(Event::Restored { caster, target, source, pool, gained, over, left });
    }
}
