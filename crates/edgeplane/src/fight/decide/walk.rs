//! Paths of combatants that cannot act, and reach.
//!
//! All movement is in straight lines, so positions and the times of coming in reach are computed exactly instead of
//! being searched step by step.

use super::super::engine::{Engine, FightResult};
use super::super::events::{EventMask, UnavailableReason};
use super::super::state::timers::{Due, Phase, Timer};
use super::super::state::{Combatant, Control, Doing, Gate, LineState, Walk, Wish};
use crate::numbers::{Extremes, Whole};
use crate::program::{
    AbilityPlan, Area, CombatantId, CompiledLine, CompiledPolicy, FASTEST, FormulaId, HAIR, LEAST_REACH, POLL, Plane,
    Slot, Spot, Time, inner, length, meeting, minus, parting, toward,
};
use crate::rules::Moves;

/// How often a combatant can turn at once. It regains one turn in each [`POLL`], and all of them when it uses an ability.
const TURNS: u64 = 5;

/// The time in seconds until a moving target is within a distance; 0 if the rest is within the tolerance of the gates.
#[inline]
fn in_reach(away: Plane, closing: Plane, reach: f64) -> f64 {
    let edge = reach + HAIR;
    if inner(away, away) <= edge * edge { 0.0 } else { meeting(away, closing, 0.0, reach).unwrap_or(f64::INFINITY) }
}

