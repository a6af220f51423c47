//! Applying statuses: what a second application does, and why one can fail.

use super::engine::{Engine, Outcome};
use super::event::{Applied, Event, Observer, StatusRefusal};
use super::held::{Instance, ticks_within};
use super::outcomes::By;
use super::triggers::{Cause, Pending};
use crate::program::{
    Again, Chance, CombatantId, Frame, Layout, LostReason, StackTimer, StatusId, StatusPlan, StreamId, Time,
    TriggerEvent,
};

/// Shortest time between two ticks.
pub(super) const LEAST_PERIOD: Time = Time(1_000);

/// An application: how many stacks, and for how long.
#[derive(Clone, Copy)]
pub(super) struct Dose {
    pub(super) stacks: u32,
    /// Seconds in place of the status's own duration; infinite for one without end.
    pub(super) duration: Option<f64>,
}

/// An application that is on its way: stacks, and the duration after all that changes it.
#[derive(Clone, Copy)]
struct Portion {
    stacks: u32,
    duration: Time,
}

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// Applies a status; whether it is there now because of that.
    pub(super) fn inflict(&mut self, by: &By, target: CombatantId, status: StatusId, dose: Dose) -> Outcome<bool> {
        let saved = self.state.memory.locals();
        let done = self.try_inflict(by, target, status, dose);
        self.state.memory.set_locals(&saved);
        match done? {
            None => Ok(true),
            Some(reason) => {
                self.tell(Event::StatusRefused { caster: by.caster, target, status, reason });
                Ok(false)
            }
        }
    }

    fn try_inflict(
        &mut self,
        by: &By,
        target: CombatantId,
        status: StatusId,
        dose: Dose,
    ) -> Outcome<Option<StatusRefusal>> {
        let program = self.program;
        let plan = program.status(status);
        if !self.state.actors[target].stands {
            return Ok(Some(StatusRefusal::Fallen));
        }
        if let Some(by) = self.immunity(target, plan) {
            return Ok(Some(StatusRefusal::Immune { by }));
        }
        let frame = Frame::new(program, by.caster, target, 0, self.state.now.micros());
        for (local, value) in [(Layout::STACKS, f64::from(dose.stacks)), (Layout::TICK, 0.0), (Layout::ELAPSED, 0.0)] {
            self.state.memory.set_local(local, value);
        }
        if let Some((resist, site)) = plan.resist {
            let chance = self.number(resist, &frame)?;
            if self.chance.chance(frame.stream(site), chance) {
                return Ok(Some(StatusRefusal::Resisted));
            }
        }
        let mut duration = match (dose.duration, plan.duration) {
            (Some(seconds), _) => Time::from_seconds(seconds),
            (None, Some(formula)) => Time::from_seconds(self.positive(formula, &frame)?),
            (None, None) => Time::NEVER,
        };
        match self.diminished(target, plan) {
            Some(0.0) => return Ok(Some(StatusRefusal::Diminished)),
            Some(factor) if duration < Time::NEVER => duration = Time((duration.0 as f64 * factor).round() as u64),
            _ => {}
        }
        let portion = Portion { stacks: dose.stacks, duration };
        let same = |held: &Instance| held.status == status && (!plan.per_caster || held.caster == by.caster);
        let existing = match plan.again {
            Again::Separate => None,
            _ => self.state.statuses[target.index()].iter().position(same),
        };
        let refusal = match existing {
            Some(index) => self.apply_again(by, target, index, portion, &frame)?,
            None => self.apply_new(by, target, status, portion, &frame, Applied::New)?,
        };
        if refusal.is_none() {
            self.count_for_diminishing(target, plan);
        }
        Ok(refusal)
    }

    /// What makes a combatant immune to a status: one of its own, or (`None`) its character.
    fn immunity(&self, target: CombatantId, plan: &StatusPlan) -> Option<Option<StatusId>> {
        if plan.tag_ids.is_empty() {
            return None;
        }
        let any = |immune: &[u16]| immune.iter().any(|tag| plan.tag_ids.contains(tag));
        let character = self.setup.combatants[target.index()].character;
        if any(&self.program.characters[character.index()].immune) {
            return Some(None);
        }
        let held = &self.state.statuses[target.index()];
        held.iter().find(|one| any(&self.program.status(one.status).immune)).map(|one| Some(one.status))
    }

    /// The factor of the duration after repeated statuses of the same tag.
    fn diminished(&self, target: CombatantId, plan: &StatusPlan) -> Option<f64> {
        let groups = self.program.diminish.iter().enumerate();
        let mut factors = groups.filter(|(_, group)| plan.tag_ids.contains(&group.tag)).map(|(index, group)| {
            let (count, last) = self.state.diminished[target.index() * self.program.diminish.len() + index];
            let count = if self.state.now > last + group.window { 0 } else { count as usize };
            group.steps.get(count).or(group.steps.last()).copied().unwrap_or(1.0)
        });
        let first = factors.next()?;
        Some(factors.fold(first, f64::min))
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
        by: &By,
        target: CombatantId,
        status: StatusId,
        portion: Portion,
        frame: &Frame,
        applied: Applied,
    ) -> Outcome<Option<StatusRefusal>> {
        let Portion { stacks, duration } = portion;
        let program = self.program;
        let plan = program.status(status);
        if plan.again == Again::Separate {
            let mine = |held: &&Instance| held.status == status && (!plan.per_caster || held.caster == by.caster);
            let there = self.state.statuses[target.index()].iter().filter(mine).count();
            if there >= plan.max_instances as usize {
                return Ok(Some(StatusRefusal::Full));
            }
        }
        let now = self.state.now;
        let mut one = self.state.spare.pop().unwrap_or_else(|| Instance::roomy(program));
        one.status = status;
        one.caster = by.caster;
        one.serial = self.state.next_serial;
        self.state.next_serial += 1;
        (one.started, one.rhythm, one.beats, one.ticks_made, one.warned) = (now, now, 0, 0, false);
        (one.full, one.ends, one.period, one.ticks) = (duration, now + duration, Time::ZERO, 0.0);
        one.held = 0;
        one.stack_ends.clear();
        if plan.again == Again::Stack && plan.stack_timer == StackTimer::Each {
            one.stacks = 0;
            one.renew_stacks(stacks, plan.max_stacks, now + duration);
        } else {
            one.stacks = stacks.min(plan.max_stacks);
        }
        if let Some(every) = &plan.every {
            let period = Time::from_seconds(self.positive(every.period, frame)?);
            one.period = period.max(LEAST_PERIOD);
            one.ticks = ticks_within(every, duration, one.period);
        }
        one.rank = match plan.rank {
            Some(rank) => self.number(rank, frame)?,
            None => 0.0,
        };
        self.state.memory.set_local(Layout::TICKS, one.ticks);
        self.state.memory.set_local(Layout::STACKS, f64::from(one.stacks));
        self.state.memory.set_local(Layout::REMAINING, super::held::seconds_left(one.ends, now));
        one.kept.clear();
        for kept in &plan.kept {
            let value = self.number(*kept, frame)?;
            one.kept.push(value);
        }
        one.triggers.clear();
        one.triggers.extend(plan.triggers.iter().map(|trigger| (Time::ZERO, trigger.uses.unwrap_or(u32::MAX))));
        one.schedule(plan, now);
        let (serial, stacks) = (one.serial, one.stacks);
        self.state.statuses[target.index()].push(one);
        let until = now + duration;
        let until = (until < Time::NEVER).then_some(until);
        let total = self.state.stack_counts(target, status) as u32;
        self.tell(Event::StatusGained { caster: by.caster, target, status, stacks, total, until, applied });
        self.status_changed(target, status)?;
        if plan.every.as_ref().is_some_and(|every| every.first_now) {
            self.state.enqueue(Pending::own(target, serial, Cause::Tick));
        }
        self.reached(target, serial, plan, 0, stacks);
        self.raise_of(TriggerEvent::Gained, target, serial, Some(by.caster), None);
        self.raise_status(TriggerEvent::StatusGained, target, status, by.caster, None);
        if plan.interrupts {
            self.interrupt(target, by)?;
        }
        Ok(None)
    }

    /// What a second application does while the first lasts.
    fn apply_again(
        &mut self,
        by: &By,
        target: CombatantId,
        index: usize,
        portion: Portion,
        frame: &Frame,
    ) -> Outcome<Option<StatusRefusal>> {
        let Portion { stacks, duration } = portion;
        let program = self.program;
        let now = self.state.now;
        let (status, before) = {
            let one = &self.state.statuses[target.index()][index];
            (one.status, one.stacks)
        };
        let plan = program.status(status);
        let applied = match plan.again {
            Again::Keep => return Ok(Some(StatusRefusal::There)),
            Again::Replace => {
                self.lose(target, index, LostReason::Replaced)?;
                return self.apply_new(by, target, status, portion, frame, Applied::Replaced);
            }
            Again::Strongest => {
                let rank = match plan.rank {
                    Some(rank) => self.number(rank, frame)?,
                    None => 0.0,
                };
                if rank <= self.state.statuses[target.index()][index].rank {
                    return Ok(Some(StatusRefusal::Weaker));
                }
                self.lose(target, index, LostReason::Replaced)?;
                return self.apply_new(by, target, status, portion, frame, Applied::Replaced);
            }
            Again::Extend => {
                let most = match plan.longest {
                    Some(longest) => now + Time::from_seconds(self.positive(longest, frame)?),
                    None => Time::NEVER,
                };
                let one = &mut self.state.statuses[target.index()][index];
                one.ends = (one.ends + duration).min(most).max(one.ends.min(most));
                Applied::Extended
            }
            Again::Refresh | Again::Separate => {
                self.state.statuses[target.index()][index].ends = now + duration;
                Applied::Renewed
            }
            Again::Stack => {
                let one = &mut self.state.statuses[target.index()][index];
                match plan.stack_timer {
                    StackTimer::Each => one.renew_stacks(stacks, plan.max_stacks, now + duration),
                    timer => {
                        one.stacks = one.stacks.saturating_add(stacks).min(plan.max_stacks);
                        if timer == StackTimer::Refresh {
                            one.ends = now + duration;
                        }
                    }
                }
                Applied::Stacked
            }
        };
        self.renewed(by, target, index, before, duration, applied)
    }

    /// After a status that is there has been applied again.
    fn renewed(
        &mut self,
        by: &By,
        target: CombatantId,
        index: usize,
        before: u32,
        duration: Time,
        applied: Applied,
    ) -> Outcome<Option<StatusRefusal>> {
        let program = self.program;
        let now = self.state.now;
        let one = &mut self.state.statuses[target.index()][index];
        let (status, serial, stacks) = (one.status, one.serial, one.stacks);
        let plan = program.status(status);
        (one.full, one.warned) = (duration, false);
        let restarts = plan.every.as_ref().filter(|every| every.restart);
        if restarts.is_some() {
            (one.rhythm, one.beats) = (now, 0);
        }
        one.schedule(plan, now);
        let until = (one.end() < Time::NEVER).then_some(one.ends);
        let total = self.state.stack_counts(target, status) as u32;
        self.tell(Event::StatusGained { caster: by.caster, target, status, stacks, total, until, applied });
        self.status_changed(target, status)?;
        if restarts.is_some_and(|every| every.first_now) {
            self.state.enqueue(Pending::own(target, serial, Cause::Tick));
        }
        self.reached(target, serial, plan, before, stacks);
        self.raise_of(TriggerEvent::Renewed, target, serial, Some(by.caster), None);
        if plan.interrupts {
            self.interrupt(target, by)?;
        }
        Ok(None)
    }

    /// What answers to a number of stacks being reached.
    fn reached(&mut self, target: CombatantId, serial: u32, plan: &StatusPlan, before: u32, now: u32) {
        for (number, trigger) in plan.triggers.iter().enumerate() {
            let reached = before < trigger.stacks && trigger.stacks <= now;
            if trigger.event == TriggerEvent::StacksReached && reached {
                self.state.enqueue(Pending::own(target, serial, Cause::Trigger(number as u16)));
            }
        }
        if before < plan.max_stacks && now == plan.max_stacks && (!plan.at_max.is_empty() || plan.consume) {
            self.state.enqueue(Pending::own(target, serial, Cause::AtMax));
        }
    }

    /// A chance that belongs to a combatant, at a place of the ruleset.
    #[inline]
    pub(super) fn stream_of(&self, who: CombatantId, site: crate::program::SiteId) -> StreamId {
        StreamId(u32::from(who.0) * self.program.sites.len() as u32 + site.0)
    }
}
