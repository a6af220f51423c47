//! Triggers of statuses. Triggered actions wait in a queue until the current action is complete, so that no effect is
//! interrupted by what it triggers.

use super::super::engine::{Engine, FightResult, emit};
use super::super::limits::FightErrorKind;
use super::super::state::record::StatusRef;
use super::super::state::{Cause, EffectContext, Pending};
use crate::program::{
    AbilityId, CombatantId, Effect, Layout, LostReason, PoolId, StatusId, Time, TriggerEvent, TriggerPlan,
};
use crate::rules::Subject;

/// The details of an event by which a trigger can be narrowed down.
#[derive(Clone, Copy, Default)]
pub(in crate::fight) struct TriggerContext {
    pub(in crate::fight) other: Option<CombatantId>,
    pub(in crate::fight) amount: f64,
    pub(in crate::fight) marks: u64,
    pub(in crate::fight) status: Option<StatusId>,
    pub(in crate::fight) reason: Option<LostReason>,
    pub(in crate::fight) ability: Option<AbilityId>,
    /// A pool, and the shares between which it has moved.
    pub(in crate::fight) moved: Option<(PoolId, f64, f64)>,
}

impl TriggerContext {
    #[inline]
    fn fits(&self, trigger: &TriggerPlan) -> bool {
        let crosses = |(pool, share): (PoolId, f64)| {
            self.moved.is_some_and(|(moved, from, to)| {
                // The pool reaches or passes the share, starting from the other side.
                let crossed = if trigger.event == TriggerEvent::PoolBelow {
                    from > share && to <= share
                } else {
                    from < share && to >= share
                };
                moved == pool && crossed
            })
        };
        let among = |only: &Option<Vec<StatusId>>| {
            only.as_ref().is_none_or(|only| self.status.is_some_and(|status| only.contains(&status)))
        };
        let by = |only: &Option<Vec<AbilityId>>| {
            only.as_ref().is_none_or(|only| self.ability.is_some_and(|ability| only.contains(&ability)))
        };
        among(&trigger.status)
            && trigger.reason.is_none_or(|only| self.reason == Some(only))
            && by(&trigger.ability)
            && trigger.crossing.is_none_or(crosses)
    }
}

/// Events that only changes of pools can raise.
pub(in crate::fight) const CROSSINGS: u32 = (1 << TriggerEvent::PoolBelow as u8) | (1 << TriggerEvent::PoolAbove as u8);

/// The maximum number of triggers in one moment, as a multiple of the maximum chain length.
const BREADTH: u64 = 100;

/// The number of recently triggered statuses that are remembered to name an endless chain.
const REMEMBERED: usize = 16;

