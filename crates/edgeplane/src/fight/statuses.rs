//! Statuses as time passes: ticks, ends, removal, and what follows from a change.

use super::engine::{Engine, Outcome};
use super::event::{Event, Observer};
use super::held::{Beat, Held};
use super::outcomes::By;
use super::pools::CROSSINGS;
use super::state::{Doing, State};
use super::timeline::{Phase, Timer};
use super::triggers::Cause;
use crate::program::{Chance, CombatantId, Frame, InHand, LostReason, PoolId, StatusId, Time, TriggerEvent, dirty};

impl<C: Chance, O: Observer> Engine<'_, C, O> {
    /// What is due now to the statuses of a combatant, ticks or ends.
    pub(super) fn status_timer(&mut self, who: CombatantId, phase: Phase) -> Outcome<()> {
        let mut due = std::mem::take(&mut self.state.scratch.due);
        due.clear();
        let now = Beat::of(self.state.now, phase);
        due.extend(self.state.statuses[who.index()].iter().filter(|one| one.next <= now).map(|one| one.serial));
        for serial in due.drain(..) {
            // What one brings about can take away the next.
            let Some(index) = self.state.held(who, serial) else { continue };
            if self.state.statuses[who.index()][index].next > now {
                continue;
            }
            if phase == Phase::Tick { self.beat(who, index)? } else { self.end_of(who, index)? }
        }
        self.state.scratch.due = due;
        self.schedule_statuses(who);
        Ok(())
    }

    /// A tick is due, or the announcement of the end.
    fn beat(&mut self, who: CombatantId, index: usize) -> Outcome<()> {
        let now = self.state.now;
        let program = self.program;
        let one = &mut self.state.statuses[who.index()][index];
        let plan = program.status(one.status);
        let (status, serial) = (one.status, one.serial);
        let is_beat = one.next_beat().is_some_and(|at| at <= now);
        if plan.warn.is_some_and(|warn| !one.warned && one.end() < Time::NEVER && one.ends - warn <= now) {
            one.warned = true;
            let until = one.ends;
            self.tell(Event::StatusExpiring { target: who, status, until });
        }
        if is_beat {
            let one = &mut self.state.statuses[who.index()][index];
            one.beats += 1;
            self.tick(who, index, 1.0)?;
        }
        if let Some(index) = self.state.held(who, serial) {
            self.state.statuses[who.index()][index].schedule(plan, now);
        }
        Ok(())
    }

    /// One tick, or a part of one.
    pub(super) fn tick(&mut self, who: CombatantId, index: usize, part: f64) -> Outcome<()> {
        let program = self.program;
        let one = &mut self.state.statuses[who.index()][index];
        one.ticks_made += 1;
        let (status, caster, tick) = (one.status, one.caster, one.ticks_made);
        let plan = program.status(status);
        self.tell(Event::StatusTicked { target: who, caster, status, tick });
        if plan.changes_by_tick != 0 {
            self.refresh_attributes(who, plan.changes_by_tick)?;
        }
        let Some(every) = &plan.every else { return Ok(()) };
        let now = self.state.now;
        let State { statuses, memory, .. } = &mut *self.state;
        statuses[who.index()][index].load(memory, now);
        let by = By { part, ..By::of_status(caster, status, who, caster) };
        self.bring_all(&by, who, &every.does)
    }

    /// An end is due: of a stack, of all of it, or of what it depends on.
    fn end_of(&mut self, who: CombatantId, index: usize) -> Outcome<()> {
        let now = self.state.now;
        let program = self.program;
        let one = &mut self.state.statuses[who.index()][index];
        let plan = program.status(one.status);
        let (status, serial) = (one.status, one.serial);
        if one.next_end() > now {
            self.look_whether_it_holds(who, index)?;
            if let Some(index) = self.state.held(who, serial) {
                self.state.statuses[who.index()][index].schedule(plan, now);
            }
            return Ok(());
        }
        if one.ends > now {
            one.stack_ends.retain(|end| *end > now);
            one.stacks = one.stack_ends.len() as u32;
            one.schedule(plan, now);
            let stacks = one.stacks;
            let total = self.state.stack_counts(who, status) as u32;
            self.tell(Event::StatusStacks { target: who, status, stacks, total });
            return self.status_changed(who, status);
        }
        let part = one.part();
        if plan.every.as_ref().is_some_and(|every| every.part_tick) && part > 0.0 && part < 1.0 {
            self.tick(who, index, part)?;
        }
        match self.state.held(who, serial) {
            // What it did last can have given it more time.
            Some(index) if self.state.statuses[who.index()][index].ends <= now => {
                self.lose(who, index, LostReason::Expired)
            }
            Some(index) => {
                self.state.statuses[who.index()][index].schedule(plan, now);
                Ok(())
            }
            None => Ok(()),
        }
    }

    fn look_whether_it_holds(&mut self, who: CombatantId, index: usize) -> Outcome<()> {
        let one = &self.state.statuses[who.index()][index];
        let Some(holds) = self.program.status(one.status).holds_while else { return Ok(()) };
        let frame = Frame::new(self.program, one.caster, who, 0, self.state.now.micros());
        let now = self.state.now;
        let saved = self.state.memory.locals();
        let State { statuses, memory, .. } = &mut *self.state;
        statuses[who.index()][index].load(memory, now);
        let holds = self.quiet_number(holds, &frame);
        self.state.memory.set_locals(&saved);
        if holds? == 0.0 { self.lose(who, index, LostReason::NotHolding) } else { Ok(()) }
    }

    /// Statuses that hold only under a condition end as soon as it is false.
    pub(super) fn look_at_conditions(&mut self) -> Outcome<()> {
        for rank in 0..self.state.order.len() {
            let who = self.state.order[rank];
            let mut index = 0;
            while index < self.state.statuses[who.index()].len() {
                let before = self.state.statuses[who.index()].len();
                self.look_whether_it_holds(who, index)?;
                index += usize::from(self.state.statuses[who.index()].len() == before);
            }
        }
        Ok(())
    }

    /// Takes a status away.
    pub(super) fn lose(&mut self, who: CombatantId, index: usize, reason: LostReason) -> Outcome<()> {
        let one = self.state.statuses[who.index()].remove(index);
        let (status, caster, serial, stacks) = (one.status, one.caster, one.serial, one.stacks);
        let plan = self.program.status(status);
        // What answers to its loss still has to be asked what it kept.
        self.state.leaving.push(one);
        self.state.waiting = true;
        let total = self.state.stack_counts(who, status) as u32;
        self.tell(Event::StatusLost { target: who, caster, status, stacks, total, reason });
        self.status_changed(who, status)?;
        if plan.listens & TriggerEvent::Lost.bit() != 0 {
            for (number, trigger) in plan.triggers.iter().enumerate() {
                let fits = trigger.event == TriggerEvent::Lost && trigger.reason.is_none_or(|only| only == reason);
                if fits {
                    let cause = Cause::Trigger(number as u16);
                    self.state.enqueue(super::triggers::Pending::of(who, serial, cause, Some(caster)));
                }
            }
        }
        self.raise_status(TriggerEvent::StatusLost, who, status, caster, Some(reason));
        Ok(())
    }

    /// Takes all instances of a status away; whether there was one.
    pub(super) fn remove_all(&mut self, status: StatusId, who: CombatantId) -> Outcome<bool> {
        let mut any = false;
        while let Some(index) = self.state.statuses[who.index()].iter().position(|one| one.status == status) {
            self.lose(who, index, LostReason::Cleansed)?;
            any = true;
        }
        self.answer()?;
        Ok(any)
    }

    /// After a status has come, gone or changed its stacks: everything that hangs on it follows.
    pub(super) fn status_changed(&mut self, who: CombatantId, status: StatusId) -> Outcome<()> {
        let program = self.program;
        let plan = program.status(status);
        let layout = &program.layout;
        let stacks = self.state.stack_counts(who, status);
        self.state.new_version(who);
        self.state.memory.set(program.place(who, layout.stacks(status)), stacks);
        for tag in &plan.tag_ids {
            let with = |one: &&super::held::Instance| program.status(one.status).tag_ids.contains(tag);
            let count = self.state.statuses[who.index()].iter().filter(with).count();
            self.state.memory.set(program.place(who, layout.tagged(*tag)), count as f64);
        }
        if plan.binds {
            self.refresh_control(who);
        }
        self.schedule_statuses(who);
        let changed = program.counted(status);
        if self.setup.asked_statuses & changed != 0 {
            self.wake_askers(changed);
        }
        self.refresh_attributes(who, plan.changes)
    }

    /// Whoever's conditions ask for one of these statuses or tags looks again.
    fn wake_askers(&mut self, changed: u64) {
        for who in self.setup.ids() {
            if self.setup.linked[who.index()].watch.statuses & changed != 0 {
                self.forget_conditions(who);
                self.look_again(who);
            }
        }
    }

    /// What statuses forbid their owner, and which events they answer to.
    fn refresh_control(&mut self, who: CombatantId) {
        let (mut act, mut tags, mut listens, mut conditions, mut rooted) = (None, 0, 0, false, false);
        let mut taunted = false;
        for one in &self.state.statuses[who.index()] {
            let brief = self.program.brief(one.status);
            if brief.forbids_act && act.is_none() {
                act = Some(one.status);
            }
            tags |= brief.forbids_tags;
            rooted |= brief.forbids_move;
            taunted |= brief.taunts;
            listens |= brief.listens;
            conditions |= brief.conditional;
        }
        let actor = &mut self.state.actors[who];
        let was_bound = actor.bound;
        let freed = std::mem::replace(&mut actor.rooted, rooted) && !rooted;
        (actor.forbids_act, actor.forbids_tags, actor.listens) = (act, tags, listens);
        actor.bound = act.is_some() || tags != 0 || taunted || actor.led;
        let turned = std::mem::replace(&mut actor.taunted, taunted) || taunted;
        // Whatever pool it is, somebody may listen.
        let own = if listens & CROSSINGS != 0 || actor.led { u64::MAX } else { actor.watch };
        actor.alert = own | self.setup.watched | self.setup.defeating;
        self.state.conditions |= conditions;
        if rooted {
            self.stand_still(who);
        }
        if was_bound || turned || (freed && self.setup.is_placed) {
            self.look_again(who);
        }
    }

    /// An idle combatant looks again at the end of this wave.
    pub(super) fn look_again(&mut self, who: CombatantId) {
        let actor = &self.state.actors[who];
        if actor.doing == Doing::Idle && actor.stands && !actor.by_hand && self.state.began {
            self.will_choose(who);
        }
    }

    /// Sets the timer for what happens next to the statuses of a combatant.
    pub(super) fn schedule_statuses(&mut self, who: CombatantId) {
        let soonest = self.state.statuses[who.index()].iter().map(|one| one.next).min();
        let rank = self.state.actors[who].rank;
        match soonest {
            Some(next) if next.at() < Time::NEVER => {
                self.state.timeline.set(who, rank, Timer::Status, next.at().max(self.state.now), next.phase());
            }
            _ => self.state.timeline.clear(who, Timer::Status),
        }
    }

    /// Computes anew what hangs on the `dirty` attributes: other attributes, caps and flows of pools,
    /// times and costs of abilities.
    pub(super) fn refresh_attributes(&mut self, who: CombatantId, dirty: u64) -> Outcome<()> {
        if dirty == 0 {
            return Ok(());
        }
        let changed = self.compute_attributes(who, dirty)? | dirty & dirty::bit(crate::program::Layout::LEVEL);
        if changed == 0 {
            return Ok(());
        }
        let program = self.program;
        let plan = &program.characters[self.setup.combatants[who.index()].character.index()];
        self.state.new_version(who);
        for (index, pool) in program.pools.iter().enumerate() {
            if plan.pools[index] && pool.reads & changed != 0 {
                self.follow_cap(who, PoolId(index as u16))?;
            }
        }
        self.refresh_in_hand(who, changed);
        self.forget_conditions(who);
        if self.setup.is_placed || self.setup.linked[who.index()].lines.iter().any(|line| line.when.is_some()) {
            self.look_again(who);
        }
        Ok(())
    }

    fn compute_attributes(&mut self, who: CombatantId, dirty: u64) -> Outcome<u64> {
        let plan = &self.program.characters[self.setup.combatants[who.index()].character.index()];
        let saved = self.state.memory.locals();
        let State { memory, statuses, base_changes, now, .. } = &mut *self.state;
        let held = Held { instances: &statuses[who.index()], now: *now };
        let changed = self.program.compute_attributes(plan, memory, who, base_changes, &held, dirty);
        self.state.memory.set_locals(&saved);
        changed.map_err(|fault| self.fault(fault))
    }

    /// Attributes, times and costs of one of whom all else is known already.
    pub(super) fn derive_again(&mut self, who: CombatantId, dirty: u64) -> Outcome<()> {
        let changed = self.compute_attributes(who, dirty)?;
        if changed != 0 {
            self.refresh_in_hand(who, changed);
        }
        Ok(())
    }

    fn refresh_in_hand(&mut self, who: CombatantId, changed: u64) {
        let linked = &self.setup.linked[who.index()];
        let character = self.setup.combatants[who.index()].character;
        let abilities = &self.program.characters[character.index()].abilities;
        for (place, ability) in (linked.first as usize..).zip(abilities) {
            if self.program.ability(*ability).reads & changed != 0 {
                let memory = &mut self.state.memory;
                let hand = self.program.ability_in_hand(*ability, who, linked, memory);
                let InHand { ready, had, .. } = self.state.in_hand[place];
                self.state.in_hand[place] = InHand { ready, had, ..hand };
            }
        }
    }
}

impl State {
    /// The place of a status among those of its owner.
    pub(super) fn held(&self, who: CombatantId, serial: u32) -> Option<usize> {
        // They stand in the order in which they came, which is that of their numbers.
        self.statuses[who.index()].binary_search_by_key(&serial, |one| one.serial).ok()
    }

    /// All stacks of a status on a combatant.
    pub(super) fn stack_counts(&self, who: CombatantId, status: StatusId) -> f64 {
        let of = self.statuses[who.index()].iter().filter(|one| one.status == status);
        // Not `sum`, of which nothing comes to -0.
        of.fold(0.0, |all, one| all + f64::from(one.stacks))
    }
}
