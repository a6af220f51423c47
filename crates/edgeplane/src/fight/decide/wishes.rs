//! The goal of a combatant that cannot use anything yet: it is chosen when the combatant sets out, and kept.

use super::super::engine::{Engine, FightResult};
use super::super::state::Wish;
use crate::program::CombatantId;

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

    /// The combatant to walk to, and the distance at which to stop: for the first line that only distance keeps closed,
    /// otherwise for the wanted line. A combatant in reach for such a line waits there until the target leaves.
    pub(super) fn goal_of(&mut self, who: CombatantId) -> FightResult<Option<(CombatantId, f64)>> {
        if self.has_controller(who) {
            return Ok(self.state.walks[who.index()].goal);
        }
        let far = self.first_far_line(who);
        self.state.walks[who.index()].line = far;
        if let Some(line) = far.and_then(|index| self.setup.policies[who.index()].lines.get(usize::from(index))) {
            let (target, reach) = self.pick_first(who, self.program.ability(line.ability))?;
            if let Some(target) = target {
                self.state.walks[who.index()].wants = Wish::Undecided;
                return Ok(Some((target, reach)));
            }
        }
        if !self.ever_walks(who) {
            return Ok(None);
        }
        let (now, walk) = (self.state.now, &self.state.walks[who.index()]);
        let kept = match walk.wants {
            Wish::Undecided => None,
            _ if walk.wants_since == now => None,
            Wish::Nothing => return Ok(None),
            Wish::Line(line) => self.wanted_goal(who, line),
        };
        if kept.is_some() {
            return Ok(kept);
        }
        let wanted = self.first_wanted(who)?;
        let walk = &mut self.state.walks[who.index()];
        (walk.wants, walk.wants_since) = (wanted.map_or(Wish::Nothing, |(line, _)| Wish::Line(line)), now);
        Ok(wanted.map(|(_, goal)| goal))
    }

    /// The target of the current goal, if it is still possible: the combatant keeps to it, whatever else it would want
    /// now, unless it is taunted.
    fn wanted_goal(&self, who: CombatantId, line: u16) -> Option<(CombatantId, f64)> {
        let goal = self.state.walks[who.index()].goal?;
        let line = self.setup.policies[who.index()].lines.get(usize::from(line))?;
        let plan = self.program.ability(line.ability);
        let is_known = self.state.abilities[line.ability_index as usize].known;
        let is_free = self.taunter(who, plan.side).is_none_or(|taunter| taunter == goal.0);
        (is_known && is_free && self.candidates(who, plan).contains(&goal.0)).then_some(goal)
    }

    /// The first line with a reach that will be wanted, and its target: its condition holds, whatever else keeps it
    /// closed.
    fn first_wanted(&mut self, who: CombatantId) -> FightResult<Option<(u16, (CombatantId, f64))>> {
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
