//! Applying statuses: further applications, and reasons for failure.

use super::super::engine::{Engine, FightResult, emit};
use super::super::events::{Applied, Prevention};
use super::super::limits::FightErrorKind;
use super::super::state::record::{MOST, Record, Rhythm, seconds_left, ticks_within};
use super::super::state::{Cause, EffectContext};
use crate::numbers::{Extremes, Whole};
use crate::program::{
    CombatantId, EveryPlan, Frame, LEAST_PERIOD, Layout, LostReason, Pace, Reapply, StackTimer, StatusId, StatusPlan,
    Time, TriggerEvent,
};

/// An application: the number of stacks and the duration.
#[derive(Clone, Copy)]
pub(in crate::fight) struct Dose {
    pub(in crate::fight) stacks: u32,
    /// Seconds that replace the duration of the status; infinite for none.
    pub(in crate::fight) duration: Option<f64>,
}

/// An application in progress: stacks, and the duration after all modifications.
#[derive(Clone, Copy)]
struct Portion {
    stacks: u32,
    duration: Time,
}

impl Engine<'_> {
    /// Applies a status; returns whether the target has it because of that.
    #[inline]
    pub(in crate::fight) fn apply(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        status: StatusId,
        dose: Dose,
    ) -> FightResult<bool> {
        self.apply_if(by, target, status, dose, true)
    }

    /// The same, optionally without resistance.
    pub(in crate::fight) fn apply_if(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        status: StatusId,
        dose: Dose,
        can_resist: bool,
    ) -> FightResult<bool> {
        let saved = self.state.numbers.locals();
        let done = self.try_apply(by, target, status, dose, can_resist);
        self.state.numbers.set_locals(&saved);
        match done? {
            None => Ok(true),
            Some(reason) => {
                emit!(self, StatusPrevented { caster: by.caster, target, status, reason });
                Ok(false)
            }
        }
    }

    fn try_apply(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        status: StatusId,
        dose: Dose,
        can_resist: bool,
    ) -> FightResult<Option<Prevention>> {
        let plan = self.program.status(status);
        if !self.state.stands(target) {
            return Ok(Some(Prevention::Defeated));
        }
        if let Some(by) = self.immunity(target, plan) {
            return Ok(Some(Prevention::Immune { by }));
        }
        let frame = self.frame(by.caster, target);
        for (local, value) in [(Layout::STACKS, f64::from(dose.stacks)), (Layout::TICK, 0.0), (Layout::ELAPSED, 0.0)] {
            self.state.numbers.set_local(local, value);
        }
        if let Some((resist, site)) = plan.resist.filter(|_| can_resist) {
            let chance = self.number(resist, &frame)?;
            if self.chance.chance(frame.stream(site), chance) {
                return Ok(Some(Prevention::Resisted));
            }
        }
        let mut duration = match (dose.duration, plan.duration) {
            (Some(seconds), _) => Time::from_seconds(seconds),
            (None, Some(formula)) => Time::from_seconds(self.positive(formula, &frame)?),
            (None, None) => Time::NEVER,
        };
        match self.diminished(target, plan) {
            Some(0.0) => return Ok(Some(Prevention::Diminished)),
            Some(factor) if duration < Time::NEVER => {
                duration = Time((duration.0 as f64 * factor).nearest_whole() as u64)
            }
            _ => {}
        }
        let portion = Portion { stacks: dose.stacks, duration };
        let existing = match plan.reapply {
            Reapply::Separate => None,
            _ => self.mine(by, target, status, plan),
        };
        let reason = match existing {
            Some(index) => self.reapply(by, index, portion, &frame)?,
            None => self.apply_new(by, target, status, portion, &frame, Applied::New)?,
        };
        if reason.is_none() {
            self.count_for_diminishing(target, plan);
        }
        Ok(reason)
    }

    /// The existing instance that a further application affects.
    fn mine(&self, by: &EffectContext, target: CombatantId, status: StatusId, plan: &StatusPlan) -> Option<u32> {
        let statuses = &self.state.statuses;
        let mine = |index: &u32| !plan.per_caster || statuses.get(*index).caster == by.caster;
        statuses.of_kind(target, status).find(mine)
    }

    /// The source of a combatant's immunity to a status: one of its statuses, or its character (`None`).
    fn immunity(&self, target: CombatantId, plan: &StatusPlan) -> Option<Option<StatusId>> {
        if plan.tag_ids.is_empty() {
            return None;
        }
        let any = |immune: &[u16]| immune.iter().any(|tag| plan.tag_ids.contains(tag));
        if any(&self.plan_of(target).immune) {
            return Some(None);
        }
        let mut held = self.state.statuses.of(target).map(|index| self.state.statuses.get(index).status);
        held.find(|status| any(&self.program.status(*status).immune)).map(Some)
    }

    /// The factor of the duration after repeated statuses with the same tag.
    fn diminished(&self, target: CombatantId, plan: &StatusPlan) -> Option<f64> {
        let groups = self.program.diminish.iter().enumerate();
        let mut factors = groups.filter(|(_, group)| plan.tag_ids.contains(&group.tag)).map(|(index, group)| {
            let (count, last) = self.state.diminished[target.index() * self.program.diminish.len() + index];
            let count = if self.state.now > last + group.window { 0 } else { count as usize };
            group.steps.get(count).or(group.steps.last()).copied().unwrap_or(1.0)
        });
        let first = factors.next()?;
        Some(factors.fold(first, f64::smaller))
    }

    fn count_for_diminishing(&mut self, target: CombatantId, plan: &StatusPlan) {
        let groups = self.program.diminish.len();
        for (index, group) in self.program.diminish.iter().enumerate() {
            if plan.tag_ids.contains(&group.tag) {
                let (count, last) = &mut self.state.diminished[target.index() * groups + index];
                *count = if self.state.now > *last + group.window { 1 } else { *count + 1 };
                *last = self.state.now;
            }
        }
    }

    fn apply_new(
        &mut self,
        by: &EffectContext,
        target: CombatantId,
        status: StatusId,
        Portion { stacks, duration }: Portion,
        frame: &Frame,
        applied: Applied,
    ) -> FightResult<Option<Prevention>> {
        let plan = self.program.status(status);
        if plan.reapply == Reapply::Separate {
            let statuses = &self.state.statuses;
            let mine = |index: &u32| !plan.per_caster || statuses.get(*index).caster == by.caster;
            if statuses.of_kind(target, status).filter(mine).count() >= plan.max_instances as usize {
                return Ok(Some(Prevention::Full));
            }
        }
        let now = self.state.now;
        let ends = now + duration;
        let mut record = Record::default();
        (record.status, record.owner, record.caster) = (status, target, by.caster);
        (record.side, record.stacks) = (self.side_of(by.caster), stacks.min(plan.max_stacks));
        (record.started, record.full, record.ends) = (now, duration, ends);
        let mut fresh = Rhythm { begins: now, ..Rhythm::default() };
        if let Some(every) = &plan.every {
            fresh.period = self.period_of(every, plan, duration, frame)?;
            fresh.ticks = ticks_within(every.first_now, duration, fresh.period);
        }
        let rank = plan.rank.map_or(Ok(0.0), |rank| self.number(rank, frame))?;
        self.state.numbers.set_local(Layout::TICKS, fresh.ticks);
        self.state.numbers.set_local(Layout::STACKS, f64::from(record.stacks));
        self.state.numbers.set_local(Layout::REMAINING, seconds_left(ends, now));
        if self.state.statuses.is_full() {
            return Err(self.error(FightErrorKind::Statuses { most: MOST }));
        }
        let index = self.state.statuses.add(record, plan);
        self.state.statuses.set_rhythm(index, plan, |rhythm| *rhythm = fresh);
        self.state.statuses.set_rank(index, plan, rank);
        if plan.reapply == Reapply::Stack && plan.stack_timer == StackTimer::Each {
            self.add_ends(index, stacks, plan, ends)?;
        }
        for (number, kept) in plan.kept.iter().enumerate() {
            let value = self.number(*kept, frame)?;
            self.state.statuses.keep(index, plan, number, value);
        }
        for (number, trigger) in plan.triggers.iter().enumerate() {
            let uses = trigger.uses.unwrap_or(u32::MAX);
            self.state.statuses.set_trigger(index, plan, number, Time::ZERO, uses);
        }
        if plan.holds_while.is_some() {
            self.watch_condition(index);
        }
        self.schedule(index);
        let stacks = self.state.statuses.get(index).stacks;
        let until = (ends < Time::NEVER).then_some(ends);
        let total = self.state.statuses.stacks(target, status);
        emit!(self, StatusGained { caster: by.caster, target, status, stacks, total, until, applied });
        self.status_changed(target, status)?;
        if plan.every.as_ref().is_some_and(|every| every.first_now) {
            self.enqueue_for(index, Cause::Tick, None);
        }
        self.reached(index, 0);
        self.raise_of(TriggerEvent::Gained, index, by.caster);
        self.raise_status(TriggerEvent::StatusGained, target, status, by.caster, None);
        if plan.interrupts {
            self.interrupt(target, by)?;
        }
        Ok(None)
    }

    /// Adds stacks with individual end times.
    fn add_ends(&mut self, index: u32, stacks: u32, plan: &StatusPlan, ends: Time) -> FightResult<()> {
        if self.state.statuses.add_ends(index, stacks, plan.max_stacks, ends) {
            Ok(())
        } else {
            Err(self.error(FightErrorKind::Statuses { most: MOST }))
        }
    }

    /// Microseconds between two ticks: the period of the status, or its duration divided by its number of ticks. A held
    /// status without an end ticks as if it had its own duration.
    pub(in crate::fight) fn period_of(
        &mut self,
        every: &EveryPlan,
        plan: &StatusPlan,
        duration: Time,
        frame: &Frame,
    ) -> FightResult<f64> {
        let seconds = match every.pace {
            Pace::Period(period) => self.positive(period, frame)?,
            Pace::Ticks(ticks) => {
                let lasts = match plan.duration.filter(|_| duration >= Time::NEVER) {
                    Some(own) => self.positive(own, frame)?,
                    None => duration.seconds(),
                };
                lasts / f64::from(ticks)
            }
        };
        Ok(seconds.larger(LEAST_PERIOD) * 1e6)
    }

    /// Applies a status again while the first instance lasts. A permanent status stays permanent.
    fn reapply(
        &mut self,
        by: &EffectContext,
        index: u32,
        portion: Portion,
        frame: &Frame,
    ) -> FightResult<Option<Prevention>> {
        let Portion { stacks, duration } = portion;
        let now = self.state.now;
        let record = *self.state.statuses.get(index);
        let Record { status, owner, stacks: before, ends: ended, .. } = record;
        let plan = self.program.status(status);
        let for_good = ended >= Time::NEVER && !record.is_held();
        let renewed = if for_good { ended } else { now + duration };
        let applied = match plan.reapply {
            Reapply::Keep => return Ok(Some(Prevention::Held)),
            Reapply::Replace | Reapply::Strongest => {
                if plan.reapply == Reapply::Strongest {
                    let rank = plan.rank.map_or(Ok(0.0), |rank| self.number(rank, frame))?;
                    if rank <= self.state.statuses.rank(index, plan) {
                        return Ok(Some(Prevention::Weaker));
                    }
                }
                self.lose(index, LostReason::Replaced)?;
                let duration = if for_good { Time::NEVER } else { duration };
                return self.apply_new(by, owner, status, Portion { stacks, duration }, frame, Applied::Replaced);
            }
            Reapply::Extend => {
                let most = match plan.longest {
                    Some(longest) => now + Time::from_seconds(self.positive(longest, frame)?),
                    None => Time::NEVER,
                };
                self.state.statuses.get_mut(index).ends = (ended + duration).min(most).max(ended);
                Applied::Extended
            }
            // A shorter one changes nothing.
            Reapply::Longest if renewed <= ended => return Ok(Some(Prevention::Weaker)),
            Reapply::Refresh | Reapply::Separate | Reapply::Longest => {
                self.state.statuses.get_mut(index).ends = renewed;
                Applied::Renewed
            }
            Reapply::Stack => {
                match plan.stack_timer {
                    StackTimer::Each => self.add_ends(index, stacks, plan, renewed)?,
                    timer => {
                        let record = self.state.statuses.get_mut(index);
                        record.stacks = record.stacks.saturating_add(stacks).min(plan.max_stacks);
                        if timer == StackTimer::Refresh {
                            record.ends = renewed;
                        }
                    }
                }
                Applied::Stacked
            }
        };
        self.renewed(by, index, before, duration, applied)?;
        Ok(None)
    }

    /// Follow-up of a renewed application.
    fn renewed(
        &mut self,
        by: &EffectContext,
        index: u32,
        before: u32,
        duration: Time,
        applied: Applied,
    ) -> FightResult<()> {
        let now = self.state.now;
        let record = self.state.statuses.get_mut(index);
        let (target, status, stacks) = (record.owner, record.status, record.stacks);
        let plan = self.program.status(status);
        record.full = duration;
        record.set_warned(false);
        let restarts = plan.every.as_ref().filter(|every| every.restart);
        let until = (record.end() < Time::NEVER).then_some(record.ends);
        if restarts.is_some() {
            self.state.statuses.set_rhythm(index, plan, |rhythm| (rhythm.begins, rhythm.passed) = (now, 0));
        }
        self.schedule(index);
        let total = self.state.statuses.stacks(target, status);
        emit!(self, StatusGained { caster: by.caster, target, status, stacks, total, until, applied });
        self.status_changed(target, status)?;
        if restarts.is_some_and(|every| every.first_now) {
            self.enqueue_for(index, Cause::Tick, None);
        }
        self.reached(index, before);
        self.raise_of(TriggerEvent::Renewed, index, by.caster);
        if plan.interrupts {
            self.interrupt(target, by)?;
        }
        Ok(())
    }

    /// Raises triggers for reaching a number of stacks, from below or above.
    pub(super) fn reached(&mut self, index: u32, before: u32) {
        let record = self.state.statuses.get(index);
        let (plan, now) = (self.program.status(record.status), record.stacks);
        if before == now {
            return;
        }
        for (number, trigger) in plan.triggers.iter().enumerate() {
            let least = before.min(now);
            let most = before.max(now);
            // From below, a number is reached when the count equals or exceeds it; from above likewise.
            let reached = if before < now {
                least < trigger.stacks && trigger.stacks <= most
            } else {
                least <= trigger.stacks && trigger.stacks < most
            };
            if trigger.event == TriggerEvent::StacksReached && reached {
                self.enqueue_for(index, Cause::Trigger(number as u16), None);
            }
        }
        if before < plan.max_stacks && now == plan.max_stacks && (!plan.at_max.is_empty() || plan.consume) {
            self.enqueue_for(index, Cause::AtMax, None);
        }
    }
}