impl Engine<'_> {
    pub(super) fn block(&self, who: CombatantId) -> usize {
        self.program.place(who, Slot(0))
    }

    pub(in crate::fight) fn place_of(&self, who: CombatantId) -> Plane {
        self.state.numbers.place(self.block(who), self.state.now.micros())
    }

    pub(in crate::fight) fn course_of(&self, who: CombatantId) -> Plane {
        self.state.numbers.course(self.block(who))
    }

    /// The position, velocity and body of a combatant.
    #[inline(always)]
    pub(in crate::fight) fn spot_of(&self, who: CombatantId) -> Spot {
        self.state.numbers.spot(self.block(who), self.state.now.micros())
    }

    /// The distance between two combatants in metres.
    pub(in crate::fight) fn apart(&self, one: CombatantId, other: CombatantId) -> f64 {
        self.state.numbers.distance(self.block(one), self.block(other), self.state.now.micros())
    }

    /// The radius of a combatant's body in metres.
    #[inline]
    pub(in crate::fight) fn body_of(&self, who: CombatantId) -> f64 {
        self.state.numbers.body(self.block(who))
    }

    /// Whether the edge of another combatant is near enough.
    pub(in crate::fight) fn within(&self, one: CombatantId, other: CombatantId, metres: f64) -> bool {
        let Spot { place, body, .. } = self.spot_of(other);
        length(minus(place, self.place_of(one))) <= metres + body + HAIR
    }

    /// The time at which something that leaves a combatant now, at a given speed, reaches a target on its current
    /// course; if it can never catch up, the time for the straight way to the target's current position.
    pub(in crate::fight) fn arrival(&self, from: CombatantId, to: CombatantId, speed: f64) -> Time {
        let away = minus(self.place_of(to), self.place_of(from));
        let seconds = meeting(away, self.course_of(to), speed, 0.0).unwrap_or(length(away) / speed);
        self.at_once_or_after(seconds)
    }

    /// The first microsecond that is not before a number of seconds from now, and always later than now.
    pub(in crate::fight) fn after(&self, seconds: f64) -> Time {
        // Rounding errors must not cost a whole microsecond.
        let micros = (seconds * 1e6 - 1e-4).whole_above().larger(1.0);
        if micros < Time::NEVER.micros() { self.state.now + Time(micros as u64) } else { Time::NEVER }
    }

    pub(super) fn speed(&self, who: CombatantId) -> f64 {
        match self.setup.speed {
            Some(slot) if !self.state.who(who).rooted => {
                self.state.numbers.at(self.program.place(who, slot)).clamp(0.0, FASTEST)
            }
            _ => 0.0,
        }
    }

    /// The distance that the first target of an ability has to be within; infinite for most abilities.
    #[inline]
    pub(in crate::fight) fn reach_of(&mut self, who: CombatantId, reach: Option<FormulaId>) -> FightResult<f64> {
        let Some(reach) = reach else { return Ok(f64::INFINITY) };
        if let Some(known) = self.program.plain_value(reach, who, &self.state.numbers)
            && !self.wants.detail()
        {
            return Ok(known.larger(LEAST_REACH));
        }
        Ok(self.positive(reach, &self.frame(who, who))?.larger(LEAST_REACH))
    }

    /// The distance that the picked target has to be within: the reach, limited by the length of a cone or a line.
    #[inline]
    pub(in crate::fight) fn reach_of_ability(&mut self, who: CombatantId, plan: &AbilityPlan) -> FightResult<f64> {
        if let Some(reach) = plan.fixed_reach
            && !self.wants.detail()
        {
            return Ok(reach);
        }
        let reach = self.reach_of(who, plan.reach)?;
        match plan.area {
            Area::Cone { length, .. } | Area::Line { length, .. } => {
                Ok(reach.smaller(self.reach_of(who, Some(length))?))
            }
            Area::None | Area::Circle { .. } | Area::Chain { .. } => Ok(reach),
        }
    }

    /// When the edge of another combatant will be within a distance, on current courses.
    #[inline]
    pub(super) fn within_at(&self, who: CombatantId, other: CombatantId, reach: f64) -> Time {
        let (own, their) = (self.spot_of(who), self.spot_of(other));
        let (away, closing) = (minus(their.place, own.place), minus(their.course, own.course));
        self.at_once_or_after(in_reach(away, closing, reach + their.body))
    }

    /// When the edge of another combatant will enter or leave a distance, on current courses.
    pub(super) fn crosses_reach_at(&self, who: CombatantId, other: CombatantId, reach: f64) -> Time {
        let (own, their) = (self.spot_of(who), self.spot_of(other));
        let (away, closing) = (minus(their.place, own.place), minus(their.course, own.course));
        let edge = reach + their.body;
        let seconds = match in_reach(away, closing, edge) {
            0.0 => parting(away, closing, 0.0, edge + 2.0 * HAIR).unwrap_or(f64::INFINITY),
            outside => outside,
        };
        if seconds < f64::INFINITY { self.after(seconds) } else { Time::NEVER }
    }

    /// Now, if it is already near enough.
    #[inline]
    fn at_once_or_after(&self, seconds: f64) -> Time {
        if seconds == 0.0 {
            self.state.now
        } else if seconds < f64::INFINITY {
            self.after(seconds)
        } else {
            Time::NEVER
        }
    }

    /// When the first of several combatants will be within a distance, on current courses.
    pub(super) fn first_within(&self, who: CombatantId, others: &[CombatantId], reach: f64) -> Time {
        let own = self.spot_of(who);
        let seconds = |other: &CombatantId| {
            let their = self.spot_of(*other);
            in_reach(minus(their.place, own.place), minus(their.course, own.course), reach + their.body)
        };
        let first = others.iter().map(seconds).fold(f64::INFINITY, f64::smaller);
        self.at_once_or_after(first)
    }

    /// The reason that a target is out of reach.
    pub(in crate::fight) fn too_far(&self, who: CombatantId, target: CombatantId, reach: f64) -> UnavailableReason {
        let until = Some(self.within_at(who, target, reach)).filter(|until| *until < Time::NEVER);
        let distance = (self.apart(who, target) - self.body_of(target)).larger(0.0);
        UnavailableReason::OutOfReach { target: Some(target), distance, reach, until }
    }

    /// Whether a target is near enough for an ability; the taunter is the only one that counts, except for areas around
    /// the caster.
    pub(super) fn gate_of_reach(&mut self, who: CombatantId, plan: &AbilityPlan) -> FightResult<Gate> {
        let (reach, gate) = match plan.area {
            Area::Circle { radius, around_caster: true } => (self.reach_of(who, Some(radius))?, Gate::Target),
            _ if plan.has_reach() => (self.reach_of_ability(who, plan)?, Gate::Reach),
            _ => return Ok(Gate::Open),
        };
        let taunter = self.taunter(who, plan.side).filter(|_| gate == Gate::Reach);
        let here = self.place_of(who);
        let possible = match &taunter {
            Some(taunter) => std::slice::from_ref(taunter),
            None => self.candidates(who, plan),
        };
        for other in possible {
            let Spot { place, body, .. } = self.spot_of(*other);
            let (away, within) = (minus(place, here), reach + body + HAIR);
            if inner(away, away) <= within * within {
                return Ok(Gate::Open);
            }
        }
        self.until = self.until.min(self.first_within(who, possible, reach));
        self.reach = reach;
        Ok(gate)
    }

    /// Queues a waiting combatant to plan its path in this moment.
    pub(in crate::fight) fn plan_way(&mut self, who: CombatantId) {
        let walk = &mut self.state.walks[who.index()];
        if !walk.plans && !walk.looks {
            self.state.planners.push(who);
        }
        walk.plans = true;
    }

    /// An input of a line of a combatant that walks while busy has changed.
    #[inline(never)]
    pub(super) fn look_ahead(&mut self, who: CombatantId) {
        let walk = &mut self.state.walks[who.index()];
        if !walk.plans && !walk.looks {
            self.state.planners.push(who);
        }
        walk.looks = true;
    }

    /// Whether the timer of a waiting combatant is due only for its path: no line can have opened.
    pub(in crate::fight) fn only_walks_on(&self, who: CombatantId) -> bool {
        let combatant = self.state.who(who);
        self.setup.is_placed
            && combatant.waits
            && combatant.doing == Doing::Idle
            && combatant.changed_lines == 0
            && combatant.wake > self.state.now
            && combatant.control == Control::Policy
            && !self.setup.policies[who.index()].draws
    }

    /// All queued combatants plan their paths based on the same state; then all set out.
    pub(in crate::fight) fn plan_ways(&mut self) -> FightResult<()> {
        let mut empty = std::mem::take(&mut self.scratch.planned);
        empty.clear();
        let mut planned = std::mem::replace(&mut self.state.planners, empty);
        planned.sort_unstable();
        // Evaluations for a path are not decisions and are not reported.
        let wants = std::mem::replace(&mut self.wants, EventMask::NONE);
        let mut count = 0;
        for next in 0..planned.len() {
            let who = planned[next];
            let index = who.index();
            let walk = &mut self.state.walks[index];
            let (plans, looks) = (std::mem::take(&mut walk.plans), std::mem::take(&mut walk.looks));
            // It may have been interrupted since.
            if !plans && !looks {
                continue;
            }
            let combatant = &self.state.combatants[index];
            let walks = combatant.mobile || (combatant.doing == Doing::Idle && combatant.waits);
            let free = walks && combatant.decides_by_itself();
            if combatant.is_moved {
                // It has no path to plan and keeps waiting.
                walk.until = Time::NEVER;
                if free && !combatant.mobile {
                    self.set_wake(who);
                }
                continue;
            }
            if !free {
                continue;
            }
            let Combatant { mobile, reacts_at, .. } = self.state.combatants[index];
            if let Some(at) = self.turns_again_at(who) {
                // Its lines are evaluated when it may turn.
                if mobile {
                    self.state.combatants[index].wake = Time::NEVER;
                }
                self.walk_straight_on(who, at);
            } else {
                let mut turns = Time::NEVER;
                if mobile || reacts_at < Time::NEVER {
                    // A controller is not asked before the combatant is free.
                    let wake = if self.has_controller(who) { Time::NEVER } else { self.examine_lines(who)? };
                    if mobile {
                        self.state.combatants[index].wake = wake;
                    } else {
                        turns = wake;
                    }
                }
                if mobile && !plans && self.is_on_its_way(who) {
                    self.set_next_walk(who);
                    continue;
                }
                self.plan_course(who)?;
                // A combatant within its reaction time is woken by other lines only for its path.
                let walk = &mut self.state.walks[index];
                walk.until = walk.until.min(turns);
            }
            planned[count] = who;
            count += 1;
        }
        planned.truncate(count);
        self.wants = wants;
        self.set_out_together(&planned);
        self.scratch.planned = planned;
        Ok(())
    }

    /// Combatants that have planned their paths set out. Those affected are updated when all have their new courses, so
    /// that the order of the list does not matter.
    fn set_out_together(&mut self, planned: &[CombatantId]) {
        let mut turned = std::mem::take(&mut self.scratch.turned);
        turned.clear();
        for who in planned {
            let Walk { course, toward, .. } = self.state.walks[who.index()];
            if self.set_course(*who, course, toward) {
                let walk = &mut self.state.walks[who.index()];
                walk.rested = walk.rested.max(self.state.now) + POLL;
                turned.push(*who);
            }
        }
        turned.iter().for_each(|who| self.concern_all(*who, true));
        self.scratch.turned = turned;
        for who in planned {
            if self.state.who(*who).mobile { self.set_next_walk(*who) } else { self.set_wake(*who) }
        }
    }

    /// The time at which a combatant that has turned too often may turn again. Without this limit, a goal or a speed
    /// that depends on where it stands could turn it back and forth each microsecond.
    pub(super) fn turns_again_at(&self, who: CombatantId) -> Option<Time> {
        let at = Time(self.state.walks[who.index()].rested.0.saturating_sub((TURNS - 1) * POLL.0));
        (at > self.state.now).then_some(at)
    }

    /// Plans to keep the current course until the combatant may turn again, or to stop if that leads into an avoided zone.
    fn walk_straight_on(&mut self, who: CombatantId, until: Time) {
        let (mut course, speed) = (self.course_of(who), self.speed(who));
        if self.ever_walks(who) && length(course) > speed {
            course = toward(course, speed);
        }
        let far = length(course) * (until - self.state.now).seconds();
        if !self.leads_into_no_zone(who, course, far) {
            course = [0.0; 2];
        }
        let walk = &mut self.state.walks[who.index()];
        (walk.course, walk.until) = (course, until);
    }

    /// Whether a combatant plans its own paths.
    pub(super) fn ever_walks(&self, who: CombatantId) -> bool {
        let policy = &self.setup.policies[who.index()];
        self.setup.speed.is_some() && (policy.moves != Moves::Hold || !policy.avoid.is_empty())
    }

    /// Determines the goal, the course to it, and the latest time of the next plan.
    fn plan_course(&mut self, who: CombatantId) -> FightResult<()> {
        let (goal, picked_until) = self.goal_of(who)?;
        self.lay_course(who, goal);
        let walk = &mut self.state.walks[who.index()];
        walk.until = walk.until.min(picked_until);
        Ok(())
    }

    fn lay_course(&mut self, who: CombatantId, goal: Option<(CombatantId, f64)>) {
        // A combatant that never walks continues as the game has pushed it.
        let course = if self.ever_walks(who) { [0.0; 2] } else { self.course_of(who) };
        let walk = &mut self.state.walks[who.index()];
        (walk.goal, walk.course, walk.toward, walk.until) = (goal, course, None, Time::NEVER);
        let speed = self.speed(who);
        let moves = self.setup.policies[who.index()].moves;
        if self.step_out(who, speed) {
            return;
        }
        if let Moves::KeepDistance(metres) = moves
            && self.retreat(who, metres, speed)
        {
            return;
        }
        if let Some((target, reach)) = goal {
            self.state.walks[who.index()].toward = Some(target);
            let goal = (target, self.nearest_approach(who, target, reach));
            self.approach(who, goal, moves, speed);
            self.walk_around(who, goal, speed);
        }
        if let Moves::KeepDistance(metres) = moves {
            self.keep_distance_from_enemies(who, goal, metres, speed);
        }
    }

    /// The first line that only distance keeps closed; for a combatant that walks while busy or within its reaction
    /// time, also an open line that would not be open from farther away.
    pub(super) fn first_far_line(&self, who: CombatantId) -> Option<u16> {
        let combatant = self.state.who(who);
        let stays_in_reach = combatant.mobile || combatant.reacts_at < Time::NEVER;
        if combatant.far == 0 && !stays_in_reach {
            return None;
        }
        let policy = &self.setup.policies[who.index()];
        let lines = &self.state.lines[policy.first_line as usize..][..policy.lines.len()];
        let has_reach = |line: &CompiledLine| self.setup.abilities[line.ability_index as usize].reaches;
        let is_far = |(line, state): (&CompiledLine, &LineState)| {
            state.only_distance || (stays_in_reach && state.gate == Gate::Open && has_reach(line))
        };
        policy.lines.iter().zip(lines).position(is_far).map(|index| index as u16)
    }

    /// A combatant has decided and cannot use anything: it plans its path, unless its current path is still right.
    pub(super) fn keep_or_plan_way(&mut self, who: CombatantId) {
        let combatant = self.state.who(who);
        if !combatant.waits {
            self.set_out(who);
        } else if combatant.reacts_at < Time::NEVER || self.has_controller(who) || !self.is_on_its_way(who) {
            // A combatant within its reaction time has not evaluated the lines after the one that opened.
            self.plan_way(who);
        }
    }

    /// Whether the planned path of a combatant is still right.
    fn is_on_its_way(&self, who: CombatantId) -> bool {
        let walk = &self.state.walks[who.index()];
        let goal_stands = walk.goal.is_none_or(|(goal, _)| self.state.stands(goal));
        let is_chosen = match walk.wants {
            // A combatant that was stopped has no path.
            Wish::Undecided => walk.line.is_some() || !self.ever_walks(who),
            Wish::Nothing | Wish::Line(_) => true,
        };
        walk.until > self.state.now && goal_stands && is_chosen && walk.line == self.first_far_line(who)
    }

    /// A combatant that walks while busy, or within its reaction time, evaluates its lines as if it were free, and
    /// again when it is. Returns the earliest time at which one of them may change.
    fn examine_lines(&mut self, who: CombatantId) -> FightResult<Time> {
        let policy = &self.setup.policies[who.index()];
        let changed = self.state.who(who).changed_lines;
        let mut wake = Time::NEVER;
        self.only_looks = true;
        for (index, line) in policy.lines.iter().enumerate() {
            let (bit, at) = (CompiledPolicy::bit(index), policy.first_line as usize + index);
            if changed & bit != 0 || self.state.lines[at].until <= self.state.now {
                self.examine(who, line, at, bit)?;
                self.state.who_mut(who).changed_lines |= bit;
            }
            wake = wake.min(self.state.lines[at].until);
        }
        self.only_looks = false;
        Ok(wake)
    }

    /// Sets the timer of a waiting combatant: for a line that may open, or for its path.
    pub(super) fn set_wake(&mut self, who: CombatantId) {
        let at = self.state.who(who).wake.min(self.state.walks[who.index()].until);
        self.set_act(who, at, Phase::Ready);
    }

    /// Sets the timer of a combatant that walks while busy.
    pub(super) fn set_next_walk(&mut self, who: CombatantId) {
        let combatant = self.state.who(who);
        let at = combatant.wake.min(self.state.walks[who.index()].until);
        let due = Due::new(at, Phase::Walk, combatant.rank, who);
        self.state.timers.set(Timer::Walk, due, who);
    }
}
