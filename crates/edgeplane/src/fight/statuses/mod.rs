//! Statuses over time: ticks, ends, conditions, removal, and the consequences of changes.

pub(super) mod apply;
pub(super) mod triggers;

use super::engine::{Engine, FightResult, emit};
use super::state::statuses::HeldBy;
use super::state::timers::Phase;
use super::state::{Cause, EffectContext, Pending};
use crate::program::{CombatantId, Layout, LostReason, PoolId, StatusId, Time, TriggerEvent, dirty};
use triggers::CROSSINGS;

impl Engine<'_> {
    /// Determines the next event of an instance.
    pub(super) fn schedule(&mut self, index: u32) {
        let record = self.state.statuses.get(index);
        let (plan, rank) = (self.program.status(record.status), self.state.who(record.owner).rank);
        self.state.statuses.schedule(index, plan, rank, self.state.now);
    }

    /// Handles the due event of an instance, a tick or an end.
    pub(super) fn status_timer(&mut self, index: u32, phase: Phase) -> FightResult<()> {
        if phase == Phase::Tick { self.tick_or_warn(index) } else { self.end_or_check(index) }
    }

    /// A tick is due, or the announcement of the end.
    fn tick_or_warn(&mut self, index: u32) -> FightResult<()> {
        let now = self.state.now;
        let instance = self.state.statuses.reference(index);
        let record = self.state.statuses.get(index);
        let (target, status) = (record.owner, record.status);
        let plan = self.program.status(status);
        let rhythm = self.state.statuses.rhythm(index, plan);
        let is_tick = rhythm.next_tick(record).is_some_and(|at| at <= now);
        let part = rhythm.part_tick(record, plan).filter(|(at, _)| *at <= now);
        let warn = plan.warn;
        if warn.is_some_and(|warn| !record.is_warned() && record.end() < Time::NEVER && record.ends - warn <= now) {
            let until = record.ends;
            self.state.statuses.get_mut(index).set_warned(true);
            emit!(self, StatusExpiring { target, status, until });
        }
        if is_tick {
            self.state.statuses.set_rhythm(index, plan, |rhythm| rhythm.passed += 1);
            self.tick(index, 1.0)?;
        } else if let Some((_, part)) = part {
            // If the status is prolonged now, the partial tick has already been used.
            self.state.statuses.set_rhythm(index, plan, |rhythm| (rhythm.begins, rhythm.passed) = (now, 0));
            self.tick(index, part)?;
        }
        if let Some(index) = self.state.statuses.find(instance) {
            self.schedule(index);
        }
        Ok(())
    }

    /// Performs one tick, or a part of one.
    pub(super) fn tick(&mut self, index: u32, part: f64) -> FightResult<()> {
        let program = self.program;
        let record = self.state.statuses.get(index);
        let (who, status, caster) = (record.owner, record.status, record.caster);
        let plan = program.status(status);
        let mut tick = 0;
        self.state.statuses.set_rhythm(index, plan, |rhythm| {
            rhythm.made += 1;
            tick = rhythm.made;
        });
        emit!(self, StatusTicked { target: who, caster, status, tick });
        if plan.changes_by_tick != 0 {
            self.refresh_attributes(who, plan.changes_by_tick)?;
        }
        let Some(every) = &plan.every else { return Ok(()) };
        self.load(index);
        let by = EffectContext { part, ..EffectContext::of_status(caster, status, who, caster) };
        self.effects(&by, who, &every.does)
    }

    /// Stores the numbers of a status where its formulas read them.
    pub(super) fn load(&mut self, index: u32) {
        self.state.statuses.load(index, self.program, &mut self.state.numbers, self.state.now);
    }

    /// An end is due: of one stack, of the instance, or of its condition.
    fn end_or_check(&mut self, index: u32) -> FightResult<()> {
        let now = self.state.now;
        let instance = self.state.statuses.reference(index);
        if self.state.statuses.next_end(index) > now {
            self.check_condition(index)?;
            if let Some(index) = self.state.statuses.find(instance) {
                self.schedule(index);
            }
            return Ok(());
        }
        let record = self.state.statuses.get(index);
        if record.ends > now {
            let before = record.stacks;
            self.state.statuses.cut_ended(index, now);
            self.schedule(index);
            return self.stacks_changed(index, before);
        }
        self.lose(index, LostReason::Expired)
    }

    /// Whether the condition of a status holds, and until when without an event; `None` for a status without a
    /// condition.
    pub(super) fn condition_of(&mut self, index: u32) -> FightResult<Option<(bool, Time)>> {
        let record = *self.state.statuses.get(index);
        let Some(holds) = self.program.status(record.status).holds_while else { return Ok(None) };
        let frame = self.frame(record.caster, record.owner);
        let saved = self.state.numbers.locals();
        self.load(index);
        let value = self.quiet_number(holds, &frame);
        let turns = match &value {
            Ok(value) if *value != 0.0 && self.program.status(record.status).holds.time => {
                self.program.next_change(holds, &mut self.state.numbers, &frame)
            }
            _ => Time::NEVER,
        };
        self.state.numbers.set_locals(&saved);
        Ok(Some((value? != 0.0, turns)))
    }

    /// Ends a status whose condition is false; otherwise records until when it stays true.
    fn check_condition(&mut self, index: u32) -> FightResult<()> {
        let Some((holds, turns)) = self.condition_of(index)? else { return Ok(()) };
        if !holds {
            return self.lose(index, LostReason::ConditionEnded);
        }
        let plan = self.program.status(self.state.statuses.get(index).status);
        if self.state.statuses.turns(index, plan) != turns {
            self.state.statuses.set_turns(index, plan, turns);
            self.schedule(index);
        }
        Ok(())
    }

    /// Evaluates the conditions of statuses whose owner or caster has changed.
    pub(super) fn check_conditions(&mut self) -> FightResult<()> {
        let mut next = 0;
        while let Some(index) = self.state.statuses.conditional.get(next).copied() {
            let record = self.state.statuses.get(index);
            let (owner, caster) = (self.state.who(record.owner), self.state.who(record.caster));
            if owner.conditions_changed || caster.conditions_changed {
                self.check_condition(index)?;
            }
            // After an end, an older condition may have become false.
            next = if self.state.statuses.conditional.get(next) == Some(&index) { next + 1 } else { 0 };
        }
        if !self.state.check_conditions {
            self.state.combatants.iter_mut().for_each(|one| one.conditions_changed = false);
        }
        Ok(())
    }

    /// Removes a status.
    pub(super) fn lose(&mut self, index: u32, reason: LostReason) -> FightResult<()> {
        let record = *self.state.statuses.get(index);
        let (who, status, caster, stacks) = (record.owner, record.status, record.caster, record.stacks);
        let plan = self.program.status(status);
        // Triggers of its loss still read its kept values.
        self.state.statuses.detach(index);
        if plan.holds_while.is_some() {
            self.state.statuses.conditional.retain(|other| *other != index);
        }
        let total = self.state.statuses.stacks(who, status);
        emit!(self, StatusLost { target: who, caster, status, stacks, total, reason });
        self.status_changed(who, status)?;
        if plan.listens & TriggerEvent::Lost.bit() != 0 {
            for (number, trigger) in plan.triggers.iter().enumerate() {
                let fits = trigger.event == TriggerEvent::Lost && trigger.reason.is_none_or(|only| only == reason);
                if fits {
                    self.enqueue(Pending {
                        owner: who,
                        status: self.state.statuses.reference(index),
                        cause: Cause::Trigger(number as u16),
                        other: Some(caster),
                        amount: 0.0,
                        marks: 0,
                        depth: 0,
                    });
                }
            }
        }
        self.raise_status(TriggerEvent::StatusLost, who, status, caster, Some(reason));
        Ok(())
    }

    /// Removes all instances of a status; returns whether there was one.
    pub(super) fn remove_all(&mut self, status: StatusId, who: CombatantId) -> FightResult<bool> {
        let mut any = false;
        while let Some(index) = self.state.statuses.oldest(who, status) {
            self.lose(index, LostReason::Cleansed)?;
            any = true;
        }
        self.respond()?;
        Ok(any)
    }

    /// The number of stacks of an instance has changed.
    pub(super) fn stacks_changed(&mut self, index: u32, before: u32) -> FightResult<()> {
        let record = self.state.statuses.get(index);
        let (target, status, stacks) = (record.owner, record.status, record.stacks);
        let total = self.state.statuses.stacks(target, status);
        emit!(self, StatusStacks { target, status, stacks, total });
        self.status_changed(target, status)?;
        self.reached(index, before);
        Ok(())
    }

    /// Updates everything that depends on a status after it was gained, lost, or changed its stacks.
    pub(super) fn status_changed(&mut self, who: CombatantId, status: StatusId) -> FightResult<()> {
        let program = self.program;
        let plan = program.status(status);
        let (mut before, mut stacks) = (0.0, 0.0);
        if let Some(slot) = program.stack_slots[status.index()] {
            let place = program.place(who, slot);
            (before, stacks) = (self.state.numbers.at(place), f64::from(self.state.statuses.stacks(who, status)));
            self.state.numbers.set(place, stacks);
        }
        for (tag, slot) in &plan.counted_tags {
            let count = self.state.statuses.with_tag(program, who, *tag);
            self.state.numbers.set(program.place(who, *slot), count as f64);
        }
        if plan.binds && (before == 0.0 || stacks == 0.0 || plan.taunts || plan.turns) {
            self.refresh_control(who);
        }
        if !plan.abilities.is_empty() && (before == 0.0) != (stacks == 0.0) {
            self.grant_abilities_of(who, status);
        }
        self.slots_changed(who, plan.counted);
        self.refresh_attributes(who, plan.changes)
    }

    /// Updates what statuses forbid their owner, and which events trigger them.
    pub(in crate::fight) fn refresh_control(&mut self, who: CombatantId) {
        let program = self.program;
        let (mut act, mut tags, mut listens, mut watches, mut rooted, mut taunted) = (None, 0, 0, 0, false, false);
        let mut untargetable = self.plan_of(who).untargetable;
        let mut side = self.setup.combatants[who.index()].side;
        for index in self.state.statuses.of(who) {
            let record = self.state.statuses.get(index);
            let status = record.status;
            let plan = program.status(status);
            watches |= plan.watches;
            untargetable = untargetable.max(plan.untargetable);
            if plan.turns {
                // The latest one decides.
                side = record.side;
            }
            if plan.forbids_act && act.is_none() {
                act = Some(status);
            }
            tags |= plan.forbids_tags;
            rooted |= plan.forbids_move;
            taunted |= plan.taunts;
            listens |= plan.listens;
        }
        let setup = self.setup;
        let combatant = self.state.who_mut(who);
        let turned = combatant.forbids_act.is_some() != act.is_some()
            || combatant.forbids_tags != tags
            || combatant.taunted
            || taunted;
        let moves = std::mem::replace(&mut combatant.rooted, rooted) != rooted;
        let goes_elsewhere = moves || combatant.taunted || taunted;
        let crossings = (combatant.listens ^ listens) & CROSSINGS != 0;
        let watched = std::mem::replace(&mut combatant.watches, watches) != watches;
        let seen = std::mem::replace(&mut combatant.untargetable, untargetable) != untargetable;
        let turns = std::mem::replace(&mut combatant.side, side) != side;
        (combatant.forbids_act, combatant.forbids_tags) = (act, tags);
        (combatant.listens, combatant.taunted) = (listens, taunted);
        if crossings {
            combatant.listen_to_pools(setup, who);
        }
        if watched {
            self.refresh_watches();
        }
        if turns {
            self.side_changed(who);
        } else if seen {
            self.targets_changed();
        }
        if rooted && moves {
            self.stand_still(who);
        }
        if turned {
            self.touch_all(who);
        }
        if goes_elsewhere && setup.is_placed {
            self.plan_way(who);
        }
    }

    /// Updates which events concern statuses of other combatants.
    fn refresh_watches(&mut self) {
        let before = self.state.watches;
        self.state.watches = self.state.combatants.iter().fold(0, |bits, one| bits | one.watches);
        let crossings = self.state.watches & CROSSINGS != 0;
        if crossings != (before & CROSSINGS != 0) {
            for who in self.setup.ids() {
                self.state.who_mut(who).watched_crossings = crossings;
                let setup = self.setup;
                self.state.who_mut(who).listen_to_pools(setup, who);
            }
        }
    }

    /// A combatant has changed sides: counts of allies and enemies are computed again.
    fn side_changed(&mut self, who: CombatantId) {
        let side = self.side_of(who);
        let program = self.program;
        self.state.numbers.set(program.place(who, Layout::SIDE), f64::from(side.0));
        emit!(self, SideChanged { who, side });
        self.state.count_heads(self.setup);
        self.state.check_conditions |= !self.state.statuses.conditional.is_empty();
        self.state.combatants.iter_mut().for_each(|one| one.conditions_changed = true);
        self.check_all_edges();
        self.targets_changed();
    }

    /// The possible targets have changed: everyone decides again and changes course if necessary.
    fn targets_changed(&mut self) {
        self.state.rosters.refresh(self.setup, &self.state.combatants);
        for other in self.setup.ids() {
            self.touch_all(other);
            if self.setup.is_placed {
                self.reconsider_goal(other);
            }
        }
    }

    /// Recomputes everything that depends on the `dirty` attributes: other attributes, caps and flows of pools, times
    /// and costs of abilities.
    pub(super) fn refresh_attributes(&mut self, who: CombatantId, dirty: u64) -> FightResult<()> {
        if dirty == 0 {
            return Ok(());
        }
        let changed = self.compute_attributes(who, dirty)? | dirty & dirty::bit(Layout::LEVEL);
        if changed == 0 {
            return Ok(());
        }
        let program = self.program;
        let plan = self.plan_of(who);
        for (index, pool) in program.pools.iter().enumerate() {
            if pool.reads & changed != 0 && plan.pools[index] {
                self.follow_cap(who, PoolId(index as u16))?;
            }
        }
        let policy = &self.setup.policies[who.index()];
        for index in policy.first as usize..(policy.first + policy.count) as usize {
            if program.ability(self.setup.abilities[index].ability).reads & changed != 0 {
                self.recompute_derived(who, index);
            }
        }
        self.slots_changed(who, changed);
        if self.setup.is_placed && self.setup.speed.is_some_and(|speed| dirty::bit(speed) & changed != 0) {
            self.plan_way(who);
        }
        Ok(())
    }

    pub(in crate::fight) fn compute_attributes(&mut self, who: CombatantId, dirty: u64) -> FightResult<u64> {
        let plan = &self.program.characters[self.setup.combatants[who.index()].character.index()];
        let saved = self.state.numbers.locals();
        let state = &mut *self.state;
        let held = HeldBy { statuses: &state.statuses, program: self.program, who, now: state.now };
        let numbers = &mut state.numbers;
        let changed = self.program.compute_attributes(plan, numbers, who, &state.base_changes, &held, dirty);
        self.state.numbers.set_locals(&saved);
        changed.map_err(|fault| self.fault(fault))
    }

    /// The conditions that depend on a new status have to be evaluated.
    pub(super) fn watch_condition(&mut self, index: u32) {
        let who = self.state.statuses.get(index).owner;
        self.state.statuses.conditional.push(index);
        self.state.who_mut(who).conditions_changed = true;
        self.state.check_conditions = self.state.began;
    }
}
