//! Transfers a state to different rules: everything that has a name in both is carried over, with its times.

use super::record::{NONE, StatusRef, seconds_left};
use super::{Charges, Combatant, Doing, EffectContext, Flight, Hold, State, Wish, Zone};
use crate::fight::events::Source;
use crate::fight::session::adopt::{Adoption, TransferKind};
use crate::program::{
    AbilityId, AbilityPlan, BaseChange, CombatantId, Counterparts, FormulaId, Layout, PoolId, Program, Reapply, Setup,
    Slot, StackTimer, StatusId, StatusPlan, Time, pool_slot,
};

/// The old state, and the old and the new setup.
pub(in crate::fight) struct Transferred<'a> {
    pub(in crate::fight) from: &'a State,
    pub(in crate::fight) old: &'a Setup,
    pub(in crate::fight) new: &'a Setup,
    pub(in crate::fight) names: &'a Counterparts,
}

/// Work that is left to the engine.
#[derive(Default)]
pub(in crate::fight) struct LeftOver {
    /// Combatants whose cast is of an ability that no longer exists or works differently.
    pub(in crate::fight) broken: Vec<CombatantId>,
    /// Values that statuses did not keep before: the status and the number of the value.
    pub(in crate::fight) kept_anew: Vec<(u32, usize)>,
    /// Statuses that tick under the new rules and did not before.
    pub(in crate::fight) ticks_anew: Vec<u32>,
    /// Removed zones, by serial.
    pub(in crate::fight) zones: Vec<u32>,
    /// There are more stacks with individual end times than can be stored.
    pub(in crate::fight) overflows: bool,
}

impl Counterparts {
    fn source(&self, source: Source) -> Option<Source> {
        match source {
            Source::Ability(id) => self.abilities[id.index()].map(Source::Ability),
            Source::Status(id) => self.statuses[id.index()].map(Source::Status),
            Source::Cause(id) => self.causes[id.index()].map(Source::Cause),
        }
    }
}

