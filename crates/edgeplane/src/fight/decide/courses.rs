//! Changes of course and position, and whom they affect: combatants that follow the one that turns, and those whose
//! reach it will cross. No other combatant decides again.

use super::super::engine::{Engine, emit};
use super::super::state::timers::Phase;
use super::super::state::{Control, Doing, EffectContext, Gate, LineState, Walk, Wish};
use crate::numbers::Extremes;
use crate::program::{
    CombatantId, CompiledPolicy, HAIR, Inputs, Motion, POLL, Plane, Time, is_nowhere, is_same, length, minus,
    onto_the_plane, toward,
};
use crate::rules::{Moves, SideRule};

/// Moves of fewer than one in this many combatants are handled one by one.
const FEW_OF: usize = 6;

impl Engine<'_> {
    /// Stops a combatant: it acts, is defeated, or is prevented from moving.
    pub(in crate::fight) fn stand_still(&mut self, who: CombatantId) {
        if self.setup.is_placed {
            let Walk { goal, until, line, wants, .. } = &mut self.state.walks[who.index()];
            (*goal, *until, *line, *wants) = (None, Time::NEVER, None, Wish::Undecided);
            self.turn(who, [0.0; 2]);
        }
    }

    /// Sets a new course from the current position, to nobody.
    pub(in crate::fight) fn turn(&mut self, who: CombatantId, course: Plane) {
        if self.set_course(who, course, None) {
            self.concern_all(who, true);
        }
    }

    /// Sets a new course, possibly to a combatant, and returns whether it differs. Those affected have to be updated.
    pub(super) fn set_course(&mut self, who: CombatantId, course: Plane, toward: Option<CombatantId>) -> bool {
        if self.state.who(who).is_moved {
            return false;
        }
        let toward = toward.filter(|_| !is_nowhere(course));
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.toward) = (course, toward);
        let change = minus(course, self.course_of(who));
        if change[0].abs().larger(change[1].abs()) <= 1e-9 {
            return false;
        }
        let from = self.place_of(who);
        if !is_nowhere(course) {
            self.face(who, course);
        }
        self.put_at(who, from, course);
        emit!(self, Walks { who, from, course, toward });
        true
    }

    /// Sets the direction in which a combatant faces; without a direction, it keeps the current one.
    pub(in crate::fight) fn face(&mut self, who: CombatantId, direction: Plane) {
        let block = self.block(who);
        if is_nowhere(direction) || is_same(direction, self.state.numbers.facing(block)) {
            return;
        }
        self.state.numbers.set_facing(block, direction);
        self.conditions_changed(|inputs| inputs.facing);
        if self.setup.listeners.facing {
            self.concern_by_facing(who);
        }
    }

    /// Marks the lines that depend on where a combatant faces.
    fn concern_by_facing(&mut self, turned: CombatantId) {
        let side = self.side_of(turned);
        for (index, policy) in self.setup.policies.iter().enumerate() {
            let me = CombatantId(index as u16);
            let lines = policy.places.of_facing(self.side_of(me) == side) & !self.state.who(me).cooling;
            if me != turned && lines != 0 {
                self.touch(me, lines);
            }
        }
    }

    /// Puts a combatant at a position, on a course; everyone affected decides again.
    pub(in crate::fight) fn set_place(&mut self, who: CombatantId, place: Plane, course: Plane) {
        self.put_at(who, place, course);
        self.concern_all(who, false);
    }

    /// The same for several combatants at once.
    pub(in crate::fight) fn set_places(&mut self, motions: &[Motion]) {
        let mut moved = std::mem::take(&mut self.scratch.moved);
        moved.clear();
        moved.resize(self.setup.combatants.len(), false);
        let mut count = 0;
        for Motion { who, place, velocity } in motions {
            if *place != self.place_of(*who) || *velocity != self.course_of(*who) {
                self.put_at(*who, *place, *velocity);
                let one = self.state.who(*who);
                if !one.is_moved && one.stands && one.control != Control::Hand && self.ever_walks(*who) {
                    self.plan_way(*who);
                }
                count += usize::from(!std::mem::replace(&mut moved[who.index()], true));
            }
        }
        // Checking all distances once costs as much as checking those of a few combatants.
        if count * FEW_OF < moved.len() {
            for index in (0..moved.len()).filter(|index| moved[*index]) {
                self.concern_all(CombatantId(index as u16), false);
            }
        } else {
            self.concern_all_by_many(&moved);
        }
        self.scratch.moved = moved;
    }

    fn put_at(&mut self, who: CombatantId, place: Plane, course: Plane) {
        self.state.numbers.set_place(self.block(who), place, course, self.state.now.micros());
        if self.has_zones() {
            self.state.edges = true;
            self.state.moved.push(who);
        }
        self.conditions_changed(Inputs::places);
    }

    /// Conditions of statuses that depend on this have to be evaluated.
    fn conditions_changed(&mut self, on: impl Fn(&Inputs) -> bool) {
        let depends = |index: &u32| on(&self.program.status(self.state.statuses.get(*index).status).holds);
        if self.state.statuses.conditional.iter().any(depends) {
            self.state.check_conditions = true;
            self.state.combatants.iter_mut().for_each(|one| one.conditions_changed = true);
        }
    }

    /// Updates everyone after many combatants have changed position.
    fn concern_all_by_many(&mut self, moved: &[bool]) {
        let policies = &self.setup.policies;
        let all_moved = || (0..moved.len()).filter(|index| moved[*index]).map(|index| CombatantId(index as u16));
        for (index, policy) in policies.iter().enumerate() {
            let me = CombatantId(index as u16);
            if !self.state.stands(me) {
                continue;
            }
            let side = self.side_of(me);
            let any = |ally: bool| all_moved().any(|other| other != me && (self.side_of(other) == side) == ally);
            let of_others = |ally: bool| {
                let lines = policy.places.of(ally);
                if lines != 0 && any(ally) { lines } else { 0 }
            };
            let own = if moved[index] { policy.places.own } else { 0 };
            let lines = own | of_others(true) | of_others(false);
            self.touch(me, lines);
            let combatant = self.state.who(me);
            let (waits, far, is_moved) = (combatant.waits || combatant.mobile, combatant.far, combatant.is_moved);
            if !waits {
                self.state.who_mut(me).changed_lines |= far;
                continue;
            }
            if !is_moved && self.state.walks[index].goal.is_some_and(|(goal, _)| goal != me && moved[goal.index()]) {
                self.plan_way(me);
            }
            if !is_moved && matches!(policy.moves, Moves::KeepDistance(_)) {
                all_moved().for_each(|other| self.concern(me, other, policy, far));
            } else if far != 0 {
                self.concern(me, me, policy, far);
            }
        }
    }

    /// Updates everyone after a combatant has changed its course, by choice or by force.
    pub(super) fn concern_all(&mut self, turned: CombatantId, by_choice: bool) {
        let policies = &self.setup.policies;
        let side = self.side_of(turned);
        for (index, policy) in policies.iter().enumerate() {
            let me = CombatantId(index as u16);
            let combatant = &mut self.state.combatants[index];
            let (ally, far) = (combatant.side == side, combatant.far);
            let waits = combatant.waits || combatant.mobile;
            if !waits {
                // Busy combatants check them when they are free.
                combatant.changed_lines |= far;
            }
            let lines = if me == turned { policy.places.own } else { policy.places.of(ally) } & !combatant.cooling;
            // A controller is not asked again because its combatant has set out.
            if lines != 0 && !(me == turned && self.has_controller(me)) {
                self.touch_by_course(me, turned, lines, by_choice);
            }
            if !waits {
                continue;
            }
            let follows = me != turned && self.state.walks[index].goal.is_some_and(|(goal, _)| goal == turned);
            if follows {
                self.plan_way(me);
            }
            // It cannot come in reach of a line that does not target it, nor too near to its allies.
            let far = if me == turned { far } else { far & policy.places.on(ally) };
            if far != 0 || ((me == turned || !ally) && matches!(policy.moves, Moves::KeepDistance(_))) {
                self.concern(me, turned, policy, far);
            }
        }
    }

    /// Marks lines that depend on the course of a combatant, except those for which only the time of a crossing
    /// changes.
    #[inline(never)]
    fn touch_by_course(&mut self, me: CombatantId, turned: CombatantId, lines: u64, by_choice: bool) {
        let policy = &self.setup.policies[me.index()];
        let combatant = self.state.who(me);
        let of_reach = lines & policy.in_reach & !combatant.changed_lines;
        let kept = if by_choice && combatant.waits && of_reach != 0 {
            self.recompute_reach_crossings(me, turned, policy, of_reach)
        } else {
            0
        };
        self.touch(me, lines & !kept);
    }

    /// Recomputes when a combatant crosses the reach of lines that their conditions keep closed, and returns those
    /// lines. They need not be evaluated earlier, because nothing else about them has changed.
    fn recompute_reach_crossings(
        &mut self,
        me: CombatantId,
        turned: CombatantId,
        policy: &CompiledPolicy,
        mut lines: u64,
    ) -> u64 {
        let mut closed = 0;
        let mut wake = Time::NEVER;
        while lines != 0 {
            let index = lines.trailing_zeros() as usize;
            lines &= lines - 1;
            let at = policy.first_line as usize + index;
            let ability = self.program.ability(policy.lines[index].ability);
            // A reach that has to be computed may have no value; a decision reports that.
            let (Gate::Condition, Some(reach)) = (self.state.lines[at].gate, ability.fixed_reach) else { continue };
            // A crossing at this moment, whichever combatant was checked first.
            if self.state.lines[at].until <= self.state.now {
                continue;
            }
            let candidates = self.candidates(me, ability);
            let until = if candidates.len() < 2 {
                // The same target is picked wherever it is.
                Time::NEVER
            } else if me == turned || self.state.lines[at].until < Time::NEVER {
                // The combatant that turned may have been the first to cross the edge.
                self.first_crossing(me, candidates, reach)
            } else if candidates.contains(&turned) {
                self.crosses_reach_at(me, turned, reach)
            } else {
                Time::NEVER
            };
            self.state.lines[at].until = until;
            closed |= CompiledPolicy::bit(index);
            wake = wake.min(until);
        }
        let combatant = self.state.who_mut(me);
        if combatant.waits && wake < combatant.wake {
            combatant.wake = wake;
            if wake < combatant.until && combatant.doing == Doing::Idle {
                self.set_act(me, wake, Phase::Ready);
            }
        }
        closed
    }

    /// Updates a combatant that waits for another one to come in reach of some lines, or that keeps its distance, after
    /// a change of course.
    fn concern(&mut self, me: CombatantId, turned: CombatantId, policy: &CompiledPolicy, mut far: u64) {
        let mut wake = Time::NEVER;
        if me == turned && far != 0 && self.state.who(me).reacts_at == Time::NEVER {
            // A target that would have come in reach on its old course may now do so later or never.
            let first = policy.first_line as usize;
            let all = first..first + policy.lines.len();
            let mut until = Time::NEVER;
            for (line, reach) in self.state.lines[all.clone()].iter().zip(&self.state.reaches[all]) {
                if line.gate != Gate::Reach && *reach == 0.0 {
                    until = until.min(line.until);
                }
            }
            self.state.who_mut(me).wake = until;
        }
        while far != 0 {
            let first = far.trailing_zeros() as usize;
            far &= far - 1;
            // The last bit stands for all further lines.
            let lines = if first < 63 { first..first + 1 } else { first..policy.lines.len() };
            for index in lines {
                wake = wake.min(self.comes_in_reach(me, turned, policy, index));
            }
        }
        if let Moves::KeepDistance(metres) = policy.moves
            && me != turned
            && self.can_be_targeted(me, turned, SideRule::Enemies)
        {
            let mut near = self.keeps_distance_until(me, turned, metres);
            if near == self.state.now {
                self.plan_way(me);
                near = near + POLL;
            }
            let walk = &mut self.state.walks[me.index()];
            walk.until = walk.until.min(near);
        }
        let (walks_until, now) = (self.state.walks[me.index()].until, self.state.now);
        let combatant = self.state.who_mut(me);
        // A line may have opened before while its owner is still reacting: that is due now, after everything else that
        // is due.
        combatant.wake = combatant.wake.min(wake.max(now));
        let at = combatant.wake.min(walks_until);
        if combatant.mobile {
            self.set_next_walk(me);
        } else if at < combatant.until && combatant.doing == Doing::Idle {
            self.set_act(me, at, Phase::Ready);
        }
    }

    /// When a combatant will be in reach of a line of a waiting combatant, after a change of course, if only distance
    /// keeps that line closed.
    fn comes_in_reach(&mut self, me: CombatantId, turned: CombatantId, policy: &CompiledPolicy, index: usize) -> Time {
        let at = policy.first_line as usize + index;
        let (LineState { until, gate, only_distance }, reach) = (self.state.lines[at], self.state.reaches[at]);
        if reach == 0.0 {
            return Time::NEVER;
        }
        let line = &policy.lines[index];
        let ability = self.program.ability(line.ability);
        let can_be_meant = || {
            if ability.defeated { !self.state.stands(turned) } else { self.can_be_targeted(me, turned, ability.side) }
        };
        if me != turned && !can_be_meant() {
            return Time::NEVER;
        }
        if me == turned && (ability.after.is_some() || line.time || (gate == Gate::Reach && !only_distance)) {
            // Its time window may end before, its condition may change, or its cost may become affordable: these are
            // evaluated together with everything else.
            self.touch(me, CompiledPolicy::bit(index));
        }
        let until = if me == turned {
            // All distances now change at a different rate.
            self.first_within(me, self.candidates(me, ability), reach)
        } else {
            until.min(self.within_at(me, turned, reach))
        };
        self.state.lines[at].until = until;
        until
    }

    /// Pushes a combatant away from another one by a distance in metres, or pulls it closer (below zero) but never past
    /// it, instantly.
    pub(in crate::fight) fn shift(&mut self, who: CombatantId, by: &EffectContext, metres: f64) {
        let (from, middle) = (self.place_of(who), self.place_of(by.caster));
        let away = minus(from, middle);
        let far = length(away);
        // There is no direction if both are at the same position, up to rounding errors.
        if far <= HAIR || metres.abs() <= HAIR {
            return;
        }
        let to = if metres <= -far {
            middle
        } else {
            let step = toward(away, metres);
            [from[0] + step[0], from[1] + step[1]]
        };
        self.move_to(who, by, to);
    }

    /// Moves the caster instantly to within a distance in metres of another combatant's edge; not at all if it already
    /// is.
    pub(in crate::fight) fn leap(&mut self, by: &EffectContext, target: CombatantId, metres: f64) {
        let who = by.caster;
        let (from, aim) = (self.place_of(who), self.place_of(target));
        let ahead = minus(aim, from);
        let far = length(ahead) - metres - self.body_of(target);
        if far <= HAIR {
            return;
        }
        let step = toward(ahead, far);
        self.move_to(who, by, [from[0] + step[0], from[1] + step[1]]);
    }

    /// Moves a combatant instantly; its path is planned again, and so are those of its followers.
    fn move_to(&mut self, who: CombatantId, by: &EffectContext, to: Plane) {
        let (from, to) = (self.place_of(who), onto_the_plane(to));
        self.set_place(who, to, self.course_of(who));
        emit!(self, Shifted { target: who, caster: by.caster, source: by.source, from, to });
        let combatant = self.state.who(who);
        if combatant.waits || combatant.mobile {
            self.touch_all(who);
            self.plan_way(who);
        }
    }
}