impl Engine<'_> {
    /// Whether any status can be triggered by events of a combatant.
    #[inline]
    pub(in crate::fight) fn listens(&self, who: CombatantId) -> bool {
        self.state.who(who).listens | self.state.watches != 0
    }

    /// Raises an event of `owner`: its statuses may be triggered.
    #[inline]
    pub(in crate::fight) fn raise(&mut self, event: TriggerEvent, owner: CombatantId, how: TriggerContext) {
        if self.state.who(owner).listens & event.bit() != 0 {
            self.raise_all(event, owner, owner, how, Subject::has_owner);
        }
        if self.state.watches & event.bit() != 0 {
            self.raise_for_others(event, owner, how);
        }
    }

    /// The same for statuses of others, in the order of tie-breaks.
    #[inline(never)]
    fn raise_for_others(&mut self, event: TriggerEvent, subject: CombatantId, how: TriggerContext) {
        for rank in 0..self.state.order.len() {
            let watcher = self.state.order[rank];
            if watcher == subject || self.state.who(watcher).watches & event.bit() == 0 {
                continue;
            }
            let ally = self.side_of(watcher) == self.side_of(subject);
            self.raise_all(event, watcher, subject, how, |of| match of {
                Subject::Owner => false,
                Subject::Others | Subject::Allies => ally,
                Subject::Enemies => !ally,
                Subject::Anyone => true,
            });
        }
    }

    /// For a trigger that watches others, the subject of the event is the other combatant.
    #[inline(never)]
    fn raise_all(
        &mut self,
        event: TriggerEvent,
        owner: CombatantId,
        subject: CombatantId,
        how: TriggerContext,
        of: impl Fn(Subject) -> bool,
    ) {
        let state = &mut *self.state;
        for index in state.statuses.of(owner) {
            let plan = self.program.status(state.statuses.get(index).status);
            if (plan.listens | plan.watches) & event.bit() == 0 {
                continue;
            }
            for (number, trigger) in plan.triggers.iter().enumerate() {
                if trigger.event != event || !of(trigger.of) || !how.fits(trigger) {
                    continue;
                }
                let (ready, left) = state.statuses.trigger(index, plan, number);
                if left > 0 && ready <= state.now {
                    state.queue.push_back(Pending {
                        owner,
                        status: state.statuses.reference(index),
                        cause: Cause::Trigger(number as u16),
                        other: if trigger.of == Subject::Owner { how.other } else { Some(subject) },
                        amount: how.amount,
                        marks: how.marks,
                        depth: state.depth,
                    });
                }
            }
        }
    }

    /// Raises an event of a single instance.
    pub(super) fn raise_of(&mut self, event: TriggerEvent, index: u32, other: CombatantId) {
        let plan = self.program.status(self.state.statuses.get(index).status);
        if plan.listens & event.bit() == 0 {
            return;
        }
        for (number, trigger) in plan.triggers.iter().enumerate() {
            if trigger.event == event {
                self.enqueue_for(index, Cause::Trigger(number as u16), Some(other));
            }
        }
    }

    /// Raises the event that a combatant gained or lost a status.
    pub(super) fn raise_status(
        &mut self,
        event: TriggerEvent,
        owner: CombatantId,
        status: StatusId,
        caster: CombatantId,
        reason: Option<LostReason>,
    ) {
        let how = TriggerContext { other: Some(caster), status: Some(status), reason, ..TriggerContext::default() };
        self.raise(event, owner, how);
    }

    /// Queues an action of an instance.
    pub(super) fn enqueue_for(&mut self, index: u32, cause: Cause, other: Option<CombatantId>) {
        let status = self.state.statuses.reference(index);
        let owner = self.state.statuses.get(index).owner;
        self.enqueue(Pending { owner, status, cause, other, amount: 0.0, marks: 0, depth: 0 });
    }

    pub(super) fn enqueue(&mut self, pending: Pending) {
        let depth = self.state.depth;
        self.state.queue.push_back(Pending { depth, ..pending });
    }

    /// Carries out all queued actions, and those that they trigger.
    #[inline]
    pub(in crate::fight) fn respond(&mut self) -> FightResult<()> {
        if self.state.queue.is_empty() && !self.state.statuses.any_leaving() { Ok(()) } else { self.respond_to_all() }
    }

    #[inline(never)]
    fn respond_to_all(&mut self) -> FightResult<()> {
        while let Some(pending) = self.state.queue.pop_front() {
            self.state.depth = pending.depth + 1;
            self.respond_to(pending)?;
        }
        self.state.depth = 0;
        self.state.statuses.forget();
        Ok(())
    }

    fn respond_to(&mut self, pending: Pending) -> FightResult<()> {
        let Pending { status, cause, .. } = pending;
        match cause {
            Cause::Tick => self.state.statuses.find(status).map_or(Ok(()), |index| self.first_tick(index)),
            // An action for reached stacks is carried out even if the stacks have changed since.
            Cause::AtMax => self.state.statuses.find_any(status).map_or(Ok(()), |index| self.complete(index, status)),
            Cause::Trigger(number) => self.respond_to_trigger(pending, number as usize),
        }
    }

    /// A tick at the start. A status whose condition is false ends in this moment, without that tick.
    fn first_tick(&mut self, index: u32) -> FightResult<()> {
        if self.condition_of(index)?.is_some_and(|(holds, _)| !holds) { Ok(()) } else { self.tick(index, 1.0) }
    }

    /// Whether a queued action revives a combatant.
    pub(in crate::fight) fn revival_waits(&self) -> bool {
        let revives = |pending: &Pending| {
            let Cause::Trigger(number) = pending.cause else { return false };
            let Some(index) = self.state.statuses.find_any(pending.status) else { return false };
            let plan = self.program.status(self.state.statuses.get(index).status);
            plan.triggers[usize::from(number)].does.iter().any(|effect| matches!(effect.effect, Effect::Revive(_)))
        };
        self.program.revives && self.state.queue.iter().any(revives)
    }

    /// The maximum of stacks has been reached. Its effects are the owner's.
    fn complete(&mut self, index: u32, instance: StatusRef) -> FightResult<()> {
        let record = self.state.statuses.get(index);
        let (owner, status, caster) = (record.owner, record.status, record.caster);
        let plan = self.program.status(status);
        self.remember(status)?;
        self.load(index);
        self.effects(&EffectContext::of_status(owner, status, owner, caster), owner, &plan.at_max)?;
        match self.state.statuses.find(instance).filter(|_| plan.consume) {
            Some(index) => self.lose(index, LostReason::Consumed),
            None => Ok(()),
        }
    }

    fn respond_to_trigger(&mut self, pending: Pending, number: usize) -> FightResult<()> {
        let Pending { owner, status: instance, other, amount, marks, .. } = pending;
        let Some(index) = self.state.statuses.find_any(instance) else { return Ok(()) };
        let record = self.state.statuses.get(index);
        let (status, caster) = (record.status, record.caster);
        let program = self.program;
        let plan = program.status(status);
        let trigger = &plan.triggers[number];
        let now = self.state.now;
        let (ready, left) = self.state.statuses.trigger(index, plan, number);
        if left == 0 || ready > now {
            return Ok(());
        }
        self.load(index);
        self.state.numbers.set_local(Layout::AMOUNT, amount);
        self.state.numbers.set_local(Layout::INITIAL, amount);
        for mark in 0..program.marks.len() as u16 {
            let set = if marks >> mark & 1 == 1 { 1.0 } else { 0.0 };
            self.state.numbers.set_local(Layout::MARKS + mark, set);
        }
        let frame = self.frame(owner, other.unwrap_or(owner));
        if let Some(when) = trigger.when
            && self.number(when, &frame)? == 0.0
        {
            return Ok(());
        }
        if let Some((chance, site)) = trigger.chance {
            let chance = self.number(chance, &frame)?;
            if !self.chance.chance(self.stream_of(owner, site), chance) {
                return Ok(());
            }
        }
        let ready = match trigger.cooldown {
            Some(cooldown) => now + Time::from_seconds(self.positive(cooldown, &frame)?),
            None => Time::ZERO,
        };
        self.state.statuses.set_trigger(index, plan, number, ready, left - 1);
        self.remember(status)?;
        emit!(self, Triggered { who: owner, status, event: trigger.event });
        let aftermath =
            matches!(trigger.event, TriggerEvent::Defeated | TriggerEvent::AllyDefeated | TriggerEvent::EnemyDefeated);
        let by = EffectContext { other, aftermath, ..EffectContext::of_status(owner, status, owner, caster) };
        self.effects(&by, owner, &trigger.does)
    }

    /// Counts a trigger; too many within one moment are an endless chain.
    fn remember(&mut self, status: StatusId) -> FightResult<()> {
        let state = &mut *self.state;
        if state.recent.len() == REMEMBERED {
            state.recent.remove(0);
        }
        state.recent.push(status);
        state.triggered = state.triggered.saturating_add(1);
        // A linear endless chain becomes deep; a branching one becomes wide first.
        if state.depth < self.limits.chain && u64::from(state.triggered) <= u64::from(self.limits.chain) * BREADTH {
            return Ok(());
        }
        let mut statuses = state.recent.clone();
        statuses.sort();
        statuses.dedup();
        Err(self.error(FightErrorKind::Chain { limit: self.limits.chain, statuses }))
    }
}
