//! The goal of a combatant that cannot use anything yet: when it is chosen, and how long it is kept.

use super::super::engine::{Engine, FightResult};
use super::super::state::Wish;
use crate::program::{AbilityPlan, CombatantId, PickPlan, Time};

/// How long a combatant walks to a target before it picks again.
const PICKED_FOR: Time = Time(1_000_000);

/// The combatant to walk to, and the distance at which to stop.
type Goal = (CombatantId, f64);

impl Engine<'_> {
    /// Plans the path of a combatant that begins to wait, or to walk while busy, without a goal yet.
    pub(in crate::fight) fn set_out(&mut self, who: CombatantId) {
        if !self.has_controller(who) {
            let walk = &mut self.state.walks[who.index()];
            (walk.goal, walk.line, walk.wants) = (None, None, Wish::Undecided);
        }
        self.plan_way(who);
    }

    /// The possible targets have changed: a waiting combatant plans its path, and there may be a new goal.
    pub(in crate::fight) fn reconsider_goal(&mut self, who: CombatantId) {
        let walk = &mut self.state.walks[who.index()];
        if walk.wants == Wish::Nothing {
            walk.wants = Wish::Undecided;
        }
        self.plan_way(who);
    }

    /// The goal, and when to pick again: for the first line that only distance keeps closed, otherwise for the wanted
    /// line. A combatant in reach for such a line waits there until the target leaves.
    pub(super) fn goal_of(&mut self, who: CombatantId) -> FightResult<(Option<Goal>, Time)> {
        if self.has_controller(who) {
            return Ok((self.state.walks[who.index()].goal, Time::NEVER));
        }
        let far = self.first_far_line(who);
        let before = std::mem::replace(&mut self.state.walks[who.index()].line, far);
        if let Some(line) = far
            && let Some((goal, until)) = self.goal_of_line(who, line, before == far)?
        {
            self.state.walks[who.index()].wants = Wish::Undecided;
            return Ok((Some(goal), until));
        }
        Ok((self.wish_of(who)?, Time::NEVER))
    }

    /// The goal of a line that only distance keeps closed, and when to pick again: its target is kept for a while, if
    /// the combatant walked for that line before. If the line is open, it is picked with each path.
    fn goal_of_line(&mut self, who: CombatantId, line: u16, is_same: bool) -> FightResult<Option<(Goal, Time)>> {
        let policy = &self.setup.policies[who.index()];
        let plan = self.program.ability(policy.lines[usize::from(line)].ability);
        let is_open = !self.state.lines[policy.first_line as usize + usize::from(line)].only_distance;
        let kept = if is_same && !is_open { self.kept_target(who, plan) } else { None };
        if let Some(target) = kept {
            return Ok(Some(((target, self.reach_of_ability(who, plan)?), self.picked_until(who, plan))));
        }
        let (target, reach) = self.pick_first(who, plan)?;
        let now = self.state.now;
        self.state.walks[who.index()].picks_again = if is_open { now } else { now + PICKED_FOR };
        self.scratch.choosers.push(who);
        let until = if is_open { Time::NEVER } else { self.picked_until(who, plan) };
        Ok(target.map(|target| ((target, reach), until)))
    }

    /// The goal of a combatant for which no line is closed by distance only.
    fn wish_of(&mut self, who: CombatantId) -> FightResult<Option<Goal>> {
        if !self.ever_walks(who) {
            return Ok(None);
        }
        let kept = match self.state.walks[who.index()].wants {
            Wish::Undecided => None,
            Wish::Nothing => return Ok(None),
            Wish::Line(line) => self.wanted_goal(who, line),
        };
        if kept.is_some() {
            return Ok(kept);
        }
        let wanted = self.first_wanted(who)?;
        self.state.walks[who.index()].wants = wanted.map_or(Wish::Nothing, |(line, _)| Wish::Line(line));
        self.scratch.choosers.push(who);
        Ok(wanted.map(|(_, goal)| goal))
    }

    /// Combatants that have chosen goals in this moment, before other things happened, choose again if they may turn.
    pub(in crate::fight) fn choose_goals_again(&mut self) {
        while let Some(who) = self.scratch.choosers.pop() {
            if self.turns_again_at(who).is_some() {
                continue;
            }
            let walk = &mut self.state.walks[who.index()];
            (walk.goal, walk.wants) = (None, Wish::Undecided);
            self.plan_way(who);
        }
    }

    /// The target to which a combatant walks for a line, if that was not picked too long ago and is still possible.
    fn kept_target(&self, who: CombatantId, plan: &AbilityPlan) -> Option<CombatantId> {
        let (target, _) = self.state.walks[who.index()].goal?;
        let is_recent = self.state.now < self.picked_until(who, plan);
        (is_recent && self.is_still_possible(who, plan, target)).then_some(target)
    }

    /// When a picked target has to be picked again; never if there is no other one, or no other order.
    fn picked_until(&self, who: CombatantId, plan: &AbilityPlan) -> Time {
        let steady = match plan.pick {
            PickPlan::First | PickPlan::Random(_) => true,
            PickPlan::Policy => self.setup.policies[who.index()].prefers.is_none(),
            _ => false,
        };
        let picks = self.state.walks[who.index()].picks_again;
        if steady || self.candidates(who, plan).len() < 2 { Time::NEVER } else { picks }
    }

    fn is_still_possible(&self, who: CombatantId, plan: &AbilityPlan, target: CombatantId) -> bool {
        let is_free = self.taunter(who, plan.side).is_none_or(|taunter| taunter == target);
        is_free && self.candidates(who, plan).contains(&target)
    }

    /// The target of the current goal, if it is still possible: the combatant keeps to it, whatever else it would want
    /// now, unless it is taunted.
    fn wanted_goal(&self, who: CombatantId, line: u16) -> Option<Goal> {
        let goal = self.state.walks[who.index()].goal?;
        let line = self.setup.policies[who.index()].lines.get(usize::from(line))?;
        let plan = self.program.ability(line.ability);
        let is_known = self.state.abilities[line.ability_index as usize].known;
        (is_known && self.is_still_possible(who, plan, goal.0)).then_some(goal)
    }

    /// The first line with a reach that will be wanted, and its target: its condition holds, whatever else keeps it
    /// closed.
    fn first_wanted(&mut self, who: CombatantId) -> FightResult<Option<(u16, Goal)>> {
        for (index, line) in self.setup.policies[who.index()].lines.iter().enumerate() {
            let ability = line.ability_index as usize;
            if !self.setup.abilities[ability].reaches || !self.state.abilities[ability].known {
                continue;
            }
            let (target, reach) = self.pick_first(who, self.program.ability(line.ability))?;
            let Some(target) = target else { continue };
            if let Some(when) = line.when.filter(|_| !line.chance) {
                let target = if line.aims { target } else { who };
                if self.quiet_number(when, &self.frame(who, target))? == 0.0 {
                    continue;
                }
            }
            return Ok(Some((index as u16, (target, reach))));
        }
        Ok(None)
    }
}