impl Transferred<'_> {
    /// The state under the new rules, except for values that have to be computed.
    pub(in crate::fight) fn state(&self, report: &mut Adoption) -> (State, LeftOver) {
        let (from, mut left) = (self.from, LeftOver::default());
        let mut state = State::new(self.new);
        state.reset(self.new);
        state.now = from.now;
        (state.began, state.ending, state.decided) = (from.began, from.ending, from.decided);
        (state.steps_taken, state.watches) = (from.steps_taken, from.watches);
        (state.next_zone, state.crossings) = (from.next_zone, from.crossings);
        (state.edges, state.all_edges) = (from.edges, from.all_edges);
        state.planners.clone_from(&from.planners);
        (state.check_conditions, state.check_defeats) = (from.check_conditions, true);
        state.order.clone_from(&from.order);
        state.deciders.clone_from(&from.deciders);
        state.moved.clone_from(&from.moved);
        state.walks.clone_from(&from.walks);
        let (who, ability) = from.last_used;
        state.last_used = (who, ability.and_then(|ability| self.names.abilities[ability.index()]));
        state.timers.take_over(&from.timers, self.new.combatants.len());
        self.abilities(&mut state, report);
        self.combatants(&mut state, &mut left, report);
        self.numbers(&mut state, report);
        self.script(&mut state);
        let places = self.statuses(&mut state, &mut left, report);
        self.ground(&mut state, &places, &mut left, report);
        self.worn(&mut state, report);
        state.rosters.refresh(self.new, &state.combatants);
        state.count_heads(self.new);
        (state, left)
    }

    fn abilities(&self, state: &mut State, report: &mut Adoption) {
        let now = self.from.now;
        for who in self.old.ids() {
            let policy = &self.old.policies[who.index()];
            for index in policy.first as usize..(policy.first + policy.count) as usize {
                let (was, ability) = (self.from.abilities[index], self.old.abilities[index].ability);
                let same = self.names.abilities[ability.index()];
                let place = same.and_then(|same| state.ability_index(self.new, who, same));
                let before = self.old.program.ability(ability);
                if was.known && !self.from.who(who).absent {
                    let seconds = if was.ready < Time::NEVER { seconds_left(was.ready.max(now), now) } else { 0.0 };
                    report.add(self.old, TransferKind::Ability, who, &before.name, seconds, place.map(|_| seconds));
                }
                let Some(place) = place else { continue };
                state.abilities[place] = was;
                let had = before.charges.zip(self.old.abilities[index].charges);
                let has = self.new.program.ability(self.new.abilities[place].ability).charges;
                if let (Some(((most_before, _), had)), Some((most, _))) = (had, has)
                    && let Some(charges) = state.charges_mut(self.new, place)
                {
                    let was = self.from.charges[had as usize];
                    // A full pool stays full.
                    let left = if was.left == most_before { most } else { was.left.min(most) };
                    *charges = Charges { left, ..was };
                }
            }
        }
    }

    fn combatants(&self, state: &mut State, left: &mut LeftOver, report: &mut Adoption) {
        state.cold.clone_from(&self.from.cold);
        for who in self.new.ids() {
            let (was, fresh) = (*self.from.who(who), Combatant::new(self.new, who));
            let (old_policy, policy) = (&self.old.policies[who.index()], &self.new.policies[who.index()]);
            let same_lines = old_policy.lines.len() == policy.lines.len();
            if same_lines {
                let (to, first) = (policy.first_line as usize, old_policy.first_line as usize);
                let lines = &self.from.lines[first..first + policy.lines.len()];
                state.lines[to..to + policy.lines.len()].copy_from_slice(lines);
                let reaches = self.from.reaches.get(first..first + policy.lines.len());
                if let (Some(reaches), Some(into)) = (reaches, state.reaches.get_mut(to..to + policy.lines.len())) {
                    into.copy_from_slice(reaches);
                }
            }
            let doing = match was.doing {
                Doing::Casting(index) => self.cast(state, who, index, report),
                other => other,
            };
            if doing == Doing::Idle && was.doing != Doing::Idle {
                left.broken.push(who);
            }
            if let Some(walk) = state.walks.get_mut(who.index()).filter(|_| !same_lines) {
                walk.wants = Wish::Undecided;
            }
            let lines = |lines: u64, none: u64| if same_lines { lines } else { none };
            *state.who_mut(who) = Combatant {
                doing,
                alert: fresh.alert,
                forbids_act: was.forbids_act.and_then(|status| self.names.statuses[status.index()]),
                hurt_by: was.hurt_by.and_then(|(by, source)| Some((by, self.names.source(source)?))),
                changed_lines: lines(was.changed_lines, u64::MAX),
                cooling: lines(was.cooling, 0),
                far: lines(was.far, 0),
                ..was
            };
            state.who_mut(who).listen_to_pools(self.new, who);
            let room = |setup: &Setup| setup.aim_room[who.index()] as usize..setup.aim_room[who.index() + 1] as usize;
            let (to, first) = (room(self.new), room(self.old));
            let count = to.len().min(first.len());
            state.aimed[to.start..to.start + count].copy_from_slice(&self.from.aimed[first.start..first.start + count]);
            let aimed = state.who(who).aimed;
            state.who_mut(who).aimed = if was.many { aimed.min(to.len() as u16) } else { aimed };
        }
        let (before, now) = (self.old.program.diminish.len(), self.new.program.diminish.len());
        for who in 0..self.new.combatants.len() {
            for (group, same) in self.names.diminish.iter().enumerate() {
                if let Some(same) = same {
                    state.diminished[who * now + same] = self.from.diminished[who * before + group];
                }
            }
        }
    }

    /// A cast continues if its ability still exists and works in the same way.
    fn cast(&self, state: &State, who: CombatantId, index: u32, report: &mut Adoption) -> Doing {
        let ability = self.old.abilities[index as usize].ability;
        let plan = self.old.program.ability(ability);
        let way = |plan: &AbilityPlan| {
            let releases = plan.releases.map(|(count, _)| count);
            (plan.sustain.is_some(), releases, plan.cost_at, plan.cooldown_from, plan.during.len())
        };
        let same =
            self.names.abilities[ability.index()].filter(|same| way(self.new.program.ability(*same)) == way(plan));
        let place = same.and_then(|same| state.ability_index(self.new, who, same));
        let was = self.from.who(who);
        let until = if was.sustains { self.from.cold(who).sustains_until } else { was.until };
        let seconds = seconds_left(until.max(self.from.now), self.from.now);
        report.add(self.old, TransferKind::Cast, who, &plan.name, seconds, place.map(|_| seconds));
        place.map_or(Doing::Idle, |place| Doing::Casting(place as u32))
    }

    fn numbers(&self, state: &mut State, report: &mut Adoption) {
        let (old, new, from) = (&self.old.program, &self.new.program, &self.from.numbers);
        let now = self.from.now.micros();
        state.numbers.threat.take_over(&from.threat);
        for who in self.new.ids() {
            let (was, is) = (old.place(who, Slot(0)), new.place(who, Slot(0)));
            // A gained level is kept; otherwise the level is that of the new character.
            let gained = from.at(was) != self.old.memory.at(was);
            let first = if gained { 0 } else { 1 };
            for slot in first..Layout::BODY.index() {
                state.numbers.set(is + slot, from.at(was + slot));
            }
            for (before, after) in &self.names.asked {
                state.numbers.set(is + after.index(), from.at(was + before.index()));
            }
            // New flows start now.
            for pool in (0..new.pools.len() as u16).map(PoolId) {
                let first = new.place(who, new.layout.pool(pool));
                state.numbers.set(first + usize::from(pool_slot::SINCE), now);
            }
            for (pool, same) in self.names.pools.iter().enumerate() {
                self.pool(state, who, PoolId(pool as u16), *same, report);
            }
        }
        for change in &self.from.base_changes {
            if let Some(pool) = self.old.program.layout.pool_at(change.slot) {
                let same = self.names.pools[pool.index()].map(|same| self.new.program.layout.pool(same));
                state.base_changes.extend(same.map(|slot| BaseChange { slot, ..*change }));
                continue;
            }
            let attributes = &self.names.attributes;
            let Some(of) = attributes.iter().find(|one| one.before == change.slot) else { continue };
            let after = of.now.map(|_| change.base);
            report.add(self.old, TransferKind::Base, change.combatant, &of.name, change.base, after);
            state.base_changes.extend(of.now.map(|slot| BaseChange { slot, ..*change }));
        }
    }

    /// The amount and the flow of a pool; its cap and flow rate follow from the new rules.
    fn pool(&self, state: &mut State, who: CombatantId, pool: PoolId, same: Option<PoolId>, report: &mut Adoption) {
        let (old, new) = (&self.old.program, &self.new.program);
        if !self.old.has_pool(who, pool) {
            return;
        }
        let first = old.place(who, old.layout.pool(pool));
        let same = same.filter(|same| self.new.has_pool(who, *same));
        let Some(same) = same else {
            let amount = self.from.numbers.pool_amount(first, self.from.now.micros());
            if !self.from.who(who).absent {
                report.add(self.old, TransferKind::Pool, who, &old.pools[pool.index()].name, amount, None);
            }
            return;
        };
        let place = new.place(who, new.layout.pool(same));
        // Before the fight begins, full pools are full under the new rules.
        let untouched = !self.from.began
            && self.from.numbers.at(first + usize::from(pool_slot::AMOUNT))
                == self.old.memory.at(first + usize::from(pool_slot::AMOUNT));
        for slot in (0..pool_slot::WIDTH).filter(|_| !untouched) {
            state.numbers.set(place + usize::from(slot), self.from.numbers.at(first + usize::from(slot)));
        }
    }

    fn script(&self, state: &mut State) {
        let now = self.from.now;
        if state.script.len() == self.from.script.len() {
            state.script.clone_from(&self.from.script);
            return;
        }
        for ((at, times), moment) in state.script.iter_mut().zip(&self.new.script.moments) {
            // Events that would already have happened under the new rules are skipped.
            while *times > 0 && *at <= now && self.from.began {
                (*at, *times) = (*at + moment.every, *times - 1);
            }
        }
    }

    /// The new position of each status, by its old one.
    fn statuses(&self, state: &mut State, left: &mut LeftOver, report: &mut Adoption) -> Vec<u32> {
        let all = &self.from.statuses;
        let mut order: Vec<u32> = self.old.ids().flat_map(|who| all.of(who)).collect();
        order.sort_by_key(|index| all.get(*index).serial);
        let mut places = vec![NONE; all.records()];
        for index in order {
            let record = *all.get(index);
            let before = self.old.program.status(record.status);
            let same = self.names.statuses[record.status.index()];
            let stacks = same.map(|same| record.stacks.min(self.new.program.status(same).max_stacks));
            let (kind, owner) = (TransferKind::Status, record.owner);
            report.add(self.old, kind, owner, &before.name, f64::from(record.stacks), stacks.map(f64::from));
            if let Some(same) = same {
                places[index as usize] = self.status(state, index, same, left);
            }
        }
        state.statuses.continue_serials_after(all);
        let program = &self.new.program;
        let conditional =
            |index: &u32| *index != NONE && program.status(state.statuses.get(*index).status).holds_while.is_some();
        // Statuses with a condition are evaluated in the same order as before.
        let before = all.conditional.iter().map(|index| places[*index as usize]).filter(conditional);
        let mut held: Vec<u32> = before.collect();
        let fresh: Vec<u32> =
            places.iter().copied().filter(conditional).filter(|index| !held.contains(index)).collect();
        held.extend(fresh);
        state.statuses.conditional = held;
        for who in self.new.ids() {
            for (status, slot) in (0..).map(StatusId).zip(&program.stack_slots) {
                if let Some(slot) = slot {
                    let stacks = state.statuses.stacks(who, status);
                    state.numbers.set(program.place(who, *slot), f64::from(stacks));
                }
            }
            for (tag, slot) in (0..).zip(&program.tag_slots) {
                if let Some(slot) = slot {
                    let count = state.statuses.with_tag(program, who, tag);
                    state.numbers.set(program.place(who, *slot), count as f64);
                }
            }
        }
        places
    }

    fn status(&self, state: &mut State, index: u32, same: StatusId, left: &mut LeftOver) -> u32 {
        let (all, program) = (&self.from.statuses, &self.new.program);
        let record = *all.get(index);
        let (before, plan) = (self.old.program.status(record.status), program.status(same));
        let stacks = record.stacks.min(plan.max_stacks);
        let statuses = &mut state.statuses;
        statuses.continue_at(record.serial);
        let mut fresh = record;
        (fresh.status, fresh.stacks) = (same, stacks);
        let place = statuses.add(fresh, plan);
        let rhythm = all.rhythm(index, before);
        statuses.set_rhythm(place, plan, |fresh| *fresh = rhythm);
        statuses.set_rank(place, plan, all.rank(index, before));
        statuses.set_turns(place, plan, all.turns(index, before));
        let each = |plan: &StatusPlan| plan.reapply == Reapply::Stack && plan.stack_timer == StackTimer::Each;
        match (each(plan), each(before)) {
            (true, true) => {
                let ends: Vec<Time> = all.ends(index).collect();
                left.overflows |= !ends.iter().all(|end| statuses.add_ends(place, 1, plan.max_stacks, *end));
            }
            (true, false) => left.overflows |= !statuses.add_ends(place, stacks, plan.max_stacks, record.ends),
            (false, _) => {}
        }
        // A kept value is identified by its formula.
        let text = |program: &Program, kept: FormulaId| {
            let formula = program.formula(kept);
            formula.text_of(&formula.tree.range).to_owned()
        };
        let old_texts: Vec<String> = before.kept.iter().map(|kept| text(&self.old.program, *kept)).collect();
        for (number, kept) in plan.kept.iter().enumerate() {
            match old_texts.iter().position(|old| *old == text(program, *kept)) {
                Some(old) => statuses.keep(place, plan, number, all.kept(index, before, old)),
                None => left.kept_anew.push((place, number)),
            }
        }
        for (number, trigger) in plan.triggers.iter().enumerate() {
            // A trigger is identified by its event and its position among the triggers of that event.
            let nth = plan.triggers[..number].iter().filter(|other| other.event == trigger.event).count();
            let mut alike = (0..before.triggers.len()).filter(|old| before.triggers[*old].event == trigger.event);
            let most = trigger.uses.unwrap_or(u32::MAX);
            let (ready, uses) = match alike.nth(nth) {
                Some(old) if before.triggers[old].uses.is_some() => all.trigger(index, before, old),
                Some(old) => (all.trigger(index, before, old).0, most),
                None => (Time::ZERO, most),
            };
            statuses.set_trigger(place, plan, number, ready, uses.min(most));
        }
        if plan.every.is_some() && rhythm.period == 0.0 {
            left.ticks_anew.push(place);
        }
        place
    }

    /// Zones, statuses held by zones or uses, and abilities in flight.
    fn ground(&self, state: &mut State, places: &[u32], left: &mut LeftOver, report: &mut Adoption) {
        let (old, now) = (&self.old.program, self.from.now);
        let seconds = |until: Time| seconds_left(until.max(now), now);
        for (index, zone) in self.from.zones.iter().enumerate() {
            let source = self.names.source(zone.by.source);
            let same = self.names.zones[zone.id.index()].zip(source);
            let lasts = seconds(zone.ends);
            let name = &old.zone(zone.id).name;
            report.add(self.old, TransferKind::Zone, zone.by.caster, name, lasts, same.map(|_| lasts));
            match same {
                Some((id, source)) => {
                    state.zones.push(Zone { id, by: EffectContext { source, ..zone.by }, ..*zone });
                    state.add_edge_row(self.new);
                    let row = self.from.edge_row(index)..self.from.edge_row(index + 1);
                    let times = self.from.edge_times.get(row).unwrap_or_default();
                    let into = state.edge_times.len() - times.len();
                    state.edge_times[into..].copy_from_slice(times);
                }
                None => left.zones.push(zone.serial),
            }
        }
        for hold in &self.from.holds {
            let place = places.get(hold.status.index as usize).copied().filter(|place| *place != NONE);
            let status = place.map(|index| StatusRef { index, ..hold.status });
            state.holds.extend(status.map(|status| Hold { status, ..*hold }));
        }
        for flight in &self.from.flights {
            let travels = |id: &AbilityId| self.new.program.ability(*id).travel.is_some();
            let same = self.names.abilities[flight.ability.index()].filter(travels);
            let (name, arrives) = (&old.ability(flight.ability).name, seconds(flight.at));
            report.add(self.old, TransferKind::Flight, flight.caster, name, arrives, same.map(|_| arrives));
            state.flights.extend(same.map(|ability| Flight { ability, ..*flight }));
        }
    }

    fn worn(&self, state: &mut State, report: &mut Adoption) {
        state.worn.clear();
        for (who, piece) in &self.from.worn {
            let same = self.names.gear[piece.index()];
            if !self.from.who(*who).absent {
                let name = &self.old.program.gear[piece.index()].name;
                report.add(self.old, TransferKind::Gear, *who, name, 1.0, same.map(|_| 1.0));
            }
            state.worn.extend(same.map(|piece| (*who, piece)));
        }
    }
}
